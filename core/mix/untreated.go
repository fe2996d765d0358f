package mix

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
)

// powers are the mean K-weighted squares of a span per 100 ms, before and after its treatment,
// on the buses of a Renderer. A bus on which nothing sounds is nil.
type powers struct{ before, after [3][]float32 }

func (p powers) bytes() (n int) {
	for bus := range p.before {
		n += 4 * (len(p.before[bus]) + len(p.after[bus]))
	}
	return n
}

// powersOf measures a span. The filters begin from rest, which a tenth of a second later is forgotten.
func (p *Plan) powersOf(t *track, n int64) powers {
	return p.spans.powers.get(t.key(n), func() powers {
		from := audio.Frames(n) * spanLength
		in, _ := NewRenderer(p).gather(t, from, from+spanLength)
		return powers{weighed(in), weighed(p.span(t, n).bus)}
	})
}

func weighed(bus [3][]float32) (out [3][]float32) {
	for i, channel := range bus {
		if channel == nil {
			continue
		}
		m := loudness.NewMeter(1)
		m.Write(audio.PCM{channel[:spanLength]})
		out[i] = m.Series()[0]
	}
	return out
}

// summed adds those of a span to the powers of a track, all buses together.
func summed(to []float64, bus [3][]float32) []float64 {
	first := len(to)
	to = append(to, make([]float64, spanLength/loudness.Hop)...)
	for _, channel := range bus {
		for k, v := range channel {
			to[first+k] += float64(v)
		}
	}
	return to
}

// loudnessOf is how loud a track is without its treatment and with it, from so many spans.
func (p *Plan) loudnessOf(t *track, most int) (without, with float64) {
	var before, after []float64
	for _, n := range t.sounding(most) {
		powers := p.powersOf(t, n)
		before, after = summed(before, powers.before), summed(after, powers.after)
	}
	return loudness.Integrated(before), loudness.Integrated(after)
}

// Treated is how loud a track is without its treatment and with it, in LUFS, before its line,
// fader and pan: of all of it, or of five minutes that lie evenly over it. Both are
// loudness.Floor where that cannot be measured.
func (p *Plan) Treated(trackID string) (without, with float64, err error) {
	t := p.find(trackID)
	if t == nil || !t.treated.on {
		return loudness.Floor, loudness.Floor, nil
	}
	err = audio.Guard(func() { without, with = p.loudnessOf(t, mostLooked) })
	return without, with, err
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
