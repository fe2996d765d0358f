package speech

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// What is taken for what. Steps are 10 ms.
const (
	voicedFrom  = 0.55 // harmonicity of a voice
	stands      = 6    // dB out of the room
	faint       = 22   // dB under the voice around it nobody speaks in the recording any more
	likelier    = -1.2 // logit from which a step is taken for speech: what is missed hurts more
	sure        = 3    // logit that speech reaches somewhere
	mayBegin    = -3   // logit down to which a run may begin earlier
	mayEnd      = -2.5 // and end later
	soundsFrom  = 5    // dB out of the room, if it sounds
	edge        = 15   // steps that it may go on
	coreLength  = 4    // steps of a voice: what has less of it is no speech
	silent      = 4    // dB out of the room under which nothing sounds
	clear       = 26   // dB of the voice over the room from which all of it can be heard
	inaudible   = 38   // dB under the voice around it nothing belongs to a word
	shortest    = 6    // steps: what is shorter is no speech
	bridged     = 20   // steps: a shorter lull belongs to the phrase
	voiceAround = 600  // steps around which the level of the voice is learnt
	voiceEvery  = 100
)

// Phrases gives what has been heard to be spoken. Nothing can be written afterwards.
func (l *Listener) Phrases() []Phrase { return l.PhrasesWith(0) }

// PhrasesWith is Phrases with a sensitivity, as FindWith has it.
func (l *Listener) PhrasesWith(sensitivity float64) (out []Phrase) {
	f := l.finder()
	f.eager = float32(math.Max(-session.MostSensitive, math.Min(session.MostSensitive, sensitivity)))
	for _, run := range f.runs(f.likely()) {
		out = append(out, Phrase{audio.Frames(run[0]) * step, min(l.written, audio.Frames(run[1])*step)})
	}
	return out
}

// finder looks for phrases among looks.
type finder struct {
	looks  []look
	room   room
	stands []float32 // out of the room, in dB
	voice  []float32 // level of the voice around each voiceEvery steps, in dB
	eager  float32   // dB by which it takes more for speech than usual
}

func (l *Listener) finder() *finder {
	l.rest()
	f := &finder{looks: l.looks, room: l.learn()}
	f.stands = l.divergences(f.room)
	f.voice = f.voices()
	return f
}

// runs are the stretches of speech in steps, in order, by how likely it is at each: what lies close is put together, and what is too
// short, unsure or faint left out.
func (f *finder) runs(likely []float32) (out [][2]int) {
	begun := -1
	for i := 0; i <= len(likely); i++ {
		spoken := i < len(likely) && likely[i] > likelier
		switch {
		case spoken && begun < 0:
			begun = i
		case !spoken && begun >= 0:
			if f.speaks(likely, begun, i) {
				run := [2]int{f.follow(likely, begun, -1, mayBegin), f.follow(likely, i-1, 1, mayEnd) + 1}
				for _, part := range f.parted(run) {
					if n := len(out); n > 0 && part[0]-out[n-1][1] < bridged {
						out[n-1][1] = max(out[n-1][1], part[1])
					} else {
						out = append(out, part)
					}
				}
			}
			begun = -1
		}
	}
	return out
}

// parted are the parts of a run between lulls in which nothing sounds that could be heard if it did: the network takes breath for speech
// where it is short.
func (f *finder) parted(run [2]int) (out [][2]int) {
	from, last := run[0], run[0]
	for i := run[0]; i < run[1]; i++ {
		if nothing := f.stands[i] < silent && f.over(i) > clear; nothing || f.voice[i/voiceEvery]-f.looks[i].level > inaudible {
			continue
		}
		if i-last > bridged {
			out = append(out, [2]int{from, last + 1})
			from = i
		}
		last = i
	}
	return append(out, [2]int{from, run[1]})
}

// over is by how many dB the voice around a step is louder than the room.
func (f *finder) over(i int) float32 {
	var quiet float64
	for _, p := range f.room.at(i) {
		quiet += p
	}
	return f.voice[i/voiceEvery] - dB(quiet)
}

// speaks says whether somebody surely speaks in a run, and not too far away.
func (f *finder) speaks(likely []float32, from, to int) bool {
	if to-from < shortest || slices.Max(likely[from:to]) < sure {
		return false
	}
	voiced, near := 0, false
	for i := from; i < to; i++ {
		near = near || f.looks[i].level > f.voice[i/voiceEvery]-faint-f.eager
		if f.isVoiced(i) {
			voiced++
		}
	}
	return near && voiced >= coreLength
}

// follow goes from the edge of a run on as long as something sounds that may still belong to it, and gives the last step of that.
func (f *finder) follow(likely []float32, from, way int, least float32) int {
	last := from
	for n := 1; n <= edge; n++ {
		i := from + way*n
		if i < 0 || i >= len(likely) || likely[i] < least || f.stands[i] < soundsFrom {
			break
		}
		last = i
	}
	return last
}

// isVoiced says whether a step sounds like a voice, however loud.
func (f *finder) isVoiced(i int) bool {
	return f.looks[i].voiced >= voicedFrom && f.stands[i] >= stands
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
