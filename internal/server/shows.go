package server

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Episode is an episode as the shelf lists it.
type Episode struct {
	ID       string           `json:"id"`
	Show     string           `json:"show"`
	Number   int              `json:"number"`
	Title    string           `json:"title"`
	Version  int64            `json:"version"`
	Length   audio.Frames     `json:"length" doc:"Frames at 48 kHz"`
	Changed  time.Time        `json:"changed"`
	Loudness *loudness.Result `json:"loudness,omitempty" doc:"Left out while this version has not been measured"`
	Mixdowns int              `json:"mixdowns" doc:"How many of this very version"`
}

func view(e store.Episode) Episode {
	v := Episode{ID: e.ID, Show: e.Show, Number: e.Number, Title: e.Title, Version: e.Version, Length: e.Length, Changed: e.Changed, Mixdowns: e.Mixdowns}
	if e.LoudnessVersion == e.Version {
		v.Loudness = &e.Loudness.Of
	}
	return v
}

type named struct {
	Name string `json:"name" minLength:"1" maxLength:"200" pattern:"\\S"`
}

type titled struct {
	Title  string `json:"title" minLength:"1" maxLength:"200" pattern:"\\S"`
	Number int    `json:"number,omitempty" minimum:"0" maximum:"1000000" doc:"Left out: the show's next, or as it was"`
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
			return answer(s.Store.AddShow(ctx, in.Body.Name))
		})
	huma.Register(api, operation("PATCH", "/shows/{show}", "rename-show", "Give a show another name"),
		func(ctx context.Context, in *struct {
			InShow
			Body named
		},
		) (*empty, error) {
			return nothing(s.Store.RenameShow(ctx, in.Show, in.Body.Name))
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
	huma.Register(api, operation("POST", "/shows/{show}/episodes", "add-episode", "Make an episode with an empty session"),
		func(ctx context.Context, in *struct {
			InShow
			Body titled
		},
		) (*body[Episode], error) {
			e, err := s.Store.AddEpisode(ctx, in.Show, in.Body.Title, in.Body.Number, session.New())
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
			if in.Body.Number == 0 {
				in.Body.Number = e.Number
			}
			if err := s.Store.RenameEpisode(ctx, in.Episode, in.Body.Title, in.Body.Number); err != nil {
				return nil, fail(err)
			}
			e, err = s.Store.Episode(ctx, in.Episode)
			return answer(view(e), err)
		})
	huma.Register(api, operation("DELETE", "/episodes/{episode}", "remove-episode", "Remove an episode with its history and mixdowns"),
		func(ctx context.Context, in *InEpisode) (*empty, error) {
			takes, err := s.Store.Takes(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			gone, err := s.Store.RemoveEpisode(ctx, in.Episode)
			for _, t := range takes {
				if err == nil {
					_ = s.Takes.Remove(t.ID)
				}
			}
			for _, m := range gone {
				if err == nil {
					_ = s.Bucket.Delete(ctx, work.MixdownKey(m))
				}
			}
			return nothing(err)
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/silhouette", "get-silhouette", "The outline of an episode as it will be heard"),
		func(ctx context.Context, in *struct {
			InEpisode
			Columns int `query:"columns" minimum:"1" maximum:"2000" default:"400"`
		},
		) (*body[mix.Silhouette], error) {
			doc, _, err := s.Store.Document(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			return answer(mix.Outline(doc, s.Sounds.Peaks(ctx), in.Columns))
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/loudness", "get-loudness", "Measure the whole mix of the current version"),
		func(ctx context.Context, in *InEpisode) (*body[Measured], error) {
			return answer(s.measure(ctx, in.Episode))
		})
	huma.Register(api, operation("GET", "/targets", "list-targets", "The delivery targets in the order they are offered"),
		func(context.Context, *empty) (*body[[]loudness.Target], error) {
			return answer(loudness.Targets(), nil)
		})
}

// Measured is the loudness of a version.
type Measured struct {
	Version int64 `json:"version"`
	loudness.Result
}

// measure renders and measures the current version, unless that has been done.
func (s *Server) measure(ctx context.Context, episode string) (Measured, error) {
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return Measured{}, err
	}
	if e.LoudnessVersion == e.Version {
		return Measured{e.Version, e.Loudness.Of}, nil
	}
	p, err := s.plans.get(ctx, episode, 0)
	if err != nil {
		return Measured{}, err
	}
	meter := loudness.NewMeter(2)
	if err := p.plan.Each(ctx, 0, p.plan.Length(), func(piece audio.PCM) error {
		meter.Write(piece)
		return nil
	}); err != nil {
		return Measured{}, err
	}
	r := meter.Result()
	return Measured{p.version, r}, s.Store.SetLoudness(ctx, episode, p.version, r)
}
