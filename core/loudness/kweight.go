package loudness

import "math"

// biquad is a second-order section in transposed direct form II with 64-bit state.
type biquad struct {
	b0, b1, b2, a1, a2 float64
	s1, s2             float64
}

func (q *biquad) step(x float64) float64 {
	y := q.b0*x + q.s1
	q.s1 = q.b1*x - q.a1*y + q.s2
	q.s2 = q.b2*x - q.a2*y
	return y
}

// settle drops state too small to matter, so that silence costs no denormal arithmetic.
func (q *biquad) settle() {
	if math.Abs(q.s1) < 1e-30 && math.Abs(q.s2) < 1e-30 {
		q.s1, q.s2 = 0, 0
	}
}

// The two stages of K-weighting at 48 kHz: ITU-R BS.1770-4, annex 1, tables 1 and 2.
func shelf() biquad {
	return biquad{b0: 1.53512485958697, b1: -2.69169618940638, b2: 1.19839281085285, a1: -1.69065929318241, a2: 0.73248077421585}
}

func highPass() biquad {
	return biquad{b0: 1, b1: -2, b2: 1, a1: -1.99004745483398, a2: 0.99007225036621}
}
