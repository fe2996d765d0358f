package edit

import (
	"slices"

	"ruvel/core/envelope"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// WayLine is the line in which a track makes way, as points of a level line in session time.
type WayLine struct {
	Track  string          `json:"track"`
	Points []session.Point `json:"points" nullable:"false" maxItems:"10000" doc:"None above 0 dB, in order of time"`
}

// TurnWays turns the lines in which tracks make way into points of their level lines, and has them
// make way no more: it sounds as before, and every point can be moved. What the level lines were is remembered.
type TurnWays struct {
	Kind
	Lines []WayLine `json:"lines" nullable:"false" minItems:"1" maxItems:"64"`
}

func (o TurnWays) apply(d *draft) (string, error) {
	lines := once(o.Lines, func(l WayLine) string { return l.Track })
	var name string
	for _, l := range lines {
		t, err := d.track(l.Track)
		if err != nil {
			return "", err
		}
		if !t.MakesWay() {
			return "", problem.New("makes-no-way", "lines", "%s does not make way for speech just now, so there is nothing to turn into points.", quote(t.Name))
		}
		for i, p := range l.Points {
			if p.Level > 0 || p.Level < -48 || p.Bend != 0 || p.At < 0 || i > 0 && p.At <= l.Points[i-1].At {
				return "", problem.New("bad-line", "lines", "The line in which %s makes way is malformed.", quote(t.Name))
			}
		}
		t.Way.On, t.Way.Turned, t.Way.Before = false, true, t.Envelope
		t.Envelope = envelope.Sum(t.Envelope, l.Points)
		name = "Turn the way that " + quote(t.Name) + " makes into points"
	}
	return oneOrMany(len(lines), name, "Turn into points the way made by", "track"), nil
}

// TakeWaysBack has tracks make way by themselves again whose lines were turned into points: their
// level lines become what they were before that.
type TakeWaysBack struct {
	Kind
	Tracks []string `json:"tracks" nullable:"false" minItems:"1" maxItems:"64"`
}

func (o TakeWaysBack) apply(d *draft) (string, error) {
	tracks := slices.Compact(slices.Sorted(slices.Values(o.Tracks)))
	var name string
	for _, id := range tracks {
		t, err := d.track(id)
		if err != nil {
			return "", err
		}
		if !t.Way.Turned {
			return "", problem.New("not-turned", "tracks", "The way that %s makes was not turned into points.", quote(t.Name))
		}
		t.Envelope = append([]session.Point{}, t.Way.Before...)
		t.Way.On, t.Way.Turned, t.Way.Before = true, false, nil
		name = "Let " + quote(t.Name) + " make way by itself again"
	}
	return oneOrMany(len(tracks), name, "Let make way by themselves again", "track"), nil
}
