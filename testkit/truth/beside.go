package truth

import (
	"encoding/binary"
	"math"
	"math/rand/v2"
	"os"

	"ruvel/core/audio"
	"ruvel/testkit"
)

// What is heard beside a voice and is none. Levels are dB under the voice, of the loudest of them.

// Breaths adds one before each sentence that has time for it.
func (k *Take) Breaths(below float64) *Take {
	return k.pauses(0.8, 1, func(_, to audio.Frames) {
		k.burst(to-audio.Seconds(k.between(0.38, 0.45)), k.between(0.2, 0.33), below+k.between(-2, 2), 0.6)
	})
}

// Pages adds the rustling of paper.
func (k *Take) Pages(below float64) *Take {
	return k.pauses(1, 1, func(from, to audio.Frames) {
		at := (from + to) / 2
		for range 5 {
			k.burst(at-audio.Seconds(0.2), k.between(0.03, 0.07), below+k.between(0, 4), 0.2)
			at += audio.Seconds(k.between(0.04, 0.09))
		}
	})
}

// Clicks adds those of a pen or a key.
func (k *Take) Clicks(below float64) *Take {
	return k.pauses(0.8, 1, func(from, to audio.Frames) {
		for range 2 {
			if at, there := k.within(from, to, 0.01, 0.15); there {
				click := make([]float32, 300)
				for i := range click {
					click[i] = float32((2*k.random.Float64() - 1) * math.Exp(-float64(i)/60))
				}
				k.add(at, click, k.level-below+8)
			}
		}
	})
}

// burst adds noise with a soft beginning and end, the darker the closer to 1.
func (k *Take) burst(from audio.Frames, seconds, below, dark float64) {
	samples := make([]float32, audio.Seconds(seconds))
	var last float64
	for i := range samples {
		last = dark*last + (1-dark)*(k.random.Float64()*2-1)
		samples[i] = float32(last * math.Sin(math.Pi*float64(i)/float64(len(samples))))
	}
	k.add(from, samples, k.level-below-RMS(samples))
}

// Knocks adds blows on a desk that resounds: each a dull blow with some tones that die away within a time in seconds.
func (k *Take) Knocks(below, shortest, longest float64) *Take {
	tones := 1 + k.random.IntN(3)
	var hertz []float64
	for range tones {
		hertz = append(hertz, 70*math.Pow(10, k.random.Float64()))
	}
	return k.pauses(0.7, 0.8, func(from, to audio.Frames) {
		for range 1 + k.random.IntN(3) {
			decay := k.between(shortest, longest)
			if at, there := k.within(from, to, 3*decay, 0.12); there {
				k.add(at, knock(k.random, hertz, decay), k.level-below+k.between(0, 6))
			}
		}
	})
}

func knock(random *rand.Rand, hertz []float64, decay float64) []float32 {
	out := make([]float32, audio.Seconds(5*decay))
	blow := random.Float64() * 0.8
	for i := range out {
		t := float64(i) / audio.Rate
		for n, h := range hertz {
			out[i] += float32(math.Exp(-t/decay*(1+0.3*float64(n))) * math.Sin(2*math.Pi*h*t) / float64(n+1))
		}
		out[i] += float32(blow * math.Exp(-t/0.004) * (2*random.Float64() - 1))
	}
	return out
}

// Horns adds those of cars and ships: some tones with all their harmonics, that stand.
func (k *Take) Horns(below float64) *Take {
	return k.pauses(0.9, 0.7, func(from, to audio.Frames) {
		length := k.between(0.25, min(2.2, (to-from).Seconds()-0.3))
		at, there := k.within(from, to, length, 0.1)
		if !there {
			return
		}
		root := 110 * math.Pow(5, k.random.Float64())
		chord := [][]float64{{1}, {1, 1.2}, {1, 1.26}, {1, 1.5}, {1, 1.26, 1.5}}[k.random.IntN(5)]
		bend, falls := k.between(-0.02, 0.02), k.between(0.4, 1.6)
		samples := make([]float32, audio.Seconds(length))
		for _, ratio := range chord {
			for n := 1.0; n*root*ratio < 7000; n++ {
				loud, phase := math.Pow(n, -falls), k.between(0, 7)
				for i := range samples {
					t := float64(i) / audio.Rate
					samples[i] += float32(loud * math.Sin(phase+2*math.Pi*n*root*ratio*t*(1+bend*t/length/2)))
				}
			}
		}
		edged(samples, k.between(0.005, 0.06))
		k.add(at, samples, k.level-below+k.between(-3, 3)-RMS(samples))
	})
}

// edged fades samples in and out.
func edged(samples []float32, seconds float64) {
	n := min(int(seconds*audio.Rate), len(samples)/2)
	for i := range n {
		g := float32(i) / float32(n)
		samples[i] *= g
		samples[len(samples)-1-i] *= g
	}
}

// Laughs adds somebody who laughs aloud: bursts of one vowel, four to six in a second, each with breath behind it.
func (k *Take) Laughs(below float64) *Take {
	return k.pauses(1.2, 0.7, func(from, to audio.Frames) {
		every := k.between(0.16, 0.25)
		count := min(3+k.random.IntN(6), int(((to-from).Seconds()-0.35)/every))
		if at, there := k.within(from, to, every*float64(count), 0.15); there && count > 1 {
			samples := laugh(k.random, every, count)
			k.add(at, samples, k.level-below+k.between(-3, 3)-RMS(samples))
		}
	})
}

func laugh(random *rand.Rand, every float64, count int) (out []float32) {
	between := func(low, high float64) float64 { return low + (high-low)*random.Float64() }
	vowel := testkit.Vowels[1+random.IntN(len(testkit.Vowels)-1)]
	tone, fall, breath, voiced := between(130, 420), between(0.9, 1), between(0.02, 0.2), between(0.4, 0.7)
	phase, loud := 0.0, 1.0
	for range count {
		var filters, hushed [3]testkit.Resonator
		n := int(every * audio.Rate * between(0.92, 1.08))
		for i := range n {
			t := float64(i) / float64(n)
			var pulse, v float64
			if phase += tone * (1 + 0.12*math.Sin(math.Pi*min(1, t/voiced))) / audio.Rate; phase >= 1 {
				phase--
				pulse = 1
			}
			for f := range filters {
				air := hushed[f].Next(2*random.Float64()-1, vowel[f], 150) * breath * (0.3 + 0.7*t) * 0.4
				v += (filters[f].Next(pulse, vowel[f], 70+40*float64(f))*lobe(t/voiced) + air) / float64(f+1)
			}
			out = append(out, float32(v*loud))
		}
		tone, loud = tone*fall, loud*between(0.75, 1)
	}
	edged(out, 0.02)
	return out
}

// lobe rises and falls once between 0 and 1.
func lobe(t float64) float64 {
	if t <= 0 || t >= 1 {
		return 0
	}
	return math.Sin(math.Pi * math.Sqrt(t))
}

// Coughs adds somebody who coughs: one to three bursts, the last sometimes with a voice in it.
func (k *Take) Coughs(below float64) *Take {
	return k.pauses(1.2, 0.6, func(from, to audio.Frames) {
		count := 1 + k.random.IntN(3)
		at, there := k.within(from, to, 0.35*float64(count), 0.12)
		if !there {
			return
		}
		for range count {
			voiced, tone := k.random.Float64() < 0.4, k.between(90, 240)
			colour := testkit.Vowels[k.random.IntN(len(testkit.Vowels))]
			samples := make([]float32, audio.Seconds(k.between(0.15, 0.3)))
			var filters [3]testkit.Resonator
			phase := 0.0
			for i := range samples {
				t := float64(i) / float64(len(samples))
				v := 2*k.random.Float64() - 1
				if voiced && t > 0.45 {
					if phase += tone * (1.2 - t/3) / audio.Rate; phase >= 1 {
						phase--
						v += 12
					}
				}
				var all float64
				for f := range filters {
					all += filters[f].Next(v, 1.3*colour[f], 250)
				}
				samples[i] = float32((all + 0.3*v) * math.Exp(-4*t) * min(1, float64(i)/150))
			}
			k.add(at, samples, k.level-below+k.between(-3, 3)-RMS(samples))
			at += audio.Seconds(k.between(0.25, 0.4))
		}
	})
}

// Music is a piece that is made up: chords with a tune, a bass or drums over them, in a time and a key of its own.
func Music(seed uint64, length audio.Frames) []float32 {
	random := rand.New(rand.NewPCG(seed, 5))
	out := make([]float32, length)
	beat := 60 / (60 + 90*random.Float64())
	root := 98 * math.Pow(2, random.Float64())
	steps := []int{0, 2, 4, 5, 7, 9, 11, 12}
	if random.IntN(2) == 0 {
		steps = []int{0, 2, 3, 5, 7, 8, 10, 12}
	}
	bright, sustain := 0.5+1.2*random.Float64(), 0.2+2.5*random.Float64()
	wobble := 0.004 * random.Float64()
	tune, drums, chords := random.IntN(3) > 0, random.IntN(3) == 0, random.IntN(4) > 0
	for bar := 0; ; bar++ {
		begin := audio.Seconds(float64(bar) * 4 * beat)
		if begin >= length {
			return out
		}
		degree := random.IntN(6)
		for _, n := range []int{0, 2, 4} {
			if chords {
				note(out, begin, root*semitones(steps, degree+n), 4*beat, 0.25, sustain, bright+0.4, wobble)
			}
		}
		note(out, begin, root/2*semitones(steps, degree), 2*beat, 0.35, sustain, bright+0.5, 0)
		for half := range 8 {
			at := begin + audio.Seconds(float64(half)*beat/2)
			if tune && random.IntN(3) > 0 {
				note(out, at, 2*root*semitones(steps, random.IntN(8)), beat*float64(1+random.IntN(2))/2, 0.4, sustain, bright, wobble)
			}
			if drums && (half%2 == 0 || random.IntN(2) == 0) {
				drum(random, out, at, half%4 == 0)
			}
		}
	}
}

func semitones(steps []int, degree int) float64 {
	return math.Pow(2, float64(steps[degree%7]+12*(degree/7))/12)
}

// note adds one with harmonics that fall off, that dies away or stands, and wobbles.
func note(out []float32, at audio.Frames, hertz, seconds, loud, decay, falls, wobble float64) {
	n := int(seconds * audio.Rate)
	for h := 1.0; h <= 8 && h*hertz < 9000; h++ {
		gain := loud * math.Pow(h, -falls)
		for i := range n {
			if int(at)+i >= len(out) {
				break
			}
			t := float64(i) / audio.Rate
			shape := math.Exp(-t/decay) * min(1, t/0.012) * min(1, (seconds-t)/0.03)
			out[int(at)+i] += float32(gain * shape * math.Sin(2*math.Pi*h*hertz*(t+wobble/5*math.Sin(2*math.Pi*5*t))))
		}
	}
}

func drum(random *rand.Rand, out []float32, at audio.Frames, deep bool) {
	for i := range 9000 {
		if int(at)+i >= len(out) {
			return
		}
		t := float64(i) / audio.Rate
		v := 0.25 * (2*random.Float64() - 1) * math.Exp(-t/0.03)
		if deep {
			v = 0.9 * math.Sin(2*math.Pi*(55*t+3*(1-math.Exp(-t/0.03)))) * math.Exp(-t/0.09)
		}
		out[int(at)+i] += float32(v)
	}
}

// Over lays a sound under all of it, again and again, so many dB under the voice.
func (k *Take) Over(sound []float32, below float64) *Take {
	gain := k.level - below - RMS(sound)
	for at := audio.Frames(0); at < k.PCM.Length() && len(sound) > 0; at += audio.Frames(len(sound)) {
		k.add(at, sound, gain)
	}
	return k
}

// Write writes a recording as a WAV file of 32-bit floats.
func (k *Take) Write(path string) error {
	n := 4 * len(k.PCM[0])
	out := make([]byte, 0, 44+n)
	out = append(out, "RIFF"...)
	out = binary.LittleEndian.AppendUint32(out, uint32(36+n))
	out = append(out, "WAVEfmt "...)
	out = binary.LittleEndian.AppendUint32(out, 16)
	for _, v := range []uint16{3, 1} {
		out = binary.LittleEndian.AppendUint16(out, v)
	}
	out = binary.LittleEndian.AppendUint32(out, audio.Rate)
	out = binary.LittleEndian.AppendUint32(out, 4*audio.Rate)
	for _, v := range []uint16{4, 32} {
		out = binary.LittleEndian.AppendUint16(out, v)
	}
	out = append(out, "data"...)
	out = binary.LittleEndian.AppendUint32(out, uint32(n))
	for _, v := range k.PCM[0] {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	return os.WriteFile(path, out, 0o600)
}
