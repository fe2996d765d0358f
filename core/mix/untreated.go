package mix

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
)

// powers are the mean K-weighted squares of a span per 100 ms, before and after its treatment,
// of all its buses together.
type powers struct{ before, after []float64 }

func (p powers) bytes() int { return 8 * (len(p.before) + len(p.after)) }

// powersOf measures a span. The filters begin from rest, which a tenth of a second later is forgotten.
func (p *Plan) powersOf(t *track, n int64) powers {
	return p.spans.powers.get(t.key(n), func() powers {
		from := audio.Frames(n) * spanLength
		in, _ := NewRenderer(p).gather(t, from, from+spanLength)
		return powers{summed(in), summed(p.span(t, n).bus)}
	})
}

func summed(bus [3][]float32) []float64 {
	out := make([]float64, spanLength/loudness.Hop)
	for _, channel := range bus {
		if channel == nil {
			continue
		}
		m := loudness.NewMeter(1)
		m.Write(audio.PCM{channel[:spanLength]})
		for i, v := range m.Series()[0] {
			out[i] += float64(v)
		}
	}
	return out
}

// Treated is how loud a track is without its treatment and with it, in LUFS, before its line,
// fader and pan: of all of it, or of five minutes that lie evenly over it. Both are
// loudness.Floor where that cannot be measured.
func (p *Plan) Treated(trackID string) (without, with float64, err error) {
	t := p.find(trackID)
	if t == nil || !t.treated.on {
		return loudness.Floor, loudness.Floor, nil
	}
	var before, after []float64
	err = audio.Guard(func() {
		for _, n := range t.sounding(mostLooked) {
			powers := p.powersOf(t, n)
			before, after = append(before, powers.before...), append(after, powers.after...)
		}
	})
	return loudness.Integrated(before), loudness.Integrated(after), err
}

// Untreated is the plan without the treatment of some tracks, each made as loud as it is with
// it, so that the ear does not take what is louder for better; and by how much that is, in dB.
func (p *Plan) Untreated(tracks []string) (*Plan, map[string]audio.DB, error) {
	out, gains := *p, map[string]audio.DB{}
	out.tracks = slices.Clone(p.tracks)
	for i := range out.tracks {
		t := &out.tracks[i]
		if !t.treated.on || !slices.Contains(tracks, t.ID) {
			continue
		}
		without, with, err := p.Treated(t.ID)
		if err != nil {
			return nil, nil, err
		}
		if without > loudness.Floor && with > loudness.Floor {
			gains[t.ID] = audio.DB(with - without)
		}
		t.treated.on = false
		t.fader *= float32(gains[t.ID].Gain())
	}
	return &out, gains, nil
}
