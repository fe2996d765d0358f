package fade

import (
	"sort"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Edge is how long the sound takes to go away, and to come back, inside a silenced stretch.
const Edge = 240 // frames, 5 ms: no click, and shorter than any sound of speech

// Hush is the gain that silenced stretches leave at a frame of the sound: 1 outside them
// and 0 inside, straight from one to the other within Edge, or half of a shorter stretch.
func Hush(spans []session.Span, at audio.Frames) float64 {
	i := sort.Search(len(spans), func(i int) bool { return spans[i].To > at })
	if i == len(spans) || at < spans[i].From {
		return 1
	}
	return hushIn(spans[i], at)
}

// hushIn is the gain at a frame inside a silenced stretch.
func hushIn(s session.Span, at audio.Frames) float64 {
	edge := min(Edge, (s.To-s.From)/2)
	return max(0, 1-float64(min(at-s.From, s.To-1-at)+1)/float64(edge+1))
}

// Hushes says whether silenced stretches change any of the frames from (included) to (excluded) of the sound.
func Hushes(spans []session.Span, from, to audio.Frames) bool {
	i := sort.Search(len(spans), func(i int) bool { return spans[i].To > from })
	return i < len(spans) && spans[i].From < to
}

// MultiplyHush scales gains, of which the first belongs to a frame of the sound.
func MultiplyHush(gains []float32, spans []session.Span, from audio.Frames) {
	to := from + audio.Frames(len(gains))
	for _, s := range spans[sort.Search(len(spans), func(i int) bool { return spans[i].To > from }):] {
		if s.From >= to {
			return
		}
		for at := max(s.From, from); at < min(s.To, to); at++ {
			gains[at-from] *= float32(hushIn(s, at))
		}
	}
}
