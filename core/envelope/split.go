package envelope

import (
	"cmp"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Split puts a point on a line between two others without changing the line, and says at
// which index a point now stands at that time. Before the first and after the last point,
// and on a line without any, it puts a point at the level that is there.
func Split(points []session.Point, at audio.Frames) ([]session.Point, int) {
	i, there := slices.BinarySearchFunc(points, at, func(p session.Point, at audio.Frames) int { return cmp.Compare(p.At, at) })
	if there {
		return points, i
	}
	p := session.Point{At: at}
	switch {
	case len(points) == 0:
		return []session.Point{p}, 0
	case i == 0:
		p.Level = points[0].Level
	case i == len(points):
		p.Level = points[i-1].Level
	}
	out := slices.Insert(slices.Clone(points), i, p)
	if i > 0 && i < len(points) {
		a, b := points[i-1], points[i]
		out[i].Level = levelBetween(a, b, at)
		u := float64(at-a.At) / float64(b.At-a.At)
		out[i-1].Bend = bendOf(a.Bend, 0, u)
		out[i].Bend = bendOf(a.Bend, u, 1)
	}
	return out, i
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
