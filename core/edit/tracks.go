package edit

import (
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
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
		return nil, problem("bad-part", "part", "%q is not a part: a track is voice, music or effect.", part)
	}
	if name = short(name); name == "" {
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

// SetTrack changes what is given and leaves the rest.
type SetTrack struct {
	Kind
	Track string        `json:"track"`
	Name  *string       `json:"name,omitempty" maxLength:"200"`
	Part  *session.Part `json:"part,omitempty" enum:"voice,music,effect"`
	Fader *audio.DB     `json:"fader,omitempty" doc:"dB, held between -120 (silence) and 12"`
	Pan   *float64      `json:"pan,omitempty" doc:"Held between -1 (left) and 1 (right)"`
	Mute  *bool         `json:"mute,omitempty"`
	Solo  *bool         `json:"solo,omitempty"`
}

func (o SetTrack) apply(d *draft) (string, error) {
	t, err := d.track(o.Track)
	if err != nil {
		return "", err
	}
	old := t.Name
	name := "Change " + quote(old)
	if o.Name != nil && short(*o.Name) != "" {
		t.Name = short(*o.Name)
		name = "Rename the track " + quote(old) + " to " + quote(t.Name)
	}
	if o.Part != nil {
		t.Part = *o.Part
		name = "Make " + quote(old) + " a track for " + string(t.Part)
	}
	if o.Fader != nil {
		t.Fader = hold(*o.Fader)
		name = "Fader of " + quote(old) + " to " + levelText(t.Fader)
	}
	if o.Pan != nil {
		t.Pan = max(-1, min(1, *o.Pan))
		name = "Pan " + quote(old)
	}
	if o.Mute != nil {
		t.Mute = *o.Mute
		name = onOff(t.Mute, "Mute ", "Unmute ") + quote(old)
	}
	if o.Solo != nil {
		t.Solo = *o.Solo
		name = onOff(t.Solo, "Solo ", "End the solo of ") + quote(old)
	}
	return name, nil
}

func onOff(on bool, yes, no string) string {
	if on {
		return yes
	}
	return no
}

// hold keeps a level within what a fader, a gain or a point can have.
func hold(l audio.DB) audio.DB { return max(audio.Silence, min(audio.Loudest, l)) }

// MoveTrack puts a track at another place in the order, 0 being the top.
type MoveTrack struct {
	Kind
	Track string `json:"track"`
	Index int    `json:"index" minimum:"0"`
}

func (o MoveTrack) apply(d *draft) (string, error) {
	from := d.FindTrack(o.Track)
	if from < 0 {
		return "", problem("unknown-track", "track", "That track is not in the session any more.")
	}
	t := d.Tracks[from]
	d.Tracks = slices.Delete(d.Tracks, from, from+1)
	d.Tracks = slices.Insert(d.Tracks, max(0, min(o.Index, len(d.Tracks))), t)
	return "Move the track " + quote(t.Name), nil
}

// RemoveTrack takes a track away together with its clips.
type RemoveTrack struct {
	Kind
	Track string `json:"track"`
}

func (o RemoveTrack) apply(d *draft) (string, error) {
	i := d.FindTrack(o.Track)
	if i < 0 {
		return "", problem("unknown-track", "track", "That track is not in the session any more.")
	}
	name := d.Tracks[i].Name
	d.Tracks = slices.Delete(d.Tracks, i, i+1)
	return "Remove the track " + quote(name), nil
}

// AddMarker names a place, or a range if it has a length.
type AddMarker struct {
	Kind
	At     audio.Frames `json:"at"`
	Length audio.Frames `json:"length,omitempty"`
	Name   string       `json:"name,omitempty" maxLength:"200"`
}

func (o AddMarker) apply(d *draft) (string, error) {
	name := short(o.Name)
	if name == "" {
		name = fmt.Sprintf("Marker %d", len(d.Markers)+1)
	}
	d.Markers[d.id("m")] = session.Marker{Name: name, At: max(0, o.At), Length: max(0, o.Length)}
	return "Add " + quote(name) + " at " + o.At.String(), nil
}

// SetMarker changes what is given and leaves the rest.
type SetMarker struct {
	Kind
	Marker string        `json:"marker"`
	At     *audio.Frames `json:"at,omitempty"`
	Length *audio.Frames `json:"length,omitempty"`
	Name   *string       `json:"name,omitempty" maxLength:"200"`
}

func (o SetMarker) apply(d *draft) (string, error) {
	m, err := d.marker(o.Marker)
	if err != nil {
		return "", err
	}
	name := "Change " + quote(m.Name)
	if o.Name != nil && short(*o.Name) != "" {
		name = "Rename " + quote(m.Name) + " to " + quote(short(*o.Name))
		m.Name = short(*o.Name)
	}
	if o.At != nil {
		m.At = max(0, *o.At)
		name = "Move " + quote(m.Name) + " to " + m.At.String()
	}
	if o.Length != nil {
		m.Length = max(0, *o.Length)
	}
	d.Markers[o.Marker] = m
	return name, nil
}

// RemoveMarker takes a marker or a range away; the sound stays as it is.
type RemoveMarker struct {
	Kind
	Marker string `json:"marker"`
}

func (o RemoveMarker) apply(d *draft) (string, error) {
	m, err := d.marker(o.Marker)
	if err != nil {
		return "", err
	}
	delete(d.Markers, o.Marker)
	return "Remove " + quote(m.Name), nil
}

// SetTarget chooses what the mix is to be delivered at.
type SetTarget struct {
	Kind
	Target string `json:"target"`
}

func (o SetTarget) apply(d *draft) (string, error) {
	t, ok := loudness.FindTarget(o.Target)
	if !ok {
		return "", problem("unknown-target", "target", "There is no delivery target called %q.", o.Target)
	}
	d.Target = o.Target
	return "Aim at " + t.Name, nil
}
