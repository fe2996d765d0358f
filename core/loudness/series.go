package loudness

import "ruvel/core/audio"

// Hop is the step of a Series.
const Hop = audio.Frames(hop)

// Series is the mean K-weighted square of a sound per 100 ms from its beginning, channel
// by channel; what is left at its end counts as a whole hop of which the rest is silent.
type Series [][]float32

// Powers measures the series of a sound.
func Powers(pcm audio.PCM) Series {
	out := make(Series, len(pcm))
	for c, samples := range pcm {
		weight := channel{shelf: shelf(), highPass: highPass()}
		for at := 0; at < len(samples); at += hop {
			part := samples[at:min(at+hop, len(samples))]
			sum := weigh(&weight.shelf, &weight.highPass, part)
			weight.shelf.settle()
			weight.highPass.settle()
			out[c] = append(out[c], float32(sum/hop))
		}
	}
	return out
}

// Integrated is the gated loudness, in LUFS, of a sound of which the K-weighted powers per
// 100 ms are known, summed over its channels.
func Integrated(powers []float64) float64 { return integrated(windows(powers, momentary)) }
