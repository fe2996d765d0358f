package review

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/speech"
)

// ExaminedVersion is that of how sounds are examined. What was found by another is found anew.
const ExaminedVersion = 1

// Examined is what is found in a sound by itself.
type Examined struct {
	Flat     []Plateau  `json:"flat,omitempty"`     // where it was cut off, the first of them
	Flats    int        `json:"flats,omitempty"`    // how many there are
	Sides    [2]float64 `json:"sides"`              // mean squares of both sides of a sound in stereo
	Sum      float64    `json:"sum,omitempty"`      // that of half their sum
	Unlike   float64    `json:"unlike,omitempty"`   // that of half their difference
	HumHertz float64    `json:"humHertz,omitempty"` // 50 or 60, if there is a hum
	Hum      float64    `json:"hum,omitempty"`      // dB that speech stands above it
}

// Plateau is a run of samples at the full scale of a recording.
type Plateau struct {
	At      audio.Frames `json:"at"`
	Samples int          `json:"samples"`
}

// mostFlat is how many places of a recording are remembered.
const mostFlat = 50

// Examine looks at a whole sound in which somebody speaks in some phrases, or nobody does.
func Examine(pcm audio.PCM, phrases []speech.Phrase) (out Examined) {
	for c, channel := range pcm {
		var sum float64
		for _, v := range channel {
			sum += float64(v) * float64(v)
		}
		out.Sides[c] = sum / float64(max(1, len(channel)))
		out.flats(channel)
	}
	if len(pcm) == 2 {
		right := pcm[1]
		for i, v := range pcm[0] {
			s, d := float64(v+right[i])/2, float64(v-right[i])/2
			out.Sum += s * s
			out.Unlike += d * d
		}
		n := float64(max(1, len(right)))
		out.Sum, out.Unlike = out.Sum/n, out.Unlike/n
	}
	if len(phrases) > 0 {
		out.listenForHum(pcm[0], phrases)
	}
	return out
}

// A recording is cut off where it stays at its own highest value and came there steeply: what is low in
// frequency, or soft and coarse, is flat at its top as well, but gets there slowly.
const (
	flatWithin = 1e-5 // of full scale
	flatSteep  = 0.005
	flatLeast  = 0.1 // full scale of a recording, or more: nobody hears the rest
)

// flats finds the runs of samples at the full scale of a channel.
func (e *Examined) flats(channel []float32) {
	top := audio.PeakOf(channel)
	if top < flatLeast {
		return
	}
	for i := 0; i < len(channel); {
		v := channel[i]
		if abs(v) < top-flatWithin {
			i++
			continue
		}
		end := i + 1
		for end < len(channel) && abs(channel[end]) >= top-flatWithin && (channel[end] > 0) == (v > 0) {
			end++
		}
		rises := i > 0 && abs(v)-abs(channel[i-1]) > flatSteep*top || i > 0 && (channel[i-1] > 0) != (v > 0)
		falls := end < len(channel) && top-abs(channel[end]) > flatSteep*top || end < len(channel) && (channel[end] > 0) != (v > 0)
		if end-i >= 2 && (rises || falls) {
			e.Flats++
			if len(e.Flat) < mostFlat {
				e.Flat = append(e.Flat, Plateau{audio.Frames(i), end - i})
			}
		}
		i = end
	}
}

// How a hum is listened for: in the pauses, piece by piece.
const (
	humPiece   = audio.Second / 2
	humPieces  = 60
	humMargin  = audio.Second / 5 // away from speech
	humStands  = 12               // dB above what lies beside it
	humStrays  = 7                // Hz beside it
	harmonics  = 3
	humAudible = 1e-8 // its power at least: −80 dBFS
)

// listenForHum finds a tone at the frequency of the mains, or its harmonics, in the pauses of speech.
func (e *Examined) listenForHum(channel []float32, phrases []speech.Phrase) {
	var spoken float64
	var n int
	for _, p := range phrases {
		for _, v := range channel[min(p.From, audio.Frames(len(channel))):min(p.To, audio.Frames(len(channel)))] {
			spoken += float64(v) * float64(v)
		}
		n += int(p.To - p.From)
	}
	spoken /= float64(max(1, n))
	pieces := pausePieces(audio.Frames(len(channel)), phrases)
	if len(pieces) == 0 || spoken == 0 {
		return
	}
	best := math.Inf(1)
	for _, mains := range []float64{50, 60} {
		var tone, aside float64
		standing := 0
		for h := 1; h <= harmonics; h++ {
			var on, off float64
			for _, at := range pieces {
				part := channel[at : at+humPiece]
				on += goertzel(part, mains*float64(h))
				off += (goertzel(part, mains*float64(h)-humStrays) + goertzel(part, mains*float64(h)+humStrays)) / 2
			}
			if on > off*math.Pow(10, humStands/10.0) {
				standing++
				tone += on / float64(len(pieces))
			}
			aside += off
		}
		if standing == 0 || tone < humAudible {
			continue
		}
		if gap := 10 * math.Log10(spoken/tone); gap < best {
			best, e.HumHertz, e.Hum = gap, mains, gap
		}
	}
}

// pausePieces are the beginnings of pieces that lie in the pauses, some of them evenly over all.
func pausePieces(length audio.Frames, phrases []speech.Phrase) (out []audio.Frames) {
	at := audio.Frames(0)
	add := func(to audio.Frames) {
		for ; at+humPiece <= to; at += humPiece {
			out = append(out, at)
		}
	}
	for _, p := range phrases {
		add(p.From - humMargin)
		at = max(at, p.To+humMargin)
	}
	add(length)
	if len(out) > humPieces {
		some := make([]audio.Frames, humPieces)
		for i := range some {
			some[i] = out[i*len(out)/humPieces]
		}
		return some
	}
	return out
}

// goertzel is the power of a tone in some sound: half the square of its amplitude. The sound is
// weighed by a Hann window first, so that what lies beside it does not count (Goertzel, Amer. Math. Monthly 65, 1958).
func goertzel(samples []float32, hertz float64) float64 {
	c := 2 * math.Cos(2*math.Pi*hertz/audio.Rate)
	var s1, s2 float64
	step := 2 * math.Pi / float64(len(samples))
	// cos(step i) by recurrence
	w, w1 := 1.0, math.Cos(step)
	k := 2 * math.Cos(step)
	for _, v := range samples {
		s := float64(v)*(0.5-0.5*w) + c*s1 - s2
		s2, s1 = s1, s
		w, w1 = w1, k*w1-w
	}
	power := s1*s1 + s2*s2 - c*s1*s2
	amplitude := 2 * math.Sqrt(max(0, power)) / (float64(len(samples)) / 2)
	return amplitude * amplitude / 2
}
