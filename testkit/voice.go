package testkit

import (
	"math"
	"math/rand/v2"

	"ruvel/core/audio"
)

// Murmur is a sentence in no language: syllables whose tone and colour move as those of somebody who speaks, with hisses and stops
// between them. It is the voice of tests that are about something else.
func Murmur(random *rand.Rand) (out []float32) {
	between := func(low, high float64) float64 { return low + (high-low)*random.Float64() }
	syllables := 3 + random.IntN(10)
	tone := between(90, 220)
	vowel := Vowels[random.IntN(len(Vowels))]
	phase := 0.0
	for s := range syllables {
		if random.Float64() < 0.6 { // a consonant: a stop and its burst, or a hiss
			hiss := make([]float32, audio.Seconds(between(0.03, 0.11)))
			stops := random.Float64() < 0.4
			var last, level float64 = 0, between(0.02, 0.12)
			for i := range hiss {
				white := 2*random.Float64() - 1
				shape := math.Sin(math.Pi * float64(i) / float64(len(hiss)))
				if stops {
					shape = 0
					if left := len(hiss) - i; left < 700 {
						shape = float64(left) / 700
					}
				}
				hiss[i] = float32(level * shape * (white - 0.9*last))
				last = white
			}
			out = append(out, hiss...)
		}
		next := Vowels[random.IntN(len(Vowels))]
		length := int(audio.Seconds(between(0.09, 0.24)))
		from, to := tone*between(0.9, 1.15), tone*between(0.85, 1.1)*(1-0.25*float64(s)/float64(syllables))
		var filters [3]Resonator
		loud := between(0.5, 1)
		for i := range length {
			t := float64(i) / float64(length)
			phase += (from + (to-from)*t) / audio.Rate
			var pulse float64
			if phase >= 1 {
				phase--
				pulse = 1
			}
			var v float64
			for f := range filters {
				v += filters[f].Next(pulse, vowel[f]+(next[f]-vowel[f])*t, 60+40*float64(f)) / float64(f+1)
			}
			out = append(out, float32(loud*v*math.Pow(math.Sin(math.Pi*(0.06+0.9*t)), 0.5)))
		}
		vowel = next
	}
	return out
}

// Voice is such sentences one after the other without a pause, of some peak, so that it is taken for speech; it is the same each time for
// the same number.
func Voice(peak float64, number uint64, length audio.Frames) audio.PCM {
	random := rand.New(rand.NewPCG(number, 6))
	out := audio.NewPCM(1, length)
	for at := 0; at < len(out[0]); {
		at += copy(out[0][at:], Murmur(random))
	}
	if high := out.Peak(); high > 0 {
		for i := range out[0] {
			out[0][i] *= float32(peak) / high
		}
	}
	return out
}

// Vowels are the first three formants of some, in Hz (after G. E. Peterson and H. L. Barney, J. Acoust. Soc. Am. 24, 1952; values from memory).
var Vowels = [][3]float64{{270, 2290, 3010}, {530, 1840, 2480}, {730, 1090, 2440}, {570, 840, 2410}, {300, 870, 2240}, {660, 1720, 2410}, {490, 1350, 1690}}

// Resonator is a filter of two poles (D. H. Klatt, J. Acoust. Soc. Am. 67, 1980).
type Resonator struct{ one, two float64 }

// Next filters a sample, with its middle and its width in Hz.
func (r *Resonator) Next(v, hertz, width float64) float64 {
	c := -math.Exp(-2 * math.Pi * width / audio.Rate)
	b := 2 * math.Exp(-math.Pi*width/audio.Rate) * math.Cos(2*math.Pi*hertz/audio.Rate)
	out := (1-b-c)*v + b*r.one + c*r.two
	r.one, r.two = out, r.one
	return out
}
