package server

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Episode is an episode as the shelf lists it.
type Episode struct {
	ID     string `json:"id"`
	Show   string `json:"show"`
	Number int    `json:"number"`
	Title  string `json:"title"`
	details.Details
	Version  int64            `json:"version"`
	Length   audio.Frames     `json:"length" doc:"Frames at 48 kHz"`
	Changed  time.Time        `json:"changed"`
	Loudness *loudness.Result `json:"loudness,omitempty" doc:"Left out while this version has not been measured"`
	Mixdowns int              `json:"mixdowns" doc:"How many of this very version"`
	Layout   bool             `json:"layout,omitempty" doc:"It is a layout of the house sound of its show, and no episode"`
	MadeFrom string           `json:"madeFrom,omitempty" doc:"The layout that it began as"`
}

func view(e store.Episode) Episode {
	v := Episode{ID: e.ID, Show: e.Show, Number: e.Number, Title: e.Title, Details: e.Said(), Version: e.Version, Length: e.Length, Changed: e.Changed, Mixdowns: e.Mixdowns, Layout: e.Layout}
	if e.MadeFrom != nil {
		v.MadeFrom = *e.MadeFrom
	}
	if e.LoudnessVersion == e.Version {
		v.Loudness = &e.Loudness.Of
	}
	return v
}

type named struct {
	Name string `json:"name" maxLength:"200"`
}

type titled struct {
	Title  string `json:"title" maxLength:"200"`
	Number int    `json:"number,omitempty" minimum:"0" maximum:"1000000" doc:"Left out: the show's next, or as it was"`
}

// newEpisode is an episode that is to be made.
type newEpisode struct {
	Title  string `json:"title" maxLength:"200"`
	Number int    `json:"number,omitempty" minimum:"0" maximum:"1000000" doc:"Left out: the show's next"`
	Layout string `json:"layout,omitempty" format:"uuid" doc:"The layout that it begins as; left out: with an empty session"`
}

// InShow is a route within a show.
type InShow struct {
	Show string `path:"show" format:"uuid"`
}

// InEpisode is a route within an episode.
type InEpisode struct {
	Episode string `path:"episode" format:"uuid"`
}

func (s *Server) showRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/shows", "list-shows", "List all shows"),
		func(ctx context.Context, _ *empty) (*body[[]store.Show], error) {
			return answer(s.Store.Shows(ctx))
		})
	huma.Register(api, operation("POST", "/shows", "add-show", "Make a show"),
		func(ctx context.Context, in *struct{ Body named }) (*body[store.Show], error) {
			name, err := session.NewName(in.Body.Name, "name")
			if err != nil {
				return nil, fail(err)
			}
			return answer(s.Store.AddShow(ctx, name))
		})
	huma.Register(api, operation("PATCH", "/shows/{show}", "rename-show", "Give a show another name"),
		func(ctx context.Context, in *struct {
			InShow
			Body named
		},
		) (*empty, error) {
			name, err := session.NewName(in.Body.Name, "name")
			if err == nil {
				err = s.Store.RenameShow(ctx, in.Show, name)
			}
			return nothing(err)
		})
	huma.Register(api, operation("GET", "/shows/{show}/episodes", "list-episodes", "List the episodes of a show, the newest first"),
		func(ctx context.Context, in *InShow) (*body[[]Episode], error) {
			rows, err := s.Store.Episodes(ctx, in.Show)
			out := []Episode{}
			for _, e := range rows {
				out = append(out, view(e))
			}
			return answer(out, err)
		})
	huma.Register(api, operation("POST", "/shows/{show}/episodes", "add-episode", "Make an episode, with an empty session or as a layout of the house sound"),
		func(ctx context.Context, in *struct {
			InShow
			Body newEpisode
		},
		) (*body[Episode], error) {
			title, err := session.NewName(in.Body.Title, "title")
			if err != nil {
				return nil, fail(err)
			}
			if in.Body.Layout != "" {
				e, err := s.Store.AddEpisodeFrom(ctx, in.Show, in.Body.Layout, title, in.Body.Number)
				return answer(view(e), err)
			}
			e, err := s.Store.AddEpisode(ctx, in.Show, title, in.Body.Number, session.New())
			return answer(view(e), err)
		})
}

func (s *Server) episodeRoutes(api huma.API) {
	huma.Register(api, operation("PATCH", "/episodes/{episode}", "rename-episode", "Give an episode another title and number"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body titled
		},
		) (*body[Episode], error) {
			e, err := s.Store.Episode(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			title, err := session.NewName(in.Body.Title, "title")
			if err != nil {
				return nil, fail(err)
			}
			if in.Body.Number == 0 {
				in.Body.Number = e.Number
			}
			if err := s.Store.RenameEpisode(ctx, in.Episode, title, in.Body.Number); err != nil {
				return nil, fail(err)
			}
			e, err = s.Store.Episode(ctx, in.Episode)
			return answer(view(e), err)
		})
	huma.Register(api, operation("DELETE", "/episodes/{episode}", "remove-episode", "Remove an episode with its history and mixdowns"),
		func(ctx context.Context, in *InEpisode) (*empty, error) {
			return nothing(s.removeEpisode(ctx, in.Episode))
		})
	s.measureRoutes(api)
}

// measureRoutes are those by which is told what an episode sounds like as a whole.
func (s *Server) measureRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/silhouette", "get-silhouette", "The outline of an episode as it will be heard"),
		func(ctx context.Context, in *struct {
			InEpisode
			Columns int `query:"columns" minimum:"1" maximum:"2000" default:"400"`
		},
		) (*body[mix.Silhouette], error) {
			doc, version, err := s.Store.Document(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			if m, there := s.Measure.Latest(in.Episode, version); there {
				return answer(m.Silhouette(in.Columns), nil)
			}
			return answer(s.outlines.Do(ctx, fmt.Sprintf("%s %d %d", in.Episode, version, in.Columns), func(ctx context.Context) (mix.Silhouette, error) {
				plan, done, err := s.treating(ctx, in.Episode, version, doc)
				if err == nil {
					defer done()
				} // or else it is drawn as far as peaks can say
				return mix.Outline(doc, s.Sounds.PeaksOf(ctx), in.Columns, plan)
			}))
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/loudness", "get-loudness", "The loudness of the whole mix as it was measured last. If that was another version, the current one is being measured, and an event tells when that is done"),
		func(ctx context.Context, in *InEpisode) (*body[Measured], error) {
			return answer(s.measured(ctx, in.Episode))
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/loudness/estimate", "estimate-loudness", "About how loud the whole mix is now, known without rendering it: for the time in which a hand moves"),
		func(ctx context.Context, in *InEpisode) (*body[Estimated], error) {
			return answer(s.estimated(ctx, in.Episode))
		})
	huma.Register(api, operation("GET", "/targets", "list-targets", "The delivery targets in the order they are offered"),
		func(context.Context, *empty) (*body[[]loudness.Target], error) {
			return answer(loudness.Targets(), nil)
		})
}

// Measured is what is known of an episode's loudness.
type Measured struct {
	Version   int64             `json:"version" doc:"That was measured; 0 if none was"`
	Measuring bool              `json:"measuring" doc:"The current version is another one and is being measured"`
	Loudness  *loudness.Result  `json:"loudness,omitempty"`
	Verdict   *loudness.Verdict `json:"verdict,omitempty" doc:"How it stands to the episode's target"`
}

// measured gives what was measured last and, if that is outdated, has it measured in the background.
func (s *Server) measured(ctx context.Context, episode string) (Measured, error) {
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return Measured{}, err
	}
	m := Measured{Version: e.LoudnessVersion, Measuring: e.LoudnessVersion != e.Version}
	if m.Measuring {
		s.Measure.Ask(episode, e.Version)
	}
	if m.Version == 0 {
		return m, nil
	}
	m.Loudness = &e.Loudness.Of
	doc, _, err := s.Store.Document(ctx, episode)
	if err != nil {
		return Measured{}, err
	}
	verdict := doc.Goal().Judge(e.Loudness.Of)
	m.Verdict = &verdict
	return m, nil
}

// Estimated is about how loud an episode is.
type Estimated struct {
	Version    int64            `json:"version" doc:"That it is of"`
	Integrated float64          `json:"integrated" doc:"LUFS, to half a unit"`
	Verdict    loudness.Verdict `json:"verdict" doc:"How it stands to the episode's target"`
}

func (s *Server) estimated(ctx context.Context, episode string) (Estimated, error) {
	doc, version, err := s.Store.Document(ctx, episode)
	if err != nil {
		return Estimated{}, err
	}
	target := doc.Goal()
	return s.estimates.Do(ctx, fmt.Sprintf("%s %d", episode, version), func(ctx context.Context) (Estimated, error) {
		p, err := s.Plans.Current(ctx, episode, version)
		if err != nil {
			return Estimated{}, err
		}
		defer p.Close()
		b, err := s.Turns.Plan(ctx, episode, p.Plan).Balance()
		if err != nil {
			return Estimated{}, err
		}
		about := b.Estimate()
		return Estimated{p.Version, about, target.Judge(loudness.Result{Integrated: about, TruePeak: loudness.Floor})}, nil
	})
}

// treating is the plan that says what the treatments of a document do, and how its tracks make way, for as long as it is not
// done; it is nil if there are none.
func (s *Server) treating(ctx context.Context, episode string, version int64, doc session.Document) (*mix.Plan, func(), error) {
	if !slices.ContainsFunc(doc.Tracks, func(t session.Track) bool { return !t.Treatment.Off() || t.MakesWay() }) {
		return nil, func() {}, nil
	}
	p, err := s.Plans.Current(ctx, episode, version)
	if err != nil {
		return nil, nil, err
	}
	return s.Turns.Plan(ctx, episode, p.Plan), p.Close, nil
}

// removeEpisode removes an episode with the files that are now nobody's, and tells the windows that show it.
func (s *Server) removeEpisode(ctx context.Context, episode string) error {
	recorded, err := s.Store.Takes(ctx, episode)
	if err != nil {
		return err
	}
	gone, err := s.Store.RemoveEpisode(ctx, episode)
	if err != nil {
		return err
	}
	s.Measure.Forget(episode)
	s.Plans.Forget(episode)
	for _, t := range recorded {
		_ = s.Takes.Chunks.Remove(t.ID)
	}
	for _, m := range gone {
		_ = s.Bucket.Delete(ctx, work.MixdownKey(m))
	}
	s.Queue.Announce(work.EpisodeSubject(episode), work.Event{Removed: &work.ShowEvent{}})
	return nil
}
