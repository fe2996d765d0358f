package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/session"
)

// isFlat says that a line has one level everywhere.
func isFlat(points []session.Point) bool {
	return !slices.ContainsFunc(points, func(p session.Point) bool { return p.Level != points[0].Level })
}

// later gives points with their times put off.
func later(points []session.Point, by audio.Frames) []session.Point {
	out := slices.Clone(points)
	for i := range out {
		out[i].At += by
	}
	return out
}

// lineWithTime is a level line with a stretch put in, in which it stays at the level
// that it had there.
func lineWithTime(points []session.Point, at, length audio.Frames) []session.Point {
	if len(points) == 0 || at > points[len(points)-1].At {
		return points
	}
	i, there := find(points, at)
	if i == 0 || !there && points[i-1].Level == points[i].Level {
		return append(slices.Clone(points[:i]), later(points[i:], length)...)
	}
	points, i = envelope.Split(points, at)
	out := append([]session.Point{}, points[:i]...)
	out = append(out, session.Point{At: at, Level: points[i].Level})
	return append(out, later(points[i:], length)...)
}

// lineWithoutTime is a level line with a stretch taken out. What is left keeps its levels;
// where they differ at the join, the line goes from one to the other across it.
func lineWithoutTime(points []session.Point, from, to, across audio.Frames) []session.Point {
	if len(points) == 0 || points[len(points)-1].At < from {
		return points
	}
	half := across / 2
	before, i := envelope.Split(points, max(0, from-half))
	after, k := envelope.Split(points, to+half)
	left, right := before[:i+1], after[k:]
	if from <= half { // at the very beginning there is nothing to come from
		left = nil
	}
	gone := to - from
	out := append([]session.Point{}, left...)
	if n := len(out); n > 0 {
		out[n-1].Bend = 0
	}
	out = append(out, later(right, -gone)...)
	return withoutIdle(out, points, from-half, from+half)
}

// withoutIdle takes the points at two times off a line again where they change nothing and
// nobody has put them there.
func withoutIdle(points, own []session.Point, times ...audio.Frames) []session.Point {
	out := slices.Clone(points)
	for _, at := range times {
		i, there := find(out, at)
		if _, mine := find(own, at); !there || mine || len(out) == 1 {
			continue
		}
		level := out[i].Level
		if (i == 0 || out[i-1].Level == level) && (i == len(out)-1 || out[i+1].Level == level) {
			out = slices.Delete(out, i, i+1)
		}
	}
	return out
}
