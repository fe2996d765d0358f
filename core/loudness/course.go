package loudness

import (
	"math"
	"slices"
)

// Course is the loudness of a sound along its time, in LUFS; Floor where there is nothing to measure.
type Course struct {
	Momentary []float64 // over the 400 ms that end with each 100 ms
	ShortTerm []float64 // over 3 s
	SoFar     []float64 // gated, of all up to the end of each whole second
}

// Along gives it from the powers per whole 100 ms, summed over the channels (EBU Tech 3341).
func Along(powers []float64) Course {
	c := Course{Momentary: moving(powers, momentary), ShortTerm: moving(powers, shortTerm)}
	c.SoFar = soFar(windows(powers, momentary), len(powers))
	return c
}

// soFar is the gated loudness of the blocks that have ended with each whole second.
func soFar(blocks []float64, hops int) (out []float64) {
	const second = 10
	absolute := math.Pow(10, (-70+0.691)/10)
	var loud []float64 // over the absolute gate
	var sum float64
	next := 0
	for end := second; end <= hops; end += second {
		for ; next <= end-momentary; next++ {
			if p := blocks[next]; p >= absolute {
				loud, sum = append(loud, p), sum+p
			}
		}
		gate := sum / float64(max(1, len(loud))) / 10 // 10 LU below the mean
		var kept float64
		n := 0
		for _, p := range loud {
			if p >= gate {
				kept, n = kept+p, n+1
			}
		}
		out = append(out, Of(kept/float64(max(1, n))))
	}
	return out
}

// moving is the loudness over so many hops up to each of them.
func moving(powers []float64, n int) []float64 {
	out := make([]float64, len(powers))
	for i := range out {
		out[i] = Floor
		if i+1 >= n {
			out[i] = max(Floor, lufs(mean(powers[i+1-n:i+1])))
		}
	}
	return out
}

// RangeOf is the loudness range of a sound from the powers per whole 100 ms (EBU Tech 3342), with the
// loudness from which to which it goes.
func RangeOf(powers []float64) (low, high float64) {
	kept := above(windows(powers, shortTerm), -70, -20)
	if len(kept) == 0 {
		return Floor, Floor
	}
	slices.Sort(kept)
	return percentile(kept, 0.10), percentile(kept, 0.95)
}

// Of is the loudness of a mean K-weighted square, in LUFS.
func Of(power float64) float64 { return max(Floor, lufs(power)) }
