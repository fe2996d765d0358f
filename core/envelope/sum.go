package envelope

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Sum is the line whose level is everywhere the sum of those of two lines, the second of which has
// no bends. Where the first goes below -60 dB, it is so at its points alone.
func Sum(line, straight []session.Point) []session.Point {
	var times []audio.Frames
	for _, p := range append(line[:len(line):len(line)], straight...) {
		times = append(times, p.At)
	}
	times = slices.Compact(slices.Sorted(slices.Values(times)))
	out, added := SplitAll(line, times), SplitAll(straight, times)
	levels := make([]audio.DB, len(out))
	for i := range out {
		levels[i] = max(audio.Silence, min(audio.Loudest, out[i].Level+added[i].Level))
	}
	for i := range out {
		if i+1 < len(out) && out[i].Bend != 0 {
			// A bend is a share of the way from one point to the next, and that is another way now.
			if way := levels[i+1] - levels[i]; way != 0 {
				out[i].Bend = max(-1, min(1, out[i].Bend*float64(out[i+1].Level-out[i].Level)/float64(way)))
			} else {
				out[i].Bend = 0
			}
		}
	}
	for i := range out {
		out[i].Level = levels[i]
	}
	return out
}
