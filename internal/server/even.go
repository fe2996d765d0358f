package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/even"
	"ruvel/internal/balance"
)

func (s *Server) evenRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/evening", "find-evening",
		"How voices would be brought to the same loudness or peak by the gains of their clips; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Of    string  `query:"of" enum:"clips,tracks" default:"clips" doc:"Clip by clip, or all clips of a track together"`
			By    even.By `query:"by" enum:"loudness,peak" default:"loudness"`
			To    float64 `query:"to" minimum:"-60" maximum:"0" doc:"LUFS or dBFS; left out or 0: the middle of all"`
			Clips string  `query:"clips" maxLength:"20000" doc:"Ids of clips, with commas between them; left out: all on tracks for voices"`
		},
		) (*body[balance.Evening], error) {
			want := balance.Wish{By: in.By, ByTrack: in.Of == "tracks", Clips: splitIDs(in.Clips)}
			if in.To != 0 {
				want.To = &in.To
			}
			return answer(s.Balance.Even(ctx, in.Episode, want))
		})
}
