package envelope

import (
	"cmp"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Split puts a point on a line between two others without changing the line, and says at
// which index a point now stands at that time. Before the first and after the last point,
// and on a line without any, it puts a point at the level that is there.
func Split(points []session.Point, at audio.Frames) ([]session.Point, int) {
	out := SplitAll(points, []audio.Frames{at})
	i, _ := slices.BinarySearchFunc(out, at, func(p session.Point, at audio.Frames) int { return cmp.Compare(p.At, at) })
	return out, i
}

// SplitAll is Split at many times, which are in order, in one pass. The line it gives is a new one.
func SplitAll(points []session.Point, times []audio.Frames) []session.Point {
	out := make([]session.Point, 0, len(points)+len(times))
	k := 0
	for i := 0; i <= len(points); i++ {
		end := audio.Frames(math.MaxInt64)
		if i < len(points) {
			end = points[i].At
		}
		first := len(out) - 1 // the point at which the line begins that is parted
		for ; k < len(times) && (times[k] < end || i == len(points)); k++ {
			if n := len(out); n > 0 && out[n-1].At == times[k] {
				continue
			}
			p := session.Point{At: times[k]}
			switch {
			case len(points) == 0:
			case i == 0:
				p.Level = points[0].Level
			case i == len(points):
				p.Level = points[i-1].Level
			default:
				p.Level = levelBetween(points[i-1], points[i], p.At)
			}
			out = append(out, p)
		}
		if i > 0 && i < len(points) {
			a, b := points[i-1], points[i]
			place := func(at audio.Frames) float64 { return float64(at-a.At) / float64(b.At-a.At) }
			for n := first; n < len(out) && len(out)-1 > first; n++ {
				next := b.At
				if n+1 < len(out) {
					next = out[n+1].At
				}
				out[n].Bend = bendOf(a.Bend, place(out[n].At), place(next))
			}
		}
		if i < len(points) {
			out = append(out, points[i])
		}
	}
	return out
}

// levelBetween is the level of the line between two points, held within the two.
func levelBetween(a, b session.Point, at audio.Frames) audio.DB {
	if a.Level == b.Level {
		return a.Level
	}
	level := audio.Level(New([]session.Point{a, b}).GainAt(at))
	return max(min(a.Level, b.Level), min(max(a.Level, b.Level), level))
}

// bendOf is the bend of a part, p to q of 0 to 1, of a line with a bend. The line is
// u + b (u² - u); any part of it, taken from its own beginning to its own end, is of the
// same form, with b (q-p) / (1 - b + b (p+q)) in the place of b.
func bendOf(b, p, q float64) float64 {
	if b == 0 || q <= p {
		return 0
	}
	rise := 1 - b + b*(p+q)
	if rise <= 0 {
		return 1
	}
	return max(-1, min(1, b*(q-p)/rise))
}
