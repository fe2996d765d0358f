package server

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/review"
	"ruvel/core/revise"
	"ruvel/core/session"
	"ruvel/internal/check"
)

// Findings are those of an episode.
type Findings struct {
	Version  int64         `json:"version" doc:"That they are of"`
	Measured bool          `json:"measured" doc:"The mix has been measured; otherwise nothing is said of it as a whole yet"`
	Findings []Finding     `json:"findings" nullable:"false" doc:"Worst first; those that are set aside come last"`
	Kinds    []KindOf      `json:"kinds" nullable:"false" doc:"The kinds of which there are several that can be mended at once"`
	Limits   review.Bounds `json:"limits" doc:"Those of the show"`
}

// Finding is one of them, with the edit that mends it.
type Finding struct {
	review.Finding
	Name string   `json:"name" doc:"What is wrong, in two or three words"`
	Fix  *Mending `json:"fix,omitempty" doc:"What mends it; left out if nothing does by itself"`
}

// Mending is an edit that mends something.
type Mending struct {
	Do   string `json:"do" doc:"What it does, in two to four words"`
	Text string `json:"text" doc:"What will change"`
	Op   Op     `json:"op"`
}

// KindOf is a kind of which several findings can be mended by one edit.
type KindOf struct {
	Kind  string `json:"kind"`
	Name  string `json:"name"`
	Count int    `json:"count" doc:"How many it mends"`
	Op    Op     `json:"op"`
}

func (s *Server) checkRoutes(api huma.API) {
	route(s, api, operation("GET", "/rules", "list-rules", "What a check looks for, with its limits and their sources"),
		func(context.Context, *empty) (*body[[]review.Rule], error) { return answer(review.Rules(), nil) })
	route(s, api, operation("GET", "/episodes/{episode}/findings", "get-findings",
		"What a second pair of ears would mention of an episode. It waits for a second at most for the mix to be measured; if that takes longer, an event tells when it is done"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev  int64        `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
			From audio.Frames `query:"loopFrom" minimum:"0" doc:"The stretch that is played over and over, if there is one"`
			To   audio.Frames `query:"loopTo" minimum:"0"`
		},
		) (*body[Findings], error) {
			var loop *session.Span
			if in.To > in.From {
				loop = &session.Span{From: in.From, To: in.To}
			}
			return answer(s.findings.Do(ctx, fmt.Sprintf("%s %d %d %d", in.Episode, in.Rev, in.From, in.To), func(ctx context.Context) (Findings, error) {
				return s.findingsIn(ctx, in.Episode, in.Rev, loop)
			}))
		})
	route(s, api, operation("GET", "/episodes/{episode}/loudness/course", "get-loudness-course",
		"The loudness of an episode over time, from what was measured of its mix; it waits for that for two seconds at most"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev int64 `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[check.Along], error) {
			return answer(s.Check.Course(ctx, in.Episode, in.Rev))
		})
	route(s, api, operation("GET", "/shows/{show}/limits", "get-limits", "The limits of a show beyond which a check mentions something"),
		func(ctx context.Context, in *InShow) (*body[review.Bounds], error) {
			return answer(s.Store.Limits(ctx, in.Show))
		})
	route(s, api, operation("PATCH", "/shows/{show}/limits", "revise-limits", "Give a show other limits. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[review.Bounds], error) {
			return answer(s.Store.ReviseLimits(ctx, in.Show, in.Body))
		})
}

// findingsIn is what is found in an episode as people see it.
func (s *Server) findingsIn(ctx context.Context, episode string, rev int64, loop *session.Span) (Findings, error) {
	found, err := s.Check.Of(ctx, episode, rev, loop)
	out := Findings{Version: found.Version, Measured: found.Measured, Findings: []Finding{}, Kinds: []KindOf{}, Limits: found.Limits}
	names := map[string]string{}
	for _, r := range review.Rules() {
		names[r.Kind] = r.Name
	}
	for _, f := range found.Findings {
		view := Finding{Finding: f, Name: names[f.Kind]}
		if f.Fix != nil {
			view.Fix = &Mending{f.Fix.Do, f.Fix.Text, Op{edit.Encode(f.Fix.Op)}}
		}
		out.Findings = append(out.Findings, view)
	}
	for _, k := range found.Kinds {
		out.Kinds = append(out.Kinds, KindOf{k.Rule.Kind, k.Rule.Name, k.Count, Op{edit.Encode(k.Op)}})
	}
	return out, err
}
