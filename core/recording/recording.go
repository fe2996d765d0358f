// Package recording holds the rules for recordings that come in from a microphone: which
// level is right, how the sides of a device become a mono or a stereo sound, and where
// a take belongs in the session. Samples are interleaved 32-bit floats as the device
// gives them.
package recording

import (
	"math"
	"slices"

	"ruvel/core/audio"
)

// Chunk is the longest stretch that is sent at a time, in seconds.
const Chunk = 1

// Longest is how long a take may be, in seconds: three hours.
const Longest = 3 * 3600

// MostChannels is how many a device may deliver.
const MostChannels = 2

// Limits are the levels that a voice is judged by before and while it is recorded, in
// dBFS of sample peaks (common practice: the loudest syllables at -18 to -6).
type Limits struct {
	TooLow  audio.DB `json:"tooLow" doc:"A voice whose peaks stay below this is too quiet"`
	Good    audio.DB `json:"good" doc:"Peaks of a voice should reach this"`
	Hot     audio.DB `json:"hot" doc:"Peaks above this leave too little room"`
	Clipped audio.DB `json:"clipped" doc:"From here on the input is overloaded"`
	Silent  audio.DB `json:"silent" doc:"Below this nothing arrives at all"`
}

// Levels are the limits for a voice.
func Levels() Limits { return Limits{TooLow: -30, Good: -18, Hot: -6, Clipped: -0.1, Silent: -70} }

// Sides is what has been seen of the sides of a recording. The zero value is ready to use.
type Sides struct {
	power    [MostChannels]float64
	peak     [MostChannels]float32
	silenced int64
}

// Look takes in samples of one or two channels. What is not a number counts as silence.
func (s *Sides) Look(samples []float32, channels int) {
	for i, v := range samples {
		if !isNumber(v) {
			s.silenced++
			continue
		}
		c := i % channels
		s.power[c] += float64(v) * float64(v)
		s.peak[c] = max(s.peak[c], v, -v)
	}
}

// Peak is the highest sample of both sides.
func (s *Sides) Peak() audio.DB { return audio.Level(float64(max(s.peak[0], s.peak[1]))) }

// Silenced is how many samples were not numbers, or infinite.
func (s *Sides) Silenced() int64 { return s.silenced }

func isNumber(v float32) bool { return v-v == 0 }

// lonely is how much louder one side must be than the other for the other to count as
// not connected.
const lonely = 40 // dB

// Fold is how the channels of a device become those of the take.
type Fold struct {
	from  int
	sides [][]int // for each channel of the take, the sides that it is the mean of
}

// NewFold chooses the way. For mono it is the mean of both sides, or, where a
// microphone is connected to one of them only, that side alone: the mean would make it
// 6 dB too quiet.
func NewFold(channels int, mono bool, seen Sides) Fold {
	switch {
	case channels == 1:
		return Fold{1, [][]int{{0}}}
	case !mono:
		return Fold{2, [][]int{{0}, {1}}}
	case alone(seen.power[0], seen.power[1]):
		return Fold{2, [][]int{{0}}}
	case alone(seen.power[1], seen.power[0]):
		return Fold{2, [][]int{{1}}}
	}
	return Fold{2, [][]int{{0, 1}}}
}

func alone(this, other float64) bool {
	return this > 0 && other <= this*math.Pow(10, -lonely/10)
}

// Channels is how many the take has.
func (f Fold) Channels() int { return len(f.sides) }

// Apply folds interleaved samples into planar ones. What is not a number becomes silence.
func (f Fold) Apply(samples []float32) audio.PCM {
	out := audio.NewPCM(len(f.sides), audio.Frames(len(samples)/f.from))
	for c, sides := range f.sides {
		scale := 1 / float32(len(sides))
		for i := range out[c] {
			var v float32
			for _, side := range sides {
				if one := samples[i*f.from+side]; isNumber(one) {
					v += one
				}
			}
			v *= scale
			if !isNumber(v) { // both sides were so high that their sum is not
				v = 0
			}
			out[c][i] = v
		}
	}
	return out
}

// Place is where a take goes that was begun at a session time but heard late: earlier
// by that much, and never before the beginning; what lies before it is skipped.
func Place(begun, late audio.Frames) (start, offset audio.Frames) {
	if start = begun - late; start < 0 {
		return 0, -start
	}
	return start, 0
}

// Number is the number of a new take, after those that there are of the same place.
func Number(taken []int) int {
	if len(taken) == 0 {
		return 1
	}
	return slices.Max(taken) + 1
}
