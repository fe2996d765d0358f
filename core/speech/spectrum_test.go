package speech

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Against the definition of the discrete Fourier transform.
func TestTheSpectrumOfTwoWindowsIsThatOfEach(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	a, b := make([]float32, window), make([]float32, window)
	flat := [window]float32{}
	for i := range a {
		a[i], b[i], flat[i] = r.Float32()-0.5, r.Float32()-0.5, 1
	}
	s := newSpectrum()
	s.load(a, b, &flat)
	s.transform()
	for _, k := range []int{1, 2, 17, 100, 255} {
		p, q := s.powers(k, k+1)
		assert.InDelta(t, defined(a, k), float64(p), 1e-3)
		assert.InDelta(t, defined(b, k), float64(q), 1e-3)
	}
}

func defined(window []float32, bin int) float64 {
	var sum complex128
	for i, v := range window {
		sum += complex(float64(v), 0) * cmplx.Exp(complex(0, -2*math.Pi*float64(bin*i)/float64(len(window))))
	}
	return real(sum)*real(sum) + imag(sum)*imag(sum)
}
