package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/episodes"
)

// hearingRoutes are what those see of an episode who hear it, or read for it, and do not make it.
func (s *Server) hearingRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/hearing", "get-hearing", "An episode for those who hear it: what it is called, how long it is, and its chapters"),
		func(ctx context.Context, in *InEpisode) (*body[episodes.Hearing], error) {
			return answer(s.Episodes.Hearing(ctx, in.Episode))
		})
	route(s, api, operation("GET", "/episodes/{episode}/reading", "get-reading", "An episode for those who read for it: its script, and the tracks and places that they can record onto"),
		func(ctx context.Context, in *InEpisode) (*body[episodes.ToRead], error) {
			return answer(s.Episodes.Reading(ctx, in.Episode))
		})
}
