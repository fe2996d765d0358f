package edit

import (
	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/session"
)

// levelAt is the level of a line at a time.
func levelAt(points []session.Point, at audio.Frames) audio.DB {
	i, there := find(points, at)
	switch {
	case there || i == 0:
		return points[i].Level
	case i == len(points) || points[i-1].Level == points[i].Level:
		return points[i-1].Level
	}
	return hold(audio.Level(envelope.New(points[i-1 : i+1]).GainAt(at)))
}

// lineWithTime is a level line with a stretch put in, in which it stays at the level
// that it had there.
func lineWithTime(points []session.Point, at, length audio.Frames) []session.Point {
	if len(points) == 0 || at > points[len(points)-1].At {
		return points
	}
	i, there := find(points, at)
	out := append([]session.Point{}, points[:i]...)
	if i > 0 && (there || points[i-1].Level != points[i].Level) {
		out = append(out, session.Point{At: at, Level: levelAt(points, at)})
	}
	if i > 0 && !there && points[i-1].Level != points[i].Level {
		out = append(out, session.Point{At: at + length, Level: levelAt(points, at)})
	}
	for _, p := range points[i:] {
		out = append(out, session.Point{At: p.At + length, Level: p.Level})
	}
	return out
}

// lineWithoutTime is a level line with a stretch taken out. What is left keeps its levels;
// where they differ at the join, the line goes from one to the other across it.
func lineWithoutTime(points []session.Point, from, to, across audio.Frames) []session.Point {
	if len(points) == 0 || points[len(points)-1].At < from {
		return points
	}
	half := across / 2
	before, after := levelAt(points, max(0, from-half)), levelAt(points, to+half)
	i, _ := find(points, max(0, from-half))
	k, _ := find(points, to+half)
	out := append([]session.Point{}, points[:i]...)
	if before != after || (i > 0 && points[i-1].Level != before) || (k < len(points) && points[k].Level != after) {
		if from > half { // at the very beginning there is nothing to come from
			out = append(out, session.Point{At: from - half, Level: before})
		}
		if k == len(points) || points[k].At > to+half {
			out = append(out, session.Point{At: from + half, Level: after})
		}
	}
	for _, p := range points[k:] {
		out = append(out, session.Point{At: p.At - (to - from), Level: p.Level})
	}
	if len(out) == 0 { // it was flat here
		out = append(out, session.Point{At: from, Level: after})
	}
	return out
}
