package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Closing says what becomes of the place that something leaves.
type Closing string

// The ways in which a gap is closed.
const (
	LeaveGap   Closing = ""
	CloseTrack Closing = "track" // what follows on the same track moves earlier
	CloseAll   Closing = "all"   // the time itself goes: everything that follows moves earlier
)

// Range is a stretch of session time, in frames.
type Range = session.Span

// Joining is embedded in operations that make joins.
type Joining struct {
	Join *audio.Frames `json:"join,omitempty" doc:"How long the crossings at the joins are; left out: 10 ms; 0: none"`
}

func (j Joining) joinLength() audio.Frames {
	if j.Join == nil {
		return JoinLength
	}
	return max(0, min(*j.Join, MostJoin))
}

// RemoveClips takes clips away. Where a gap is closed, what was free for other clips of
// the track stays: only the time that nothing but the removed clips filled goes. Closing
// it on one track leaves markers, the track's level line and the other tracks as they are.
type RemoveClips struct {
	Kind
	Clips []string `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	Close Closing  `json:"close,omitempty" enum:"track,all" doc:"track: what follows on the same track moves earlier. all: that time goes on all tracks, with markers and level lines. Left out: the gap stays"`
	Joining
}

func (o RemoveClips) apply(d *draft) (string, error) {
	d.still = true
	clips := once(o.Clips, itself)
	if err := chosen(clips, "clips"); err != nil {
		return "", err
	}
	if err := o.Close.valid(); err != nil {
		return "", err
	}
	var name string
	gone := map[string][]Range{}
	for _, id := range clips {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		delete(t.Clips, id)
		gone[t.ID] = append(gone[t.ID], Range{From: c.Start, To: c.End()})
		name = "Remove " + quote(c.Name)
	}
	if o.Close == LeaveGap {
		return oneOrMany(len(clips), name, "Remove", "clip"), nil
	}
	var free []Range
	for i := range d.Tracks {
		t := &d.Tracks[i]
		own := without(session.Joined(gone[t.ID]), covered(t))
		if o.Close == CloseTrack {
			if err := d.closeTrack(t, own, o.joinLength()); err != nil {
				return "", err
			}
		}
		free = append(free, own...)
	}
	if o.Close == CloseAll {
		if err := d.closeAll(session.Joined(free), o.joinLength()); err != nil {
			return "", err
		}
	}
	return oneOrMany(len(clips), name, "Remove", "clip") + onOff(o.Close == CloseAll, " and that time on all tracks", " and close the gap"), nil
}

func (c Closing) valid() error {
	if c != LeaveGap && c != CloseTrack && c != CloseAll {
		return problem.New("bad-edit", "op.close", "A gap is closed on its track or on all, not on %q.", c)
	}
	return nil
}

// RemoveRanges takes stretches of time out of tracks: clips are cut at their ends, and
// what lies between goes.
type RemoveRanges struct {
	Kind
	Ranges []Range  `json:"ranges" nullable:"false" minItems:"1" maxItems:"5000"`
	Tracks []string `json:"tracks,omitempty" maxItems:"64" doc:"Left out: all"`
	Close  Closing  `json:"close,omitempty" enum:"track,all" doc:"track: on each of these tracks what follows moves earlier. all: the time itself goes, on all tracks. Left out: the gaps stay"`
	Joining
}

func (o RemoveRanges) apply(d *draft) (string, error) {
	n, length, err := d.removeRanges(o)
	if err != nil {
		return "", err
	}
	name := "Remove " + length.String() + " at " + session.Joined(o.Ranges)[0].From.String()
	if n > 1 {
		name = "Remove " + count(n, "range")
	}
	switch o.Close {
	case CloseTrack:
		name += " and close the gap"
	case CloseAll:
		name += " on all tracks"
	}
	return name, nil
}

// removeRanges says how many stretches it has taken out, and how long they were.
func (d *draft) removeRanges(o RemoveRanges) (n int, length audio.Frames, err error) {
	d.still = true
	if err := chosen(o.Ranges, "ranges"); err != nil {
		return 0, 0, err
	}
	if err := o.Close.valid(); err != nil {
		return 0, 0, err
	}
	for _, r := range o.Ranges {
		if r.From < 0 || r.To <= r.From || r.To > session.MaxLength {
			return 0, 0, problem.New("bad-range", "ranges", "A stretch that is to be removed begins at 0 or later and ends after it begins.")
		}
	}
	ranges := session.Joined(o.Ranges)
	tracks, err := d.chosenTracks(o.Tracks)
	if err != nil {
		return 0, 0, err
	}
	if !slices.ContainsFunc(tracks, func(t *session.Track) bool { return touches(t, ranges) }) && o.Close == LeaveGap {
		return 0, 0, problem.New("nothing-there", "ranges", "There is nothing to remove in that stretch on the chosen tracks.")
	}
	for _, r := range ranges {
		length += r.To - r.From
	}
	if o.Close == CloseAll {
		return len(ranges), length, d.closeAll(ranges, o.joinLength())
	}
	for _, t := range tracks {
		for _, r := range ranges {
			if err := d.clear(t, r.From, r.To); err != nil {
				return 0, 0, err
			}
		}
		if o.Close == CloseTrack {
			if err := d.closeTrack(t, ranges, o.joinLength()); err != nil {
				return 0, 0, err
			}
		}
	}
	return len(ranges), length, nil
}

// TightenPauses shortens pauses in speech: it takes out their middles, and closes what
// they leave on the chosen tracks or, keeping everything in step, on all.
type TightenPauses struct {
	Kind
	Cuts   []Range  `json:"cuts" nullable:"false" minItems:"1" maxItems:"5000"`
	Tracks []string `json:"tracks,omitempty" maxItems:"64" doc:"Left out: all, in step"`
	Joining
}

func (o TightenPauses) apply(d *draft) (string, error) {
	r := RemoveRanges{Ranges: o.Cuts, Tracks: o.Tracks, Close: CloseTrack, Joining: o.Joining}
	if len(o.Tracks) == 0 {
		r.Close = CloseAll
	}
	n, length, err := d.removeRanges(r)
	return "Tighten " + count(n, "pause") + " by " + length.String(), err
}

// chosenTracks gives tracks by their ids, or all if none are named.
func (d *draft) chosenTracks(ids []string) (out []*session.Track, err error) {
	if len(ids) == 0 {
		for i := range d.Tracks {
			out = append(out, &d.Tracks[i])
		}
		return out, nil
	}
	for _, id := range once(ids, itself) {
		t, err := d.track(id)
		if err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, nil
}

func touches(t *session.Track, ranges []Range) bool {
	for _, c := range t.Clips {
		for _, r := range ranges {
			if c.Start < r.To && c.End() > r.From {
				return true
			}
		}
	}
	return false
}

// CloseGap closes the gap of a track that a time lies in.
type CloseGap struct {
	Kind
	Track string       `json:"track"`
	At    audio.Frames `json:"at"`
	Close Closing      `json:"close" enum:"track,all" doc:"track: on this track alone. all: that time goes on all tracks"`
	Joining
}

func (o CloseGap) apply(d *draft) (string, error) {
	d.still = true
	t, err := d.track(o.Track)
	if err != nil {
		return "", err
	}
	if err := o.Close.valid(); err != nil {
		return "", err
	}
	gap := Range{To: session.MaxLength}
	for _, c := range t.Clips {
		switch {
		case c.Start <= o.At && o.At < c.End():
			return "", problem.New("no-gap", "at", "At %v there is a clip on %s. Point at an empty place between two clips.", o.At, quote(t.Name))
		case c.End() <= o.At:
			gap.From = max(gap.From, c.End())
		default:
			gap.To = min(gap.To, c.Start)
		}
	}
	if gap.To == session.MaxLength {
		return "", problem.New("no-gap", "at", "Nothing follows on %s after %v that could come closer.", quote(t.Name), o.At)
	}
	name := "Close the gap of " + (gap.To - gap.From).String() + " on " + quote(t.Name)
	if o.Close == CloseAll {
		return name + " and all tracks", d.closeAll([]Range{gap}, o.joinLength())
	}
	return name, d.closeTrack(t, []Range{gap}, o.joinLength())
}

// InsertTime makes room: what lies after a time moves later.
type InsertTime struct {
	Kind
	At     audio.Frames `json:"at"`
	Length audio.Frames `json:"length"`
	Tracks []string     `json:"tracks,omitempty" maxItems:"64" doc:"Left out: all, with markers and level lines"`
	Room   bool         `json:"room,omitempty" doc:"Where that parts a clip of a voice, fill the pause with the sound of its room"`
	Joining
}

func (o InsertTime) apply(d *draft) (string, error) {
	d.still = true
	if o.At < 0 || o.Length < 1 || o.Length > session.MaxLength {
		return "", problem.New("bad-range", "length", "Time is put in at 0 or later, and there must be some of it.")
	}
	tracks, err := d.chosenTracks(o.Tracks)
	if err != nil {
		return "", err
	}
	for _, t := range tracks {
		if in, done := bake(t, o.At); !done {
			return "", insideCrossing(o.At, in)
		}
		parted := map[string]bool{} // clips of this track that the time falls into
		for id, c := range t.Clips {
			parted[id] = c.Start < o.At && o.At < c.End()
		}
		if err := d.cut(t, o.At); err != nil {
			return "", err
		}
		shift(t, o.At, o.Length)
		if o.Room && t.Part == session.Voice {
			if err := d.fill(t, parted, o.At, o.Length, o.joinLength()); err != nil {
				return "", err
			}
		}
	}
	if len(o.Tracks) == 0 {
		d.insertTime(o.At, o.Length)
	}
	what := onOff(o.Room, "a pause of ", "")
	return "Put in " + what + o.Length.String() + " at " + o.At.String(), nil
}

// insertTime moves the level lines of tracks and the markers on. A ramp that the new time
// falls into waits there.
func (d *draft) insertTime(at, length audio.Frames) {
	for i := range d.Tracks {
		d.Tracks[i].Envelope = lineWithTime(d.Tracks[i].Envelope, at, length)
	}
	for id, m := range d.Markers {
		switch {
		case m.At >= at:
			m.At += length
		case m.At+m.Length > at:
			m.Length += length
		}
		d.Markers[id] = m
	}
}

// closeTrack takes stretches out of one track: what lies in them goes, what follows moves
// earlier, and where clips meet then, they are joined.
func (d *draft) closeTrack(t *session.Track, ranges []Range, join audio.Frames) error {
	for _, r := range slices.Backward(ranges) {
		if err := d.clear(t, r.From, r.To); err != nil {
			return err
		}
		shift(t, r.To, r.From-r.To)
		d.seam(t, r.From, join)
	}
	return nil
}

// closeAll takes stretches of time away: on all tracks, of their level lines, and of the markers.
func (d *draft) closeAll(ranges []Range, join audio.Frames) error {
	for i := range d.Tracks {
		if err := d.closeTrack(&d.Tracks[i], ranges, join); err != nil {
			return err
		}
	}
	for _, r := range slices.Backward(ranges) {
		for i := range d.Tracks {
			d.Tracks[i].Envelope = lineWithoutTime(d.Tracks[i].Envelope, r.From, r.To, max(2, join))
		}
		for id, m := range d.Markers {
			end := withoutTime(m.At+m.Length, r)
			m.At = withoutTime(m.At, r)
			m.Length = end - m.At
			d.Markers[id] = m
		}
	}
	return nil
}

// withoutTime is where a time comes to stand when a stretch is taken away.
func withoutTime(at audio.Frames, r Range) audio.Frames {
	switch {
	case at <= r.From:
		return at
	case at < r.To:
		return r.From
	}
	return at - (r.To - r.From)
}

// covered are the stretches in which a track has clips.
func covered(t *session.Track) []Range {
	out := make([]Range, 0, len(t.Clips))
	for _, c := range t.Clips {
		out = append(out, Range{From: c.Start, To: c.End()})
	}
	return session.Joined(out)
}

// without is what of some stretches lies in none of others; both are in order and apart.
func without(ranges, others []Range) (out []Range) {
	for _, r := range ranges {
		for _, o := range others {
			if o.To <= r.From || o.From >= r.To {
				continue
			}
			if o.From > r.From {
				out = append(out, Range{From: r.From, To: o.From})
			}
			r.From = o.To
		}
		if r.From < r.To {
			out = append(out, r)
		}
	}
	return out
}
