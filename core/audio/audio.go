// Package audio holds the units that everything in Ruvel is counted in: time in
// whole frames at 48 kHz, levels in dB, and sound as planar 32-bit float samples
// with full scale at 1.
package audio

import (
	"fmt"
	"math"
)

// Rate is the frame rate of every session and every working copy, in hertz.
const Rate = 48000

// Block is the number of frames that are rendered at a time.
const Block = 2048

// Frames is a position or a length in whole frames at 48 kHz.
type Frames int64

// Second is the number of frames in a second.
const Second Frames = Rate

// Seconds rounds a time in seconds to the nearest frame.
func Seconds(s float64) Frames { return Frames(math.Round(s * Rate)) }

// Seconds is the time in seconds.
func (f Frames) Seconds() float64 { return float64(f) / Rate }

// Clock is a time of not less than 0 in whole hours, minutes, seconds and parts of a second, of which there are so many in one. It is rounded
// once, to the nearest part, and what that carries goes up: 59.9996 s in thousandths is a minute.
func (f Frames) Clock(parts int64) (h, m, s, part int64) {
	whole := (int64(f)*parts + Rate/2) / Rate
	return whole / (3600 * parts), whole / (60 * parts) % 60, whole / parts % 60, whole % parts
}

// String writes the time as minutes and seconds with hundredths ("1:04.25"),
// with hours in front from one hour on.
func (f Frames) String() string {
	sign := ""
	if f < 0 {
		sign, f = "-", -f
	}
	h, m, s, c := f.Clock(100)
	if h > 0 {
		return fmt.Sprintf("%s%d:%02d:%02d.%02d", sign, h, m, s, c)
	}
	return fmt.Sprintf("%s%d:%02d.%02d", sign, m, s, c)
}

// DB is a level or a gain in decibels, 20 log10 of an amplitude ratio.
type DB float64

const (
	// Silence is the lowest level there is: it and everything below it is a gain of zero.
	Silence DB = -120
	// Loudest is the highest gain that a fader, a clip or an envelope point may have.
	Loudest DB = 12
)

// Gain is the amplitude ratio of a level: 10^(dB/20), and exactly 0 at Silence.
func (d DB) Gain() float64 {
	if d <= Silence {
		return 0
	}
	return math.Pow(10, float64(d)/20)
}

// Level is the level of an amplitude ratio: 20 log10(gain), never below Silence.
func Level(gain float64) DB {
	if !(gain > 1e-6) {
		return Silence
	}
	return DB(20 * math.Log10(gain))
}

// PCM is planar sound: one slice of samples a channel, all of one length.
type PCM [][]float32

// NewPCM makes silence.
func NewPCM(channels int, length Frames) PCM {
	p := make(PCM, channels)
	for c := range p {
		p[c] = make([]float32, length)
	}
	return p
}

// Length is the number of frames.
func (p PCM) Length() Frames {
	if len(p) == 0 {
		return 0
	}
	return Frames(len(p[0]))
}

// Slice is the frames from (included) to (excluded), sharing the samples.
func (p PCM) Slice(from, to Frames) PCM {
	out := make(PCM, len(p))
	for c := range p {
		out[c] = p[c][from:to]
	}
	return out
}

// Clear makes every sample zero.
func (p PCM) Clear() {
	for c := range p {
		clear(p[c])
	}
}

// Peak is the largest absolute sample.
func (p PCM) Peak() float32 {
	var peak float32
	for _, channel := range p {
		peak = max(peak, PeakOf(channel))
	}
	return peak
}

// PeakOf is the largest absolute sample of a channel. Without its sign bit a float orders like an
// integer, and integers are compared several times faster.
func PeakOf(samples []float32) float32 {
	var a, b uint32
	for len(samples) >= 2 {
		a = max(a, math.Float32bits(samples[0])&^signBit)
		b = max(b, math.Float32bits(samples[1])&^signBit)
		samples = samples[2:]
	}
	for _, v := range samples {
		a = max(a, math.Float32bits(v)&^signBit)
	}
	return math.Float32frombits(max(a, b))
}

const signBit = 1 << 31
