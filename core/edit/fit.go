package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fit"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// FitClips lays parts of a sound one after another in the place of clips of it, so that the
// piece has another length. What was done to the first clip is done to all parts; the level
// line stays over the time of the session.
type FitClips struct {
	Kind
	Clips   []string      `json:"clips" nullable:"false" minItems:"1" maxItems:"1000" doc:"Neighbours of one sound on one track"`
	Parts   []fit.Section `json:"parts" nullable:"false" minItems:"1" maxItems:"1000" doc:"Each crosses into the one before within 25 ms"`
	FadeOut audio.Frames  `json:"fadeOut,omitempty" minimum:"0" doc:"The least length of the fade at the end"`
}

func (o FitClips) apply(d *draft) (string, error) {
	if err := chosen(o.Clips, "clips"); err != nil {
		return "", err
	}
	if err := chosen(o.Parts, "parts"); err != nil {
		return "", err
	}
	t, first, err := d.clip(o.Clips[0])
	if err != nil {
		return "", err
	}
	ids := once(o.Clips, itself)
	for _, id := range ids {
		if c, here := t.Clips[id]; !here || c.Sound != first.Sound {
			return "", problem.New("not-one-piece", "clips", "Only clips of one sound on one track can be fitted to a length together.")
		}
	}
	slices.SortFunc(ids, func(a, b string) int { return int(t.Clips[a].Start - t.Clips[b].Start) })
	first = t.Clips[ids[0]]
	line, end := d.lineOver(t, ids), t.Clips[ids[len(ids)-1]].FadeOut
	for _, id := range ids[1:] {
		delete(t.Clips, id)
		d.clips--
	}
	at := first.Start
	for i, p := range o.Parts {
		if p.From < 0 || p.To > d.Sounds[first.Sound].Length || p.To-p.From < 2*fit.Cross {
			return "", problem.New("bad-range", "parts", "A part lies within its sound and is at least 50 ms long.")
		}
		c := first
		c.Offset, c.Length, c.Start = p.From, p.To-p.From, at
		if i > 0 {
			c.FadeIn = session.Fade{Shape: first.FadeIn.Shape}
			c.Crossing = session.CrossPower
			if p.Same {
				c.Crossing = session.CrossGain
			}
		}
		c.FadeOut = session.Fade{Shape: end.Shape}
		if i == len(o.Parts)-1 {
			c.FadeOut.Length = min(max(end.Length-end.Past, o.FadeOut), c.Length)
		}
		c.FadeIn.Length = min(c.FadeIn.Length, c.Length+c.FadeIn.Past)
		c.Envelope = lineOf(line, c)
		if i == 0 {
			t.Clips[ids[0]] = c
		} else if _, err := d.add(t, c); err != nil {
			return "", err
		}
		at = c.End() - fit.Cross
	}
	return "Fit " + quote(first.Name) + " to " + (at + fit.Cross - first.Start).String(), nil
}

// lineOver is the level line of neighbouring clips, over the time of the session.
func (d *draft) lineOver(t *session.Track, ids []string) (line []session.Point) {
	var own []session.Point // those that somebody has put there
	for _, id := range ids {
		c := t.Clips[id]
		d.points -= len(c.Envelope)
		own = append(own, later(c.Envelope, c.Start-c.Offset)...)
		if len(c.Envelope) == 0 && len(line) == 0 {
			continue
		}
		for _, p := range envelope.SplitAll(c.Envelope, []audio.Frames{c.Offset, c.Offset + c.Length}) {
			p.At += c.Start - c.Offset
			if p.At >= c.Start && p.At <= c.End() && (len(line) == 0 || p.At > line[len(line)-1].At) {
				line = append(line, p)
			}
		}
	}
	return withoutIdle(line, own, t.Clips[ids[0]].Start, t.Clips[ids[len(ids)-1]].End())
}

// lineOf is what of a line over the time of the session lies over a clip, over the time of its sound.
func lineOf(line []session.Point, c session.Clip) []session.Point {
	out := []session.Point{}
	if len(line) == 0 {
		return out
	}
	for _, p := range envelope.SplitAll(line, []audio.Frames{c.Start, c.End()}) {
		if p.At >= c.Start && p.At <= c.End() {
			p.At += c.Offset - c.Start
			out = append(out, p)
		}
	}
	return withoutIdle(out, later(line, c.Offset-c.Start), c.Offset, c.Offset+c.Length)
}

// Run is the row of clips that a clip belongs to: neighbours of one sound on its track that touch
// or cross, in order.
func Run(doc session.Document, clip string) (ids []string, err error) {
	i, c, found := doc.FindClip(clip)
	if !found {
		return nil, problem.New("unknown-clip", "clip", "That clip is not in the session any more.")
	}
	t := doc.Tracks[i]
	all := slices.DeleteFunc(t.ClipsInOrder(), func(id string) bool { return t.Clips[id].Sound != c.Sound })
	at := slices.Index(all, clip)
	from, to := at, at+1
	for from > 0 && t.Clips[all[from-1]].End() >= t.Clips[all[from]].Start {
		from--
	}
	for to < len(all) && t.Clips[all[to-1]].End() >= t.Clips[all[to]].Start {
		to++
	}
	return all[from:to], nil
}
