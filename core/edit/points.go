package edit

import (
	"slices"
	"sort"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Line names a level line: that of a clip, whose points are counted from the
// beginning of its sound, or that of a track, counted from the start of the session.
type Line struct {
	Clip  string `json:"clip,omitempty"`
	Track string `json:"track,omitempty"`
}

// line is where the points of a level line are kept, and what they belong to.
type line struct {
	points []session.Point
	name   string
	store  func([]session.Point)
}

func (d *draft) line(l Line) (line, error) {
	if l.Clip != "" {
		t, c, err := d.clip(l.Clip)
		if err != nil {
			return line{}, err
		}
		return line{c.Envelope, c.Name, func(p []session.Point) {
			c.Envelope = p
			t.Clips[l.Clip] = c
		}}, nil
	}
	t, err := d.track(l.Track)
	if err != nil {
		return line{}, err
	}
	return line{t.Envelope, t.Name, func(p []session.Point) { t.Envelope = p }}, nil
}

// AddPoint puts a point on a level line. Where one stands at that very time, it takes the level.
type AddPoint struct {
	Kind
	Line
	At    audio.Frames `json:"at"`
	Level audio.DB     `json:"level" doc:"dB, held between -120 (silence) and 12"`
}

func (o AddPoint) apply(d *draft) (string, error) {
	l, err := d.line(o.Line)
	if err != nil {
		return "", err
	}
	p := session.Point{At: max(0, o.At), Level: hold(o.Level)}
	i := sort.Search(len(l.points), func(i int) bool { return l.points[i].At >= p.At })
	if i < len(l.points) && l.points[i].At == p.At {
		l.points[i] = p
		l.store(l.points)
	} else {
		l.store(slices.Insert(l.points, i, p))
	}
	return "Point on " + quote(l.name) + " at " + levelText(p.Level), nil
}

// MovePoint gives a point another time and level. It stays between its neighbours.
type MovePoint struct {
	Kind
	Line
	Index int          `json:"index" minimum:"0"`
	At    audio.Frames `json:"at"`
	Level audio.DB     `json:"level" doc:"dB, held between -120 (silence) and 12"`
}

func (o MovePoint) apply(d *draft) (string, error) {
	l, err := d.line(o.Line)
	if err != nil {
		return "", err
	}
	if o.Index < 0 || o.Index >= len(l.points) {
		return "", noPoint()
	}
	low, high := audio.Frames(0), session.MaxLength
	if o.Index > 0 {
		low = l.points[o.Index-1].At + 1
	}
	if o.Index+1 < len(l.points) {
		high = l.points[o.Index+1].At - 1
	}
	p := session.Point{At: max(low, min(o.At, high)), Level: hold(o.Level)}
	l.points[o.Index] = p
	l.store(l.points)
	return "Level of " + quote(l.name) + " to " + levelText(p.Level), nil
}

func noPoint() session.Problem {
	return problem("unknown-point", "index", "That point is not on the level line any more.")
}

// RemovePoints takes points off a level line.
type RemovePoints struct {
	Kind
	Line
	Indices []int `json:"indices" nullable:"false" minItems:"1" maxItems:"10000"`
}

func (o RemovePoints) apply(d *draft) (string, error) {
	l, err := d.line(o.Line)
	if err != nil {
		return "", err
	}
	kept := []session.Point{}
	for i, p := range l.points {
		if !slices.Contains(o.Indices, i) {
			kept = append(kept, p)
		}
	}
	gone := len(l.points) - len(kept)
	if gone == 0 {
		return "", noPoint()
	}
	l.store(kept)
	return "Remove " + count(gone, "point") + " from " + quote(l.name), nil
}
