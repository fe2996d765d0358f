// Package glance is what a desk shows of a session that does not stand in the document but
// follows from it: how long it is, which tracks can be heard and whether they are mono or
// stereo, which part leads in each named range, and where clips take over from each other. It is sent along with the document,
// so that whoever draws a session decides nothing about it.
package glance

import (
	"cmp"
	"maps"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Glance is what follows from a document.
type Glance struct {
	Length audio.Frames `json:"length" doc:"The end of the last clip, in frames at 48 kHz"`
	Tracks []TrackState `json:"tracks" nullable:"false" doc:"In the order of the document's tracks"`
	Order  []Stretch    `json:"order" nullable:"false" doc:"The running order: named ranges by their beginning"`
	// Crossings are those of all tracks.
	Crossings []session.Crossing `json:"crossings" nullable:"false" doc:"Where one clip takes over from another"`
	Empty     []string           `json:"empty" nullable:"false" doc:"The places that nothing fills, by the ids of their markers"`
}

// TrackState is what follows for a track.
type TrackState struct {
	ID       string `json:"id"`
	Heard    bool   `json:"heard" doc:"False while it is muted or others are soloed"`
	Channels int    `json:"channels" doc:"1 if all its clips are mono, 2 if one is stereo, 0 if it has none"`
}

// Stretch is a named range of the running order.
type Stretch struct {
	Marker string       `json:"marker" doc:"Its id"`
	Part   session.Part `json:"part" enum:"voice,music,effect" doc:"The part that leads in it"`
}

// Of looks at a document.
func Of(d session.Document) Glance {
	g := Glance{Length: d.Length(), Tracks: []TrackState{}, Order: []Stretch{}, Crossings: []session.Crossing{}, Empty: append([]string{}, d.EmptyPlaces()...)}
	audible := d.Audible()
	for i, t := range d.Tracks {
		channels := 0
		for _, c := range t.Clips {
			channels = max(channels, d.Sounds[c.Sound].Heard())
		}
		g.Tracks = append(g.Tracks, TrackState{t.ID, audible[i], channels})
		g.Crossings = append(g.Crossings, t.Crossings()...)
	}
	ranges := slices.Collect(maps.Keys(d.Markers))
	ranges = slices.DeleteFunc(ranges, func(id string) bool { return d.Markers[id].Length == 0 || d.Markers[id].Fills != "" })
	slices.SortFunc(ranges, func(a, b string) int {
		return cmp.Or(cmp.Compare(d.Markers[a].At, d.Markers[b].At), cmp.Compare(a, b))
	})
	for _, id := range ranges {
		m := d.Markers[id]
		g.Order = append(g.Order, Stretch{id, leading(d, m.At, m.At+m.Length)})
	}
	return g
}

// spoken is the share of a stretch from which on the voice leads in it, whatever else
// there is: what is said is what a listener remembers of it.
const spoken = 0.3

// leading is the part that a stretch is named after: the voice where there is enough of
// it, otherwise whichever of music and effects covers more.
func leading(d session.Document, from, to audio.Frames) session.Part {
	covered := map[session.Part]audio.Frames{}
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			covered[t.Part] += max(0, min(to, c.End())-max(from, c.Start))
		}
	}
	switch {
	case covered[session.Voice].Seconds() > spoken*(to-from).Seconds():
		return session.Voice
	case covered[session.Effect] > covered[session.Music]:
		return session.Effect
	}
	return session.Music
}
