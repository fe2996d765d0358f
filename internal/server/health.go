package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/access"
)

// Health is how Ruvel is, for those who watch over it.
type Health struct {
	Alive     bool  `json:"alive" doc:"It answers"`
	Ready     bool  `json:"ready" doc:"And the database does: requests can be sent here"`
	Free      int64 `json:"free" doc:"Bytes that are free on the disk of the data folder"`
	Kept      int64 `json:"kept" doc:"Bytes that are kept free: nothing is written beyond that"`
	Waiting   int   `json:"waiting" doc:"Jobs that wait"`
	Running   int   `json:"running" doc:"Jobs that are being done"`
	Listeners int   `json:"listeners" doc:"Listening streams"`
	Copies    int   `json:"copies" doc:"Working copies that are being read"`
	// Making is told at the first start alone, while the sample series is filled in.
	Making string `json:"making,omitempty" doc:"What of the sample series is being made just now; left out: nothing"`
}

// Make says what of the sample series is being made; nothing is nothing.
func (s *Server) Make(what string) { s.making.Store(&what) }

func (s *Server) healthRoutes(api huma.API) {
	route(s, api, operation("GET", "/health", "get-health", "How Ruvel is; 503 while its database does not answer"),
		func(ctx context.Context, _ *empty) (*body[Health], error) { return answer(s.health(ctx)) })
}

// health is all of it for those who are known; to others no more is said than whether requests can be sent here.
func (s *Server) health(ctx context.Context) (h Health, err error) {
	if s.People == nil || access.Asks(ctx) != nil {
		return s.wholeHealth(ctx)
	}
	h.Alive = true
	_, err = s.Store.Anybody(ctx)
	h.Ready = err == nil
	return h, err
}

func (s *Server) wholeHealth(ctx context.Context) (h Health, err error) {
	h.Alive = true
	jobs, err := s.Store.Unfinished(ctx)
	if err != nil {
		return h, err
	}
	h.Ready = true
	for _, j := range jobs {
		if j.Owner == "" {
			h.Waiting++
		} else {
			h.Running++
		}
	}
	if making := s.making.Load(); making != nil {
		h.Making = *making
	}
	h.Listeners, h.Copies = int(s.listening.Load()), s.Sounds.Mapped()
	h.Free, h.Kept, err = s.Space.Free()
	return h, err
}
