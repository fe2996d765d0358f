package edit

import (
	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/splice"
)

// JoinLength is how long the crossing at a join is unless another length is asked for: 10 ms.
const JoinLength audio.Frames = audio.Rate / 100

// MostJoin is the longest that a join can be asked for: two seconds.
const MostJoin = 2 * audio.Second

// nearby is how far a join may be moved to where it is quieter: 4 ms, too little for the ear.
const nearby audio.Frames = audio.Rate * 4 / 1000

// roomAfter is how much longer a clip can become at its end: what its sound has, and, if
// it fades out, what of that lies outside.
func roomAfter(c session.Clip, s session.Sound) audio.Frames {
	n := s.Length - c.Offset - c.Length
	if c.FadeOut.Length > 0 {
		n = min(n, c.FadeOut.Past)
	}
	return max(0, n)
}

// roomBefore is the same for its beginning.
func roomBefore(c session.Clip) audio.Frames {
	n := min(c.Offset, c.Start)
	if c.FadeIn.Length > 0 {
		n = min(n, c.FadeIn.Past)
	}
	return max(0, n)
}

// longer is a clip that reaches further at its ends, or less far if a number is negative.
// What is heard in between stays the same.
func longer(c session.Clip, before, after audio.Frames) session.Clip {
	c.Start, c.Offset, c.Length = c.Start-before, c.Offset-before, c.Length+before+after
	if c.FadeIn.Length > 0 {
		c.FadeIn.Past = max(0, min(c.FadeIn.Length, c.FadeIn.Past-before))
	}
	if c.FadeOut.Length > 0 {
		c.FadeOut.Past = max(0, min(c.FadeOut.Length, c.FadeOut.Past-after))
	}
	return c
}

// cut splits the clips of a track that a time lies inside. What is heard stays the same,
// but for clips that cross there and have fades besides.
func (d *draft) cut(t *session.Track, at audio.Frames) error {
	bake(t, at)
	for _, id := range t.ClipsInOrder() {
		c := t.Clips[id]
		if c.Start >= at || c.End() <= at {
			continue
		}
		left, right := split(c, at-c.Start)
		t.Clips[id] = left
		if _, err := d.add(t, right); err != nil {
			return err
		}
	}
	return nil
}

// shift moves the clips of a track that begin at a time or later.
func shift(t *session.Track, at, by audio.Frames) {
	for id, c := range t.Clips {
		if c.Start >= at {
			c.Start += by
			t.Clips[id] = c
		}
	}
}

// seam makes the join at a time inaudible, where one clip of a track ends and another
// begins: both reach over it, by what their sounds have, so that they cross there. The
// join is placed where both are quietest, a few milliseconds off at most; nothing else
// moves. Where the sound simply goes on, nothing is done.
func (d *draft) seam(t *session.Track, at, length audio.Frames) {
	left, right := d.meeting(t, at)
	if left == "" || right == "" || length < 2 {
		return
	}
	a, b := t.Clips[left], t.Clips[right]
	if a.Sound == b.Sound && a.Offset+a.Length == b.Offset {
		return
	}
	late := min(roomAfter(a, d.Sounds[a.Sound]), freeAfter(t, at, right), b.Length-1)
	early := min(roomBefore(b), freeBefore(t, at, left), a.Length-1)
	half := length / 2
	off := audio.Frames(0)
	if late >= half+nearby && early >= half+nearby {
		off = d.quietest(a, b, half)
	}
	after := min(half+off, late)
	front := min(length-after, early)
	after = min(length-front, late)
	a, b = longer(a, 0, after), longer(b, front, 0)
	b.Crossing = lawFor(a, b)
	t.Clips[left], t.Clips[right] = a, b
}

// meeting finds the clips that end and begin at a time; of several that end there, one of
// the same sound if there is one.
func (d *draft) meeting(t *session.Track, at audio.Frames) (left, right string) {
	for _, id := range t.ClipsInOrder() {
		switch c := t.Clips[id]; {
		case c.Start == at && right == "":
			right = id
		case c.End() == at:
			left = id
		}
	}
	if right == "" {
		return "", ""
	}
	for id, c := range t.Clips {
		if c.End() == at && c.Sound == t.Clips[right].Sound && t.Clips[left].Sound != c.Sound {
			left = id
		}
	}
	return left, right
}

// freeAfter is how far from a time on a track has nothing but one clip.
func freeAfter(t *session.Track, at audio.Frames, besides string) audio.Frames {
	free := MostJoin
	for id, c := range t.Clips {
		if id != besides && c.End() > at {
			free = min(free, max(0, c.Start-at))
		}
	}
	return free
}

// freeBefore is how far back from a time a track has nothing but one clip.
func freeBefore(t *session.Track, at audio.Frames, besides string) audio.Frames {
	free := MostJoin
	for id, c := range t.Clips {
		if id != besides && c.Start < at {
			free = min(free, max(0, at-c.End()))
		}
	}
	return free
}

// quietest is by how much a join is best moved, both clips reaching half a crossing over it.
func (d *draft) quietest(a, b session.Clip, half audio.Frames) audio.Frames {
	reach := half + nearby
	out := d.samples(a.Sound, a.Offset+a.Length-reach, a.Offset+a.Length+reach)
	in := d.samples(b.Sound, b.Offset-reach, b.Offset+reach)
	if out == nil || in == nil {
		return 0
	}
	return splice.Quietest(out, in, half)
}

// samples gives frames of a sound, or nil if they cannot be had.
func (d *draft) samples(id string, from, to audio.Frames) audio.PCM {
	if d.material.Samples == nil || from < 0 || to > d.Sounds[id].Length || from >= to {
		return nil
	}
	pcm, err := d.material.Samples(id, from, to)
	if err != nil || pcm.Length() != to-from {
		return nil
	}
	return pcm
}
