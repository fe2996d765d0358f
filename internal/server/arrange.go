package server

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/pause"
	"ruvel/core/problem"
	"ruvel/internal/arrange"
	"ruvel/internal/listening"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Past is the history of an episode.
type Past struct {
	Steps   []store.Step `json:"steps" nullable:"false" doc:"The last first"`
	Applied int64        `json:"applied" doc:"How many steps are applied; those with a higher number have been undone"`
}

// longestTry is how much of an edit that has not been made can be heard at a time.
const longestTry = 60 * audio.Second

func (s *Server) arrangeRoutes(api huma.API) {
	route(s, api, operation("POST", "/episodes/{episode}/fragments", "copy-fragment", "Copy clips, or a stretch of them, to be pasted there or elsewhere; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body edit.Copying
		},
		) (*body[edit.Fragment], error) {
			doc, _, err := s.Store.Document(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			return answer(edit.Copy(doc, in.Body))
		})
	route(s, api, operation("GET", "/episodes/{episode}/pauses", "find-pauses", "Find the pauses in speech that could be tightened; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Tracks string       `query:"tracks" maxLength:"2000" doc:"Ids of tracks, with commas between them; left out: all for voices"`
			Longer audio.Frames `query:"longer" minimum:"0" doc:"Pauses longer than this are tightened; left out: 0.8 s"`
			To     audio.Frames `query:"to" minimum:"0" doc:"What is left of them; left out: 0.5 s"`
			Meant  audio.Frames `query:"meant" minimum:"0" default:"240000" doc:"Longer ones are listed, and not chosen; 0: all are"`
		},
		) (*body[arrange.Pauses], error) {
			wanted := pause.Default()
			if in.Longer > 0 {
				wanted.Longer = in.Longer
			}
			if in.To > 0 {
				wanted.To = in.To
			}
			wanted.Meant = in.Meant
			return answer(s.Arrange.Pauses(ctx, in.Episode, splitIDs(in.Tracks), wanted))
		})
	route(s, api, operation("GET", "/episodes/{episode}/speech", "find-speech", "Where somebody is heard to speak in a stretch of an episode"),
		func(ctx context.Context, in *struct {
			InEpisode
			From audio.Frames `query:"from" minimum:"0"`
			To   audio.Frames `query:"to" minimum:"0"`
		},
		) (*body[arrange.Spoken], error) {
			return answer(s.Arrange.Spoken(ctx, in.Episode, in.From, in.To))
		})
	s.makeRoutes(api)
	s.historyRoutes(api)
	s.versionRoutes(api)
}

// makeRoutes are those by which what arranging leads to is heard before it is done, or made a sound.
func (s *Server) makeRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/try", "try-edit", "Hear up to a minute of the mix as it would be after an edit, as 16-bit WAV; nothing changes"), s.try)
	route(s, api, operation("POST", "/episodes/{episode}/renderings", "render-clips", "Render clips of the current version to a sound of the show"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body arrange.NewRendering
		},
		) (*body[work.JobEvent], error) {
			return answer(s.Arrange.Render(ctx, in.Episode, in.Body))
		})
}

func (s *Server) historyRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/history", "list-history", "The steps of the history, the last first"),
		func(ctx context.Context, in *struct {
			InEpisode
			Before int64 `query:"before" minimum:"0" doc:"Only steps before this one"`
			Most   int   `query:"most" minimum:"1" maximum:"1000" default:"200"`
		},
		) (*body[Past], error) {
			steps, applied, err := s.Store.Steps(ctx, in.Episode, in.Before, in.Most)
			return answer(Past{steps, applied}, err)
		})
	route(s, api, operation("POST", "/episodes/{episode}/history/{step}", "go-to-step", "Take back or carry out again what lies between now and a step; 0 is the beginning"),
		func(ctx context.Context, in *struct {
			InEpisode
			Step int64 `path:"step" minimum:"0"`
		},
		) (*body[work.ChangeEvent], error) {
			c, err := s.Store.GoTo(ctx, in.Episode, in.Step)
			return s.changed(in.Episode, c, err)
		})
}

func (s *Server) versionRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/versions", "list-versions", "The named versions of an episode, the last first"),
		func(ctx context.Context, in *InEpisode) (*body[[]store.NamedVersion], error) {
			return answer(s.Store.NamedVersions(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/episodes/{episode}/versions", "name-version", "Keep the episode as it is now under a name"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		},
		) (*body[store.NamedVersion], error) {
			return answer(s.Store.NameVersion(ctx, in.Episode, in.Body.Name))
		})
	route(s, api, operation("DELETE", "/episodes/{episode}/versions/{version}", "remove-version", "Forget a named version; the episode stays as it is"),
		func(ctx context.Context, in *inVersion) (*empty, error) {
			return nothing(s.Store.RemoveVersion(ctx, in.Episode, in.Version))
		})
	route(s, api, operation("POST", "/episodes/{episode}/versions/{version}/return", "return-to-version", "Bring the episode back to a named version, as a step that can be undone"),
		func(ctx context.Context, in *inVersion) (*body[work.ChangeEvent], error) {
			c, err := s.Store.ReturnTo(ctx, in.Episode, in.Version)
			return s.changed(in.Episode, c, err)
		})
}

// inVersion is a route within a named version of an episode.
type inVersion struct {
	InEpisode
	Version string `path:"version" format:"uuid" of:"version"`
}

func (s *Server) try(ctx context.Context, in *struct {
	InEpisode
	Op   string       `query:"op" required:"true" maxLength:"500000" doc:"The operation, as JSON"`
	From audio.Frames `query:"from" minimum:"0"`
	To   audio.Frames `query:"to" minimum:"1" doc:"At most a minute after from"`
},
) (*huma.StreamResponse, error) {
	op, err := edit.Decode([]byte(in.Op))
	if err != nil {
		return nil, fail(err)
	}
	if in.To <= in.From || in.To-in.From > longestTry {
		return nil, fail(problem.New("bad-range", "to", "Up to %v can be heard at a time.", longestTry))
	}
	p, _, err := s.Plans.Tried(ctx, in.Episode, op)
	if err != nil {
		return nil, fail(err)
	}
	if s.trying.Add(1) > mostTries {
		s.trying.Add(-1)
		p.Close()
		return nil, newError(http.StatusServiceUnavailable, "Too many edits are being tried at the moment. Wait until some of them have been heard.", "too-many-listeners")
	}
	ended := sync.OnceFunc(func() { s.trying.Add(-1); p.Close() })
	sound, err := listening.File(p.Plan, in.From, in.To, func(do func()) error { return s.Turns.In(ctx, in.Episode, do) })
	if err != nil { // so that what cannot be heard is an answer, not one that breaks off
		ended()
		return nil, fail(err)
	}
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		defer ended()
		r, w := humachi.Unwrap(hctx)
		w.Header().Set("Content-Type", "audio/wav")
		http.ServeContent(w, r, "", time.Time{}, sound)
	}}, nil
}

// mostTries is how many edits can be tried at a time.
const mostTries = 32
