package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/handover"
)

func (s *Server) sendingRoutes(api huma.API) {
	route(s, api, operation("GET", "/hosts", "list-hosts", "Where finished files can be sent"),
		func(context.Context, *empty) (*body[[]handover.Outside], error) {
			return answer(s.Handover.Hosts(), nil)
		})
	route(s, api, operation("GET", "/episodes/{episode}/sendings", "list-sendings", "The finished files of an episode that were sent elsewhere, or are on their way, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]handover.Sent], error) {
			return answer(s.Handover.Sendings(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/mixdowns/{mixdown}/sendings", "send-mixdown", "Send a finished file to a host. What breaks off is tried again for a while"),
		func(ctx context.Context, in *struct {
			InMixdown
			Body struct {
				Host string `json:"host" maxLength:"40"`
				Way  string `json:"way,omitempty" maxLength:"40" doc:"One of the host's; left out: its first"`
			}
		},
		) (*body[handover.Sent], error) {
			return answer(s.Handover.Send(ctx, in.Mixdown, in.Body.Host, in.Body.Way))
		})
}
