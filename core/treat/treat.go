// Package treat makes voices even and clean: low cut, gate, downward expander, compressor
// and true-peak limiter, in this order, on the sum of a track's clips at 48 kHz.
//
// A stage gets a whole stretch of sound and knows all of it, so it can look ahead without
// being late. It begins from rest. Its gains are worked out every Step frames, at places that
// are multiples of it, and go straight from one to the next in between.
package treat

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Step is how many frames lie between two gains.
const Step = 16

// window is how many steps detectors look back: 10 ms, in which the slowest voice has a peak.
const window = audio.Rate / 100 / Step

// Gains is what a stage does to the level, in dB, at the beginning of every step.
type Gains []float32

// Trace is what the stages that are on have done, nil for those that are off.
type Trace struct {
	Gate, Expander, Compressor, Limiter Gains
	// States of the gate, step by step.
	States []State
}

// From is a part of a trace of so many steps, a copy.
func (t Trace) From(first, count audio.Frames) Trace {
	return Trace{
		Gate: part(t.Gate, first, count), Expander: part(t.Expander, first, count),
		Compressor: part(t.Compressor, first, count), Limiter: part(t.Limiter, first, count),
		States: part(t.States, first, count),
	}
}

func part[S ~[]E, E any](of S, first, count audio.Frames) S {
	if of == nil {
		return nil
	}
	return slices.Clone(of[first : first+count])
}

// Apply treats one or two linked channels in place, from rest. The first frame lies on a multiple of
// Step of the session.
func Apply(t session.Treatment, pcm audio.PCM) Trace { return ApplyAfter(t, pcm, Gated{}, 0) }

// ApplyAfter is Apply where the gate did something before, and does so until a frame from which on it goes by what it hears.
func ApplyAfter(t session.Treatment, pcm audio.PCM, before Gated, from audio.Frames) (trace Trace) {
	clean(pcm)
	if t.LowCut.On {
		lowCut(t.LowCut, pcm)
	}
	if t.Gate.On {
		trace.Gate, trace.States = gate(t.Gate, peaks(pcm), before, int(from/Step))
		multiply(pcm, trace.Gate)
	}
	if t.Expander.On {
		trace.Expander = expand(t.Expander, peaks(pcm))
		multiply(pcm, trace.Expander)
	}
	if t.Compressor.On {
		trace.Compressor = compress(t.Compressor, detect(t.Compressor.Detector, pcm))
		multiply(pcm, trace.Compressor)
	}
	if t.Limiter.On {
		trace.Limiter = limit(t.Limiter, pcm)
	}
	return trace
}

// Memory is how long before a place sound may still have an effect there: ten times the
// longest time constant, after which 0.005 % of a state are left, and at least 5 s. It is a
// multiple of Step.
func Memory(t session.Treatment) audio.Frames {
	longest := 0.5
	if t.Gate.On {
		longest = max(longest, t.Gate.Release.Seconds(), t.Gate.Hold.Seconds())
	}
	if t.Expander.On {
		longest = max(longest, t.Expander.Release.Seconds())
	}
	if t.Compressor.On {
		longest = max(longest, t.Compressor.Release.Seconds(), t.Compressor.Attack.Seconds())
	}
	if t.Limiter.On {
		longest = max(longest, t.Limiter.Release.Seconds())
	}
	return steps(audio.Seconds(10*longest)) * Step
}

// Ahead is how long after a place sound may have an effect there, a multiple of Step.
func Ahead(t session.Treatment) (ahead audio.Frames) {
	if t.Gate.On {
		ahead += t.Gate.Ahead.Frames()
	}
	if t.Limiter.On {
		ahead += (limiterAhead + 2*limiterAround + 2) * Step
	}
	return steps(ahead)*Step + Step
}

// steps is how many steps cover some frames.
func steps(n audio.Frames) audio.Frames { return (n + Step - 1) / Step }

// peaks is the highest sample of the last 10 ms, for every step, of all channels.
func peaks(pcm audio.PCM) []float32 {
	own := make([]float32, steps(pcm.Length()))
	for _, channel := range pcm {
		for k := range own {
			own[k] = max(own[k], audio.PeakOf(channel[k*Step:min((k+1)*Step, len(channel))]))
		}
	}
	highest(own, window-1, 0)
	return own
}

// detect is the amplitude that a compressor goes by, for every step.
func detect(by session.Detector, pcm audio.PCM) []float32 {
	if by == session.Peaks {
		return peaks(pcm)
	}
	out := make([]float32, steps(pcm.Length()))
	sums := make([]float64, len(out))
	for _, channel := range pcm {
		for k := range out {
			var sum float64
			for _, v := range channel[k*Step : min((k+1)*Step, len(channel))] {
				sum += float64(v) * float64(v)
			}
			sums[k] = sum
		}
		for k := range out { // of both channels the louder one counts
			var sum float64
			for _, s := range sums[max(0, k+1-window) : k+1] {
				sum += s
			}
			out[k] = max(out[k], float32(sum/(window*Step)))
		}
	}
	for k, v := range out {
		out[k] = float32(math.Sqrt(float64(v)))
	}
	return out
}

// level is that of an amplitude, in dBFS, never below silence.
func level(amplitude float32) float64 {
	if !(amplitude > 1e-6) {
		return float64(audio.Silence)
	}
	return 20 * math.Log10(float64(amplitude))
}

// highest makes every value the highest of those from some before to some after it.
func highest(values []float32, before, after int) {
	queue := make([]int, 0, before+after+1) // the places that may still be the highest, falling
	out := make([]float32, len(values))
	next := 0
	for k := range values {
		for ; next < len(values) && next <= k+after; next++ {
			for len(queue) > 0 && !(values[queue[len(queue)-1]] > values[next]) {
				queue = queue[:len(queue)-1]
			}
			queue = append(queue, next)
		}
		for queue[0] < k-before {
			queue = queue[1:]
		}
		out[k] = values[queue[0]]
	}
	copy(values, out)
}

// smooth is how much of the difference is left a step later, if after the time constant
// 63.2 % of a jump have been made: exp(-Step / (tau fs)).
func smooth(tau session.Millis) float64 {
	return math.Exp(-Step / (tau.Seconds() * audio.Rate))
}

// clean makes what is no number, or beyond every level, silent: it would stay in the states for ever.
func clean(pcm audio.PCM) {
	for _, channel := range pcm {
		for i, v := range channel {
			if !(v >= -beyond && v <= beyond) {
				channel[i] = 0
			}
		}
	}
}

// beyond is an amplitude of +100 dBFS.
const beyond = 1e5

// multiply puts gains on all channels.
func multiply(pcm audio.PCM, gains Gains) {
	if len(gains) == 0 {
		return
	}
	ratios := make([]float32, len(gains)+1)
	for k, g := range gains {
		if k > 0 && g == gains[k-1] {
			ratios[k] = ratios[k-1]
		} else {
			ratios[k] = ratio(g)
		}
	}
	ratios[len(gains)] = ratios[len(gains)-1]
	scale(pcm, ratios)
}

// scale puts ratios, which go straight from the beginning of each step to the next, on all channels.
func scale(pcm audio.PCM, ratios []float32) {
	for _, channel := range pcm {
		for k := range len(ratios) - 1 {
			from, by := ratios[k], (ratios[k+1]-ratios[k])/Step
			if from == 1 && by == 0 {
				continue
			}
			part := channel[k*Step : min((k+1)*Step, len(channel))]
			for i := range part {
				part[i] *= from + float32(i)*by
			}
		}
	}
}

// nothing is the level from which on a gain is none.
const nothing = audio.Silence + 0.5

func ratio(db float32) float32 {
	switch {
	case db == 0:
		return 1
	case audio.DB(db) <= nothing:
		return 0
	}
	return float32(math.Exp(float64(db) * math.Ln10 / 20))
}
