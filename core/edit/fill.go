package edit

import (
	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/splice"
)

// How the sound of a room is looked for, and laid (common practice): near the pause, in
// pieces that are not so short that their coming again is heard.
const (
	roomReach = 30 * audio.Second
	roomPiece = 3 * audio.Second / 2
	roomCross = audio.Second / 25
)

// fill lays the sound of the room into a pause that was put into a clip of a track. If
// there is none to be had, the pause stays empty.
func (d *draft) fill(t *session.Track, parted map[string]bool, at, length, join audio.Frames) error {
	left := ""
	for id, c := range t.Clips {
		if parted[id] && c.End() == at {
			left = id
		}
	}
	if left == "" {
		return nil
	}
	a := t.Clips[left]
	from, piece, found := d.roomOf(a, length)
	if !found {
		return nil
	}
	for pos := at; pos < at+length; {
		// Each piece reaches into the next by what they cross over.
		n := min(piece, at+length-pos)
		c := a
		c.Name, c.Start, c.Offset, c.Length = session.ShortName("Room of "+a.Name), pos, from, n
		c.FadeIn, c.FadeOut = session.Fade{Shape: session.EqualPower}, session.Fade{Shape: session.EqualPower}
		c.Crossing, c.Envelope = session.LaidOver, []session.Point{}
		if pos > at {
			c.Crossing = session.CrossPower // stretches of a room are unlike each other
		}
		if _, err := d.add(t, c); err != nil {
			return err
		}
		if pos+n >= at+length {
			break
		}
		pos += n - min(roomCross, n/2)
	}
	d.seam(t, at, join)
	d.seam(t, at+length, join)
	return nil
}

// roomOf finds where in the sound of a clip its room is heard alone, near the clip's end,
// and how long a piece of that is of use.
func (d *draft) roomOf(c session.Clip, length audio.Frames) (from, piece audio.Frames, found bool) {
	end := c.Offset + c.Length
	low, high := max(0, end-roomReach), min(d.Sounds[c.Sound].Length, end+roomReach)
	pcm := d.samples(c.Sound, low, high)
	if pcm == nil {
		return 0, 0, false
	}
	for piece = min(length, roomPiece); piece >= audio.Second/10; piece /= 2 {
		if at, ok := splice.Room(pcm, piece); ok {
			return low + at, piece, true
		}
	}
	return 0, 0, false
}
