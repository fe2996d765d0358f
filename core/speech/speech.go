// Package speech says where in a recording somebody speaks.
package speech

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/waveform"
)

// Phrase is a stretch of a recording in which somebody speaks, in frames of the
// recording: from its first frame to the one after its last.
type Phrase struct {
	From audio.Frames `json:"from"`
	To   audio.Frames `json:"to"`
}

// Source knows the phrases of sounds.
type Source interface {
	// Phrases gives those of a sound, by its id, in order and apart from each other. A
	// recording in which nobody can be told to speak has none. The slice is not to be
	// changed. An error says that the sound cannot be read.
	Phrases(sound string) ([]Phrase, error)
}

// What tells speech from a room by level alone (common practice).
const (
	step     = audio.Rate / 100     // levels are looked at every 10 ms
	share    = 0.4                  // of the way from the room to the voice, in dB, something must come to be speech
	apart    = 10                   // dB that a voice is above its room at least; otherwise nothing can be told
	hold     = 15                   // steps: a shorter lull belongs to the phrase
	shortest = 6                    // steps: what is shorter is a click
	tail     = 30                   // steps for which the end of a word is followed down into the room
	above    = 6                    // dB above the room is still a word's end
	margin   = audio.Rate * 4 / 100 // is left on either side
	deaf     = -90                  // dB: nothing is quieter than this
)

// ByLevel finds phrases by comparing levels with the recording's own floor: what lies well
// above the quietest tenth of it. It is what there is as long as speech is not told from
// other sounds by its nature: a click, a cough or a page count as speech if they are as loud.
func ByLevel(p waveform.Pyramid, length audio.Frames) []Phrase {
	levels := levelsOf(p, length)
	floor, voice, told := floorAndVoice(levels)
	if !told {
		return nil
	}
	var out []Phrase
	for _, run := range runs(levels, floor+share*(voice-floor)) {
		from := run[0]
		for from > 0 && run[0]-from < tail/3 && levels[from-1] > floor+above {
			from--
		}
		to := run[1]
		for to < len(levels) && to-run[1] < tail && levels[to] > floor+above {
			to++
		}
		f := Phrase{max(0, audio.Frames(from)*step-margin), min(length, audio.Frames(to)*step+margin)}
		if n := len(out); n > 0 && f.From <= out[n-1].To {
			out[n-1].To = f.To
			continue
		}
		out = append(out, f)
	}
	return out
}

// levelsOf are the peaks of a recording, in dB, step by step.
func levelsOf(p waveform.Pyramid, length audio.Frames) []float64 {
	out := make([]float64, (length+step-1)/step)
	for i := range out {
		k := p.Between(audio.Frames(i)*step, min(length, audio.Frames(i+1)*step))
		high := float64(max(int(k.High), -int(k.Low))) / 32767
		out[i] = math.Max(deaf, float64(audio.Level(high)))
	}
	return out
}

// floorAndVoice are the levels of the room, the quietest tenth of what is not digital
// silence, and of the voice, all but the loudest twentieth; and whether they are far enough apart.
func floorAndVoice(levels []float64) (floor, voice float64, told bool) {
	sounding := slices.DeleteFunc(slices.Clone(levels), func(v float64) bool { return v <= deaf })
	if len(sounding) == 0 {
		return 0, 0, false
	}
	slices.Sort(sounding)
	floor, voice = sounding[len(sounding)/10], sounding[len(sounding)*19/20]
	if len(sounding) < len(levels)*9/10 { // it was gated or put together: its room is silence
		floor = math.Min(floor, voice-40)
	}
	return floor, voice, voice-floor >= apart
}

// runs are the stretches, from step to step, in which levels come above a threshold, with
// short lulls bridged and clicks left out.
func runs(levels []float64, threshold float64) (out [][2]int) {
	last := math.MinInt
	for i, v := range levels {
		if v < threshold {
			continue
		}
		if n := len(out); n > 0 && i-last <= hold {
			out[n-1][1] = i + 1
		} else {
			out = append(out, [2]int{i, i + 1})
		}
		last = i
	}
	return slices.DeleteFunc(out, func(r [2]int) bool { return r[1]-r[0] < shortest })
}
