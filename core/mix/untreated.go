package mix

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// powers are the mean K-weighted squares of a span per 100 ms, on the buses of a Renderer. A
// bus on which nothing sounds is nil.
type powers [3][]float32

func (p powers) bytes() int {
	n := entry
	for _, channel := range p {
		n += 4 * len(channel)
	}
	return n
}

// powersOf measures a treated span. The filters begin from rest, which a tenth of a second later is forgotten.
func (p *Plan) powersOf(t *track, n int64) powers {
	return p.spans.powers.get(p.key(t, n), func() powers { return weighed(p.span(t, n).bus) })
}

// powersBefore measures a span before its treatment.
func (p *Plan) powersBefore(t *track, n int64) powers {
	from := audio.Frames(n) * spanLength
	bare := *t
	bare.Treatment = session.Treatment{} // what is done to it makes no difference
	return p.spans.powers.get(p.key(&bare, n), func() powers {
		in, _ := NewRenderer(p).gather(t, from, from+spanLength)
		return weighed(in)
	})
}

func weighed(bus [3][]float32) (out powers) {
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
func summed(to []float64, of powers) []float64 {
	first := len(to)
	to = append(to, make([]float64, spanLength/loudness.Hop)...)
	for _, channel := range of {
		for k, v := range channel {
			to[first+k] += float64(v)
		}
	}
	return to
}

// loudnessOf is how loud a track is without its treatment and with it, from some spans.
func (p *Plan) loudnessOf(t *track, spans []int64) (without, with float64, _ error) {
	var before, after []float64
	for _, n := range spans {
		if err := p.inTurn(func() {
			before, after = summed(before, p.powersBefore(t, n)), summed(after, p.powersOf(t, n))
		}); err != nil {
			return loudness.Floor, loudness.Floor, err
		}
	}
	return loudness.Integrated(before), loudness.Integrated(after), nil
}

// Treated is how loud a track is without its treatment and with it, in LUFS, before its line,
// fader and pan: of all of it, or of five minutes that lie evenly over it. Both are
// loudness.Floor where that cannot be measured.
func (p *Plan) Treated(trackID string) (without, with float64, err error) {
	t := p.find(trackID)
	if t == nil || !t.treated.on {
		return loudness.Floor, loudness.Floor, nil
	}
	return p.loudnessOf(t, t.sounding(mostLooked))
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
