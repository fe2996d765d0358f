package treat

import "ruvel/core/session"

// State is what a gate does.
type State uint8

// The states of a gate.
const (
	Closed State = iota
	Open
	Holding // below the lower threshold, but not for long enough to close
)

// gate opens where the level reaches the upper threshold and closes when it has stayed under
// the lower one for the time of its hold: two thresholds, so that it does not flutter at one.
// Its gain goes in dB toward 0 or down to its range, each with a time constant of its own. It
// sees the peaks of a time ahead, so that it is open when a word begins.
func gate(s session.Gate, peaks []float32) (Gains, []State) {
	gains, states := make(Gains, len(peaks)), make([]State, len(peaks))
	ahead := int(steps(s.Ahead.Frames()))
	seen := append([]float32{}, peaks...)
	highest(seen, 0, ahead)
	rise, fall := smooth(s.Attack), smooth(s.Release)
	hold := int(steps(s.Hold.Frames()))
	closed := -float64(s.Range)
	state, below, gain := Closed, 0, closed
	opens, stays := float32(s.Open.Gain()), float32(s.Close.Gain())
	for k, peak := range seen {
		switch {
		case peak >= opens || (state != Closed && peak >= stays):
			state, below = Open, 0
		case state != Closed:
			state = Holding
			if below++; below > hold {
				state = Closed
			}
		}
		target, left := closed, fall
		if state != Closed {
			target, left = 0, rise
		}
		gain = target + (gain-target)*left
		gains[k], states[k] = float32(gain), state
	}
	return gains, states
}
