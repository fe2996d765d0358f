package duck

import (
	"fmt"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/lead"
	"ruvel/core/session"
)

// Reason is why a track that covers speech takes no more away there.
type Reason struct {
	Text string       // in words, as the end of a sentence that begins with the track: "makes no way for speech"
	More *session.Way // with which it would take away what is needed; nil: with none
}

// Covering is a place in which a track covers speech.
type Covering struct {
	Track session.Track
	Clip  string // of it, its id
	Voice string // that is covered, its track's id
	At    audio.Frames
	Down  audio.DB // by which the track goes down there
	Aim   float64  // LU, the lead that speech is to have
	Short float64  // LU by which it has less
}

// Why says why a track that covers speech takes no more away.
func (c Covering) Why() Reason {
	w := c.Track.Way
	if !c.Track.MakesWay() {
		if !w.On && w.By == "" {
			w = Starts()[1].Way
		}
		return Reason{"makes no way for speech", c.more(w)}
	}
	switch {
	case !w.IsFor(c.Voice):
		return Reason{"makes way for other voices alone", c.more(w)}
	case w.By == session.ByDrop:
		return Reason{fmt.Sprintf("goes down by a fixed %.1f dB", w.Drop), c.more(w)}
	case c.Down >= w.Most-0.05:
		return Reason{fmt.Sprintf("is down by its most, %.1f dB%s", w.Most, c.raised()), c.more(w)}
	case w.Lead < c.Aim:
		return Reason{fmt.Sprintf("keeps a lead of %.1f LU alone", w.Lead), c.more(w)}
	}
	reason := Reason{Text: fmt.Sprintf("keeps its lead of %.1f LU by what is known of the recordings, and what is heard of them together differs", w.Lead)}
	if bound := session.Ranges()["way"]["lead"].High; w.Lead < bound {
		w.Lead = min(bound, math.Ceil(w.Lead+c.Short-lead.Swing+1))
		reason.More = &w
	}
	return reason
}

// more is a way that takes more away; nil if it takes all that one can.
func (c Covering) more(w session.Way) *session.Way {
	bound := audio.DB(session.Ranges()["way"]["most"].High)
	full := w.On && w.By == session.ByLead && w.Most >= bound && w.IsFor(c.Voice)
	if full && w.Lead >= c.Aim {
		return nil
	}
	needed := audio.DB(math.Ceil(float64(c.Down) + c.Short + lead.Swing))
	w.On, w.By, w.For = true, session.ByLead, nil
	w.Lead, w.Most = max(c.Aim, w.Lead), min(bound, max(w.Most, mostProposed, needed))
	return &w
}

// raised says what raises a track where it cannot go down any further.
func (c Covering) raised() string {
	const noticed = 0.5
	at := func(points []session.Point, at audio.Frames) float64 {
		return float64(audio.Level(envelope.New(points).GainAt(at)))
	}
	if by := at(c.Track.Envelope, c.At); by >= noticed {
		return fmt.Sprintf(", and its level line raises it by %.1f dB", by)
	}
	clip, there := c.Track.Clips[c.Clip]
	if !there {
		return ""
	}
	if by := at(clip.Envelope, c.At-clip.Start+clip.Offset); by >= noticed {
		return fmt.Sprintf(", and the level line of its clip raises it by %.1f dB", by)
	}
	return ""
}

// Deeper are two ways of a track as one: what either of them takes away.
func Deeper(a, b session.Way) session.Way {
	a.Lead, a.Most = max(a.Lead, b.Lead), max(a.Most, b.Most)
	if len(b.For) == 0 {
		a.For = nil
	}
	return a
}

// Said is why something is still covered, in a sentence about a clip, or a track, of a name.
func (r Reason) Said(name string) string { return "“" + name + "” " + r.Text + "." }

// OfTrack is the drop of a track in a place: the deepest under the stretches of speech in it.
func OfTrack(stretches []session.Span, drops []audio.DB, from, to audio.Frames) (down audio.DB) {
	first, _ := slices.BinarySearchFunc(stretches, from, func(s session.Span, at audio.Frames) int {
		if s.To > at {
			return 1
		}
		return -1
	})
	for i := first; i < len(stretches) && stretches[i].From < to; i++ {
		down = max(down, drops[i])
	}
	return down
}
