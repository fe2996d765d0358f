package server

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/revise"
	"ruvel/core/session"
	"ruvel/internal/plans"
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

// Along is the loudness of an episode over time.
type Along struct {
	Version   int64           `json:"version" doc:"That it is of"`
	Whole     loudness.Result `json:"whole"`
	Target    loudness.Target `json:"target"`
	Low       float64         `json:"low" doc:"LUFS, the lower end of the loudness range"`
	High      float64         `json:"high" doc:"LUFS, the upper end of it"`
	Momentary []byte          `json:"momentary" doc:"LUFS over 400 ms up to the end of each 100 ms, in hundredths, int16 little-endian; -12000 where there is nothing"`
	ShortTerm []byte          `json:"shortTerm" doc:"The same over 3 s"`
	SoFar     []byte          `json:"soFar" doc:"The gated loudness of all up to the end of each second"`
	TruePeak  []byte          `json:"truePeak" doc:"The highest true peak of each 100 ms, dBTP, in the same form"`
	Spoken    []session.Span  `json:"spoken" nullable:"false" doc:"Where somebody is heard to speak"`
}

func (s *Server) checkRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/rules", "list-rules", "What a check looks for, with its limits and their sources"),
		func(context.Context, *empty) (*body[[]review.Rule], error) { return answer(review.Rules(), nil) })
	huma.Register(api, operation("GET", "/episodes/{episode}/findings", "get-findings",
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
	huma.Register(api, operation("GET", "/episodes/{episode}/loudness/course", "get-loudness-course",
		"The loudness of an episode over time, from what was measured of its mix; it waits for that for two seconds at most"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev int64 `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[Along], error) {
			return answer(s.along(ctx, in.Episode, in.Rev))
		})
	huma.Register(api, operation("GET", "/shows/{show}/limits", "get-limits", "The limits of a show beyond which a check mentions something"),
		func(ctx context.Context, in *InShow) (*body[review.Bounds], error) {
			return answer(s.Store.Limits(ctx, in.Show))
		})
	huma.Register(api, operation("PATCH", "/shows/{show}/limits", "revise-limits", "Give a show other limits. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[review.Bounds], error) {
			return answer(s.Store.ReviseLimits(ctx, in.Show, in.Body))
		})
}

// alongPatience is how long an answer waits for the mix to be measured.
const alongPatience = 2 * time.Second

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

func (s *Server) along(ctx context.Context, episode string, rev int64) (out Along, err error) {
	p, err := s.Plans.Current(ctx, episode, rev)
	if err != nil {
		return out, err
	}
	defer p.Close()
	doc, _, err := s.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	waiting, stop := context.WithTimeout(ctx, alongPatience)
	defer stop()
	m, there := s.Measure.Await(waiting, episode, p.Version)
	if !there {
		return out, problem.New("being-measured", "episode", "The mix is still being measured. Wait a moment.")
	}
	out = Along{Version: p.Version, Whole: m.Loudness, Target: doc.Goal()}
	out.Low, out.High = loudness.RangeOf(m.Sum)
	c := loudness.Along(m.Sum)
	out.Momentary, out.ShortTerm, out.SoFar, out.TruePeak = hundredths(c.Momentary), hundredths(c.ShortTerm), hundredths(c.SoFar), hundredths(peaksOf(m))
	var b Balance
	out.Spoken, err = b.listen(doc, s.Sounds.Speech(ctx))
	if out.Spoken == nil {
		out.Spoken = []session.Span{}
	}
	return out, err
}

func peaksOf(m mix.Measured) []float64 {
	out := make([]float64, len(m.True))
	for i, v := range m.True {
		out[i] = float64(audio.Level(float64(v)))
	}
	return out
}

func hundredths(values []float64) []byte {
	out := make([]byte, 0, 2*len(values))
	for _, v := range values {
		out = binary.LittleEndian.AppendUint16(out, uint16(int16(math.Round(100*max(-120, min(120, v))))))
	}
	return out
}

// past is a version of an episode as an address names it.
func (s *Server) past(ctx context.Context, episode, which string) (*plans.Lease, error) {
	p, err := parsePast(which)
	if err != nil {
		return nil, err
	}
	l, _, err := s.Plans.Past(ctx, episode, p)
	return l, err
}

func parsePast(which string) (p plans.Past, err error) {
	if id, named := strings.CutPrefix(which, "named:"); named && id != "" {
		return plans.Past{Named: id}, nil
	}
	if step, ok := strings.CutPrefix(which, "step:"); ok {
		if p.Step, err = strconv.ParseInt(step, 10, 64); err == nil {
			return p, nil
		}
	}
	return p, problem.New("bad-version", "of", "A version is named by step: and how many steps were applied, or named: and its id.")
}
