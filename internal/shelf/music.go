package shelf

import (
	"math"

	"ruvel/core/audio"
	"ruvel/internal/synth"
)

// music is a piece as it is composed: a form of sections, each a round of chords that
// one or more instruments play.
type music struct {
	key, title, author string
	words              []string
	bpm                float64
	beats              int     // in a bar
	root               float64 // the key note of the chords
	scale              []float64
	rounds             map[rune][]int // the chords of each section, a bar each, as steps of the scale
	form               string         // the sections in their order
	thin               string         // sections in which the tune is silent
	chords, tune, low  string         // instruments
	figure             string         // how the chords are played
	beat               string         // what keeps time
	wet                float64        // how much room
	seed               uint64
}

var (
	major  = []float64{0, 2, 4, 5, 7, 9, 11}
	minor  = []float64{0, 2, 3, 5, 7, 8, 10}
	dorian = []float64{0, 2, 3, 5, 7, 9, 10}
)

const (
	quayBand  = "The Low Quay Trio"
	lantern   = "Lantern Yard"
	saltworks = "Saltworks Ensemble"
)

// pieces is the music of the house collection.
func pieces() []music {
	return []music{
		{"slack-water", "Slack water", lantern, []string{"calm", "pad", "piano", "ambient", "wide"}, 60, 4, 50, dorian, map[rune][]int{'a': {0, 3, 5, 4}}, "aaa", "a", "pad", "keys", "", "held", "", 0.09, 11},
		{"morning-boats", "Morning boats", quayBand, []string{"bright", "warm", "guitar", "folk", "hopeful"}, 104, 4, 55, major, map[rune][]int{'a': {0, 4, 5, 3}, 'b': {3, 0, 4, 4}}, "aabaa", "b", "pluck", "whistle", "bass", "picked", "shaker", 0.04, 12},
		{"paper-chart", "Paper chart", lantern, []string{"curious", "light", "marimba", "minimal", "explainer"}, 116, 4, 57, major, map[rune][]int{'a': {0, 0, 3, 4}, 'b': {5, 3, 1, 4}}, "aabbaa", "", "bars", "bars", "bass", "ticking", "shaker", 0.04, 13},
		{"harbourmaster", "The harbourmaster’s waltz", quayBand, []string{"playful", "accordion", "waltz", "folk", "old"}, 132, 3, 53, major, map[rune][]int{'a': {0, 0, 4, 4, 1, 4, 0, 0}, 'b': {3, 3, 0, 0, 4, 4, 0, 0}}, "aaba", "", "reed", "reed", "bass", "waltz", "brush", 0.04, 14},
		{"undertow", "Undertow", saltworks, []string{"dark", "tense", "strings", "drama", "slow"}, 72, 4, 45, minor, map[rune][]int{'a': {0, 5, 3, 4}}, "aaa", "a", "strings", "strings", "bass", "held", "drum", 0.08, 15},
		{"night-shift", "Night shift", lantern, []string{"late", "cool", "electric", "jazz", "beat"}, 88, 4, 48, dorian, map[rune][]int{'a': {0, 3, 0, 4}, 'b': {5, 3, 1, 4}}, "aaba", "b", "keys", "bell", "bass", "offbeat", "kit", 0.05, 16},
		{"chapel-on-the-point", "Chapel on the point", saltworks, []string{"solemn", "organ", "church", "slow", "memory"}, 66, 4, 52, major, map[rune][]int{'a': {0, 3, 4, 0}, 'b': {5, 1, 4, 4}}, "aba", "", "pipe", "pipe", "pipe", "held", "", 0.1, 17},
		{"running-tide", "Running tide", quayBand, []string{"urgent", "fast", "guitar", "news", "drive"}, 138, 4, 52, minor, map[rune][]int{'a': {0, 5, 2, 6}, 'b': {3, 3, 4, 4}}, "aabaa", "", "pluck", "keys", "bass", "driving", "kit", 0.03, 18},
		{"tin-letters", "Tin letters", lantern, []string{"childlike", "music box", "bells", "tender", "small"}, 96, 3, 60, major, map[rune][]int{'a': {0, 5, 3, 4}, 'b': {1, 4, 0, 0}}, "abab", "", "bell", "bell", "", "picked", "", 0.08, 19},
		{"long-way-round", "The long way round", quayBand, []string{"warm", "walking", "whistle", "country", "friendly"}, 112, 4, 50, major, map[rune][]int{'a': {0, 3, 0, 4}, 'b': {3, 0, 4, 0}}, "aabba", "", "pluck", "whistle", "bass", "offbeat", "clap", 0.04, 20},
		{"ice-on-the-nets", "Ice on the nets", saltworks, []string{"cold", "sparse", "piano", "sad", "documentary"}, 58, 4, 49, minor, map[rune][]int{'a': {0, 2, 5, 4}, 'b': {3, 0, 4, 0}}, "ab", "", "keys", "keys", "", "picked", "", 0.1, 21},
		{"regatta-day", "Regatta day", quayBand, []string{"festive", "happy", "accordion", "march", "fast"}, 126, 4, 55, major, map[rune][]int{'a': {0, 4, 0, 3}, 'b': {5, 1, 4, 0}}, "aabba", "", "reed", "whistle", "bass", "offbeat", "kit", 0.03, 22},
		{"deep-water", "Deep water", saltworks, []string{"mystery", "drone", "pad", "ambient", "science"}, 50, 4, 43, dorian, map[rune][]int{'a': {0, 0, 6, 3}}, "aa", "", "pad", "bell", "", "held", "", 0.12, 23},
	}
}

// ringing is how long the last chord rings, in beats.
const ringing = 6

// seconds is how long the piece is.
func (m music) seconds() float64 {
	bars := 0
	for _, section := range m.form {
		bars += len(m.rounds[section])
	}
	return float64(bars*m.beats+ringing) * 60 / m.bpm
}

// player is a sheet that keeps the notes it has played.
type player struct {
	*synth.Sheet
	m     music
	notes map[string]map[[2]float64][]float64
}

// render plays the piece.
func (m music) render() audio.PCM {
	p := &player{synth.New(m.seconds(), m.bpm, m.seed), m, map[string]map[[2]float64][]float64{}}
	at := 0.0
	for _, section := range m.form {
		for bar, step := range m.rounds[section] {
			p.chord(at, step)
			p.pulse(at)
			if !contains(m.thin, section) {
				p.phrase(at, step, bar == len(m.rounds[section])-1)
			}
			at += float64(m.beats)
		}
	}
	p.last(at)
	p.Room(m.wet, 0.74)
	return p.Level(-3)
}

func contains(s string, r rune) bool {
	for _, x := range s {
		if x == r {
			return true
		}
	}
	return false
}

// pitch is a step of the scale, over as many octaves as it takes.
func (m music) pitch(step int) float64 {
	octave, within := step/len(m.scale), step%len(m.scale)
	if within < 0 {
		octave, within = octave-1, within+len(m.scale)
	}
	return m.root + float64(12*octave) + m.scale[within]
}

// play lays a note of an instrument at a beat, for some beats.
func (p *player) play(instrument string, at, gain, pan, note, beats float64) {
	seconds := math.Min(beats*p.Beat, 9)
	if instrument == "" || seconds <= 0 {
		return
	}
	kept := p.notes[instrument]
	if kept == nil {
		kept = map[[2]float64][]float64{}
		p.notes[instrument] = kept
	}
	key := [2]float64{note, seconds}
	sound, there := kept[key]
	if !there {
		sound = p.sound(instrument, note, seconds)
		kept[key] = sound
	}
	p.Lay(at*p.Beat, gain, pan, sound)
}

func (p *player) sound(instrument string, note, seconds float64) []float64 {
	switch instrument {
	case "pluck":
		return synth.Gain(p.Pluck(note, math.Max(seconds, 1.2), 0.5), 1.3)
	case "keys":
		return synth.Keys(note, math.Max(seconds, 1.5))
	case "bars":
		return synth.Bars(note, math.Max(seconds, 0.8))
	case "reed":
		return synth.Reed(note, seconds)
	case "pipe":
		return synth.Pipe(note, seconds)
	case "strings":
		return synth.Strings(note, seconds)
	case "whistle":
		return p.Whistle(note, seconds)
	case "bell":
		return synth.Bell(note, math.Max(seconds, 1.6))
	case "bass":
		return synth.Bass(note, seconds)
	}
	return p.Pad(note, seconds)
}

// chord plays one bar of accompaniment.
func (p *player) chord(at float64, step int) {
	m := p.m
	notes := [3]float64{m.pitch(step), m.pitch(step + 2), m.pitch(step + 4)}
	bar := float64(m.beats)
	all := func(when, gain, beats float64) {
		for i, n := range notes {
			p.play(m.chords, at+when, gain, float64(i-1)*0.4, n, beats)
		}
	}
	switch m.figure {
	case "held":
		all(0, 0.26, bar*1.08)
	case "waltz":
		all(1, 0.15, 0.6)
		all(2, 0.13, 0.6)
	case "offbeat":
		for b := 0.5; b < bar; b++ {
			all(b, 0.17, 0.4)
		}
	case "driving":
		for b := 0.0; b < bar; b += 0.5 {
			all(b, 0.2-0.06*math.Mod(b*2, 2), 0.5)
		}
	case "ticking":
		for i, b := 0, 0.0; b < bar; i, b = i+1, b+0.5 {
			p.play(m.chords, at+b, 0.26-0.08*float64(i%2), 0.3*float64(i%3-1), notes[[]int{0, 2, 1, 2, 0, 1, 2, 1}[i%8]]+12, 0.5)
		}
	default: // picked
		for i, b := 0, 0.0; b < bar; i, b = i+1, b+0.5 {
			p.play(m.chords, at+b, 0.3-0.06*float64(i%2), -0.3, notes[[]int{0, 1, 2, 1}[i%4]], 2)
		}
	}
	if m.low != "" {
		low := notes[0] - 24
		for low < 33 {
			low += 12
		}
		if m.low == "pipe" || m.figure == "held" {
			p.play(m.low, at, 0.3, 0, low, bar)
			return
		}
		p.play(m.low, at, 0.42, 0, low, 0.9)
		if m.beats == 4 {
			p.play(m.low, at+2, 0.34, 0, m.pitch(step+4)-24+12*boolean(m.pitch(step+4)-24 < 33), 0.9)
		}
	}
}

func boolean(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// phrase plays a bar of the tune: notes of the chord on the strong beats, neighbours
// of them between, a longer note at the end of a round.
func (p *player) phrase(at float64, step int, closing bool) {
	m := p.m
	place := step + []int{0, 2, 4}[p.Dice.IntN(3)] + len(m.scale)
	bar := float64(m.beats)
	for b := 0.0; b < bar; {
		beats := []float64{0.5, 1, 1, 1.5, 2}[p.Dice.IntN(5)]
		if closing && b >= 1 {
			beats = bar - b
		}
		beats = math.Min(beats, bar-b)
		if b == 0 || p.Dice.IntN(6) > 0 {
			p.play(m.tune, at+b, 0.34, 0.2, m.pitch(place), beats*1.05)
		}
		place += []int{-2, -1, -1, 1, 1, 2}[p.Dice.IntN(6)]
		place = max(len(m.scale)-1, min(2*len(m.scale)+2, place))
		b += beats
	}
}

// pulse keeps time for a bar.
func (p *player) pulse(at float64) {
	bar := float64(p.m.beats)
	lay := func(b, gain, pan float64, sound []float64) { p.Lay((at+b)*p.Beat, gain, pan, sound) }
	switch p.m.beat {
	case "shaker":
		for b := 0.0; b < bar; b += 0.5 {
			lay(b, 0.1+0.05*math.Mod(b*2, 2), 0.4, p.Shaker())
		}
	case "brush":
		for b := 1.0; b < bar; b++ {
			lay(b, 0.25, 0.3, p.Brush())
		}
	case "clap":
		for b := 1.0; b < bar; b += 2 {
			lay(b, 0.3, 0.1, p.Clap())
		}
		lay(0, 0.35, 0, synth.Drum())
	case "drum":
		lay(0, 0.5, 0, synth.Drum())
		lay(bar-0.5, 0.3, 0, synth.Drum())
	case "kit":
		for b := 0.0; b < bar; b++ {
			if int(b)%2 == 0 {
				lay(b, 0.5, 0, synth.Drum())
			} else {
				lay(b, 0.35, 0.1, p.Brush())
			}
			lay(b+0.5, 0.13, 0.4, p.Shaker())
		}
	}
}

// last lets the key's own chord ring out.
func (p *player) last(at float64) {
	for i, step := range []int{0, 2, 4} {
		p.play(p.m.chords, at, 0.3, float64(i-1)*0.4, p.m.pitch(step), ringing*0.8)
	}
	p.play(p.m.tune, at, 0.3, 0.2, p.m.pitch(len(p.m.scale)), ringing*0.7)
	p.play(p.m.low, at, 0.4, 0, p.m.pitch(0)-12, ringing*0.6)
}
