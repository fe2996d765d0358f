package duck

import "ruvel/core/session"

// Ways that are proposed for a whole session go down by this much at most: what needs more to let
// speech lead is better taken away.
const mostProposed = 36

// Room proposes how the tracks of a session for music and effects that can be heard and hold clips
// make way, by track, so that speech leads by so many LU: those that make way for a lead already with
// their own settings, at that lead if theirs is less; the others as for a narration. Those that make way by
// a fixed drop keep it. Which of them need to is seen when they do.
func Room(doc session.Document, lead float64) map[string]session.Way {
	out := map[string]session.Way{}
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		if t.Part == session.Voice || !audible[i] || len(t.Clips) == 0 || t.MakesWay() && t.Way.By == session.ByDrop {
			continue
		}
		w := Starts()[1].Way
		if t.Way.On {
			w = t.Way
		}
		w.Lead = max(lead, w.Lead)
		if !t.Way.On {
			w.Lead = lead
		}
		w.Most = max(w.Most, mostProposed)
		out[t.ID] = w
	}
	return out
}
