package house

import (
	"slices"

	"ruvel/core/session"
)

// Contents are what is in a layout.
type Contents struct {
	Places []EmptyPlace `json:"places" nullable:"false" doc:"The empty places, in order"`
	Tracks []string     `json:"tracks" nullable:"false" doc:"The names of its tracks"`
	Music  []HouseMusic `json:"music" nullable:"false" doc:"What is played in every episode"`
	Target string       `json:"target" doc:"In words"`
}

// EmptyPlace is where something goes that each episode has of its own.
type EmptyPlace struct {
	Name  string `json:"name"`
	Track string `json:"track" doc:"The name of its track"`
	session.Span
}

// HouseMusic is a piece that every episode has.
type HouseMusic struct {
	Name  string `json:"name"`
	Sound string `json:"sound"`
	Clips int    `json:"clips"`
}

// Describe gives the contents of a layout.
func Describe(doc session.Document) Contents {
	out := Contents{Places: []EmptyPlace{}, Tracks: []string{}, Music: []HouseMusic{}}
	target, _ := doc.Aim()
	out.Target = target.Name
	for _, id := range doc.EmptyPlaces() {
		m := doc.Markers[id]
		out.Places = append(out.Places, EmptyPlace{m.Name, doc.Tracks[doc.FindTrack(m.Fills)].Name, session.Span{From: m.At, To: m.At + m.Length}})
	}
	for _, t := range doc.Tracks {
		out.Tracks = append(out.Tracks, t.Name)
		for _, id := range t.ClipsInOrder() {
			c := t.Clips[id]
			if i := slices.IndexFunc(out.Music, func(m HouseMusic) bool { return m.Sound == c.Sound }); i >= 0 {
				out.Music[i].Clips++
			} else {
				out.Music = append(out.Music, HouseMusic{c.Name, c.Sound, 1})
			}
		}
	}
	return out
}
