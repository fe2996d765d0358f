package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/episodes"
	"ruvel/internal/work"
)

func (s *Server) houseRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows/{show}/layouts", "list-layouts", "The layouts of the house sound of a show"),
		func(ctx context.Context, in *InShow) (*body[[]episodes.Layout], error) {
			return answer(s.Episodes.Layouts(ctx, in.Show))
		})
	route(s, api, operation("POST", "/shows/{show}/layouts", "add-layout",
		"Keep a layout: taken from an episode, with its music and settings, and empty places for what was said; or empty. It is edited as an episode is, by its id"),
		func(ctx context.Context, in *struct {
			InShow
			Body episodes.NewLayout
		},
		) (*body[episodes.Episode], error) {
			return answer(s.Episodes.AddLayout(ctx, in.Show, in.Body))
		})
	route(s, api, operation("GET", "/shows/{show}/along", "list-along", "What has changed in layouts since episodes were made from them, by episode; nothing changes"),
		func(ctx context.Context, in *InShow) (*body[[]episodes.Bringable], error) {
			return answer(s.Episodes.Bringable(ctx, in.Show))
		})
	route(s, api, operation("POST", "/episodes/{episode}/along", "bring-along", "Bring an episode in line with its layout, as one step that can be undone. What was changed in the episode itself stays"),
		func(ctx context.Context, in *InEpisode) (*body[work.ChangeEvent], error) {
			return answer(s.Episodes.BringAlong(ctx, in.Episode))
		})
}
