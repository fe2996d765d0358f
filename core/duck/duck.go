// Package duck plans how a track makes way for speech: by how much it goes down under each stretch
// in which somebody speaks, and the line that follows from that. It knows where speech is in
// advance, so that a line is down when the first word begins and nothing has to follow anything;
// what is planned is a pure function of the stretches, of mean K-weighted squares under them, and
// of settings. Levels are dB, a lead is LU, times are frames at 48 kHz.
package duck

import (
	"sort"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Before and After are how long before a first word a track is down, and for how long after a last syllable it stays so: a breath before
// the one and the end of the other are softer than what is found to be spoken.
const (
	Before = audio.Rate / 25
	After  = audio.Rate / 25
)

// Around gives stretches of speech in order, and the stretches under which a track that makes way is down, which begin a little before
// each and end a little after it. Speech between which it would not come up is one stretch of both.
func Around(spoken []session.Span) (said, down []session.Span) {
	for _, s := range session.Joined(spoken) {
		if n := len(said); n > 0 && s.From-Before <= down[n-1].To {
			said[n-1].To, down[n-1].To = s.To, s.To+After
			continue
		}
		said = append(said, s)
		down = append(down, session.Span{From: max(0, s.From-Before), To: s.To + After})
	}
	return said, down
}

// Line is the level, from 0 dB down, of a track that makes way.
type Line struct {
	stretches []session.Span
	drop      func(i int) audio.DB
	down, up  audio.Frames
	bridge    audio.Frames // a pause shorter than this is bridged
}

// NewLine makes the line of a track: for stretches of speech, in order and apart from each other,
// and by how many dB it goes down under each of them, none less than 0.
func NewLine(stretches []session.Span, drop func(i int) audio.DB, w session.Way) Line {
	l := Line{stretches: stretches, drop: drop, down: w.Down.Frames(), up: w.Up.Frames()}
	l.bridge = max(w.Bridge.Frames(), l.up+l.down+w.Stay.Frames())
	return l
}

// Corners gives the line's corners as points of a level line, so that between two moments the
// line through them is the whole line; none if it stays at 0 dB there. The ramps on the way are
// given whole, so that it does not matter between which moments they are asked for. It only asks
// for the drops under stretches on which the line depends there.
func (l Line) Corners(from, to audio.Frames) (out []session.Point) {
	first := sort.Search(len(l.stretches), func(i int) bool { return l.stretches[i].To+l.up > from })
	for i := first; i < len(l.stretches); i++ {
		s := l.stretches[i]
		if s.From-l.down >= to && !(l.bridged(i) && l.stretches[i-1].To < to) {
			break
		}
		out = l.enter(out, i)
		out = add(out, s.To, -l.drop(i))
		if !l.bridged(i + 1) {
			out = add(out, s.To+l.up, 0)
		}
	}
	for i, p := range out {
		if p.Level != 0 {
			return out
		}
		out[i].Level = 0 // of a drop of nothing, which is no negative zero
	}
	return nil
}

// bridged says whether the line does not come up between the stretch before one and it.
func (l Line) bridged(i int) bool {
	return i > 0 && i < len(l.stretches) && l.stretches[i].From-l.stretches[i-1].To < l.bridge
}

// enter adds the corners with which the line comes to a stretch.
func (l Line) enter(out []session.Point, i int) []session.Point {
	at, deep := l.stretches[i].From, l.drop(i)
	if !l.bridged(i) {
		if begin := at - l.down; begin >= 0 {
			return add(add(out, begin, 0), at, -deep)
		}
		if at == 0 {
			return add(out, at, -deep)
		}
		// It was under way when the session began.
		return add(add(out, 0, -deep*audio.DB(l.down-at)/audio.DB(l.down)), at, -deep)
	}
	before, last := l.drop(i-1), l.stretches[i-1].To
	if len(out) == 0 {
		out = add(out, last, -before)
	}
	switch gap := at - last; {
	case deep > before: // deeper, and that before the word
		out = add(out, at-min(l.down, gap), -before)
	case deep < before: // not so deep, and not before the last syllable
		out = add(out, last+min(l.up, gap), -deep)
	}
	return add(out, at, -deep)
}

// add adds a corner; of two at one time the later stands.
func add(out []session.Point, at audio.Frames, level audio.DB) []session.Point {
	if n := len(out); n > 0 && out[n-1].At >= at {
		out[n-1].Level = level
		return out
	}
	return append(out, session.Point{At: at, Level: level})
}
