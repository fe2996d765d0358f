package edit

import (
	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/splice"
)

// mostRepeats is how often a stretch can be repeated, or a bed be laid again, in one edit.
const mostRepeats = 1000

// RepeatStretch lets a stretch of a clip be heard again at once, as in a stutter. What
// follows on the track moves later.
type RepeatStretch struct {
	Kind
	Clip  string       `json:"clip"`
	From  audio.Frames `json:"from" doc:"Session time"`
	To    audio.Frames `json:"to"`
	Times int          `json:"times" minimum:"1" maximum:"1000" doc:"How many times more it is heard"`
	Joining
}

func (o RepeatStretch) apply(d *draft) (string, error) {
	d.still = true
	t, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	if o.Times < 1 || o.Times > mostRepeats {
		return "", problem.New("bad-count", "times", "A stretch is repeated once to %d times.", mostRepeats)
	}
	if o.From < c.Start || o.To > c.End() || o.To <= o.From || o.To-o.From < Shortest {
		return "", problem.New("bad-range", "from", "Choose a stretch of at least 10 ms that lies inside the clip %q.", c.Name)
	}
	for _, at := range []audio.Frames{o.From, o.To} {
		if in, done := bake(t, at); !done && at > c.Start && at < c.End() {
			return "", insideCrossing(at, in)
		}
	}
	c = t.Clips[o.Clip]
	if err := d.fits(o.Times, 0); err != nil {
		return "", err
	}
	piece, _ := within(c, Range{From: o.From, To: o.To})
	piece.FadeIn, piece.FadeOut = session.Fade{Shape: piece.FadeIn.Shape}, session.Fade{Shape: piece.FadeOut.Shape}
	if err := d.cut(t, o.To); err != nil {
		return "", err
	}
	length := o.To - o.From
	shift(t, o.To, length*audio.Frames(o.Times))
	for k := range audio.Frames(o.Times) {
		piece.Start = o.To + k*length
		if _, err := d.add(t, piece); err != nil {
			return "", err
		}
	}
	join := min(o.joinLength(), length/2)
	for k := range audio.Frames(o.Times + 1) {
		d.seam(t, o.To+k*length, join)
	}
	return "Repeat " + length.String() + " of " + quote(c.Name) + " " + count(o.Times, "time"), nil
}

// How the pieces of a loop cross: shortly where the beat goes on, otherwise for longer.
const (
	beatCross = 3 * audio.Rate / 100
	softCross = audio.Second / 2
	// beatHeard is how much of a clip is listened to for its beat.
	beatHeard = 90 * audio.Second
)

// LoopClip lets a clip begin again and again until it has a length. Where it has a beat,
// it begins again on it. Its own end, with its fade, comes at the end.
type LoopClip struct {
	Kind
	Clip   string       `json:"clip"`
	Length audio.Frames `json:"length" doc:"Longer than it is"`
}

func (o LoopClip) apply(d *draft) (string, error) {
	t, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	if o.Length <= c.Length || o.Length > session.MaxLength-c.Start {
		return "", problem.New("bad-length", "length", "The clip %q is %v long already; a loop fills more than that, and stays within the session.", c.Name, c.Length)
	}
	stride, cross := d.loop(c)
	if o.Length/stride > mostRepeats {
		return "", problem.New("bad-length", "length", "That would repeat the clip %q more than %d times. Choose a longer stretch of it, or fill less.", c.Name, mostRepeats)
	}
	end := c.Start + o.Length
	for pos := c.Start; pos < end; pos += stride {
		p := c
		p.Start, p.Length = pos, min(stride+cross, end-pos)
		p.FadeOut = session.Fade{Shape: c.FadeOut.Shape}
		last := pos+p.Length >= end
		if last {
			p.FadeOut.Length = min(c.FadeOut.Length, p.Length)
		}
		if pos == c.Start {
			p.FadeIn.Length = min(p.FadeIn.Length, p.Length)
			t.Clips[o.Clip] = p
		} else {
			p.Crossing, p.FadeIn = session.LaidOver, session.Fade{Shape: c.FadeIn.Shape}
			if _, err := d.add(t, p); err != nil {
				return "", err
			}
		}
		if last {
			break
		}
	}
	return "Fill " + o.Length.String() + " with " + quote(c.Name), nil
}

// loop is after how many frames a clip can begin again, and for how long it crosses with itself then.
func (d *draft) loop(c session.Clip) (stride, cross audio.Frames) {
	cross = min(softCross, c.Length/4)
	stride = max(1, c.Length-cross)
	if c.Length <= 4*beatCross {
		return stride, cross
	}
	// A clip that is longer than what is listened to ends with the last beat of it that was found.
	if pcm := d.samples(c.Sound, c.Offset, c.Offset+min(c.Length, beatHeard)); pcm != nil {
		if length, onBeat := splice.Loop(pcm, beatCross); onBeat {
			return length, beatCross
		}
	}
	return stride, cross
}
