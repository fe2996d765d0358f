package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Rendering says which clips are to become one sound, and with what.
type Rendering struct {
	Clips     []string     `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	From      audio.Frames `json:"from,omitempty" minimum:"0" doc:"Only from there on, session time"`
	To        audio.Frames `json:"to,omitempty" minimum:"0" doc:"Only up to there; left out: to the end of the last clip"`
	Treatment bool         `json:"treatment" doc:"With the treatment of the tracks"`
	Lines     bool         `json:"lines" doc:"With the level lines of clips and tracks"`
}

// Alone is the document in which nothing but the chosen clips sounds, also those of tracks that
// are muted or that others are soloed beside, and the stretch that they fill. Their gains,
// fades and crossings, and the faders and pans of their tracks, stay.
func (r Rendering) Alone(doc session.Document) (out session.Document, span session.Span, err error) {
	out = doc.Draft()
	span.From = session.MaxLength
	chosen := map[string]bool{}
	for _, id := range r.Clips {
		chosen[id] = true
	}
	found := 0
	for i := range out.Tracks {
		t := &out.Tracks[i]
		t.Mute, t.Solo = false, false
		if !r.Treatment {
			t.Treatment = session.Treatment{}
		}
		if !r.Lines {
			t.Envelope = []session.Point{}
		}
		for _, id := range t.ClipsInOrder() {
			c := t.Clips[id]
			if !chosen[id] {
				delete(t.Clips, id)
				continue
			}
			if !r.Lines {
				c.Envelope = []session.Point{}
				t.Clips[id] = c
			}
			found++
			span.From, span.To = min(span.From, c.Start), max(span.To, c.End())
		}
	}
	if found == 0 {
		return out, span, problem.New("unknown-clip", "clips", "Those clips are not in the session any more.")
	}
	if r.From > 0 {
		span.From = max(span.From, r.From)
	}
	if r.To > 0 {
		span.To = min(span.To, r.To)
	}
	if span.To-span.From < Shortest {
		return out, span, problem.New("nothing-to-render", "from", "None of the chosen clips lies in that stretch. Choose others, or a longer stretch.")
	}
	if span.To-span.From > LongestRendering {
		return out, span, problem.New("too-long", "clips", "Those clips fill %v, and a sound has at most %v. Choose fewer, or a stretch.", span.To-span.From, LongestRendering)
	}
	return out, span, nil
}

// LongestRendering is how long a sound that is rendered may be: three hours, like one that is imported.
const LongestRendering = 3 * 3600 * audio.Second

// Channels is how many channels the sound of a document needs that Alone gave: one if all that
// sounds in it is mono and lies in the middle.
func (r Rendering) Channels(alone session.Document) int {
	for _, t := range alone.Tracks {
		for _, c := range t.Clips {
			if t.Pan != 0 || alone.Sounds[c.Sound].Heard() != 1 {
				return 2
			}
		}
	}
	return 1
}

// PlaceRendering puts a sound that clips were rendered to on a new track, above the first of
// theirs, and silences them where it sounds.
type PlaceRendering struct {
	Kind
	Sound string       `json:"sound"`
	Name  string       `json:"name" maxLength:"200"`
	Start audio.Frames `json:"start"`
	Clips []string     `json:"clips" nullable:"false" maxItems:"5000" doc:"Those that it was rendered from; those that are gone are left out"`
}

func (o PlaceRendering) apply(d *draft) (string, error) {
	sound, err := d.bring(o.Sound)
	if err != nil {
		return "", err
	}
	name := session.ShortName(o.Name)
	if name == "" {
		name = "Rendering"
	}
	placed := newClip(name, o.Sound, max(0, o.Start), 0, sound.Length)
	first, part := len(d.Tracks), session.Voice
	for _, id := range once(o.Clips, itself) {
		i, c, found := d.FindClip(id)
		if !found {
			continue
		}
		if i < first {
			first, part = i, d.Tracks[i].Part
		}
		span := Range{From: max(placed.Start, c.Start) - c.Start + c.Offset, To: min(placed.End(), c.End()) - c.Start + c.Offset}
		switch {
		case span.To <= span.From:
			continue
		case span.To-span.From == c.Length:
			c.Silent = true
		default: // the edges of what is silenced and of what sounds instead add up
			c.Hushed = session.Joined(append(slices.Clone(c.Hushed), span))
			placed.FadeIn, placed.FadeOut = edgeOf(placed.FadeIn, placed.Start > c.Start), edgeOf(placed.FadeOut, placed.End() < c.End())
		}
		d.Tracks[i].Clips[id] = c
	}
	t, err := d.addTrack(part, "")
	if err != nil {
		return "", err
	}
	t.Name = name
	if _, err := d.add(t, placed); err != nil {
		return "", err
	}
	added := *t
	d.Tracks = slices.DeleteFunc(d.Tracks, func(t session.Track) bool { return t.ID == added.ID })
	d.Tracks = slices.Insert(d.Tracks, min(first, len(d.Tracks)), added)
	return "Render to " + quote(name), nil
}

// edgeOf is a fade as long as the sound takes to go where it is silenced.
func edgeOf(f session.Fade, needed bool) session.Fade {
	if needed {
		return session.Fade{Length: audio.Rate / 200, Shape: session.Linear}
	}
	return f
}
