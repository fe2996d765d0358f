// Package synth computes instruments and lays their notes on a sheet of stereo sound.
// It is what the music and the effects that ship with Ruvel are made of. The same seed
// gives the same sound.
package synth

import (
	"math"
	"math/cmplx"
	"math/rand/v2"

	"ruvel/core/audio"
)

// Sheet is a piece being written: stereo, with a tempo.
type Sheet struct {
	PCM  audio.PCM
	Beat float64 // seconds
	Dice *rand.Rand
	kept map[[2]float64][]float64
}

// New is an empty sheet of a length in seconds and a tempo in beats a minute. The seed
// decides what chance decides.
func New(seconds, bpm float64, seed uint64) *Sheet {
	return &Sheet{PCM: audio.NewPCM(2, audio.Seconds(seconds)), Beat: 60 / bpm, Dice: rand.New(rand.NewPCG(seed, 7)), kept: map[[2]float64][]float64{}}
}

// Hertz is the frequency of a note: 69 is A at 440 Hz, 12 to the octave.
func Hertz(note float64) float64 { return 440 * math.Pow(2, (note-69)/12) }

// Lay adds a mono sound at a time in seconds, between left (-1) and right (1).
func (s *Sheet) Lay(at, gain, pan float64, sound []float64) {
	right, left := math.Sincos((pan + 1) * math.Pi / 4)
	start := int(at * audio.Rate)
	for i, v := range sound {
		if j := start + i; j >= 0 && j < len(s.PCM[0]) {
			s.PCM[0][j] += float32(v * gain * left)
			s.PCM[1][j] += float32(v * gain * right)
		}
	}
}

// Tone samples f over a length in seconds; its first argument is the time, its second runs from 0 to 1.
func Tone(seconds float64, f func(t, x float64) float64) []float64 {
	out := make([]float64, int(seconds*audio.Rate))
	for i := range out {
		out[i] = f(float64(i)/audio.Rate, float64(i)/float64(len(out)))
	}
	return out
}

// Pluck is a string plucked in the middle: a delay line that loses its high tones.
func (s *Sheet) Pluck(note, seconds, brightness float64) []float64 {
	line := make([]float64, int(audio.Rate/Hertz(note)))
	low := 0.0
	for i := range line {
		low += brightness * (2*s.Dice.Float64() - 1 - low)
		line[i] = low
	}
	out := make([]float64, int(seconds*audio.Rate))
	at := 0
	for i := range out {
		next := (at + 1) % len(line)
		out[i] = line[at] * math.Min(1, float64(len(out)-i)/2400)
		line[at] = 0.4985*line[at] + 0.4985*line[next]
		at = next
	}
	return out
}

// Bell is a struck metal tone: a carrier whose overtones die away before it does.
func Bell(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	return Tone(seconds, func(t, x float64) float64 {
		strike := 2.2 * math.Exp(-t*5)
		return math.Sin(w*t+strike*math.Sin(3.01*w*t)) * math.Exp(-t*2.2) * (1 - x)
	})
}

// Pad is a soft chord tone of three voices a little out of tune with each other. A
// piece plays the same ones again and again, so they are kept.
func (s *Sheet) Pad(note, seconds float64) []float64 {
	key := [2]float64{note, seconds}
	if kept, ok := s.kept[key]; ok {
		return kept
	}
	var w [3]float64
	for i, cents := range []float64{-7, 0, 6} {
		w[i] = 2 * math.Pi * Hertz(note+cents/100)
	}
	second, third := cmplx.Rect(1, 1), cmplx.Rect(1, 2) // phases of the partials
	s.kept[key] = Tone(seconds, func(t, _ float64) float64 {
		v := 0.0
		for _, w := range w {
			one := cmplx.Rect(1, w*t)
			two := one * one
			v += imag(one) + 0.35*imag(two*second) + 0.12*imag(two*one*third)
		}
		return v / 4 * math.Min(1, math.Min(t/0.6, (seconds-t)/0.9))
	})
	return s.kept[key]
}

// Bass is a soft low tone that sinks while it is held.
func Bass(note, seconds float64) []float64 {
	w := 2 * math.Pi * Hertz(note)
	return Tone(seconds, func(t, x float64) float64 {
		return (math.Sin(w*t) + 0.4*math.Sin(2*w*t)*math.Exp(-t*3)) * math.Min(1, t/0.01) * math.Exp(-t*1.1) * math.Min(1, (1-x)*12)
	})
}

// Drum is a low drum: a tone that falls fast.
func Drum() []float64 {
	return Tone(0.35, func(t, x float64) float64 {
		return math.Sin(2*math.Pi*(48*t+3.2*(1-math.Exp(-t*28)))) * math.Exp(-t*9) * (1 - x)
	})
}

// Shaker is a short rush of high noise.
func (s *Sheet) Shaker() []float64 {
	before := 0.0
	return Tone(0.09, func(t, x float64) float64 {
		v := 2*s.Dice.Float64() - 1
		high := v - before
		before = v
		return high * math.Exp(-t*45) * math.Min(1, t/0.004)
	})
}

// Room adds a decaying echo, so that a piece does not end in a wall.
func (s *Sheet) Room(amount, feedback float64) {
	for c, delays := range [][]int{{1847, 2657, 3559, 4337}, {1949, 2593, 3671, 4211}} {
		dry := append([]float32{}, s.PCM[c]...)
		for _, d := range delays {
			line := make([]float32, d)
			low := float32(0)
			for i, v := range dry {
				out := line[i%d]
				low += 0.35 * (out - low)
				line[i%d] = v + float32(feedback)*low
				s.PCM[c][i] += float32(amount) * out
			}
		}
	}
}

// Level brings the highest sample to a level in dBFS and lets the last moment fade.
func (s *Sheet) Level(dbfs audio.DB) audio.PCM {
	g := float32(dbfs.Gain()) / max(1e-9, s.PCM.Peak())
	tail := 2400
	for c := range s.PCM {
		for i := range s.PCM[c] {
			s.PCM[c][i] *= g * min(1, float32(len(s.PCM[c])-1-i)/float32(tail))
		}
	}
	return s.PCM
}
