package dither_test

import (
	"encoding/binary"
	"math"
	"math/cmplx"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/dsp/fourier"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/dither"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func numbers(bits, size int, pcm audio.PCM) (out []float64) {
	q := dither.Quantiser{Bits: bits, Bytes: size}
	data := q.Append(nil, pcm)
	for i := 0; i < len(data); i += size {
		var word [4]byte
		copy(word[4-size:], data[i:i+size])
		out = append(out, float64(int32(binary.LittleEndian.Uint32(word[:]))>>(32-bits))) // the bits stand on top
	}
	return out
}

// Lipshitz, Wannamaker, Vanderkooy 1992: with triangular dither two steps wide, the error of rounding has no mean, a power of
// a quarter of a step squared whatever the signal, and an even spectrum.
func TestTheErrorAtSixteenBitsIsEvenNoiseWhateverTheSignal(t *testing.T) {
	for name, pcm := range map[string]audio.PCM{
		"a tone below the last bit": testkit.Sine(1, 997, -100, 0, 1<<17),
		"a soft tone":               testkit.Sine(1, 997, -60, 0, 1<<17),
		"a level between two steps": testkit.Constant(1, 0.37/32768, 1<<17),
	} {
		got := numbers(16, 2, pcm)
		errors := make([]float64, len(got))
		var mean, power float64
		for i, n := range got {
			errors[i] = n - float64(pcm[0][i])*32768
			mean += errors[i] / float64(len(got))
			power += errors[i] * errors[i] / float64(len(got))
		}
		assert.InDelta(t, 0, mean, 0.01, name)
		assert.InDelta(t, 0.25, power, 0.005, name)
		// The spectrum in 32 bands, of 31 blocks: each within half a dB of the others.
		const n, bands = 4096, 32
		fft := fourier.NewFFT(n)
		var sums [bands]float64
		for at := 0; at+n <= len(errors); at += n {
			for k, c := range fft.Coefficients(nil, errors[at:at+n])[1 : n/2] {
				sums[k*bands/(n/2)] += cmplx.Abs(c) * cmplx.Abs(c)
			}
		}
		for _, sum := range sums {
			assert.InDelta(t, 10*math.Log10(sums[0]), 10*math.Log10(sum), 0.6, name)
		}
	}
}

func TestSilenceStaysSilent(t *testing.T) {
	pcm := testkit.Join(audio.NewPCM(2, 4800), testkit.Noise(2, 0.1, 4800, 1), audio.NewPCM(2, 4800))
	got := numbers(16, 2, pcm)
	for i := range 2 * 4800 {
		assert.Zero(t, got[i])
	}
	for i := 2 * (9600 + 64); i < len(got); i++ {
		assert.Zero(t, got[i])
	}
	heard := 0.0
	for _, n := range got[2*4800 : 2*9600] {
		heard = max(heard, math.Abs(n))
	}
	assert.Greater(t, heard, 1000.0)
}

func TestWhatIsTooLoudIsCutOffAndTheSameSoundIsTheSameNumbers(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		bits := rapid.SampledFrom([]int{16, 24}).Draw(t, "bits")
		size := rapid.IntRange(bits/8, 4).Draw(t, "bytes")
		pcm := audio.PCM{rapid.SliceOfN(rapid.Float32Range(-3, 3), 1, 400).Draw(t, "samples")}
		whole := numbers(bits, size, pcm)
		top := math.Ldexp(1, bits-1)
		for i, n := range whole {
			assert.True(t, n >= -top && n < top)
			wanted := min(top-1, max(-top, float64(pcm[0][i])*top))
			assert.InDelta(t, wanted, n, 1.5)
		}
		cut := rapid.Int64Range(0, int64(pcm.Length())).Draw(t, "cut")
		q := dither.Quantiser{Bits: bits, Bytes: size}
		parts := q.Append(q.Append(nil, pcm.Slice(0, audio.Frames(cut))), pcm.Slice(audio.Frames(cut), pcm.Length()))
		one := dither.Quantiser{Bits: bits, Bytes: size}
		assert.Equal(t, one.Append(nil, pcm), parts)
	})
}

func BenchmarkSixteenBits(b *testing.B) {
	pcm := testkit.Noise(2, 0.5, audio.Second, 1)
	var out []byte
	q := dither.Quantiser{Bits: 16, Bytes: 2}
	for b.Loop() {
		out = q.Append(out[:0], pcm)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/audio.Rate, "ns/frame")
}
