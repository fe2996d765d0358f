package server

import (
	"context"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/problem"
	"ruvel/internal/hosts"
	"ruvel/internal/store"
)

// Keys of the hosts that ship.
const (
	FolderHost   = "folder"
	PracticeHost = "practice"
)

// Outside is a host that finished files can be sent to.
type Outside struct {
	Key  string         `json:"key"`
	Name string         `json:"name"`
	Ways []hosts.Manner `json:"ways" nullable:"false" doc:"How it can be asked to take a file; none: there is but one way"`
}

// Sent is a finished file that was sent elsewhere, or is on its way.
type Sent struct {
	ID      string             `json:"id" doc:"Also that of its job, by which it is cancelled"`
	Mixdown string             `json:"mixdown,omitempty" doc:"Left out: the file was removed since"`
	File    string             `json:"file"`
	Host    string             `json:"host" doc:"In words"`
	Key     string             `json:"key" doc:"Of the host"`
	Way     string             `json:"way,omitempty"`
	State   store.SendingState `json:"state" enum:"waiting,sending,sent,refused,failed,cancelled"`
	Tries   int                `json:"tries"`
	Said    string             `json:"said,omitempty" doc:"What the host said last"`
	Again   *time.Time         `json:"again,omitempty" doc:"When it is tried again"`
	Made    time.Time          `json:"made"`
	Ended   *time.Time         `json:"ended,omitempty"`
}

// cancelled is the state of a sending whose job was ended by hand.
const cancelled store.SendingState = "cancelled"

func (s *Server) sendingRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/hosts", "list-hosts", "Where finished files can be sent"),
		func(context.Context, *empty) (*body[[]Outside], error) { return answer(s.hosts(), nil) })
	huma.Register(api, operation("GET", "/episodes/{episode}/sendings", "list-sendings", "The finished files of an episode that were sent elsewhere, or are on their way, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]Sent], error) {
			all, err := s.Store.Sendings(ctx, in.Episode)
			out := []Sent{}
			for _, n := range all {
				out = append(out, s.sent(n))
			}
			return answer(out, err)
		})
	huma.Register(api, operation("POST", "/mixdowns/{mixdown}/sendings", "send-mixdown", "Send a finished file to a host. What breaks off is tried again for a while"),
		func(ctx context.Context, in *struct {
			InMixdown
			Body struct {
				Host string `json:"host" maxLength:"40"`
				Way  string `json:"way,omitempty" maxLength:"40" doc:"One of the host's; left out: its first"`
			}
		},
		) (*body[Sent], error) {
			n, err := s.send(ctx, in.Mixdown, in.Body.Host, in.Body.Way)
			return answer(s.sent(n), err)
		})
}

func (s *Server) hosts() []Outside {
	out := []Outside{}
	for key, h := range s.Worker.Hosts {
		out = append(out, Outside{key, h.Name(), append([]hosts.Manner{}, h.Ways()...)})
	}
	slices.SortFunc(out, func(a, b Outside) int {
		if a.Key < b.Key {
			return -1
		}
		return 1
	})
	return out
}

func (s *Server) send(ctx context.Context, mixdown, host, way string) (store.Sending, error) {
	m, err := s.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return store.Sending{}, err
	}
	h, there := s.Worker.Hosts[host]
	if !there {
		return store.Sending{}, problem.New("unknown-host", "host", "There is no host of the key %q to send to.", host)
	}
	ways := h.Ways()
	if way == "" && len(ways) > 0 {
		way = ways[0].Key
	}
	if way != "" && !slices.ContainsFunc(ways, func(w hosts.Manner) bool { return w.Key == way }) {
		return store.Sending{}, problem.New("unknown-way", "way", "%s cannot be asked for %q.", h.Name(), way)
	}
	e, err := s.Store.Episode(ctx, m.Episode)
	if err != nil {
		return store.Sending{}, err
	}
	return s.Worker.Send(ctx, m, e.Show, host, way)
}

// sent is a sending as people see it.
func (s *Server) sent(n store.Sending) Sent {
	out := Sent{ID: n.ID, File: n.File, Host: n.Host, Key: n.Host, Way: n.Way, State: n.State, Tries: n.Tries, Said: n.Said, Again: n.Again, Made: n.Made, Ended: n.Ended}
	if h, there := s.Worker.Hosts[n.Host]; there {
		out.Host = h.Name()
	}
	if n.Mixdown != nil {
		out.Mixdown = *n.Mixdown
	}
	if !n.State.Final() && n.Job != nil && n.Job.Final() { // it was ended from outside
		out.Again, out.State = nil, store.SendingFailed
		if *n.Job == store.Cancelled {
			out.State = cancelled
		}
	}
	return out
}
