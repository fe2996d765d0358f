package mix

import (
	"crypto/sha256"
	"fmt"

	"ruvel/core/audio"
	"ruvel/core/treat"
)

// What a gate does where a span begins to be computed may have been decided long before: between its thresholds it goes
// on with what it did. So the stretches between the places from which on the gates of one span and of the next go by what they hear are
// looked through, back to the last one that decides it. What each makes of a gate is kept by what it is made of, as spans are.

// passage is what a stretch makes of a gate.
type passage struct {
	treat.Passage
	there bool
}

func (p passage) bytes() int {
	if !p.there {
		return 0 // it could not be read
	}
	return entry
}

// heeds is the frame from which on the gate of a span goes by what it hears.
func (t *track) heeds(n int64) audio.Frames {
	from, _ := t.stretch(n)
	if from == 0 {
		return 0
	}
	return from + treat.RunIn
}

// gateBefore is what the gate of a track does at the frame from which on that of a span goes by what it hears. What is not known
// is computed, or else the answer is that it is not known.
func (p *Plan) gateBefore(t *track, n int64, compute bool) (state treat.Gated, known bool) {
	if !t.Treatment.Gate.On {
		return state, true
	}
	var between []passage // the last first
	for k := n; t.heeds(k) > 0; k-- {
		of, known := p.passage(t, k, compute)
		if !known {
			return state, false
		}
		if between = append(between, of); of.Decides() {
			break
		}
	}
	for i := len(between) - 1; i >= 0; i-- {
		state = between[i].After(state)
	}
	return state, true
}

// passage is the stretch before a span from which on its gate goes by what it hears.
func (p *Plan) passage(t *track, n int64, compute bool) (passage, bool) {
	from, to := t.heeds(n-1), t.heeds(n)
	lead := min(from, treat.RunIn)
	begin, end := from-lead, to+t.treated.ahead
	if !t.sounds(begin, end) {
		return passage{treat.SilentPassage(t.Treatment.Gate, to-from), true}, true
	}
	h := sha256.New()
	fmt.Fprintf(h, "gate 1 %v %v %d %d", t.Treatment.LowCut, t.Treatment.Gate, lead, to-from)
	t.digestClips(h, begin, end, from)
	of := key(h.Sum(nil))
	if !compute {
		return p.spans.gates.find(of)
	}
	return p.spans.gates.get(of, func() (made passage) {
		if err := audio.Guard(func() {
			room := rooms.Get().(*[3][]float32)
			defer rooms.Put(room)
			if _, linked := NewRenderer(p).gatherIn(room, t, begin, end); linked != nil {
				made = passage{treat.PassageOf(t.Treatment, linked, lead, to-from), true}
			} else {
				made = passage{treat.SilentPassage(t.Treatment.Gate, to-from), true}
			}
		}); err != nil {
			return passage{Passage: treat.SilentPassage(t.Treatment.Gate, to-from)} // whoever makes the span finds it out
		}
		return made
	}), true
}
