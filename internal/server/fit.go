package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/internal/arrange"
)

func (s *Server) fitRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/fit", "find-fits",
		"Find ways to bring a piece of music to a length by leaving out or repeating bars; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Clip  string       `query:"clip" required:"true" maxLength:"20" doc:"Any of the row of clips that is the piece now"`
			Until audio.Frames `query:"until" required:"true" minimum:"1" maximum:"1036800000" doc:"Session time at which the piece is to end"`
		},
		) (*body[arrange.Fits], error) {
			return answer(s.Arrange.Fits(ctx, in.Episode, in.Clip, in.Until))
		})
}
