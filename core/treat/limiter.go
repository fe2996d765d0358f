package treat

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

const (
	// limiterAhead is how many steps a limiter takes to come down: 5 ms.
	limiterAhead = audio.Rate / 200 / Step
	// limiterAround is how many steps around a peak its gain stands still, so that what lies
	// between samples is not moved by it.
	limiterAround = 2
	// passes is how often it looks whether something is left over the ceiling.
	passes = 3
)

// limit keeps the true peak of every channel under the ceiling, in place. Of the gains that the
// steps need, the lowest around each place holds, goes back with the release, and comes
// straight down to it within limiterAhead steps: a running minimum, a release and a running mean,
// none of which can lie above what a step needs.
func limit(s session.Limiter, pcm audio.PCM) Gains {
	total := make(Gains, steps(pcm.Length()))
	limited(s, pcm, func(ratios []float32) {
		for k, g := range ratios[:len(total)] {
			if g < 1 {
				total[k] += float32(20 * math.Log10(float64(g)))
			}
		}
	})
	return total
}

// Limit is the limiter by itself: it keeps the true peak of every channel under the ceiling, in place, and
// gives the gain, as a factor, at the beginning of every step and at the end of the last one.
func Limit(s session.Limiter, pcm audio.PCM) []float32 {
	total := make([]float32, steps(pcm.Length())+1)
	for k := range total {
		total[k] = 1
	}
	limited(s, pcm, func(ratios []float32) {
		for k, g := range ratios {
			total[k] *= g
		}
	})
	return total
}

// limited does the work and tells of the gains of each pass.
func limited(s session.Limiter, pcm audio.PCM, told func(ratios []float32)) {
	left := smooth(s.Release)
	var ratios []float32 // of the pass before
	for range passes {
		needs := needed(float32(s.Ceiling.Gain()), pcm, ratios)
		if needs == nil {
			break
		}
		ratios = held(needs, left)
		told(ratios)
		scale(pcm, ratios)
	}
}

// margin is how much lower than the ceiling a peak is put: what the ramps of the gain may move it.
const margin = 0.9995

// needed is the gain that every step needs, or nil if none needs any. Where the ratios of the pass
// before have changed nothing, nothing is looked for again.
func needed(ceiling float32, pcm audio.PCM, before []float32) []float32 {
	out := make([]float32, steps(pcm.Length()))
	for k := range out {
		out[k] = 1
	}
	over := false
	unchanged := func(k int) bool { // nor the step before, to which the filter reaches
		return before != nil && before[max(0, k-1)] == 1 && before[k] == 1 && before[k+1] == 1
	}
	for _, channel := range pcm {
		loudness.Over(channel, Step, ceiling, unchanged, func(k int, peak float32) {
			over = true
			out[k] = min(out[k], ceiling*margin/peak)
		})
	}
	if !over {
		return nil
	}
	return out
}

// held is the gain at the beginning of every step, and at the end of the last one.
func held(needs []float32, left float64) []float32 {
	low := make([]float32, len(needs)+1)
	for k := range low {
		low[k] = -needs[min(k, len(needs)-1)]
	}
	// The meter says of a peak up to half its filter later that it was there.
	highest(low, limiterAround+1, limiterAhead+limiterAround+1)
	gain := 1.0
	for k, v := range low {
		lowest := float64(-v)
		gain = min(lowest, 1+(gain-1)*left)
		low[k] = float32(gain)
	}
	out := make([]float32, len(low))
	for k := range out {
		var sum float64
		for _, g := range low[max(0, k-limiterAhead) : k+1] {
			sum += float64(g)
		}
		if k < limiterAhead {
			sum += float64(limiterAhead-k) * float64(low[0])
		}
		out[k] = float32(sum / (limiterAhead + 1))
	}
	return out
}
