package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// PlaceTake puts a recording on a track. What the track had in that stretch makes room
// for it, and clips of other takes of the same place give way whole: two readings of
// the same words are never heard together.
type PlaceTake struct {
	Kind
	Sound   string       `json:"sound"`
	Track   string       `json:"track"`
	Start   audio.Frames `json:"start" minimum:"0"`
	Offset  audio.Frames `json:"offset,omitempty" minimum:"0" doc:"Where to begin in the recording"`
	Name    string       `json:"name,omitempty" maxLength:"200"`
	Instead []string     `json:"instead,omitempty" maxItems:"1000" doc:"The sounds of other takes of this place"`
}

// mostLate is by how much a device may hear late what is recorded into an empty place.
const mostLate = audio.Second / 2

func (o PlaceTake) apply(d *draft) (string, error) {
	sound, err := d.bring(o.Sound)
	if err != nil {
		return "", err
	}
	t, err := d.track(o.Track)
	if err != nil {
		return "", err
	}
	if o.Offset < 0 || o.Offset >= sound.Length {
		return "", problem.New("clip-outside-sound", "offset", "The recording ends before the place where it should begin.")
	}
	start, offset := max(0, o.Start), o.Offset
	for id, c := range t.Clips {
		if slices.Contains(o.Instead, c.Sound) && c.Start < start+sound.Length-offset && c.End() > start {
			delete(t.Clips, id) // the place that it filled is empty again
		}
	}
	// What was begun at an empty place stands before it by what the device hears late: that is skipped.
	if m, there := d.placeAt(t, start, mostLate); there && m.At > start && offset+m.At-start < sound.Length {
		start, offset = m.At, offset+m.At-start
	}
	length := sound.Length - offset
	if start, err = d.fillPlace(t, start, length); err != nil {
		return "", err
	}
	if err := d.clear(t, start, start+length); err != nil {
		return "", err
	}
	name := session.ShortName(o.Name)
	if name == "" {
		name = "Take"
	}
	_, err = d.add(t, newClip(name, o.Sound, start, offset, length))
	return "Record " + quote(name) + " at " + start.String(), err
}

// clear makes a stretch of a track empty: clips are cut at its ends, and what lies
// between is taken away.
func (d *draft) clear(t *session.Track, from, to audio.Frames) error {
	for _, at := range []audio.Frames{from, to} {
		if err := d.cut(t, at); err != nil {
			return err
		}
	}
	for id, c := range t.Clips {
		if c.Start >= from && c.End() <= to {
			delete(t.Clips, id)
		}
	}
	return nil
}

// UseSound lets a clip play another sound, such as another take of the same place.
// Where the clip began and what was done to its level stays. A clip that ran to the
// end of its sound runs to the end of the new one; any other keeps its length if the
// new sound has that much.
type UseSound struct {
	Kind
	Clip  string `json:"clip"`
	Sound string `json:"sound"`
	Name  string `json:"name,omitempty" maxLength:"200" doc:"Left out: the clip keeps its name"`
}

func (o UseSound) apply(d *draft) (string, error) {
	t, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	before := d.Sounds[c.Sound]
	sound, err := d.bring(o.Sound)
	if err != nil {
		return "", err
	}
	old := c.Name
	if c, err = swapped(c, o.Sound, before, sound); err != nil {
		return "", err
	}
	if name := session.ShortName(o.Name); name != "" {
		c.Name = name
	}
	t.Clips[o.Clip] = c
	return "Use " + quote(c.Name) + " instead of " + quote(old), nil
}

// ReplaceSound lets all clips of one sound play another.
type ReplaceSound struct {
	Kind
	Sound string `json:"sound" doc:"The one that goes"`
	With  string `json:"with" doc:"The one that comes"`
	Name  string `json:"name,omitempty" maxLength:"200" doc:"Of the one that comes, for the history"`
}

func (o ReplaceSound) apply(d *draft) (string, error) {
	before, known := d.Sounds[o.Sound]
	if !known {
		return "", problem.New("unknown-sound", "sound", "No clip of this session uses that sound.")
	}
	sound, err := d.bring(o.With)
	if err != nil {
		return "", err
	}
	changed := 0
	for i := range d.Tracks {
		for id, c := range d.Tracks[i].Clips {
			if c.Sound != o.Sound {
				continue
			}
			if c, err = swapped(c, o.With, before, sound); err != nil {
				return "", err
			}
			d.Tracks[i].Clips[id] = c
			changed++
		}
	}
	name := session.ShortName(o.Name)
	if name == "" {
		name = "another sound"
	} else {
		name = quote(name)
	}
	return "Use " + name + " in " + count(changed, "clip"), nil
}

// swapped is a clip with another sound in the place of its own.
func swapped(c session.Clip, id string, before, after session.Sound) (session.Clip, error) {
	if c.Offset >= after.Length {
		return c, problem.New("too-short", "sound", "The clip %q begins %v into its sound, but the new one is only %v long. Trim the clip first, or choose a longer sound.", c.Name, c.Offset, after.Length)
	}
	whole := c.Offset+c.Length == before.Length
	c.Sound = id
	if left := after.Length - c.Offset; whole || c.Length > left {
		c.Length = left
	}
	c.FadeIn.Past, c.FadeOut.Past = min(c.FadeIn.Past, c.FadeIn.Length), min(c.FadeOut.Past, c.FadeOut.Length)
	return c, nil
}

// SetSensitivity sets with which sensitivity speech is found in a sound, wherever it is used in the episode.
type SetSensitivity struct {
	Kind
	Sound       string  `json:"sound"`
	Sensitivity float64 `json:"sensitivity" minimum:"-12" maximum:"12" doc:"dB, usually 0"`
}

func (o SetSensitivity) apply(d *draft) (string, error) {
	s, there := d.Sounds[o.Sound]
	if !there {
		return "", problem.New("unknown-sound", "sound", "That sound is not in the session any more.")
	}
	s.Sensitivity = o.Sensitivity
	d.Sounds[o.Sound] = s
	return "Find speech with another sensitivity", nil
}
