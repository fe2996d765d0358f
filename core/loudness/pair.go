package loudness

import "ruvel/core/audio"

// Pair measures two sounds that are heard together: each by itself, and both. The zero value is no
// Pair; make one with NewPair.
type Pair struct {
	channels []pairChannel
}

type pairChannel struct{ first, second weighting }

// weighting is the K-weighting of one channel.
type weighting struct{ shelf, highPass biquad }

// NewPair makes one for sounds of so many channels.
func NewPair(channels int) *Pair {
	p := &Pair{make([]pairChannel, channels)}
	for i := range p.channels {
		w := weighting{shelf(), highPass()}
		p.channels[i] = pairChannel{w, w}
	}
	return p
}

// Hop takes the next frames of both, 100 ms of them, and gives the mean K-weighted squares of the
// first, of the second and of their sum, all channels together.
func (p *Pair) Hop(first, second audio.PCM) (one, other, both float64) {
	for c := range p.channels {
		w := &p.channels[c]
		a, b, ab := w.weigh(first[c], second[c])
		one, other, both = one+a, other+b, both+ab
	}
	return one / hop, other / hop, both / hop
}

func (w *pairChannel) weigh(first, second []float32) (one, other, both float64) {
	switch {
	case w.second.still() && audio.PeakOf(second) == 0:
		one = weigh(&w.first.shelf, &w.first.highPass, first)
		w.first.settle()
		return one, 0, one
	case w.first.still() && audio.PeakOf(first) == 0:
		other = weigh(&w.second.shelf, &w.second.highPass, second)
		w.second.settle()
		return 0, other, other
	}
	p, q := w.first, w.second
	second = second[:len(first)]
	for i, v := range first {
		a, b := p.next(float64(v)), q.next(float64(second[i]))
		one += a * a
		other += b * b
		both += (a + b) * (a + b)
	}
	w.first, w.second = p, q
	w.first.settle()
	w.second.settle()
	return one, other, both
}

// next weighs one sample, as weigh does.
func (w *weighting) next(x float64) float64 {
	p, q := &w.shelf, &w.highPass
	y := p.b0*x + p.s1
	p.s1 = p.b1*x - p.a1*y + p.s2
	p.s2 = p.b2*x - p.a2*y
	z := y + q.s1
	q.s1 = q.s2 - 2*y - q.a1*z
	q.s2 = y - q.a2*z
	return z
}

func (w *weighting) settle() {
	w.shelf.settle()
	w.highPass.settle()
}

// still says whether nothing of what was heard goes on.
func (w *weighting) still() bool {
	return w.shelf.s1 == 0 && w.shelf.s2 == 0 && w.highPass.s1 == 0 && w.highPass.s2 == 0
}

// Sum is what is known of a sound from its powers per whole 100 ms, summed over its channels: as a
// Meter would find it, but for peaks.
func Sum(powers []float64, length audio.Frames) Result {
	m := Meter{powers: powers, length: length}
	r := m.Result()
	r.TruePeak, r.SamplePeak = Floor, Floor
	return r
}
