// Package loudness measures programme loudness in LUFS after ITU-R BS.1770-4 and EBU
// R 128, loudness range after EBU Tech 3342, and true peak in dBTP after BS.1770
// annex 2, of sound at 48 kHz in one or two channels.
package loudness

import (
	"math"
	"slices"

	"ruvel/core/audio"
)

// hop is the step of all windows: 100 ms, a quarter of the momentary window of 400 ms.
const (
	hop       = audio.Rate / 10
	momentary = 4
	shortTerm = 30
)

// Floor is reported where nothing is loud enough to be measured.
const Floor = -120.0

// Result is what a meter has found. Loudness values are LUFS, the range is LU.
type Result struct {
	Integrated   float64      `json:"integrated" doc:"LUFS, gated; -120 if there is nothing above the gate"`
	Range        float64      `json:"range" doc:"LU"`
	MaxMomentary float64      `json:"maxMomentary" doc:"LUFS over 400 ms"`
	MaxShortTerm float64      `json:"maxShortTerm" doc:"LUFS over 3 s"`
	TruePeak     float64      `json:"truePeak" doc:"dBTP"`
	SamplePeak   float64      `json:"samplePeak" doc:"dBFS"`
	Length       audio.Frames `json:"length" doc:"Frames at 48 kHz"`
}

// Meter measures sound as it is written. Make one with NewMeter; it is for one goroutine.
type Meter struct {
	channels []channel
	filled   int       // frames in the hop that is being summed
	powers   []float64 // mean weighted square of each whole hop, summed over the channels
	length   audio.Frames
}

type channel struct {
	shelf, highPass biquad
	truePeak        TruePeak
	sum             float64   // weighted squares of the hop that is being summed
	powers          []float32 // mean weighted square of each whole hop
}

// NewMeter makes a meter for one or two channels.
func NewMeter(channels int) *Meter {
	m := &Meter{channels: make([]channel, channels)}
	for c := range m.channels {
		m.channels[c].shelf, m.channels[c].highPass = shelf(), highPass()
	}
	return m
}

// Write takes the next frames, of as many channels as the meter has.
func (m *Meter) Write(pcm audio.PCM) {
	m.length += pcm.Length()
	for at := 0; at < int(pcm.Length()); {
		n := min(hop-m.filled, int(pcm.Length())-at)
		for c := range m.channels {
			m.channels[c].write(pcm[c][at : at+n])
		}
		if m.filled += n; m.filled == hop {
			m.finishHop()
		}
		at += n
	}
}

func (m *Meter) finishHop() {
	var sum float64
	for i := range m.channels {
		c := &m.channels[i]
		sum += c.sum
		c.powers = append(c.powers, float32(c.sum/hop))
		c.sum = 0
	}
	m.powers = append(m.powers, sum/hop)
	m.filled = 0
}

// write takes samples and adds up their K-weighted squares.
func (c *channel) write(samples []float32) {
	c.truePeak.Write(samples)
	c.sum += weigh(&c.shelf, &c.highPass, samples)
	c.shelf.settle()
	c.highPass.settle()
}

// GoOn has the meter go on after others: their powers, as LastHop gives them, are those of the
// last tenths of a second before what is written to it.
func (m *Meter) GoOn(powers []float64) { m.powers = append(slices.Clone(powers), m.powers...) }

// LastHop is the mean weighted square of the last whole tenth of a second, summed over the
// channels, and how many of them there have been.
func (m *Meter) LastHop() (power float64, hops int) {
	if len(m.powers) == 0 {
		return 0, 0
	}
	return m.powers[len(m.powers)-1], len(m.powers)
}

// Series is that of all that has been written.
func (m *Meter) Series() Series {
	out := make(Series, len(m.channels))
	for i, c := range m.channels {
		out[i] = slices.Clone(c.powers)
		if m.filled > 0 {
			out[i] = append(out[i], float32(c.sum/hop))
		}
	}
	return out
}

// Momentary is the loudness of the last 400 ms in LUFS.
func (m *Meter) Momentary() float64 { return m.last(momentary) }

// ShortTerm is the loudness of the last 3 s in LUFS.
func (m *Meter) ShortTerm() float64 { return m.last(shortTerm) }

func (m *Meter) last(hops int) float64 {
	if len(m.powers) < hops {
		return Floor
	}
	return lufs(mean(m.powers[len(m.powers)-hops:]))
}

// Result is what has been measured up to now.
func (m *Meter) Result() Result {
	blocks := windows(m.powers, momentary)
	stretches := windows(m.powers, shortTerm)
	r := Result{
		Integrated: integrated(blocks), Range: loudnessRange(stretches),
		MaxMomentary: Floor, MaxShortTerm: Floor, Length: m.length,
	}
	if len(blocks) > 0 {
		r.MaxMomentary = lufs(slices.Max(blocks))
	}
	if len(stretches) > 0 {
		r.MaxShortTerm = lufs(slices.Max(stretches))
	}
	var truePeak, samplePeak float32
	for _, c := range m.channels {
		truePeak, samplePeak = max(truePeak, c.truePeak.peak), max(samplePeak, c.truePeak.sample)
	}
	r.TruePeak, r.SamplePeak = float64(audio.Level(float64(truePeak))), float64(audio.Level(float64(samplePeak)))
	return r
}

// Measure measures a whole sound.
func Measure(pcm audio.PCM) Result {
	m := NewMeter(len(pcm))
	m.Write(pcm)
	return m.Result()
}

// windows is the mean power of every run of n hops.
func windows(powers []float64, n int) []float64 {
	var out []float64
	for i := n; i <= len(powers); i++ {
		out = append(out, mean(powers[i-n:i]))
	}
	return out
}

// integrated is the gated loudness of 400 ms blocks: absolute gate at -70 LUFS, then
// a relative one 10 LU below the mean of what passed it (BS.1770-4, annex 1).
func integrated(blocks []float64) float64 {
	return lufs(mean(above(blocks, -70, -10)))
}

// loudnessRange is the spread of short-term loudness from the 10th to the 95th
// percentile, gated at -70 LUFS and 20 LU below the mean (EBU Tech 3342).
func loudnessRange(stretches []float64) float64 {
	kept := above(stretches, -70, -20)
	if len(kept) == 0 {
		return 0
	}
	slices.Sort(kept)
	return percentile(kept, 0.95) - percentile(kept, 0.10)
}

// percentile is the loudness at a share of powers in order.
func percentile(sorted []float64, p float64) float64 {
	return lufs(sorted[int(math.Round(p*float64(len(sorted)-1)))])
}

// above keeps the powers above an absolute gate in LUFS, then those above a gate
// relative to their mean in LU.
func above(powers []float64, absolute, relative float64) []float64 {
	gate := func(in []float64, threshold float64) (out []float64) {
		for _, p := range in {
			if lufs(p) >= threshold {
				out = append(out, p)
			}
		}
		return out
	}
	kept := gate(powers, absolute)
	return gate(kept, lufs(mean(kept))+relative)
}

func mean(values []float64) float64 {
	if len(values) == 0 {
		return 0
	}
	var sum float64
	for _, v := range values {
		sum += v
	}
	return sum / float64(len(values))
}

// lufs is the loudness of a mean weighted square, summed over the channels.
func lufs(power float64) float64 {
	if power < 1e-12 {
		return Floor
	}
	return -0.691 + 10*math.Log10(power)
}
