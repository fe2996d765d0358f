package edit

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// ofSession turns a session time into the time of a line: of a clip's line, whose points
// are counted from the beginning of its sound, or of a track's, which is the session's.
func (d *draft) ofSession(l Line, at audio.Frames) (audio.Frames, error) {
	if l.Clip == "" {
		return at, nil
	}
	_, c, err := d.clip(l.Clip)
	return at - c.Start + c.Offset, err
}

// eachOf does something with several level lines and names the step.
func (d *draft) eachOf(lines []Line, verb string, do func(l Line, points []session.Point) ([]session.Point, error)) (string, error) {
	lines = once(lines, func(l Line) Line { return l })
	if err := chosen(lines, "lines"); err != nil {
		return "", err
	}
	var name string
	for _, l := range lines {
		points, owner, store, err := d.line(l)
		if err != nil {
			return "", err
		}
		next, err := do(l, points)
		if err != nil {
			return "", err
		}
		if err := d.room(0, max(0, len(next)-len(points))); err != nil {
			return "", err
		}
		store(next)
		name = verb + " " + quote(owner)
	}
	return oneOrMany(len(lines), name, verb, "level line"), nil
}

// ShiftLines moves whole level lines up or down. What is silent stays silent.
type ShiftLines struct {
	Kind
	Lines []Line   `json:"lines" nullable:"false" minItems:"1" maxItems:"5000"`
	By    audio.DB `json:"by" minimum:"-120" maximum:"120" doc:"dB; less where a point would pass +12 dB, so that the line keeps its form"`
}

func (o ShiftLines) apply(d *draft) (string, error) {
	return d.eachOf(o.Lines, "Move the level line of", func(_ Line, points []session.Point) ([]session.Point, error) {
		if len(points) == 0 {
			return nil, problem.New("no-line", "lines", "There are no points on that level line. Change the gain or the fader instead, or put a point there first.")
		}
		return shifted(points, o.By), nil
	})
}

// shifted is a line moved up or down as a whole, at most until its highest point is at the top.
func shifted(points []session.Point, by audio.DB) []session.Point {
	out := slices.Clone(points)
	for _, p := range points {
		by = min(by, audio.Loudest-p.Level)
	}
	for i := range out {
		if out[i].Level > audio.Silence {
			out[i].Level = hold(out[i].Level + by)
		}
	}
	return out
}

// ClearLines takes all points off level lines.
type ClearLines struct {
	Kind
	Lines []Line `json:"lines" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o ClearLines) apply(d *draft) (string, error) {
	return d.eachOf(o.Lines, "Clear the level line of", func(Line, []session.Point) ([]session.Point, error) {
		return []session.Point{}, nil
	})
}

// PointBend bends the line from a point to the next one.
type PointBend struct {
	PointAt
	Bend float64 `json:"bend" doc:"Held between -1 (ever slower), 0 (straight) and 1 (ever faster)"`
}

// BendLines bends the lines that begin at points.
type BendLines struct {
	Kind
	Bends []PointBend `json:"bends" nullable:"false" minItems:"1" maxItems:"10000"`
}

func (o BendLines) apply(d *draft) (string, error) {
	bends := once(o.Bends, func(b PointBend) PointAt { return b.PointAt })
	if err := chosen(bends, "bends"); err != nil {
		return "", err
	}
	var name string
	err := eachLine(bends, func(b PointBend) Line { return b.Line }, func(l Line, bends []PointBend) error {
		points, owner, store, err := d.line(l)
		if err != nil {
			return err
		}
		next := slices.Clone(points)
		for _, b := range bends {
			i, err := existing(points, b.At)
			if err != nil {
				return err
			}
			next[i].Bend = max(-1, min(1, b.Bend))
		}
		store(next)
		name = "Bend the level line of " + quote(owner)
		return nil
	})
	return name, err
}

// DrawRamp lets a level line go from the level that it has at one time to another level at
// another time. Points in between are gone; those outside stay, and the line with them.
type DrawRamp struct {
	Kind
	Line
	From  audio.Frames `json:"from" doc:"Session time at which it begins"`
	To    audio.Frames `json:"to" doc:"Session time at which it ends; before from, it is drawn backwards"`
	Level audio.DB     `json:"level" doc:"dB at to, held between -120 (silence) and 12"`
}

func (o DrawRamp) apply(d *draft) (string, error) {
	return d.eachOf([]Line{o.Line}, "Ramp on", func(l Line, points []session.Point) ([]session.Point, error) {
		from, err := d.ofSession(l, o.From)
		if err != nil {
			return nil, err
		}
		to, err := d.ofSession(l, o.To)
		if err != nil {
			return nil, err
		}
		from, to = max(0, from), max(0, to)
		if from == to {
			return nil, problem.New("no-ramp", "to", "A ramp needs some time from its beginning to its end.")
		}
		first, last := min(from, to), max(from, to)
		line, _ := envelope.Split(points, first)
		line, _ = envelope.Split(line, last)
		out := slices.DeleteFunc(slices.Clone(line), func(p session.Point) bool { return p.At > first && p.At < last })
		for i := range out {
			if out[i].At == first {
				out[i].Bend = 0
			}
			if out[i].At == to {
				out[i].Level = hold(o.Level)
			}
		}
		return out, nil
	})
}

// LiftStretch makes a stretch louder or softer by points on level lines: down, or up, before
// it, and back after it. Between the two what the line does is kept. Lowering music under a
// stretch of speech is a dip.
type LiftStretch struct {
	Kind
	Lines  []Line       `json:"lines" nullable:"false" minItems:"1" maxItems:"5000"`
	From   audio.Frames `json:"from" doc:"Session time at which the level has been reached"`
	To     audio.Frames `json:"to" doc:"Session time up to which it holds"`
	By     audio.DB     `json:"by" minimum:"-120" maximum:"120" doc:"dB"`
	Before audio.Frames `json:"before" minimum:"1" maximum:"4800000" doc:"Frames that the way there takes"`
	After  audio.Frames `json:"after" minimum:"1" maximum:"4800000" doc:"Frames that the way back takes"`
}

func (o LiftStretch) apply(d *draft) (string, error) {
	switch {
	case o.To <= o.From:
		return "", problem.New("no-stretch", "to", "Choose a stretch of time first: its end lies after its beginning.")
	case o.Before < 1 || o.After < 1 || o.Before > longestRamp || o.After > longestRamp:
		return "", problem.New("bad-ramp", "before", "The way down and the way back take between one frame and %v.", longestRamp)
	}
	verb := "Lift"
	if o.By < 0 {
		verb = "Dip"
	}
	return d.eachOf(o.Lines, verb, func(l Line, points []session.Point) ([]session.Point, error) {
		from, err := d.ofSession(l, o.From)
		if err != nil {
			return nil, err
		}
		if l.Clip != "" {
			if _, c, _ := d.clip(l.Clip); from >= c.Offset+c.Length || from+o.To-o.From <= c.Offset {
				return nil, problem.New("stretch-elsewhere", "from", "The stretch does not lie in the clip %q. Choose one that does.", c.Name)
			}
		}
		return lifted(points, from, from+o.To-o.From, o.Before, o.After, o.By), nil
	})
}

// longestRamp is how long the way to another level, or back, may take.
const longestRamp = 100 * audio.Second

// lifted is a line that is higher by some dB from one time to another, with ramps on both sides.
// A ramp that would begin before time does is left out: the line is there from the beginning.
func lifted(points []session.Point, from, to, before, after audio.Frames, by audio.DB) []session.Point {
	line := points
	if len(line) == 0 {
		line = []session.Point{{At: max(0, from)}}
	}
	a, d := max(0, from-before), to+after
	for _, at := range []audio.Frames{a, max(0, from), max(0, to), d} {
		line, _ = envelope.Split(line, at)
	}
	var out []session.Point
	for _, p := range line {
		switch {
		case p.At > a && p.At < from, p.At > to && p.At < d:
			continue // on a ramp
		case p.At >= from && p.At <= to:
			if p.Level > audio.Silence {
				p.Level = hold(p.Level + by)
			}
		}
		if p.At == a && a < from || p.At == max(0, to) {
			p.Bend = 0 // there a ramp begins
		}
		out = append(out, p)
	}
	return out
}

// HushStretch silences a stretch of clips, which keeps its place, or lets it sound again.
type HushStretch struct {
	Kind
	Clips []string     `json:"clips" nullable:"false" minItems:"1" maxItems:"5000"`
	From  audio.Frames `json:"from" doc:"Session time"`
	To    audio.Frames `json:"to" doc:"Session time"`
	Sound bool         `json:"sound,omitempty" doc:"It is to sound again"`
}

func (o HushStretch) apply(d *draft) (string, error) {
	clips := once(o.Clips, itself)
	if err := chosen(clips, "clips"); err != nil {
		return "", err
	}
	verb := onOff(o.Sound, "Let a stretch sound again of", "Silence a stretch of")
	var name string
	changed := 0
	for _, id := range clips {
		t, c, err := d.clip(id)
		if err != nil {
			return "", err
		}
		span := Range{
			From: max(o.From, c.Start) - c.Start + c.Offset,
			To:   min(o.To, c.End()) - c.Start + c.Offset,
		}
		if span.To <= span.From {
			continue
		}
		next := without(c.Hushed, []Range{span})
		if !o.Sound {
			next = session.Joined(append(slices.Clone(c.Hushed), span))
		}
		if slices.Equal(next, c.Hushed) {
			continue
		}
		c.Hushed = next
		t.Clips[id] = c
		changed++
		name = verb + " " + quote(c.Name)
	}
	if changed == 0 && o.Sound {
		return "", problem.New("nothing-silenced", "from", "Nothing is silenced there. Choose a stretch that is.")
	}
	if changed == 0 {
		return "", problem.New("nothing-there", "from", "There is nothing to be silenced: choose a stretch of a clip.")
	}
	return oneOrMany(changed, name, verb, "clip"), nil
}

// joinedHushed are the stretches of which the first half has some and the second half others.
func joinedHushed(a, b []session.Span, cut audio.Frames) []session.Span {
	if slices.Equal(a, b) {
		return a
	}
	before := without(a, []Range{{From: cut, To: session.MaxLength}})
	return session.Joined(append(before, without(b, []Range{{From: 0, To: cut}})...))
}

// GroupTracks lets tracks move their faders together, or each its own again.
type GroupTracks struct {
	Kind
	Tracks []string `json:"tracks" nullable:"false" minItems:"1" maxItems:"64"`
	Apart  bool     `json:"apart,omitempty" doc:"They are to move apart again"`
}

func (o GroupTracks) apply(d *draft) (string, error) {
	tracks := once(o.Tracks, itself)
	switch {
	case len(tracks) == 0:
		return "", chosen(tracks, "tracks")
	case len(tracks) == 1 && !o.Apart:
		return "", problem.New("one-track", "tracks", "Choose two or more tracks whose faders are to move together.")
	}
	group := ""
	if !o.Apart {
		group = d.id("g")
	}
	for _, id := range tracks {
		t, err := d.track(id)
		if err != nil {
			return "", err
		}
		t.Group = group
	}
	// Who is left alone in a group is in none.
	size := map[string]int{}
	for _, t := range d.Tracks {
		size[t.Group]++
	}
	for i := range d.Tracks {
		if size[d.Tracks[i].Group] == 1 {
			d.Tracks[i].Group = ""
		}
	}
	return onOff(o.Apart, "Move the faders apart of", "Move the faders together of") + " " + count(len(tracks), "track"), nil
}

// MoveFaders moves faders by as much each, those of their groups with them. They stop
// together when one of them meets the top; one that is at silence stays there.
type MoveFaders struct {
	Kind
	Faders []FaderMove `json:"faders" nullable:"false" minItems:"1" maxItems:"64"`
}

// FaderMove is the level that one fader is moved to.
type FaderMove struct {
	Track string   `json:"track"`
	Level audio.DB `json:"level" doc:"dB, held between -120 (silence) and 12"`
}

func (o MoveFaders) apply(d *draft) (string, error) {
	moves := once(o.Faders, func(m FaderMove) string { return m.Track })
	if err := chosen(moves, "faders"); err != nil {
		return "", err
	}
	by := map[string]audio.DB{} // of a group
	own := map[string]audio.DB{}
	var name string
	for _, m := range moves {
		t, err := d.track(m.Track)
		if err != nil {
			return "", err
		}
		own[t.ID] = hold(m.Level)
		if t.Group != "" {
			by[t.Group] = hold(m.Level) - t.Fader
		}
		name = "Fader of " + quote(t.Name) + " to " + levelText(hold(m.Level))
	}
	for _, t := range d.Tracks {
		if most, grouped := by[t.Group]; grouped && t.Group != "" && t.Fader > audio.Silence {
			by[t.Group] = min(most, audio.Loudest-t.Fader)
		}
	}
	moved := 0
	for i := range d.Tracks {
		t := &d.Tracks[i]
		level, named := own[t.ID]
		if way, grouped := by[t.Group]; grouped && t.Group != "" {
			if !named && t.Fader <= audio.Silence {
				continue
			}
			level, named = hold(t.Fader+way), true
		}
		if named {
			t.Fader = level
			moved++
		}
	}
	return oneOrMany(moved, name, "Faders of", "track"), nil
}
