package edit

import (
	"cmp"
	"maps"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Line names a level line: that of a clip, whose points are counted from the
// beginning of its sound, or that of a track, counted from the start of the session.
type Line struct {
	Clip  string `json:"clip,omitempty"`
	Track string `json:"track,omitempty"`
}

// PointAt names a point by its time. No two points of a line stand at one time.
type PointAt struct {
	Line
	At audio.Frames `json:"at"`
}

// NewPoint is a point as it is asked for.
type NewPoint struct {
	Line
	At    audio.Frames `json:"at"`
	Level audio.DB     `json:"level" doc:"dB, held between -120 (silence) and 12"`
	Bend  float64      `json:"bend,omitempty" doc:"Of the line to the next point; left out or 0: as the line there is bent"`
}

// PointMove gives a point another time and level.
type PointMove struct {
	Line
	From  audio.Frames `json:"from" doc:"Where it stands"`
	At    audio.Frames `json:"at" doc:"Held between the neighbours that do not move with it"`
	Level audio.DB     `json:"level" doc:"dB, held between -120 (silence) and 12"`
}

// line gives the points of a level line, which may be shared with other documents, what
// they belong to, and how a new list of them is stored.
func (d *draft) line(l Line) (points []session.Point, name string, store func([]session.Point), err error) {
	if l.Clip != "" {
		t, c, err := d.clip(l.Clip)
		if err != nil {
			return nil, "", nil, err
		}
		return c.Envelope, c.Name, func(p []session.Point) {
			c.Envelope = p
			t.Clips[l.Clip] = c
		}, nil
	}
	t, err := d.track(l.Track)
	if err != nil {
		return nil, "", nil, err
	}
	return t.Envelope, t.Name, func(p []session.Point) { t.Envelope = p }, nil
}

func find(points []session.Point, at audio.Frames) (int, bool) {
	return slices.BinarySearchFunc(points, at, func(p session.Point, at audio.Frames) int { return cmp.Compare(p.At, at) })
}

// existing is the index of a point that must be there.
func existing(points []session.Point, at audio.Frames) (int, error) {
	i, there := find(points, at)
	if !there {
		return 0, problem.New("unknown-point", "at", "That point is not on the level line any more.")
	}
	return i, nil
}

// eachLine groups points by their lines, in the order in which the lines are first named.
func eachLine[T any](all []T, lineOf func(T) Line, do func(Line, []T) error) error {
	groups := map[Line][]T{}
	var order []Line
	for _, v := range all {
		l := lineOf(v)
		if _, seen := groups[l]; !seen {
			order = append(order, l)
		}
		groups[l] = append(groups[l], v)
	}
	for _, l := range order {
		if err := do(l, groups[l]); err != nil {
			return err
		}
	}
	return nil
}

// AddPoints puts points on level lines. Where one stands at that very time, it takes the level.
type AddPoints struct {
	Kind
	Points []NewPoint `json:"points" nullable:"false" minItems:"1" maxItems:"10000"`
}

func (o AddPoints) apply(d *draft) (string, error) {
	added := once(o.Points, func(p NewPoint) PointAt { return PointAt{p.Line, max(0, p.At)} })
	if err := chosen(added, "points"); err != nil {
		return "", err
	}
	if err := d.room(0, len(added)); err != nil {
		return "", err
	}
	var name string
	err := eachLine(added, func(p NewPoint) Line { return p.Line }, func(l Line, added []NewPoint) error {
		points, owner, store, err := d.line(l)
		if err != nil {
			return err
		}
		times := make([]audio.Frames, len(added))
		for i, p := range added {
			times[i] = max(0, p.At)
		}
		slices.Sort(times)
		points = envelope.SplitAll(points, times) // so that the lines beside them keep their bends
		for _, p := range added {
			i, _ := find(points, max(0, p.At))
			points[i].Level = hold(p.Level)
			if p.Bend != 0 {
				points[i].Bend = max(-1, min(1, p.Bend))
			}
			name = "Point on " + quote(owner) + " at " + levelText(hold(p.Level))
		}
		store(points)
		return nil
	})
	return oneOrMany(len(added), name, "Add", "point"), err
}

func inOrder(byTime map[audio.Frames]session.Point) []session.Point {
	out := slices.Collect(maps.Values(byTime))
	slices.SortFunc(out, func(a, b session.Point) int { return cmp.Compare(a.At, b.At) })
	return out
}

// MovePoints gives points other times and levels. Their order stays: none passes
// another, and those that are not named stay where they are.
type MovePoints struct {
	Kind
	Moves []PointMove `json:"moves" nullable:"false" minItems:"1" maxItems:"10000"`
}

func (o MovePoints) apply(d *draft) (string, error) {
	moves := once(o.Moves, func(m PointMove) PointAt { return PointAt{m.Line, m.From} })
	if err := chosen(moves, "moves"); err != nil {
		return "", err
	}
	var name string
	err := eachLine(moves, func(m PointMove) Line { return m.Line }, func(l Line, moves []PointMove) error {
		points, owner, store, err := d.line(l)
		if err != nil {
			return err
		}
		next := slices.Clone(points)
		moving := map[int]bool{}
		for _, m := range moves {
			i, err := existing(points, m.From)
			if err != nil {
				return err
			}
			next[i].At, next[i].Level = m.At, hold(m.Level)
			moving[i] = true
			name = "Level of " + quote(owner) + " to " + levelText(next[i].Level)
		}
		keepOrder(next, moving)
		store(next)
		return nil
	})
	return oneOrMany(len(moves), name, "Move", "point"), err
}

// keepOrder brings points that have been moved back between their neighbours: none
// before the one before it, then none after the one after it. There is room, since they
// stood there before.
func keepOrder(points []session.Point, moving map[int]bool) {
	low := audio.Frames(0)
	for i := range points {
		if moving[i] {
			points[i].At = max(points[i].At, low)
		}
		low = points[i].At + 1
	}
	high := session.MaxLength
	for i := len(points) - 1; i >= 0; i-- {
		if moving[i] {
			points[i].At = min(points[i].At, high)
		}
		high = points[i].At - 1
	}
}

// RemovePoints takes points off level lines.
type RemovePoints struct {
	Kind
	Points []PointAt `json:"points" nullable:"false" minItems:"1" maxItems:"10000"`
}

func (o RemovePoints) apply(d *draft) (string, error) {
	removed := once(o.Points, func(p PointAt) PointAt { return p })
	if err := chosen(removed, "points"); err != nil {
		return "", err
	}
	var name string
	err := eachLine(removed, func(p PointAt) Line { return p.Line }, func(l Line, removed []PointAt) error {
		points, owner, store, err := d.line(l)
		if err != nil {
			return err
		}
		gone := map[audio.Frames]bool{}
		for _, p := range removed {
			if _, err := existing(points, p.At); err != nil {
				return err
			}
			gone[p.At] = true
		}
		store(slices.DeleteFunc(slices.Clone(points), func(p session.Point) bool { return gone[p.At] }))
		name = "Remove " + count(len(removed), "point") + " from " + quote(owner)
		return nil
	})
	if first := removed[0].Line; slices.ContainsFunc(removed, func(p PointAt) bool { return p.Line != first }) {
		name = "Remove " + count(len(removed), "point")
	}
	return name, err
}
