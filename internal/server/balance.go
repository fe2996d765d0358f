package server

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/lead"
	"ruvel/internal/balance"
)

func (s *Server) balanceRoutes(api huma.API) {
	route(s, api, operation("GET", "/leads", "list-leads", "The voice leads that can be aimed at, in the order they are offered"),
		func(context.Context, *empty) (*body[[]lead.Aim], error) { return answer(lead.Aims(), nil) })
	route(s, api, operation("GET", "/ways", "list-ways", "Settings of making way for speech to begin with"),
		func(context.Context, *empty) (*body[[]duck.Start], error) { return answer(duck.Starts(), nil) })
	route(s, api, operation("GET", "/episodes/{episode}/ways/lines", "get-way-lines",
		"The lines in which tracks make way, to be turned into points; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Tracks string `query:"tracks" maxLength:"2000" doc:"Ids of tracks, with commas between them; left out: none"`
			Rev    int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[[]edit.WayLine], error) {
			return answer(s.Balance.WayLines(ctx, in.Episode, in.Rev, splitIDs(in.Tracks)))
		})
	route(s, api, operation("GET", "/episodes/{episode}/balance", "get-balance",
		"How far speech stands above everything else along an episode, and how tracks make way for it: measured if that has been done, or else estimated without rendering"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
			Op  string `query:"op" maxLength:"500000" doc:"An operation, as JSON: how it would be after that, estimated; nothing changes"`
		},
		) (*body[balance.Balance], error) {
			if in.Op == "" {
				return answer(s.Balance.Of(ctx, in.Episode, in.Rev))
			}
			op, err := edit.Decode([]byte(in.Op))
			if err != nil {
				return nil, fail(err)
			}
			return answer(s.Balance.After(ctx, in.Episode, op))
		})
	route(s, api, operation("GET", "/episodes/{episode}/room", "find-room",
		"How music and effects would make way so that speech leads by what is aimed at; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev  int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
			Left string `query:"without" maxLength:"2000" doc:"Ids of tracks, with commas between them, that are left as they are"`
		},
		) (*body[balance.Room], error) {
			return answer(s.Balance.Room(ctx, in.Episode, in.Rev, splitIDs(in.Left)))
		})
}

// splitIDs are ids with commas between them.
func splitIDs(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' })
}
