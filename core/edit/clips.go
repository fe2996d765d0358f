package edit

import (
	"maps"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
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
	Name   string       `json:"name,omitempty" maxLength:"200" doc:"Left out: what the sound is called"`
	Offset audio.Frames `json:"offset,omitempty" doc:"Where to begin in the sound"`
	Length audio.Frames `json:"length,omitempty" doc:"Left out: to the end of the sound"`
	// Lined is for what comes in any order and is to be heard in that of its names, such as recordings that were dropped together.
	Lined bool `json:"lined,omitempty" doc:"Among the clips of the track that begin there or later it comes in the order of names, behind the one before it; those after it move later"`
	// Elsewhere is for what comes by itself and must not be lost, such as an import.
	Elsewhere bool `json:"elsewhere,omitempty" doc:"Where two clips of the track lie already, put it on a track of its own"`
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
	name := session.ShortName(o.Name)
	if name == "" && d.material.Name != nil {
		name = session.ShortName(d.material.Name(o.Sound))
	}
	if name == "" {
		name = "Clip"
	}
	start := max(0, o.Start)
	if o.Lined && hasFrom(*t, start) {
		start = lineUp(t, name, start, length)
	} else if start, err = d.fillPlace(t, start, length); err != nil {
		return "", err
	}
	clip := newClip(name, o.Sound, start, o.Offset, length)
	if o.Elsewhere && crowds(*t, clip) {
		if t, err = d.addTrack(t.Part, ""); err != nil {
			return "", err
		}
	}
	_, err = d.add(t, clip)
	return "Insert " + quote(name) + " at " + start.String(), err
}

// crowds says whether three clips would sound at once on a track with one more.
func crowds(t session.Track, c session.Clip) bool {
	before, _ := t.Crowded()
	t.Clips = maps.Clone(t.Clips)
	t.Clips[""] = c
	after, _ := t.Crowded()
	return after > before
}

// newClip is a clip to which nothing has been done.
func newClip(name, sound string, start, offset, length audio.Frames) session.Clip {
	return session.Clip{
		Name: name, Sound: sound, Start: start, Offset: offset, Length: length,
		FadeIn: session.Fade{Shape: session.EqualPower}, FadeOut: session.Fade{Shape: session.EqualPower},
		Envelope: []session.Point{},
	}
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
	Copy  bool   `json:"copy,omitempty" doc:"Leave the clips where they are, and put copies there"`
}

func (o MoveClips) apply(d *draft) (string, error) {
	moves := once(o.Moves, func(m Move) string { return m.Clip })
	if err := chosen(moves, "moves"); err != nil {
		return "", err
	}
	earliest := audio.Frames(0)
	for _, m := range moves {
		earliest = min(earliest, m.Start)
	}
	var name string
	verb := onOff(o.Copy, "Copy", "Move")
	for _, m := range moves {
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
		name = verb + " " + quote(c.Name) + " to " + c.Start.String()
		if o.Copy {
			if _, err := d.add(to, c); err != nil {
				return "", err
			}
			continue
		}
		delete(from.Clips, m.Clip)
		to.Clips[m.Clip] = c
	}
	return oneOrMany(len(moves), name, verb, "clip"), nil
}

// Trim says where an end of a clip is to go.
type Trim struct {
	Clip string       `json:"clip"`
	Edge string       `json:"edge" enum:"start,end"`
	At   audio.Frames `json:"at" doc:"Held within the sound and 10 ms away from the other end"`
}

// TrimClips moves ends of clips to session times; the sound stays where it is and
// nothing of it is lost.
type TrimClips struct {
	Kind
	Trims []Trim `json:"trims" nullable:"false" minItems:"1" maxItems:"10000"`
}

func (o TrimClips) apply(d *draft) (string, error) {
	trims := once(o.Trims, func(t Trim) Trim { return Trim{Clip: t.Clip, Edge: t.Edge} })
	if err := chosen(trims, "trims"); err != nil {
		return "", err
	}
	var name string
	for _, trim := range trims {
		t, c, err := d.clip(trim.Clip)
		if err != nil {
			return "", err
		}
		if c, err = trimmed(c, d.Sounds[c.Sound], trim.Edge, trim.At); err != nil {
			return "", err
		}
		t.Clips[trim.Clip] = c
		name = "Trim the " + trim.Edge + " of " + quote(c.Name)
	}
	return oneOrMany(len(trims), name, "Trim", "clip"), nil
}

// trimmed is a clip with one of its ends at another time.
func trimmed(c session.Clip, sound session.Sound, edge string, at audio.Frames) (session.Clip, error) {
	least := min(Shortest, c.Length)
	switch edge {
	case "start":
		earliest := max(0, c.Start-c.Offset)
		by := max(earliest, min(at, c.End()-least)) - c.Start
		c.Start, c.Offset, c.Length = c.Start+by, c.Offset+by, c.Length-by
		c.FadeIn.Past = 0
	case "end":
		latest := c.Start - c.Offset + sound.Length
		c.Length = max(c.Start+least, min(at, latest)) - c.Start
		c.FadeOut.Past = 0
	default:
		return c, problem.New("bad-edit", "op.trims.edge", "A clip has a start and an end, no %q.", edge)
	}
	return c, nil
}

// SplitClips cuts clips in two at a session time. What is heard stays exactly the same.
type SplitClips struct {
	Kind
	Clips []string     `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	At    audio.Frames `json:"at"`
}

func (o SplitClips) apply(d *draft) (string, error) {
	d.still = true
	var name string
	done, crossed := 0, ""
	for _, id := range once(o.Clips, itself) {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		if o.At <= c.Start || o.At >= c.End() {
			continue
		}
		if in, done := bake(t, o.At); !done {
			crossed = in
			continue
		}
		c = t.Clips[id]
		left, right := split(c, o.At-c.Start)
		if _, err := d.add(t, right); err != nil {
			return "", err
		}
		t.Clips[id] = left
		name = "Split " + quote(c.Name) + " at " + o.At.String()
		done++
	}
	if done == 0 && crossed != "" {
		return "", insideCrossing(o.At, crossed)
	}
	if done == 0 {
		return "", problem.New("nothing-to-split", "at", "There is nothing to split at %v: put the playhead inside a clip.", o.At)
	}
	if done > 1 {
		name = "Split " + count(done, "clip") + " at " + o.At.String()
	}
	return name, nil
}

func insideCrossing(at audio.Frames, into string) error {
	return problem.New("inside-crossing", "at", "At %v another clip crosses into %q, and there are fades besides. Choose a place beside the crossing, or take the fades away.", at, into)
}

// split cuts a clip after its first frames. A fade that the cut goes through is kept
// by both halves: each remembers how much of it lies in the other.
func split(c session.Clip, first audio.Frames) (left, right session.Clip) {
	left, right = c, c
	right.Crossing = session.LaidOver
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
	for _, id := range once(o.Clips, itself) {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		all = append(all, original{t.ID, c})
	}
	if err := chosen(all, "clips"); err != nil {
		return "", err
	}
	first := slices.MinFunc(all, func(a, b original) int { return int(max(-1, min(1, a.clip.Start-b.clip.Start))) }).clip.Start
	for _, a := range all {
		t, err := d.track(a.track)
		if err != nil {
			return "", err
		}
		a.clip.Start += max(0, o.Start) - first
		if _, err := d.add(t, a.clip); err != nil {
			return "", err
		}
	}
	return oneOrMany(len(all), "Copy "+quote(all[0].clip.Name), "Copy", "clip"), nil
}

// ClipChange says what is to change of a clip; what is left out stays.
type ClipChange struct {
	Clip string    `json:"clip"`
	Name *string   `json:"name,omitempty" maxLength:"200"`
	Gain *audio.DB `json:"gain,omitempty" doc:"dB, held between -120 (silence) and 12"`
	// What is typed is taken as it is, or refused: nothing is held.
	Start  *audio.Frames `json:"start,omitempty" doc:"Where it begins in the session"`
	Length *audio.Frames `json:"length,omitempty" doc:"Its end moves"`
	Offset *audio.Frames `json:"offset,omitempty" doc:"Where it begins in its sound; its place in the session stays"`
	Silent *bool         `json:"silent,omitempty"`
}

// SetClips changes names, gains and places of clips.
type SetClips struct {
	Kind
	Clips []ClipChange `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o SetClips) apply(d *draft) (string, error) {
	changes := once(o.Clips, func(c ClipChange) string { return c.Clip })
	if err := chosen(changes, "clips"); err != nil {
		return "", err
	}
	var name string
	many := "Change"
	for _, change := range changes {
		t, c, err := d.clip(change.Clip)
		if err != nil {
			return "", err
		}
		name = "Change " + quote(c.Name)
		if change.Name != nil {
			old := c.Name
			if c.Name, err = session.NewName(*change.Name, "clips.name"); err != nil {
				return "", err
			}
			name, many = "Rename "+quote(old)+" to "+quote(c.Name), "Rename"
		}
		if change.Gain != nil {
			c.Gain = hold(*change.Gain)
			name, many = "Gain of "+quote(c.Name)+" to "+levelText(c.Gain), "Gain of"
		}
		if change.Start != nil {
			if *change.Start < 0 {
				return "", problem.New("negative-time", "clips.start", "The clip %q cannot begin before the session does.", c.Name)
			}
			c.Start = *change.Start
			name, many = "Move "+quote(c.Name)+" to "+c.Start.String(), "Move"
		}
		if change.Length != nil {
			c.Length = *change.Length
			c.FadeOut.Past = 0
			name, many = "Make "+quote(c.Name)+" "+c.Length.String()+" long", "Set the length of"
		}
		if change.Offset != nil {
			c.Offset = *change.Offset
			name, many = "Slip "+quote(c.Name)+" to "+c.Offset.String()+" of its sound", "Slip"
		}
		if change.Silent != nil {
			c.Silent = *change.Silent
			many = onOff(c.Silent, "Silence", "Sound again")
			name = many + " " + quote(c.Name)
		}
		t.Clips[change.Clip] = c
	}
	return oneOrMany(len(changes), name, many, "clip"), nil
}

// NewFade is a fade as it is asked for.
type NewFade struct {
	Length audio.Frames  `json:"length" doc:"Held between 0 and the length of the clip"`
	Shape  session.Shape `json:"shape" enum:"linear,equal-power,smooth,exponential"`
}

// ClipFades says what the fades of a clip are to become; one that is left out stays.
type ClipFades struct {
	Clip string   `json:"clip"`
	In   *NewFade `json:"in,omitempty"`
	Out  *NewFade `json:"out,omitempty"`
}

// SetFades changes fades of clips.
type SetFades struct {
	Kind
	Fades []ClipFades `json:"fades" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o SetFades) apply(d *draft) (string, error) {
	fades := once(o.Fades, func(f ClipFades) string { return f.Clip })
	if err := chosen(fades, "fades"); err != nil {
		return "", err
	}
	var name string
	for _, f := range fades {
		t, c, err := d.clip(f.Clip)
		if err != nil {
			return "", err
		}
		name = "Fades of " + quote(c.Name)
		for _, side := range []struct {
			fade *session.Fade
			want *NewFade
			text string
		}{{&c.FadeIn, f.In, "Fade in "}, {&c.FadeOut, f.Out, "Fade out "}} {
			if side.want != nil {
				*side.fade = session.Fade{Length: max(0, min(side.want.Length, c.Length)), Shape: side.want.Shape}
				name = side.text + quote(c.Name) + " over " + side.fade.Length.String()
			}
		}
		t.Clips[f.Clip] = c
	}
	return oneOrMany(len(fades), name, "Fades of", "clip"), nil
}
