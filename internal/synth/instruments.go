package synth

import (
	"math"
	"math/cmplx"

	"ruvel/core/audio"
)

// Keys is a struck string of a keyboard: overtones that are a little too high and die
// away the sooner the higher they are.
func Keys(note, seconds float64) []float64 {
	const partials = 7
	w := 2 * math.Pi * Hertz(note)
	loud := falling(partials, 1.4)
	var stretched [partials]float64
	for i := range stretched {
		k := float64(i + 1)
		stretched[i] = k * w * math.Sqrt(1+0.0004*k*k)
	}
	return Tone(seconds, func(t, x float64) float64 {
		v, left, each := 0.0, math.Exp(-0.9*t), math.Exp(-0.6*t)
		for i, w := range stretched {
			left *= each
			v += math.Sin(w*t) * loud[i] * left
		}
		return 0.7 * v * math.Min(1, t/0.003) * math.Min(1, (1-x)*8)
	})
}

// falling is how loud so many partials are, the k-th by the power of 1/k.
func falling(partials int, power float64) []float64 {
	out := make([]float64, partials)
	for i := range out {
		out[i] = math.Pow(float64(i+1), -power)
	}
	return out
}

// Bars is a wooden bar struck with a soft mallet: a tone and its double octave.
func Bars(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	return Tone(seconds, func(t, x float64) float64 {
		return (math.Sin(w*t)*math.Exp(-t*5) + 0.25*math.Sin(3.98*w*t)*math.Exp(-t*16)) * math.Min(1, t/0.002) * math.Min(1, (1-x)*8)
	})
}

// Reed is a free reed, as in a squeezebox: two rows a little apart, so that it beats.
func Reed(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	loud := falling(8, 1.1)
	one := cmplx.Rect(1, 1)
	return Tone(seconds, func(t, x float64) float64 {
		v, first, second := 0.0, complex(1, 0), complex(1, 0)
		turned, beside := cmplx.Rect(1, w*t), cmplx.Rect(1, w*1.004*t)
		for _, a := range loud {
			first, second = first*turned, second*beside
			v += (imag(first) + imag(second*one)) * a
		}
		return 0.22 * v * math.Min(1, math.Min(t/0.06, (seconds-t)/0.08))
	})
}

// Pipe is a stopped organ pipe: odd overtones, steady.
func Pipe(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	return Tone(seconds, func(t, _ float64) float64 {
		v := math.Sin(w*t) + 0.3*math.Sin(3*w*t) + 0.12*math.Sin(5*w*t) + 0.2*math.Sin(2*w*t)
		return 0.5 * v * math.Min(1, math.Min(t/0.09, (seconds-t)/0.2))
	})
}

// Strings is a section of bowed strings: several players, each with a swing of their own.
func Strings(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	loud := falling(6, 1.25)
	return Tone(seconds, func(t, _ float64) float64 {
		v := 0.0
		for player := 0.0; player < 3; player++ {
			phase := w*t*(1+0.0015*(player-1)) + 0.9*math.Sin(2*math.Pi*(4.6+0.5*player)*t+player)*math.Min(1, t)
			partial, turned := complex(1, 0), cmplx.Rect(1, phase)
			for _, a := range loud {
				partial *= turned
				v += imag(partial) * a
			}
		}
		return 0.2 * v * math.Min(1, math.Min(t/0.35, (seconds-t)/0.4))
	})
}

// Whistle is somebody whistling: nearly a pure tone, with a swing and a little breath.
func (s *Sheet) Whistle(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	air := 0.0
	return Tone(seconds, func(t, x float64) float64 {
		air += 0.2 * (2*s.Dice.Float64() - 1 - air)
		swing := 0.25 * math.Sin(2*math.Pi*5.3*t) * math.Min(1, t*3)
		return (0.8*math.Sin(w*t+swing) + 0.08*math.Sin(2*w*t) + 0.1*air) * math.Min(1, t/0.05) * math.Min(1, (1-x)*10)
	})
}

// Brush is a wire brush drawn over a drum.
func (s *Sheet) Brush() []float64 {
	low, before := 0.0, 0.0
	return Tone(0.3, func(t, x float64) float64 {
		low += 0.5 * (2*s.Dice.Float64() - 1 - low)
		high := low - before
		before = low
		return high * math.Sin(math.Pi*math.Pow(x, 0.4))
	})
}

// Clap is a few hands clapping not quite together.
func (s *Sheet) Clap() []float64 {
	before := 0.0
	return Tone(0.22, func(t, _ float64) float64 {
		v := 2*s.Dice.Float64() - 1
		band := v - 0.6*before
		before = v
		open := 0.0
		for _, at := range []float64{0, 0.011, 0.024} {
			if t >= at {
				open += math.Exp(-(t - at) * 60)
			}
		}
		return 0.5 * band * open
	})
}

// Noise is noise of a length in seconds through a low pass that may move: open says,
// for every moment, how much of it gets through, 0 to 1, and gain how loud it is.
func (s *Sheet) Noise(seconds float64, open, gain func(t, x float64) float64) []float64 {
	first, second := 0.0, 0.0
	return Tone(seconds, func(t, x float64) float64 {
		k := open(t, x)
		first += k * (2*s.Dice.Float64() - 1 - first)
		second += k * (first - second)
		return second * gain(t, x)
	})
}

// Ring is a resonance struck once: partials as [multiple of the frequency, strength, decay a second].
func Ring(hertz, seconds float64, partials [][3]float64) []float64 {
	return Tone(seconds, func(t, x float64) float64 {
		v := 0.0
		for _, p := range partials {
			v += p[1] * math.Sin(2*math.Pi*hertz*p[0]*t) * math.Exp(-t*p[2])
		}
		return v * math.Min(1, t/0.002) * math.Min(1, (1-x)*10)
	})
}

// Gain multiplies a sound by a number and gives it back.
func Gain(sound []float64, g float64) []float64 {
	for i := range sound {
		sound[i] *= g
	}
	return sound
}

// Length is how long the sheet is.
func (s *Sheet) Length() audio.Frames { return s.PCM.Length() }
