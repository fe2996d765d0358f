package speech

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// What is taken for what, in dB unless it is said otherwise. Steps are 10 ms.
const (
	coreVoiced  = 0.55 // harmonicity of a voice
	coreStands  = 6    // out of the room
	coreBelow   = 22   // under the voice around it is no voice of the recording any more
	coreLength  = 4    // steps
	soundStands = 3.5  // out of the room: something sounds
	burstStands = 9    // out of the room, behind a closure: the burst of a stop at the end of a word
	farBelow    = 36   // under the voice is nothing that belongs to a word
	noiseBelow  = 25   // under the voice may a hiss before or after a vowel be
	hissSteps   = 30   // for which a hiss is followed
	weakBefore  = 10   // steps for which what is weaker is followed to the front
	weakAfter   = 25   // and to the end
	closure     = 12   // steps of silence before the burst of a stop
	bridged     = 20   // steps: a shorter lull belongs to the phrase
	voiceAround = 600  // steps around which the level of the voice is learnt
	voiceEvery  = 100
)

// Phrases gives what has been heard to be spoken. Nothing can be written afterwards.
func (l *Listener) Phrases() []Phrase { return l.PhrasesWith(0) }

// PhrasesWith is Phrases with a sensitivity, as FindWith has it.
func (l *Listener) PhrasesWith(sensitivity float64) []Phrase {
	l.rest()
	room := l.learn()
	eager := float32(math.Max(-session.MostSensitive, math.Min(session.MostSensitive, sensitivity)))
	first := finder{looks: l.looks, stands: l.divergences(room), eager: eager}
	first.voice = first.voices()
	room = l.learnBetween(room, first.cores())
	runs, f := l.find(room, eager)
	var out []Phrase
	for i, r := range runs {
		head, tail := f.margins(room, r)
		p := Phrase{max(0, audio.Frames(r[0]-head)*step), min(l.written, audio.Frames(r[1]+tail)*step)}
		if n := len(out); n > 0 && (r[0]-runs[i-1][1] < bridged || p.From <= out[n-1].To) {
			out[n-1].To = max(out[n-1].To, p.To)
			continue
		}
		out = append(out, p)
	}
	return out
}

// find gives the stretches of speech in steps, in order, for a room.
func (l *Listener) find(r room, eager float32) (runs [][2]int, f finder) {
	f = finder{looks: l.looks, stands: l.divergences(r), eager: eager}
	f.voice = f.voices()
	for _, core := range f.cores() {
		run := f.grow(core)
		if n := len(runs); n > 0 && run[0] <= runs[n-1][1] {
			runs[n-1][1] = max(runs[n-1][1], run[1])
			continue
		}
		runs = append(runs, run)
	}
	return runs, f
}

// margins are the steps left before and after a stretch: the softer a voice is against its room,
// the more of its weakest sounds are covered by it.
func (f *finder) margins(r room, run [2]int) (head, tail int) {
	of := func(i int) float64 {
		level := 10 * math.Log10(bands) // of a room as loud in all bands as in the middle: hum drowns nothing
		for _, p := range r.at(i) {
			level += 10 * math.Log10(p) / bands
		}
		over := float64(f.voice[i/voiceEvery]) - level
		return math.Min(1, math.Max(0, (clear-over)/(clear-buried)))
	}
	return 1 + int(math.Round(7*of(run[0]))), 1 + int(math.Round(8*of(run[1]-1)))
}

// From so many dB over the room on, a voice is heard to its ends, and at so many hardly any more.
const (
	clear  = 22
	buried = 8
)

// finder looks for phrases among looks.
type finder struct {
	looks  []look
	stands []float32 // out of the room, in dB
	voice  []float32 // level of the voice around each voiceEvery steps, in dB
	eager  float32   // dB by which it takes more for speech than usual
}

// isVoiced says whether a step sounds like a voice, however loud.
func (f *finder) isVoiced(i int) bool {
	return f.looks[i].voiced >= coreVoiced-f.eager/80 && f.stands[i] >= coreStands-f.eager/3
}

// voices learns the level of the voice along the recording: of what is voiced, the loudest but a fifth.
func (f *finder) voices() []float32 {
	var all []float32
	for i := range f.looks {
		if f.isVoiced(i) {
			all = append(all, f.looks[i].level)
		}
	}
	overall := upper(all)
	out := make([]float32, len(f.looks)/voiceEvery+1)
	for k := range out {
		var levels []float32
		for i := max(0, k*voiceEvery-voiceAround); i < min(len(f.looks), k*voiceEvery+voiceAround); i++ {
			if f.isVoiced(i) && f.looks[i].level > overall-30 {
				levels = append(levels, f.looks[i].level)
			}
		}
		out[k] = overall
		if len(levels) >= 50 {
			out[k] = max(overall-18, upper(levels)) // so much may somebody lean back
		}
	}
	return out
}

func upper(levels []float32) float32 {
	if len(levels) == 0 {
		return deaf
	}
	slices.Sort(levels)
	return levels[len(levels)*4/5]
}

// below is by how much a step is softer than the voice around it, in dB.
func (f *finder) below(i int) float32 { return f.voice[i/voiceEvery] - f.looks[i].level - f.eager }

// cores are the runs of steps that are surely voice.
func (f *finder) cores() (out [][2]int) {
	begun := -1
	for i := 0; i <= len(f.looks); i++ {
		voiced := i < len(f.looks) && f.isVoiced(i) && f.below(i) < coreBelow
		switch {
		case voiced && begun < 0:
			begun = i
		case !voiced && begun >= 0:
			if i-begun >= coreLength {
				out = append(out, [2]int{begun, i})
			}
			begun = -1
		}
	}
	return out
}

// grow follows a core to both sides to where its sound ends.
func (f *finder) grow(core [2]int) [2]int {
	return [2]int{f.follow(core[0], -1, weakBefore), f.follow(core[1]-1, 1, weakAfter) + 1}
}

// follow goes from a step of a core to one side as long as something sounds that can belong to
// it, and gives the last step of that. What is weak belongs to it if it comes at once, or if
// what is strong follows: a hiss behind the closure of a stop begins weakly.
func (f *finder) follow(from, way, weakly int) int {
	last, hiss, weak, silent := from, 0, 0, 0
	for i := from + way; i >= 0 && i < len(f.looks); i += way {
		under := f.below(i)
		switch {
		case f.stands[i] < soundStands || under > farBelow:
			silent++
		case under < coreBelow && f.looks[i].voiced >= coreVoiced:
			last, hiss, weak, silent = i, 0, 0, 0
		case under < noiseBelow:
			if hiss++; hiss > hissSteps {
				return last
			}
			last, weak, silent = i, 0, 0
		default:
			if weak++; weak <= weakly && (silent == 0 || way > 0 && f.stands[i] >= burstStands) {
				last, silent = i, 0
			}
		}
		if silent > closure || silent+weak > closure+weakly {
			return last
		}
	}
	return last
}
