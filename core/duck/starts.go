package duck

import (
	"ruvel/core/audio"
	"ruvel/core/session"
)

// Start is a way to begin with.
type Start struct {
	Key  string      `json:"key"`
	Name string      `json:"name"`
	For  string      `json:"for" doc:"What it is for, in a sentence"`
	Way  session.Way `json:"way"`
}

// Starts are the ways to begin with. Their values are our own, within what is common practice: about a
// second each way, less for what is lively, more for what explains; a drop of 10 to 18 dB.
func Starts() []Start {
	way := func(lead float64, drop, most audio.DB, down, up, bridge, stay session.Millis) session.Way {
		w := session.UsualWay()
		w.On, w.Lead, w.Down, w.Up, w.Bridge, w.Stay = true, lead, down, up, bridge, stay
		w.Drop, w.Most = drop, most
		return w
	}
	return []Start{
		{"lively", "Lively", "Quick links and banter: the music is soon back and never far away.", way(12, 10, 18, 500, 750, 1600, 300)},
		{"narration", "Narration", "One who tells: the music lies low under whole passages and returns in real pauses.", way(15, 14, 24, 700, 1200, 2500, 500)},
		{"documentary", "Documentary", "Long thoughts: slow and deep, and up again only where a scene ends.", way(20, 18, 30, 1000, 2500, 4500, 1000)},
	}
}
