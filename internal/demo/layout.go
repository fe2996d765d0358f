package demo

import (
	"context"
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/details"
	layouts "ruvel/core/house"
	"ruvel/core/session"
	"ruvel/internal/store"
)

// addLayouts fills in the house sound of the series, as far as it is not there.
func addLayouts(ctx context.Context, st *store.Store, show string, doc session.Document) error {
	there, err := st.Layouts(ctx, show)
	if err != nil {
		return err
	}
	for _, l := range []struct {
		name string
		doc  session.Document
	}{{FeatureLayout, layouts.Take(doc)}, {NewsLayout, shortNews(doc)}} {
		if slices.ContainsFunc(there, func(e store.Episode) bool { return e.Title == l.name }) {
			continue
		}
		if _, err := st.AddLayout(ctx, show, l.name, l.doc, details.Details{}); err != nil {
			return err
		}
	}
	return nil
}

// shortNews is the layout of a bulletin of a minute: the theme, one link over the bed, and the outro as in
// the finished episode, with the tracks that a single voice needs.
func shortNews(doc session.Document) session.Document {
	d := layouts.Take(doc)
	tracks := d.Tracks[:0]
	voice := ""
	for _, t := range d.Tracks {
		if t.Part == session.Effect || t.Part == session.Voice && voice != "" {
			continue
		}
		if t.Part == session.Voice {
			voice = t.ID
		}
		tracks = append(tracks, t)
	}
	d.Tracks = tracks
	d.Markers = map[string]session.Marker{}
	const link, end, low = 11 * audio.Second, 41 * audio.Second, 4 * audio.Second
	for i := range d.Tracks {
		t := &d.Tracks[i]
		for id, c := range t.Clips {
			if c.Start == 0 { // the bed ends as the outro comes in
				c.Length = min(c.Length, end+2*audio.Second)
				c.FadeOut = session.Fade{Length: 2 * audio.Second, Shape: session.Smooth}
			} else { // which lies low under the last words, and rises after them
				rise := c.Envelope[len(c.Envelope)-2].At
				skipped := max(0, rise-c.Offset-low-audio.Second/3)
				c.Start, c.Offset, c.Length = end-low, c.Offset+skipped, c.Length-skipped
			}
			t.Clips[id] = c
		}
	}
	d.Markers[fmt.Sprintf("m%d", d.Next)] = session.Marker{Name: "The news", At: link, Length: end - link, Fills: voice}
	d.Next++
	return d
}
