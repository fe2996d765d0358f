// Package demo makes the sample series "Harbour Hours": voices read by a speech
// synthesiser from texts of ours, music and effects computed here, and a finished
// episode assembled from them.
package demo

import (
	"math"

	"ruvel/core/audio"
	"ruvel/internal/synth"
)

// The theme is in D minor at 92 beats a minute: eight bars of chords, a melody of two
// phrases over them, the second of which answers the first and closes.
const tempo = 92

// sheet is a piece of the series being written.
type sheet struct{ *synth.Sheet }

func newSheet(seconds, bpm float64, seed uint64) sheet { return sheet{synth.New(seconds, bpm, seed)} }

// chord is a bass note and three notes above it.
type chord struct {
	root  float64
	upper [3]float64
}

var (
	dMinor  = chord{38, [3]float64{62, 65, 69}}
	bFlat   = chord{34, [3]float64{62, 65, 70}}
	fMajor  = chord{41, [3]float64{60, 65, 69}}
	cMajor  = chord{36, [3]float64{60, 64, 67}}
	gMinor  = chord{43, [3]float64{62, 67, 70}}
	aMajor  = chord{33, [3]float64{61, 64, 69}}
	dOpen   = chord{38, [3]float64{62, 66, 69}} // the last chord turns to major
	verse   = []chord{dMinor, bFlat, fMajor, cMajor, dMinor, gMinor, aMajor, dMinor}
	closing = []chord{gMinor, aMajor, dOpen}
)

// note is a pitch (0 is a rest) with its length in beats.
type note struct{ pitch, beats float64 }

var (
	question = []note{{69, 1.5}, {72, 0.5}, {74, 2}, {77, 1}, {76, 1}, {74, 2}, {72, 1.5}, {69, 0.5}, {65, 2}, {67, 3}, {0, 1}}
	reply    = []note{{69, 1.5}, {72, 0.5}, {74, 2}, {79, 1}, {77, 1}, {74, 2}, {76, 1.5}, {73, 0.5}, {69, 2}, {74, 3}, {0, 1}}
	farewell = []note{{77, 1}, {74, 1}, {70, 2}, {73, 2}, {76, 2}, {74, 6}}
)

// parts says which instruments play, and how loud they are.
type parts struct{ melody, pluck, pad, bass, beat float64 }

var (
	full  = parts{melody: 0.5, pluck: 0.32, pad: 0.22, bass: 0.5, beat: 0.5}
	under = parts{pluck: 0.2, pad: 0.15, bass: 0.26, beat: 0.12}
	thin  = parts{pluck: 0.3, pad: 0.2}
)

// bars plays chords, a bar each, from a beat on and gives the beat after them.
func (s sheet) bars(at float64, chords []chord, p parts) float64 {
	for _, c := range chords {
		t := at * s.Beat
		for i, n := range c.upper {
			s.Lay(t, p.pad, float64(i-1)*0.5, s.Pad(n, 4.4*s.Beat))
		}
		if p.bass > 0 {
			s.Lay(t, p.bass, 0, synth.Bass(c.root, 1.9*s.Beat))
			s.Lay(t+2.5*s.Beat, p.bass*0.8, 0, synth.Bass(c.root+7, 1.4*s.Beat))
		}
		for eighth, pick := range []int{0, 1, 2, 1, 0, 2, 1, 2} {
			s.Lay(t+float64(eighth)*s.Beat/2, p.pluck*(1-0.25*float64(eighth%2)), -0.35, s.Pluck(c.upper[pick], 1.6, 0.45))
		}
		s.groove(t, p.beat)
		at += 4
	}
	return at
}

func (s sheet) groove(t, gain float64) {
	if gain == 0 {
		return
	}
	for _, beat := range []float64{0, 2} {
		s.Lay(t+beat*s.Beat, gain, 0, synth.Drum())
	}
	for eighth := range 8 {
		s.Lay(t+float64(eighth)*s.Beat/2, gain*0.22*(0.6+0.4*float64(eighth%2)), 0.4, s.Shaker())
	}
}

// sing plays a melody from a beat on.
func (s sheet) sing(at float64, gain float64, melody []note) {
	for _, n := range melody {
		if n.pitch > 0 {
			s.Lay(at*s.Beat, gain, 0.2, synth.Bell(n.pitch, math.Max(1.2, n.beats*s.Beat*1.6)))
		}
		at += n.beats
	}
}

// end plays the closing chords, slower and slower, and lets the last one ring.
func (s sheet) end(at float64, p parts) {
	s.sing(at, p.melody, farewell)
	at = s.bars(at, closing[:2], p)
	t := at * s.Beat
	for i, n := range closing[2].upper {
		s.Lay(t+float64(i)*0.07, 0.4, float64(i-1)*0.4, s.Pluck(n, 4, 0.5))
		s.Lay(t, 0.3, float64(i-1)*0.5, s.Pad(n, 5))
	}
	s.Lay(t, 0.6, 0, synth.Bass(closing[2].root, 4))
	s.Lay(t, 0.5, 0, synth.Drum())
}

// themeBed opens with the theme and then goes on as a bed: the melody falls silent, comes back once, and closes.
func themeBed() audio.PCM {
	s := newSheet(92, tempo, 1)
	at := s.bars(0, verse[:1], thin)
	s.sing(at, full.melody, append(append([]note{}, question...), reply...))
	at = s.bars(at, verse, full)
	for range 2 {
		at = s.bars(at, verse, under)
	}
	s.sing(at, 0.2, question)
	at = s.bars(at, verse[:4], under)
	s.end(at, under)
	s.Room(0.05, 0.72)
	return s.Level(-2)
}

// themeOutro begins as a bed, brings the melody back in full and closes.
func themeOutro() audio.PCM {
	s := newSheet(45, tempo, 2)
	at := s.bars(0, verse[:4], under)
	s.sing(at, full.melody, append(append([]note{}, question...), reply...))
	at = s.bars(at, verse, full)
	s.end(at, full)
	s.Room(0.05, 0.72)
	return s.Level(-2)
}

// themeSting is the answer of the theme alone, and its close.
func themeSting() audio.PCM {
	s := newSheet(14, tempo, 3)
	s.sing(0, full.melody, reply[:4])
	at := s.bars(0, verse[:1], full)
	s.end(at, full)
	s.Room(0.05, 0.72)
	return s.Level(-2)
}

// pierReel is a few bars of the theme that somebody else plays, faster.
func pierReel() audio.PCM {
	s := newSheet(9, tempo*1.3, 8)
	s.sing(0, full.melody, reply[:3])
	s.Room(0.08, 0.6)
	return s.Level(-3)
}

// fogSignal is two long low blasts over the water.
func fogSignal() audio.PCM {
	s := newSheet(9, 60, 4)
	for i, begin := range []float64{0.1, 3.1} {
		blast := synth.Tone(2.3-0.4*float64(i), func(t, x float64) float64 {
			w := 2 * math.Pi * (116 - 5*math.Exp(-t*6) - 4*math.Max(0, x-0.85)/0.15)
			v := 0.0
			for k := 1.0; k <= 9; k++ {
				v += math.Sin(k*w*t+0.3*k) / math.Pow(k, 1.1)
			}
			return math.Tanh(1.3*v) * math.Min(1, t/0.12) * math.Min(1, (1-x)*9)
		})
		s.Lay(begin, 0.6, -0.2, blast)
	}
	s.Room(0.16, 0.86)
	return s.Level(-4)
}

// gulls is swell that comes and goes, with gulls calling over it.
func gulls() audio.PCM {
	s := newSheet(22, 60, 5)
	for side, pan := range []float64{-0.8, 0.8} {
		low := 0.0
		s.Lay(0, 0.5, pan, synth.Tone(22, func(t, x float64) float64 {
			swell := 0.5 + 0.5*math.Sin(2*math.Pi*t/6.5+float64(side)*0.9)
			low += (0.03 + 0.10*swell) * (2*s.Dice.Float64() - 1 - low)
			return low * (0.25 + 0.75*swell*swell) * math.Min(1, math.Min(t/2, (1-x)*8))
		}))
	}
	for _, call := range []struct{ at, pan, pitch, gain float64 }{
		{2.4, -0.5, 1150, 0.10},
		{2.9, -0.5, 1210, 0.12},
		{3.4, -0.45, 1100, 0.10},
		{9.2, 0.6, 1300, 0.09},
		{9.65, 0.6, 1260, 0.08},
		{14.8, 0.1, 1080, 0.07},
		{15.3, 0.1, 1150, 0.09},
		{15.8, 0.15, 1120, 0.08},
		{16.3, 0.2, 1040, 0.06},
	} {
		phase := 0.0
		s.Lay(call.at, call.gain, call.pan, synth.Tone(0.42, func(t, x float64) float64 {
			f := call.pitch * (1 + 0.35*math.Sin(math.Pi*math.Min(1, x*1.6)) - 0.25*x + 0.02*math.Sin(2*math.Pi*31*t))
			phase += 2 * math.Pi * f / audio.Rate
			return (math.Sin(phase) + 0.5*math.Sin(2*phase) + 0.2*math.Sin(3*phase)) * math.Sin(math.Pi*x)
		}))
	}
	s.Room(0.06, 0.7)
	return s.Level(-8)
}
