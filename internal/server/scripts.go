package server

import (
	"context"
	"maps"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/credits"
	"ruvel/core/problem"
	"ruvel/core/script"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Script is the text of an episode, and the same made ready to be read.
type Script struct {
	Version int64          `json:"version"`
	Text    string         `json:"text"`
	Pace    script.Pace    `json:"pace" doc:"Words a minute"`
	Reading script.Reading `json:"reading"`
}

func scriptView(s store.Script) Script {
	return Script{s.Version, s.Text, s.Pace, script.Read(s.Text, s.Pace, s.Recorded.Of)}
}

type scriptChange struct {
	Base     int64           `json:"base" doc:"The version that a new text is meant for"`
	Text     *string         `json:"text,omitempty" maxLength:"1000000" doc:"Plain text or Markdown"`
	Pace     *script.Pace    `json:"pace,omitempty" minimum:"60" maximum:"300"`
	Recorded map[string]bool `json:"recorded,omitempty" doc:"Parts, by key, that have or have not been recorded; at most 500 at a time"`
}

const (
	// mostMarks is how many parts can be marked at a time.
	mostMarks = 500
	// longestKey is how long the key of a part can be.
	longestKey = 40
)

// checkMarks refuses marks that no script could have made.
func checkMarks(recorded map[string]bool) error {
	if len(recorded) > mostMarks {
		return problem.New("too-many-marks", "recorded", "%d parts are to be marked; it can be at most %d at a time.", len(recorded), mostMarks)
	}
	for key := range recorded {
		if len(key) == 0 || len(key) > longestKey {
			return problem.New("unknown-part", "recorded", "A part with the key “%s” cannot be in a script.", shorten(key))
		}
	}
	return nil
}

func (s *Server) scriptRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/script", "get-script", "The script of an episode with its estimated speaking time"),
		func(ctx context.Context, in *InEpisode) (*body[Script], error) {
			sc, err := s.Store.Script(ctx, in.Episode)
			return answer(scriptView(sc), err)
		})
	route(s, api, operation("PATCH", "/episodes/{episode}/script", "change-script", "Change the text or the pace, or mark parts as recorded"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body scriptChange
		},
		) (*body[Script], error) {
			if err := checkMarks(in.Body.Recorded); err != nil {
				return nil, fail(err)
			}
			sc, err := s.Store.EditScript(ctx, in.Episode, in.Body.Base, func(sc *store.Script) {
				if in.Body.Text != nil {
					sc.Text = *in.Body.Text
				}
				if in.Body.Pace != nil {
					sc.Pace = *in.Body.Pace
				}
				maps.Copy(sc.Recorded.Of, in.Body.Recorded)
			})
			if err == nil {
				s.Queue.Announce(work.EpisodeSubject(in.Episode), work.Event{Script: &work.ShowEvent{}})
			}
			return answer(scriptView(sc), err)
		})
	route(s, api, operation("GET", "/licences", "list-licences", "The common open licences with what each demands"),
		func(context.Context, *empty) (*body[[]credits.Licence], error) {
			return answer(credits.Licences(), nil)
		})
	route(s, api, operation("GET", "/episodes/{episode}/credits", "get-credits", "The sounds that must be named with the episode, as text, Markdown and HTML"),
		func(ctx context.Context, in *InEpisode) (*body[credits.List], error) {
			return answer(s.Library.Credits(ctx, in.Episode))
		})
}
