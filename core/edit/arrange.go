package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Slip says where in its sound a clip is to begin.
type Slip struct {
	Clip   string       `json:"clip"`
	Offset audio.Frames `json:"offset" doc:"Held within the sound"`
}

// SlipClips moves the sound inside clips, which stay where they are. Level lines stay with
// the sound.
type SlipClips struct {
	Kind
	Slips []Slip `json:"slips" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o SlipClips) apply(d *draft) (string, error) {
	slips := once(o.Slips, func(s Slip) string { return s.Clip })
	if err := chosen(slips, "slips"); err != nil {
		return "", err
	}
	var name string
	for _, s := range slips {
		t, c, err := d.clip(s.Clip)
		if err != nil {
			return "", err
		}
		c.Offset = max(0, min(s.Offset, d.Sounds[c.Sound].Length-c.Length))
		t.Clips[s.Clip] = c
		name = "Slip " + quote(c.Name) + " to " + c.Offset.String() + " of its sound"
	}
	return oneOrMany(len(slips), name, "Slip", "clip"), nil
}

// LayerClips brings clips to the front of those they overlap with, or behind them.
type LayerClips struct {
	Kind
	Clips []string `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	Front bool     `json:"front"`
}

func (o LayerClips) apply(d *draft) (string, error) {
	clips := once(o.Clips, itself)
	if err := chosen(clips, "clips"); err != nil {
		return "", err
	}
	where := onOff(o.Front, "to the front", "behind the others")
	var name string
	outermost := map[string]int{} // the layer of the clip of a track that was brought there last, beyond all others
	beyond := func(own, layer int) int {
		if o.Front {
			return max(own, layer+1)
		}
		return min(own, layer-1)
	}
	for _, id := range clips {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		if layer, there := outermost[t.ID]; there {
			c.Layer = beyond(c.Layer, layer)
		} else {
			for other, x := range t.Clips {
				if other != id {
					c.Layer = beyond(c.Layer, x.Layer)
				}
			}
		}
		outermost[t.ID] = c.Layer
		t.Clips[id] = c
		name = "Bring " + quote(c.Name) + " " + where
	}
	return oneOrMany(len(clips), name, "Bring", "clip") + onOff(len(clips) > 1, " "+where, ""), nil
}

// JoinClips makes one clip of those that a split has parted. Nothing changes in the sound;
// where something would, it is refused.
type JoinClips struct {
	Kind
	Clips []string `json:"clips" nullable:"false" minItems:"2" maxItems:"5000"`
}

func (o JoinClips) apply(d *draft) (string, error) {
	d.still = true
	clips := once(o.Clips, itself)
	joined := 0
	var name string
	for _, id := range clips {
		if _, _, err := d.clip(id); err != nil {
			return "", err
		}
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		last := ""
		for _, id := range t.ClipsInOrder() {
			if !slices.Contains(clips, id) {
				continue
			}
			if last != "" {
				one, err := asOne(t.Clips[last], t.Clips[id])
				if err != nil {
					return "", err
				}
				t.Clips[last] = one
				delete(t.Clips, id)
				joined++
				name = "Join " + quote(one.Name)
				continue
			}
			last = id
		}
	}
	if joined == 0 {
		return "", problem.New("nothing-to-join", "clips", "Choose two or more neighbouring clips of one track to join them.")
	}
	return oneOrMany(joined, name, "Join", "place"), nil
}

// asOne is the clip that two neighbours were before a split parted them.
func asOne(a, b session.Clip) (session.Clip, error) {
	no := func(why string) (session.Clip, error) {
		return a, problem.New("not-one", "clips", "%q and %q cannot be joined: %s.", a.Name, b.Name, why)
	}
	switch {
	case a.Sound != b.Sound || a.Start-a.Offset != b.Start-b.Offset || b.Start > a.End():
		return no("the second does not go on where the first one ends in the same recording")
	case a.Gain != b.Gain || a.Silent != b.Silent:
		return no("their gains differ; set them alike first")
	case b.Start == a.End() && (!parted(a.FadeOut, b.FadeOut, b.Length) || !parted(b.FadeIn, a.FadeIn, a.Length)),
		b.Start < a.End() && (a.FadeOut.Length > 0 || b.FadeIn.Length > 0):
		return no("there is a fade between them; take it away first")
	}
	cut := b.Offset
	one := a
	one.Length = b.End() - a.Start
	one.FadeOut = b.FadeOut
	one.Envelope = joinedLines(a.Envelope, b.Envelope, cut)
	one.Hushed = joinedHushed(a.Hushed, b.Hushed, cut)
	return one, nil
}

// parted says whether an inner fade is none, or what a split has left of the outer one.
func parted(inner, outer session.Fade, other audio.Frames) bool {
	if inner.Length == 0 {
		return outer.Length-outer.Past <= other
	}
	return inner.Length == outer.Length && inner.Shape == outer.Shape && inner.Past == outer.Past+other
}

// joinedLines is the level line of which a first half has one and the second half another.
// Where they are not the same line, it steps from one to the other within a frame.
func joinedLines(a, b []session.Point, cut audio.Frames) []session.Point {
	if slices.Equal(a, b) {
		return a
	}
	out := []session.Point{}
	if cut > 0 {
		left, i := envelope.Split(a, cut-1)
		out = append(out, left[:i+1]...)
		out[i].Bend = 0
	}
	right, k := envelope.Split(b, cut)
	return append(out, right[k:]...)
}

// DuplicateTracks puts copies of tracks, with all that is on them, below them.
type DuplicateTracks struct {
	Kind
	Tracks []string `json:"tracks" nullable:"false" minItems:"1" maxItems:"64"`
}

func (o DuplicateTracks) apply(d *draft) (string, error) {
	tracks := once(o.Tracks, itself)
	if err := chosen(tracks, "tracks"); err != nil {
		return "", err
	}
	var name string
	for _, id := range tracks {
		t, err := d.track(id)
		if err != nil {
			return "", err
		}
		points := len(t.Envelope)
		for _, c := range t.Clips {
			points += len(c.Envelope)
		}
		if err := d.room(len(t.Clips), points); err != nil {
			return "", err
		}
		twin := *t
		twin.ID, twin.Name, twin.Solo = d.id("t"), d.freeName(session.ShortName(t.Name)), false
		twin.Name = session.ShortName(twin.Name)
		twin.Clips = map[string]session.Clip{}
		for _, clip := range t.ClipsInOrder() {
			twin.Clips[d.id("c")] = t.Clips[clip]
		}
		name = "Duplicate the track " + quote(t.Name)
		d.Tracks = slices.Insert(d.Tracks, d.FindTrack(id)+1, twin)
	}
	return oneOrMany(len(tracks), name, "Duplicate", "track"), nil
}
