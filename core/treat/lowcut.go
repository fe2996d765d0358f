package treat

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// lowCut is a Butterworth high pass of the second order (Q = 1/sqrt 2) by the bilinear
// transform, after R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter
// coefficients", in transposed direct form II with 64-bit state.
func lowCut(s session.LowCut, pcm audio.PCM) {
	w := 2 * math.Pi * s.Corner / audio.Rate
	alpha := math.Sin(w) / math.Sqrt2
	a0 := 1 + alpha
	b0, b1 := (1+math.Cos(w))/2/a0, -(1+math.Cos(w))/a0
	a1, a2 := -2*math.Cos(w)/a0, (1-alpha)/a0
	for _, channel := range pcm {
		var s1, s2 float64
		for i, v := range channel {
			x := float64(v)
			y := b0*x + s1
			s1 = b1*x - a1*y + s2
			s2 = b0*x - a2*y
			channel[i] = float32(y)
			if i%audio.Block == 0 && math.Abs(s1) < 1e-30 && math.Abs(s2) < 1e-30 {
				s1, s2 = 0, 0 // silence costs no denormal arithmetic
			}
		}
	}
}
