package balance

import (
	"context"
	"fmt"
	"slices"

	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
)

// Measured is what is known of an episode's loudness.
type Measured struct {
	Version   int64             `json:"version" doc:"That was measured; 0 if none was"`
	Measuring bool              `json:"measuring" doc:"The current version is another one and is being measured"`
	Loudness  *loudness.Result  `json:"loudness,omitempty"`
	Verdict   *loudness.Verdict `json:"verdict,omitempty" doc:"How it stands to the episode's target"`
}

// Measured gives what was measured last and, if that is outdated, has it measured in the background.
func (b *Balancer) Measured(ctx context.Context, episode string) (Measured, error) {
	e, err := b.Store.Episode(ctx, episode)
	if err != nil {
		return Measured{}, err
	}
	m := Measured{Version: e.LoudnessVersion, Measuring: e.LoudnessVersion != e.Version}
	if m.Measuring {
		b.Measure.Ask(episode, e.Version)
	}
	if m.Version == 0 {
		return m, nil
	}
	m.Loudness = &e.Loudness.Of
	doc, _, err := b.Store.Document(ctx, episode)
	if err != nil {
		return Measured{}, err
	}
	verdict := doc.Goal().Judge(e.Loudness.Of)
	m.Verdict = &verdict
	return m, nil
}

// Estimated is about how loud an episode is.
type Estimated struct {
	Version    int64            `json:"version" doc:"That it is of"`
	Integrated float64          `json:"integrated" doc:"LUFS, to half a unit"`
	Verdict    loudness.Verdict `json:"verdict" doc:"How it stands to the episode's target"`
}

// Estimated is about how loud an episode is now, known without rendering it: for the time in which a hand moves.
func (b *Balancer) Estimated(ctx context.Context, episode string) (Estimated, error) {
	doc, version, err := b.Store.Document(ctx, episode)
	if err != nil {
		return Estimated{}, err
	}
	target := doc.Goal()
	return b.estimates.Do(ctx, fmt.Sprintf("%s %d", episode, version), func(ctx context.Context) (Estimated, error) {
		p, err := b.Plans.Current(ctx, episode, version)
		if err != nil {
			return Estimated{}, err
		}
		defer p.Close()
		mixed, err := b.Turns.Plan(ctx, episode, p.Plan).Balance()
		if err != nil {
			return Estimated{}, err
		}
		about := mixed.Estimate()
		return Estimated{p.Version, about, target.Judge(loudness.Result{Integrated: about, TruePeak: loudness.Floor})}, nil
	})
}

// treating is the plan that says what the treatments of a document do, and how its tracks make way, for as long as it is not
// done; it is nil if there are none.
func (b *Balancer) treating(ctx context.Context, episode string, version int64, doc session.Document) (*mix.Plan, func(), error) {
	if !slices.ContainsFunc(doc.Tracks, func(t session.Track) bool { return !t.Treatment.Off() || t.MakesWay() }) {
		return nil, func() {}, nil
	}
	p, err := b.Plans.Current(ctx, episode, version)
	if err != nil {
		return nil, nil, err
	}
	return b.Turns.Plan(ctx, episode, p.Plan), p.Close, nil
}

// Silhouette is the outline of an episode as it will be heard, in so many columns.
func (b *Balancer) Silhouette(ctx context.Context, episode string, columns int) (mix.Silhouette, error) {
	doc, version, err := b.Store.Document(ctx, episode)
	if err != nil {
		return mix.Silhouette{}, err
	}
	if m, there := b.Measure.Latest(episode, version); there {
		return m.Silhouette(columns), nil
	}
	return b.outlines.Do(ctx, fmt.Sprintf("%s %d %d", episode, version, columns), func(ctx context.Context) (mix.Silhouette, error) {
		plan, done, err := b.treating(ctx, episode, version, doc)
		if err == nil {
			defer done()
		} // or else it is drawn as far as peaks can say
		return mix.Outline(doc, b.Sounds.PeaksOf(ctx), columns, plan)
	})
}
