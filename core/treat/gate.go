package treat

import (
	"ruvel/core/audio"
	"ruvel/core/session"
)

// State is what a gate does.
type State uint8

// The states of a gate.
const (
	Closed State = iota
	Open
	Holding // below the lower threshold, but not for long enough to close
)

// Gated is what a gate does at a moment.
type Gated struct {
	State State
	Below int // for how many steps it has been under the lower threshold, while it holds
}

// doorway is a gate as it goes from step to step.
type doorway struct {
	Gated
	opens, stays float32
	hold         int
}

func newDoorway(s session.Gate, before Gated) doorway {
	return doorway{before, float32(s.Open.Gain()), float32(s.Close.Gain()), int(steps(s.Hold.Frames()))}
}

// hear goes on by a step.
func (d *doorway) hear(peak float32) {
	switch {
	case peak >= d.opens || (d.State != Closed && peak >= d.stays):
		d.State, d.Below = Open, 0
	case d.State != Closed:
		d.State = Holding
		if d.Below++; d.Below > d.hold {
			d.State, d.Below = Closed, 0
		}
	}
}

// heard are the peaks that a gate goes by: those of a time ahead, so that it is open when a word begins.
func heard(s session.Gate, peaks []float32) []float32 {
	seen := append([]float32{}, peaks...)
	highest(seen, 0, int(steps(s.Ahead.Frames())))
	return seen
}

// gate opens where the level reaches the upper threshold and closes when it has stayed under
// the lower one for the time of its hold: two thresholds, so that it does not flutter at one.
// Its gain goes in dB toward 0 or down to its range, each with a time constant of its own. It does what it did
// before until a step from which on it goes by what it hears.
func gate(s session.Gate, peaks []float32, before Gated, from int) (Gains, []State) {
	gains, states := make(Gains, len(peaks)), make([]State, len(peaks))
	rise, fall := smooth(s.Attack), smooth(s.Release)
	closed := -float64(s.Range)
	d := newDoorway(s, before)
	gain := closed
	if d.State != Closed {
		gain = 0
	}
	for k, peak := range heard(s, peaks) {
		if k >= from {
			d.hear(peak)
		}
		target, left := closed, fall
		if d.State != Closed {
			target, left = 0, rise
		}
		gain = target + (gain-target)*left
		gains[k], states[k] = float32(gain), d.State
	}
	return gains, states
}

// RunIn is how long a filter that begins in the middle of a sound must run before a gate may go by what comes out of it:
// from rest, a beginning is a step. It is a multiple of Step.
const RunIn = audio.Second / 2

// Passage is what a stretch of sound makes of a gate, whatever that did before. While the level lies between its thresholds a gate
// goes on with what it did, for however long: so what it does at a place can lie far back.
type Passage struct {
	Steps, Under int   // how many steps it has, and how many of them, from its beginning on, lie under the lower threshold
	Hold         int   // steps
	Shut, Ajar   Gated // what the gate does at its end if it was closed at its beginning, and if it was open
}

// PassageOf goes through a stretch of one or two linked channels, as the sum of the clips, which it writes into. Before the stretch lie
// before frames, RunIn or the beginning of the session, and after it at least Ahead.
func PassageOf(t session.Treatment, pcm audio.PCM, before, length audio.Frames) Passage {
	clean(pcm)
	if t.LowCut.On {
		lowCut(t.LowCut, pcm)
	}
	seen := heard(t.Gate, peaks(pcm))[before/Step : (before+length)/Step]
	shut, ajar := newDoorway(t.Gate, Gated{}), newDoorway(t.Gate, Gated{State: Open})
	p := Passage{Steps: len(seen), Hold: shut.hold}
	for k, peak := range seen {
		if p.Under == k && peak < shut.stays {
			p.Under++
		}
		shut.hear(peak)
		ajar.hear(peak)
	}
	p.Shut, p.Ajar = shut.Gated, ajar.Gated
	return p
}

// SilentPassage is that of a stretch in which nothing sounds.
func SilentPassage(s session.Gate, length audio.Frames) Passage {
	p := Passage{Steps: int(length / Step), Under: int(length / Step), Hold: int(steps(s.Hold.Frames()))}
	p.Ajar = p.After(Gated{State: Open})
	return p
}

// Decides says whether the gate does the same at the end whatever it did before.
func (p Passage) Decides() bool { return p.Shut == p.Ajar }

// After is what the gate does at the end.
func (p Passage) After(before Gated) Gated {
	under := before.Below + p.Under
	switch {
	case before.State == Closed || under > p.Hold: // it was closed, or closes before anything is loud enough to keep it open
		return p.Shut
	case p.Under == p.Steps:
		return Gated{Holding, under}
	}
	return p.Ajar
}
