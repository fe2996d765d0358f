package handover

import (
	"context"
	"slices"
	"strings"
	"time"

	"ruvel/core/problem"
	"ruvel/internal/hosts"
	"ruvel/internal/store"
)

// Outside is a host that finished files can be sent to.
type Outside struct {
	Key  string         `json:"key"`
	Name string         `json:"name"`
	Ways []hosts.Method `json:"ways" nullable:"false" doc:"How it can be asked to take a file; none: there is but one way"`
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

// Hosts are where finished files can be sent, in the order of their keys.
func (h *Handover) Hosts() []Outside {
	out := []Outside{}
	for key, host := range h.Worker.Hosts {
		out = append(out, Outside{key, host.Name(), append([]hosts.Method{}, host.Ways()...)})
	}
	slices.SortFunc(out, func(a, b Outside) int { return strings.Compare(a.Key, b.Key) })
	return out
}

// Sendings are the finished files of an episode that were sent elsewhere, or are on their way, the newest first.
func (h *Handover) Sendings(ctx context.Context, episode string) ([]Sent, error) {
	all, err := h.Store.Sendings(ctx, episode)
	out := []Sent{}
	for _, n := range all {
		out = append(out, h.sent(n))
	}
	return out, err
}

// Send sends a finished file to a host, in one of its ways or, if none is named, in its first. What breaks off is tried again
// for a while.
func (h *Handover) Send(ctx context.Context, mixdown, key, way string) (Sent, error) {
	m, err := h.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return Sent{}, err
	}
	host, there := h.Worker.Hosts[key]
	if !there {
		return Sent{}, problem.New("unknown-host", "host", "There is no host of the key %q to send to.", key)
	}
	ways := host.Ways()
	if way == "" && len(ways) > 0 {
		way = ways[0].Key
	}
	if way != "" && !slices.ContainsFunc(ways, func(w hosts.Method) bool { return w.Key == way }) {
		return Sent{}, problem.New("unknown-way", "way", "%s cannot be asked for %q.", host.Name(), way)
	}
	e, err := h.Store.Episode(ctx, m.Episode)
	if err != nil {
		return Sent{}, err
	}
	n, err := h.Worker.Send(ctx, m, e.Show, key, way)
	return h.sent(n), err
}

// sent is a sending as people see it.
func (h *Handover) sent(n store.Sending) Sent {
	out := Sent{ID: n.ID, File: n.File, Host: n.Host, Key: n.Host, Way: n.Way, State: n.State, Tries: n.Tries, Said: n.Said, Again: n.Again, Made: n.Made, Ended: n.Ended}
	if host, there := h.Worker.Hosts[n.Host]; there {
		out.Host = host.Name()
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
