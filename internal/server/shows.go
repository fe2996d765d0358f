package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/access"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/internal/store"
)

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
	Layout string `json:"layout,omitempty" format:"uuid" of:"layout" doc:"The layout that it begins as; left out: with an empty session"`
}

// InShow is a route within a show.
type InShow struct {
	Show string `path:"show" format:"uuid" of:"show"`
}

// InEpisode is a route within an episode.
type InEpisode struct {
	Episode string `path:"episode" format:"uuid" of:"episode"`
}

func (s *Server) showRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows", "list-shows", "List all shows"),
		func(ctx context.Context, _ *empty) (*body[[]store.Show], error) {
			all, err := s.Store.Shows(ctx)
			return answer(s.Access.Shows(ctx, all), err)
		})
	route(s, api, operation("POST", "/shows", "add-show", "Make a show"),
		func(ctx context.Context, in *struct{ Body named }) (*body[store.Show], error) {
			if err := s.Access.Begin(ctx); err != nil {
				return nil, fail(err)
			}
			name, err := session.NewName(in.Body.Name, "name")
			if err != nil {
				return nil, fail(err)
			}
			return answer(s.Store.AddShow(ctx, name))
		})
	route(s, api, operation("PATCH", "/shows/{show}", "rename-show", "Give a show another name"),
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
	route(s, api, operation("GET", "/shows/{show}/episodes", "list-episodes", "List the episodes of a show, the newest first"),
		func(ctx context.Context, in *InShow) (*body[[]episodes.Episode], error) {
			rows, err := s.Store.Episodes(ctx, in.Show)
			out := []episodes.Episode{}
			making := s.Access.Can(ctx, in.Show, access.Make)
			for _, e := range rows {
				v := episodes.View(e)
				if !making {
					v = v.Heard()
				}
				out = append(out, v)
			}
			return answer(out, err)
		})
	route(s, api, operation("POST", "/shows/{show}/episodes", "add-episode", "Make an episode, with an empty session or as a layout of the house sound"),
		func(ctx context.Context, in *struct {
			InShow
			Body newEpisode
		},
		) (*body[episodes.Episode], error) {
			title, err := session.NewName(in.Body.Title, "title")
			if err != nil {
				return nil, fail(err)
			}
			if in.Body.Layout != "" {
				e, err := s.Store.AddEpisodeFrom(ctx, in.Show, in.Body.Layout, title, in.Body.Number)
				return answer(episodes.View(e), err)
			}
			e, err := s.Store.AddEpisode(ctx, in.Show, title, in.Body.Number, session.New())
			return answer(episodes.View(e), err)
		})
}

func (s *Server) episodeRoutes(api huma.API) {
	route(s, api, operation("PATCH", "/episodes/{episode}", "rename-episode", "Give an episode another title and number"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body titled
		},
		) (*body[episodes.Episode], error) {
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
			return answer(episodes.View(e), err)
		})
	route(s, api, operation("DELETE", "/episodes/{episode}", "remove-episode", "Remove an episode with its history and mixdowns"),
		func(ctx context.Context, in *InEpisode) (*empty, error) {
			return nothing(s.Episodes.Remove(ctx, in.Episode))
		})
	s.measureRoutes(api)
}

// measureRoutes are those by which is told what an episode sounds like as a whole.
func (s *Server) measureRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/silhouette", "get-silhouette", "The outline of an episode as it will be heard"),
		func(ctx context.Context, in *struct {
			InEpisode
			Columns int `query:"columns" minimum:"1" maximum:"2000" default:"400"`
		},
		) (*body[mix.Silhouette], error) {
			return answer(s.Balance.Silhouette(ctx, in.Episode, in.Columns))
		})
	route(s, api, operation("GET", "/episodes/{episode}/loudness", "get-loudness", "The loudness of the whole mix as it was measured last. If that was another version, the current one is being measured, and an event tells when that is done"),
		func(ctx context.Context, in *InEpisode) (*body[balance.Measured], error) {
			return answer(s.Balance.Measured(ctx, in.Episode))
		})
	route(s, api, operation("GET", "/episodes/{episode}/loudness/estimate", "estimate-loudness", "About how loud the whole mix is now, known without rendering it: for the time in which a hand moves"),
		func(ctx context.Context, in *InEpisode) (*body[balance.Estimated], error) {
			return answer(s.Balance.Estimated(ctx, in.Episode))
		})
	route(s, api, operation("GET", "/targets", "list-targets", "The delivery targets in the order they are offered"),
		func(context.Context, *empty) (*body[[]loudness.Target], error) {
			return answer(loudness.Targets(), nil)
		})
}
