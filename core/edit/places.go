package edit

import (
	"maps"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// AddPlace lays an empty place on a track: a recording or a file that comes to begin in it
// fills it, and all that follows moves along.
type AddPlace struct {
	Kind
	Track  string       `json:"track"`
	At     audio.Frames `json:"at" minimum:"0"`
	Length audio.Frames `json:"length" minimum:"1" doc:"About how long what fills it will be"`
	Name   string       `json:"name,omitempty" maxLength:"200" doc:"What goes there"`
}

func (o AddPlace) apply(d *draft) (string, error) {
	t, err := d.track(o.Track)
	if err != nil {
		return "", err
	}
	if o.Length < Shortest {
		return "", problem.New("bad-length", "length", "An empty place is at least 10 ms long.")
	}
	name := session.ShortName(o.Name)
	if name == "" {
		name = "Something for " + t.Name
	}
	if _, err := d.mark(session.Marker{Name: name, At: o.At, Length: o.Length, Fills: t.ID}); err != nil {
		return "", err
	}
	return "Leave a place for " + quote(name), nil
}

// forgetPlaces takes away the places of tracks that are gone.
func (d *draft) forgetPlaces() {
	for id, m := range d.Markers {
		if m.Fills != "" && d.FindTrack(m.Fills) < 0 {
			delete(d.Markers, id)
		}
	}
}

// fillPlace says where what is to begin on a track at a time begins, and makes room for its
// length: if there is an empty place, at the beginning of that, and all that follows moves along.
// The place is as long as what fills it then, and empty again if that is taken away.
func (d *draft) fillPlace(t *session.Track, at, length audio.Frames) (start audio.Frames, err error) {
	if m, there := d.placeAt(t, at, 0); there {
		if length < 1 || d.Length()+length > session.MaxLength {
			return at, problem.New("too-long", "sound", "With this in its place the session would be too long.")
		}
		d.moveAlong(m.At, m.At+m.Length, length-m.Length)
		return m.At, nil
	}
	return at, nil
}

// placeAt is the empty place of a track in which a time lies, or that begins at most so much after it.
func (d *draft) placeAt(t *session.Track, at, early audio.Frames) (m session.Marker, found bool) {
	for _, one := range d.Markers {
		if one.Fills == t.ID && at+early >= one.At && at < one.At+one.Length && (!found || one.At < m.At) && d.IsEmpty(one) {
			m, found = one, true
		}
	}
	return m, found
}

// moveAlong makes a stretch longer or shorter by a time. What begins after it, or in it and
// goes on beyond it, keeps its distance from its end; music that lies under all of it is made
// longer or shorter with it, as far as its sound goes; so are level lines and ranges.
func (d *draft) moveAlong(from, to, by audio.Frames) {
	if by == 0 {
		return
	}
	line := func(points []session.Point, to audio.Frames) []session.Point {
		if by > 0 {
			return lineWithTime(points, to, by)
		}
		return lineWithoutTime(points, max(0, to+by), to, 2)
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		t.Envelope = line(t.Envelope, to)
		for id, c := range t.Clips {
			switch {
			case c.Start >= to:
				c.Start += by
			case c.End() <= to || t.Part == session.Voice:
				continue
			case c.Start > from:
				c.Start = max(from, c.Start+by)
			default:
				if at := to - c.Start + c.Offset; at+min(0, by) > 0 {
					c.Envelope = line(c.Envelope, at)
				}
				c.Length = min(max(c.Length+by, Shortest), d.Sounds[c.Sound].Length-c.Offset)
				c.FadeIn, c.FadeOut = shorterFade(c.FadeIn, c.Length), shorterFade(c.FadeOut, c.Length)
			}
			t.Clips[id] = c
		}
	}
	for id, m := range d.Markers {
		switch {
		case m.At >= to:
			m.At += by
		case m.At > from:
			m.At = min(m.At, max(from, to+by))
		case m.At+m.Length >= to:
			m.Length = max(Shortest, m.Length+by)
		}
		d.Markers[id] = m
	}
}

// shorterFade is a fade that is not longer than its clip.
func shorterFade(f session.Fade, length audio.Frames) session.Fade {
	f.Length = min(f.Length, length+f.Past)
	f.Past = min(f.Past, f.Length)
	return f
}

// Several carries several operations out as one step.
type Several struct {
	Kind
	Ops  []Op   `json:"-"`
	Name string `json:"-"`
}

func (o Several) apply(d *draft) (string, error) {
	for _, op := range o.Ops {
		if _, err := op.apply(d); err != nil {
			return "", err
		}
	}
	return o.Name, nil
}

// WholeTrack adds a track of another session with all that is on it.
type WholeTrack struct {
	Kind
	Track session.Track `json:"-"`
}

func (o WholeTrack) apply(d *draft) (string, error) {
	t, _, err := o.add(d)
	if err != nil {
		return "", err
	}
	return "Add the track " + quote(t.Name), nil
}

// add adds the track, and says by which of its clips each clip of the other session is.
func (o WholeTrack) add(d *draft) (t *session.Track, clips map[string]string, err error) {
	points := len(o.Track.Envelope)
	for _, c := range o.Track.Clips {
		points += len(c.Envelope)
		if _, err := d.bring(c.Sound); err != nil {
			return nil, nil, err
		}
	}
	if err := d.room(len(o.Track.Clips), points); err != nil {
		return nil, nil, err
	}
	t, err = d.addTrack(o.Track.Part, o.Track.Name)
	if err != nil {
		return nil, nil, err
	}
	twin := o.Track
	twin.ID, twin.Group, twin.Way.For = t.ID, "", nil
	twin.Clips = map[string]session.Clip{}
	clips = map[string]string{}
	for _, id := range o.Track.ClipsInOrder() {
		clips[id] = d.id("c")
		twin.Clips[clips[id]] = o.Track.Clips[id]
	}
	*t = twin
	return t, clips, nil
}

// BringAlong brings a session in line with its layout, which the operations do, and writes down what stands for what
// from then on. It is made inside of Ruvel alone.
type BringAlong struct {
	Kind
	Ops   []Op          `json:"-"`
	Model session.Model `json:"-"` // as it is without the tracks that the operations add
	Name  string        `json:"-"`
}

func (o BringAlong) apply(d *draft) (string, error) {
	model := o.Model.Clone()
	for _, of := range []*map[string]string{&model.Tracks, &model.Clips, &model.Markers} {
		if *of == nil {
			*of = map[string]string{}
		}
	}
	for _, op := range o.Ops {
		whole, ok := op.(WholeTrack)
		if !ok {
			if _, err := op.apply(d); err != nil {
				return "", err
			}
			continue
		}
		t, clips, err := whole.add(d)
		if err != nil {
			return "", err
		}
		model.Tracks[whole.Track.ID] = t.ID
		maps.Copy(model.Clips, clips)
		t.Way.For = model.Here(whole.Track.Way.For)
	}
	d.Model = model
	return o.Name, nil
}
