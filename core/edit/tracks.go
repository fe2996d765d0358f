package edit

import (
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// AddTrack adds an empty track under the last one of its part.
type AddTrack struct {
	Kind
	Part session.Part `json:"part" enum:"voice,music,effect"`
	Name string       `json:"name,omitempty" maxLength:"200" doc:"Left out: the part's name and a number"`
}

func (o AddTrack) apply(d *draft) (string, error) {
	t, err := d.addTrack(o.Part, o.Name)
	if err != nil {
		return "", err
	}
	return "Add the track " + quote(t.Name), nil
}

// rank is the order of the parts from top to bottom.
var rank = map[session.Part]int{session.Voice: 0, session.Music: 1, session.Effect: 2}

var partName = map[session.Part]string{session.Voice: "Voice", session.Music: "Music", session.Effect: "Effects"}

func (d *draft) addTrack(part session.Part, name string) (*session.Track, error) {
	if _, ok := rank[part]; !ok {
		return nil, problem.New("bad-part", "part", "%q is not a part: a track is voice, music or effect.", part)
	}
	if name = session.ShortName(name); name == "" {
		name = d.freeName(partName[part])
	}
	at := len(d.Tracks)
	for at > 0 && rank[d.Tracks[at-1].Part] > rank[part] {
		at--
	}
	d.Tracks = slices.Insert(d.Tracks, at, session.Track{
		ID: d.id("t"), Name: name, Part: part, Envelope: []session.Point{}, Clips: map[string]session.Clip{},
	})
	return &d.Tracks[at], nil
}

// freeName is a stem with the first number that no track is called by.
func (d *draft) freeName(stem string) string {
	for n := 1; ; n++ {
		name := fmt.Sprintf("%s %d", stem, n)
		if !slices.ContainsFunc(d.Tracks, func(t session.Track) bool { return t.Name == name }) {
			return name
		}
	}
}

// TrackChange says what is to change of a track; what is left out stays.
type TrackChange struct {
	Track     string             `json:"track"`
	Name      *string            `json:"name,omitempty" maxLength:"200"`
	Part      *session.Part      `json:"part,omitempty" enum:"voice,music,effect"`
	Fader     *audio.DB          `json:"fader,omitempty" doc:"dB, held between -120 (silence) and 12"`
	Pan       *float64           `json:"pan,omitempty" doc:"Held between -1 (left) and 1 (right)"`
	Mute      *bool              `json:"mute,omitempty"`
	Solo      *bool              `json:"solo,omitempty"`
	Treatment *session.Treatment `json:"treatment,omitempty" doc:"All of it"`
}

// SetTracks changes tracks.
type SetTracks struct {
	Kind
	Tracks []TrackChange `json:"tracks" nullable:"false" minItems:"1" maxItems:"64"`
}

func (o SetTracks) apply(d *draft) (string, error) {
	changes := once(o.Tracks, func(c TrackChange) string { return c.Track })
	if err := chosen(changes, "tracks"); err != nil {
		return "", err
	}
	var name, many string
	for _, c := range changes {
		t, err := d.track(c.Track)
		if err != nil {
			return "", err
		}
		if name, many, err = c.apply(t); err != nil {
			return "", err
		}
	}
	return oneOrMany(len(changes), name, many, "track"), nil
}

// apply changes a track and names that: as what happened to it, and to it among others.
func (c TrackChange) apply(t *session.Track) (name, many string, err error) {
	old := quote(t.Name)
	name, many = "Change "+old, "Change"
	if c.Name != nil {
		if t.Name, err = session.NewName(*c.Name, "tracks.name"); err != nil {
			return "", "", err
		}
		name, many = "Rename the track "+old+" to "+quote(t.Name), "Rename"
	}
	if c.Part != nil {
		t.Part = *c.Part
		name, many = "Make "+old+" a track for "+string(t.Part), "Set the part of"
	}
	if c.Fader != nil {
		t.Fader = hold(*c.Fader)
		name, many = "Fader of "+old+" to "+levelText(t.Fader), "Faders of"
	}
	if c.Pan != nil {
		t.Pan = max(-1, min(1, *c.Pan))
		name, many = "Pan "+old, "Pan"
	}
	if c.Mute != nil {
		t.Mute = *c.Mute
		many = onOff(t.Mute, "Mute", "Unmute")
		name = many + " " + old
	}
	if c.Solo != nil {
		t.Solo = *c.Solo
		many = onOff(t.Solo, "Solo", "End the solo of")
		name = many + " " + old
	}
	if c.Treatment != nil {
		t.Treatment = *c.Treatment
		name, many = "Treatment of "+old, "Treatment of"
	}
	return name, many, nil
}

func onOff(on bool, yes, no string) string {
	if on {
		return yes
	}
	return no
}

// hold keeps a level within what a fader, a gain or a point can have.
func hold(l audio.DB) audio.DB { return max(audio.Silence, min(audio.Loudest, l)) }

// MoveTracks puts tracks, in the order in which they stand, before another one.
type MoveTracks struct {
	Kind
	Tracks []string `json:"tracks" nullable:"false" minItems:"1" maxItems:"64"`
	Before string   `json:"before,omitempty" doc:"Left out: they become the last ones"`
}

func (o MoveTracks) apply(d *draft) (string, error) {
	tracks := once(o.Tracks, itself)
	if err := chosen(tracks, "tracks"); err != nil {
		return "", err
	}
	for _, id := range tracks {
		if _, err := d.track(id); err != nil {
			return "", err
		}
	}
	if slices.Contains(tracks, o.Before) {
		return "", problem.New("bad-edit", "op.before", "A track cannot be put before itself.")
	}
	moving := func(t session.Track) bool { return slices.Contains(tracks, t.ID) }
	moved := slices.DeleteFunc(slices.Clone(d.Tracks), func(t session.Track) bool { return !moving(t) })
	d.Tracks = slices.DeleteFunc(d.Tracks, moving)
	at := len(d.Tracks)
	if o.Before != "" {
		if at = d.FindTrack(o.Before); at < 0 {
			return "", noTrack()
		}
	}
	d.Tracks = slices.Insert(d.Tracks, at, moved...)
	return oneOrMany(len(moved), "Move the track "+quote(moved[0].Name), "Move", "track"), nil
}

func noTrack() error {
	return problem.New("unknown-track", "track", "That track is not in the session any more.")
}

// RemoveTracks takes tracks away together with their clips.
type RemoveTracks struct {
	Kind
	Tracks []string `json:"tracks" nullable:"false" minItems:"1" maxItems:"64"`
}

func (o RemoveTracks) apply(d *draft) (string, error) {
	tracks := once(o.Tracks, itself)
	if err := chosen(tracks, "tracks"); err != nil {
		return "", err
	}
	var name string
	for _, id := range tracks {
		i := d.FindTrack(id)
		if i < 0 {
			return "", noTrack()
		}
		name = "Remove the track " + quote(d.Tracks[i].Name)
		d.Tracks = slices.Delete(d.Tracks, i, i+1)
	}
	return oneOrMany(len(tracks), name, "Remove", "track"), nil
}

// AddMarker names a place, or a range if it has a length.
type AddMarker struct {
	Kind
	At     audio.Frames `json:"at"`
	Length audio.Frames `json:"length,omitempty"`
	Name   string       `json:"name,omitempty" maxLength:"200"`
	// A chapter may be a place or a range.
	Chapter bool `json:"chapter,omitempty"`
}

func (o AddMarker) apply(d *draft) (string, error) {
	if len(d.Markers) >= session.MaxMarkers {
		return "", problem.New("too-many-markers", "markers", "A session holds at most %d markers and ranges.", session.MaxMarkers)
	}
	name := session.ShortName(o.Name)
	if name == "" {
		name = fmt.Sprintf("Marker %d", len(d.Markers)+1)
	}
	d.Markers[d.id("m")] = session.Marker{Name: name, At: max(0, o.At), Length: max(0, o.Length), Chapter: o.Chapter}
	return "Add " + quote(name) + " at " + o.At.String(), nil
}

// MarkerChange says what is to change of a marker; what is left out stays.
type MarkerChange struct {
	Marker string        `json:"marker"`
	At     *audio.Frames `json:"at,omitempty"`
	Length *audio.Frames `json:"length,omitempty"`
	Name   *string       `json:"name,omitempty" maxLength:"200"`
	// Chapters are shown to listeners.
	Chapter *bool `json:"chapter,omitempty"`
}

// SetMarkers changes markers and ranges.
type SetMarkers struct {
	Kind
	Markers []MarkerChange `json:"markers" nullable:"false" minItems:"1" maxItems:"2000"`
}

func (o SetMarkers) apply(d *draft) (string, error) {
	changes := once(o.Markers, func(c MarkerChange) string { return c.Marker })
	if err := chosen(changes, "markers"); err != nil {
		return "", err
	}
	var name string
	for _, c := range changes {
		m, err := d.marker(c.Marker)
		if err != nil {
			return "", err
		}
		name = "Change " + quote(m.Name)
		if c.Name != nil {
			old := m.Name
			if m.Name, err = session.NewName(*c.Name, "markers.name"); err != nil {
				return "", err
			}
			name = "Rename " + quote(old) + " to " + quote(m.Name)
		}
		if c.At != nil {
			m.At = max(0, *c.At)
			name = "Move " + quote(m.Name) + " to " + m.At.String()
		}
		if c.Length != nil {
			m.Length = max(0, *c.Length)
			name = "Length of " + quote(m.Name) + " to " + m.Length.String()
		}
		if c.Chapter != nil {
			m.Chapter = *c.Chapter
			name = onOff(m.Chapter, "Make "+quote(m.Name)+" a chapter", quote(m.Name)+" is no chapter")
		}
		d.Markers[c.Marker] = m
	}
	return oneOrMany(len(changes), name, "Change", "marker"), nil
}

// RemoveMarkers takes markers and ranges away; the sound stays as it is.
type RemoveMarkers struct {
	Kind
	Markers []string `json:"markers" nullable:"false" minItems:"1" maxItems:"2000"`
}

func (o RemoveMarkers) apply(d *draft) (string, error) {
	markers := once(o.Markers, itself)
	if err := chosen(markers, "markers"); err != nil {
		return "", err
	}
	var name string
	for _, id := range markers {
		m, err := d.marker(id)
		if err != nil {
			return "", err
		}
		delete(d.Markers, id)
		name = "Remove " + quote(m.Name)
	}
	return oneOrMany(len(markers), name, "Remove", "marker"), nil
}

// SetTarget chooses what the mix is to be delivered at.
type SetTarget struct {
	Kind
	Target string `json:"target"`
}

func (o SetTarget) apply(d *draft) (string, error) {
	t, ok := loudness.FindTarget(o.Target)
	if !ok {
		return "", problem.New("unknown-target", "target", "There is no delivery target called %q.", o.Target)
	}
	d.Target = o.Target
	return "Aim at " + t.Name, nil
}
