package check

import (
	"context"
	"fmt"
	"math"

	"ruvel/core/audio"
	"ruvel/core/lead"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/internal/plans"
)

// Compared is two versions of a mix side by side.
type Compared struct {
	Version int64    `json:"version" doc:"The present one"`
	Now     OneMix   `json:"now"`
	Then    OneMix   `json:"then"`
	Differs []string `json:"differs" nullable:"false" doc:"What differs, in sentences"`
}

// OneMix is one of them.
type OneMix struct {
	Measured bool         `json:"measured" doc:"Otherwise its loudness is estimated, and its true peak not known"`
	Loudness float64      `json:"loudness" doc:"LUFS; -120 if it is silent"`
	TruePeak *float64     `json:"truePeak,omitempty" doc:"dBTP"`
	Length   audio.Frames `json:"length"`
	Typical  *float64     `json:"typical,omitempty" doc:"The voice lead, in LU; left out if nobody speaks"`
	Lowest   *float64     `json:"lowest,omitempty"`
	Gain     float64      `json:"gain" doc:"dB by which it is made softer so that both are as loud"`
}

// Compare puts the present version of an episode, once it has a number, beside another one.
func (c *Checker) Compare(ctx context.Context, episode string, past plans.Past, rev int64) (out Compared, err error) {
	p, err := c.Plans.Current(ctx, episode, rev)
	if err != nil {
		return out, err
	}
	defer p.Close()
	then, before, err := c.Plans.Past(ctx, episode, past)
	if err != nil {
		return out, err
	}
	defer then.Close()
	now, _, err := c.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	out = Compared{Version: p.Version, Differs: []string{}}
	waiting, stop := context.WithTimeout(ctx, Patience)
	defer stop()
	var m *mix.Measured
	if of, there := c.Measure.Await(waiting, episode, p.Version); there {
		m = &of
	}
	if out.Now, err = c.oneMix(ctx, episode, p, now, m); err != nil {
		return out, err
	}
	m = nil
	of, done, err := c.Measure.Soon(ctx, c.Turns.Plan(ctx, episode, then.Plan))
	if err != nil {
		return out, err
	}
	if done {
		m = &of
	}
	if out.Then, err = c.oneMix(ctx, episode, then, before, m); err != nil {
		return out, err
	}
	if softer := min(out.Now.Loudness, out.Then.Loudness); softer > float64(audio.Silence) {
		out.Now.Gain, out.Then.Gain = max(-40, softer-out.Now.Loudness), max(-40, softer-out.Then.Loudness)
	}
	out.differ()
	return out, nil
}

// oneMix is what is told of a version, of which m was measured, or of which nothing was if that is nil.
func (c *Checker) oneMix(ctx context.Context, episode string, p *plans.Lease, doc session.Document, m *mix.Measured) (out OneMix, err error) {
	b, err := c.Turns.Plan(ctx, episode, p.Plan).Balance()
	if err != nil {
		return out, err
	}
	out.Length = doc.Length()
	voices, rest := b.Voices, b.Rest
	out.Loudness = b.Estimate()
	if m != nil {
		voices, rest = m.Voices, m.Rest
		peak := m.Loudness.TruePeak
		out.Measured, out.Loudness, out.TruePeak = true, m.Loudness.Integrated, &peak
	}
	spoken, err := speech.Spoken(doc, c.Sounds.Speech(ctx), 0, math.MaxInt64)
	if err != nil {
		return out, err
	}
	if sum := lead.Along(voices, rest, spoken).Sum(); sum.Typical == sum.Typical {
		out.Typical, out.Lowest = &sum.Typical, &sum.Lowest
	}
	return out, nil
}

// audible is from how many LU or seconds on a difference is told.
const audible = 0.1

// differ says in sentences what differs.
func (c *Compared) differ() {
	say := func(now, then float64, form, more, less string) {
		if d := now - then; math.Abs(d) >= audible {
			word := more
			if d < 0 {
				word = less
			}
			c.Differs = append(c.Differs, fmt.Sprintf(form, math.Abs(d), word))
		}
	}
	say(c.Now.Loudness, c.Then.Loudness, "The present version is %.1f LU %s.", "louder", "softer")
	if c.Now.Typical != nil && c.Then.Typical != nil {
		say(*c.Now.Typical, *c.Then.Typical, "Its voice leads by %.1f LU %s, typically.", "more", "less")
		say(*c.Now.Lowest, *c.Then.Lowest, "At its lowest it leads by %.1f LU %s.", "more", "less")
	}
	say(c.Now.Length.Seconds(), c.Then.Length.Seconds(), "It is %.1f s %s.", "longer", "shorter")
}
