package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Shortest is the least length that trimming and splitting leave of a clip: 10 ms.
const Shortest audio.Frames = audio.Rate / 100

// InsertClip places a sound, or a stretch of it, on a track.
type InsertClip struct {
	Kind
	Sound  string       `json:"sound"`
	Start  audio.Frames `json:"start"`
	Track  string       `json:"track,omitempty" doc:"Left out: a new track for the part, or the first empty one"`
	Part   session.Part `json:"part,omitempty" enum:"voice,music,effect"`
	Name   string       `json:"name,omitempty" maxLength:"200"`
	Offset audio.Frames `json:"offset,omitempty" doc:"Where to begin in the sound"`
	Length audio.Frames `json:"length,omitempty" doc:"Left out: to the end of the sound"`
}

func (o InsertClip) apply(d *draft) (string, error) {
	sound, err := d.bring(o.Sound)
	if err != nil {
		return "", err
	}
	t, err := d.trackFor(o.Track, o.Part)
	if err != nil {
		return "", err
	}
	length := o.Length
	if length == 0 {
		length = sound.Length - o.Offset
	}
	name := short(o.Name)
	if name == "" {
		name = "Clip"
	}
	t.Clips[d.id("c")] = session.Clip{
		Name: name, Sound: o.Sound, Start: max(0, o.Start), Offset: o.Offset, Length: length,
		FadeIn: session.Fade{Shape: session.EqualPower}, FadeOut: session.Fade{Shape: session.EqualPower},
		Envelope: []session.Point{},
	}
	return "Insert " + quote(name) + " at " + max(0, o.Start).String(), nil
}

func (d *draft) trackFor(id string, part session.Part) (*session.Track, error) {
	if id != "" {
		return d.track(id)
	}
	for i := range d.Tracks {
		if d.Tracks[i].Part == part && len(d.Tracks[i].Clips) == 0 {
			return &d.Tracks[i], nil
		}
	}
	return d.addTrack(part, "")
}

// Move says where a clip is to go.
type Move struct {
	Clip  string       `json:"clip"`
	Start audio.Frames `json:"start" doc:"Negative times are held at 0"`
	Track string       `json:"track,omitempty" doc:"Left out: it stays on its track"`
}

// MoveClips moves clips in time and between tracks.
type MoveClips struct {
	Kind
	Moves []Move `json:"moves" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o MoveClips) apply(d *draft) (string, error) {
	earliest := audio.Frames(0)
	for _, m := range o.Moves {
		earliest = min(earliest, m.Start)
	}
	var name string
	for _, m := range o.Moves {
		from, c, err := d.clip(m.Clip)
		if err != nil {
			return "", err
		}
		to := from
		if m.Track != "" {
			if to, err = d.track(m.Track); err != nil {
				return "", err
			}
		}
		c.Start = m.Start - earliest // the group keeps its distances when it meets the beginning
		delete(from.Clips, m.Clip)
		to.Clips[m.Clip] = c
		name = "Move " + quote(c.Name) + " to " + c.Start.String()
	}
	if len(o.Moves) != 1 {
		name = "Move " + count(len(o.Moves), "clip")
	}
	return name, nil
}

// TrimClip moves one end of a clip to a session time; the sound stays where it is and
// nothing of it is lost.
type TrimClip struct {
	Kind
	Clip string       `json:"clip"`
	Edge string       `json:"edge" enum:"start,end"`
	At   audio.Frames `json:"at" doc:"Held within the sound and 10 ms away from the other end"`
}

func (o TrimClip) apply(d *draft) (string, error) {
	t, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	least := min(Shortest, c.Length)
	switch o.Edge {
	case "start":
		earliest := max(0, c.Start-c.Offset)
		by := max(earliest, min(o.At, c.End()-least)) - c.Start
		c.Start, c.Offset, c.Length = c.Start+by, c.Offset+by, c.Length-by
		c.FadeIn.Past = 0
	case "end":
		latest := c.Start - c.Offset + d.Sounds[c.Sound].Length
		c.Length = max(c.Start+least, min(o.At, latest)) - c.Start
		c.FadeOut.Past = 0
	default:
		return "", problem("bad-edit", "op.edge", "A clip has a start and an end, no %q.", o.Edge)
	}
	t.Clips[o.Clip] = c
	return "Trim the " + o.Edge + " of " + quote(c.Name), nil
}

// SplitClips cuts clips in two at a session time. What is heard stays exactly the same.
type SplitClips struct {
	Kind
	Clips []string     `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	At    audio.Frames `json:"at"`
}

func (o SplitClips) apply(d *draft) (string, error) {
	var name string
	done := 0
	for _, id := range o.Clips {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		if o.At <= c.Start || o.At >= c.End() {
			continue
		}
		t.Clips[id], t.Clips[d.id("c")] = split(c, o.At-c.Start)
		name = "Split " + quote(c.Name) + " at " + o.At.String()
		done++
	}
	if done == 0 {
		return "", problem("nothing-to-split", "at", "There is nothing to split at %v: put the playhead inside a clip.", o.At)
	}
	if done > 1 {
		name = "Split " + count(done, "clip") + " at " + o.At.String()
	}
	return name, nil
}

// split cuts a clip after its first frames. A fade that the cut goes through is kept
// by both halves: each remembers how much of it lies in the other.
func split(c session.Clip, first audio.Frames) (left, right session.Clip) {
	left, right = c, c
	right.Envelope = slices.Clone(c.Envelope)
	left.Length = first
	right.Start, right.Offset, right.Length = c.Start+first, c.Offset+first, c.Length-first
	left.FadeOut.Past += right.Length
	right.FadeIn.Past += first
	for _, f := range []*session.Fade{&left.FadeOut, &right.FadeIn} {
		if f.Past >= f.Length {
			*f = session.Fade{Shape: f.Shape}
		}
	}
	return left, right
}

// CopyClips places copies of clips so that the earliest begins at a session time.
type CopyClips struct {
	Kind
	Clips []string     `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	Start audio.Frames `json:"start"`
}

func (o CopyClips) apply(d *draft) (string, error) {
	type original struct {
		track string
		clip  session.Clip
	}
	var all []original
	for _, id := range o.Clips {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		all = append(all, original{t.ID, c})
	}
	if len(all) == 0 {
		return "", problem("nothing-chosen", "clips", "Choose a clip first.")
	}
	first := slices.MinFunc(all, func(a, b original) int { return int(max(-1, min(1, a.clip.Start-b.clip.Start))) }).clip.Start
	for _, a := range all {
		t, err := d.track(a.track)
		if err != nil {
			return "", err
		}
		a.clip.Start += max(0, o.Start) - first
		a.clip.Envelope = slices.Clone(a.clip.Envelope)
		t.Clips[d.id("c")] = a.clip
	}
	if len(all) == 1 {
		return "Copy " + quote(all[0].clip.Name), nil
	}
	return "Copy " + count(len(all), "clip"), nil
}

// RemoveClips takes clips away. The gaps stay, or are closed on each clip's own track.
type RemoveClips struct {
	Kind
	Clips []string `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	Close bool     `json:"close,omitempty" doc:"Move what follows on the same track earlier by the clip's length"`
}

func (o RemoveClips) apply(d *draft) (string, error) {
	var name string
	for _, id := range o.Clips {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		delete(t.Clips, id)
		if o.Close {
			closeGap(t, c)
		}
		name = "Remove " + quote(c.Name)
	}
	if len(o.Clips) != 1 {
		name = "Remove " + count(len(o.Clips), "clip")
	}
	return name, nil
}

// closeGap moves the clips that begin after a removed one earlier by its length.
func closeGap(t *session.Track, gone session.Clip) {
	for id, c := range t.Clips {
		if c.Start >= gone.Start {
			c.Start = max(gone.Start, c.Start-gone.Length)
			t.Clips[id] = c
		}
	}
}

// SetClip changes what is given and leaves the rest.
type SetClip struct {
	Kind
	Clip string    `json:"clip"`
	Name *string   `json:"name,omitempty" maxLength:"200"`
	Gain *audio.DB `json:"gain,omitempty" doc:"dB, held between -120 (silence) and 12"`
}

func (o SetClip) apply(d *draft) (string, error) {
	t, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	name := "Change " + quote(c.Name)
	if o.Name != nil && short(*o.Name) != "" {
		name = "Rename " + quote(c.Name) + " to " + quote(short(*o.Name))
		c.Name = short(*o.Name)
	}
	if o.Gain != nil {
		c.Gain = hold(*o.Gain)
		name = "Gain of " + quote(c.Name) + " to " + levelText(c.Gain)
	}
	t.Clips[o.Clip] = c
	return name, nil
}

// NewFade is a fade as it is asked for.
type NewFade struct {
	Length audio.Frames  `json:"length" doc:"Held between 0 and the length of the clip"`
	Shape  session.Shape `json:"shape" enum:"linear,equal-power,smooth,exponential"`
}

// SetFades changes the fades that are given and leaves the other.
type SetFades struct {
	Kind
	Clip string   `json:"clip"`
	In   *NewFade `json:"in,omitempty"`
	Out  *NewFade `json:"out,omitempty"`
}

func (o SetFades) apply(d *draft) (string, error) {
	t, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	name := "Fades of " + quote(c.Name)
	set := func(f *session.Fade, n *NewFade, text string) {
		if n != nil {
			*f = session.Fade{Length: max(0, min(n.Length, c.Length)), Shape: n.Shape}
			name = text + quote(c.Name) + " over " + f.Length.String()
		}
	}
	set(&c.FadeIn, o.In, "Fade in ")
	set(&c.FadeOut, o.Out, "Fade out ")
	t.Clips[o.Clip] = c
	return name, nil
}
