package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// MoveSegment moves a named range with everything in it, on all tracks, before another
// one or to the end. What lay between comes in its place, so that nothing is lost.
type MoveSegment struct {
	Kind
	Marker string `json:"marker" doc:"The range"`
	Before string `json:"before,omitempty" doc:"The range that it comes before; left out: it comes last"`
	Joining
}

func (o MoveSegment) apply(d *draft) (string, error) {
	d.still = true
	m, err := d.marker(o.Marker)
	if err != nil {
		return "", err
	}
	if m.Length == 0 {
		return "", problem.New("no-range", "marker", "%q is a place, not a range: it has nothing in it that could move.", m.Name)
	}
	to := max(d.Length(), m.At+m.Length)
	name := "Move " + quote(m.Name) + " to the end"
	if o.Before != "" {
		next, err := d.marker(o.Before)
		if err != nil {
			return "", err
		}
		to = next.At
		name = "Move " + quote(m.Name) + " before " + quote(next.Name)
	}
	from, end := m.At, m.At+m.Length
	switch {
	case to >= from && to <= end:
		return name, nil // it stands there
	case to < from:
		from, end, to = to, from, end // what lies before it goes behind it
	}
	return name, d.exchange(from, end, to, o.joinLength())
}

// exchange lets two neighbouring stretches of time, from a to b and from b to c, change places.
func (d *draft) exchange(a, b, c, join audio.Frames) error {
	place := func(at audio.Frames) audio.Frames {
		switch {
		case at >= a && at < b:
			return at + (c - b)
		case at >= b && at < c:
			return at - (b - a)
		}
		return at
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		for _, at := range []audio.Frames{a, b, c} {
			if err := d.cut(t, at); err != nil {
				return err
			}
		}
		for id, clip := range t.Clips {
			clip.Start = place(clip.Start)
			t.Clips[id] = clip
		}
		for _, at := range []audio.Frames{a, a + (c - b), c} {
			d.seam(t, at, join)
		}
		t.Envelope = lineExchanged(t.Envelope, a, b, c, place, max(2, join)/2)
	}
	for id, m := range d.Markers {
		m.At = place(m.At)
		d.Markers[id] = m
	}
	return nil
}

// lineExchanged is a level line of which two neighbouring stretches have changed places.
// At the joins it goes from one level to the other within twice half frames.
func lineExchanged(points []session.Point, a, b, c audio.Frames, place func(audio.Frames) audio.Frames, half audio.Frames) []session.Point {
	if len(points) == 0 || isFlat(points) || points[len(points)-1].At <= a {
		return points
	}
	byTime := map[audio.Frames]session.Point{}
	put := func(p session.Point) {
		p.At = place(p.At)
		byTime[p.At] = p
	}
	// Points at the edges of what moves, so that every piece is itself wherever it goes.
	last := max(c, points[len(points)-1].At) + 2*half + 1
	bounds := []audio.Frames{0, a, b, c, last}
	split := points
	var ends []audio.Frames // of pieces: from there the line goes over to the next one
	for i := range len(bounds) - 1 {
		from, to := bounds[i], bounds[i+1]
		if to-from < 4*half {
			continue
		}
		if from > 0 {
			split, _ = envelope.Split(split, from+half)
		}
		split, _ = envelope.Split(split, to-half)
		ends = append(ends, to-half)
	}
	for _, p := range split {
		if slices.Contains(ends, p.At) {
			p.Bend = 0
		}
		put(p)
	}
	return inOrder(byTime)
}
