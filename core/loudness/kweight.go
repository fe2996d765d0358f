package loudness

import "math"

// biquad is a second-order section in transposed direct form II with 64-bit state.
type biquad struct {
	b0, b1, b2, a1, a2 float64
	s1, s2             float64
}

// weigh runs samples through both stages of K-weighting and sums the squares. The
// state is held in local variables, which makes it several times faster.
func weigh(shelf, highPass *biquad, samples []float32) (sum float64) {
	p, q := *shelf, *highPass
	p1, p2, q1, q2 := p.s1, p.s2, q.s1, q.s2
	for _, v := range samples {
		x := float64(v)
		y := p.b0*x + p1
		p1 = p.b1*x - p.a1*y + p2
		p2 = p.b2*x - p.a2*y
		z := y + q1 // the high pass has b = 1, -2, 1
		q1 = q2 - 2*y - q.a1*z
		q2 = y - q.a2*z
		sum += z * z
	}
	shelf.s1, shelf.s2, highPass.s1, highPass.s2 = p1, p2, q1, q2
	return sum
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
	return biquad{a1: -1.99004745483398, a2: 0.99007225036621}
}
