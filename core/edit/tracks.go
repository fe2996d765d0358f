package edit

import (
	"fmt"
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/lead"
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
	Way       *session.Way       `json:"way,omitempty" doc:"How it makes way for speech, all of it"`
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
	if c.Way != nil {
		t.Way = *c.Way
		name, many = "Making way of "+old, "Making way of"
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
	return d.mark(session.Marker{Name: o.Name, At: o.At, Length: o.Length, Chapter: o.Chapter})
}

// mark adds a marker, under a name of its own if it has none.
func (d *draft) mark(m session.Marker) (string, error) {
	if len(d.Markers) >= session.MaxMarkers {
		return "", problem.New("too-many-markers", "markers", "A session holds at most %d markers and ranges.", session.MaxMarkers)
	}
	if m.Name = session.ShortName(m.Name); m.Name == "" {
		m.Name = fmt.Sprintf("Marker %d", len(d.Markers)+1)
	}
	m.At, m.Length = max(0, m.At), max(0, m.Length)
	d.Markers[d.id("m")] = m
	return "Add " + quote(m.Name) + " at " + m.At.String(), nil
}

// NewMarker is a place, or a range if it has a length.
type NewMarker struct {
	At      audio.Frames `json:"at"`
	Length  audio.Frames `json:"length,omitempty"`
	Name    string       `json:"name,omitempty" maxLength:"200"`
	Chapter bool         `json:"chapter,omitempty"`
	Link    string       `json:"link,omitempty" maxLength:"2000" doc:"An address on the web"`
}

// AddMarkers takes in a list of markers, as one step.
type AddMarkers struct {
	Kind
	Markers []NewMarker `json:"markers" nullable:"false" minItems:"1" maxItems:"2000"`
}

func (o AddMarkers) apply(d *draft) (string, error) {
	if err := chosen(o.Markers, "markers"); err != nil {
		return "", err
	}
	var name string
	for _, m := range o.Markers {
		var err error
		if name, err = d.mark(session.Marker{Name: m.Name, At: m.At, Length: m.Length, Chapter: m.Chapter, Link: strings.TrimSpace(m.Link)}); err != nil {
			return "", err
		}
	}
	return oneOrMany(len(o.Markers), name, "Take in", "marker"), nil
}

// MarkerChange says what is to change of a marker; what is left out stays.
type MarkerChange struct {
	Marker string        `json:"marker"`
	At     *audio.Frames `json:"at,omitempty"`
	Length *audio.Frames `json:"length,omitempty"`
	Name   *string       `json:"name,omitempty" maxLength:"200"`
	// Chapters are shown to listeners.
	Chapter *bool   `json:"chapter,omitempty"`
	Link    *string `json:"link,omitempty" maxLength:"2000" doc:"An address on the web, or nothing"`
	Picture *string `json:"picture,omitempty" maxLength:"64" doc:"The id of a picture of the show, or nothing"`
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
		if c.Link != nil {
			m.Link = strings.TrimSpace(*c.Link)
			name = onOff(m.Link != "", "Link "+quote(m.Name), "No link for "+quote(m.Name))
		}
		if c.Picture != nil {
			m.Picture = *c.Picture
			name = onOff(m.Picture != "", "Picture for "+quote(m.Name), "No picture for "+quote(m.Name))
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

// SetLead chooses how far speech is to stand above everything else.
type SetLead struct {
	Kind
	Lead string `json:"lead"`
}

func (o SetLead) apply(d *draft) (string, error) {
	t, ok := lead.FindAim(o.Lead)
	if !ok {
		return "", problem.New("unknown-lead", "lead", "There is no voice lead called %q.", o.Lead)
	}
	d.Lead = t.Key
	return fmt.Sprintf("Aim at a voice lead of %g LU", t.Lead), nil
}

// SetTarget chooses what the mix is to be delivered at.
type SetTarget struct {
	Kind
	Target string             `json:"target"`
	Own    *session.OwnTarget `json:"own,omitempty" doc:"The target by itself, if its key is own"`
}

func (o SetTarget) apply(d *draft) (string, error) {
	if o.Target == session.Own && o.Own != nil {
		d.Target, d.Own = session.Own, *o.Own
		return "Aim at " + o.Own.Name, d.Own.Check("own")
	}
	t, ok := loudness.FindTarget(o.Target)
	if !ok {
		return "", problem.New("unknown-target", "target", "There is no delivery target called %q.", o.Target)
	}
	d.Target, d.Own = o.Target, session.OwnTarget{}
	return "Aim at " + t.Name, nil
}
