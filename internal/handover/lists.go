package handover

import (
	"context"

	"ruvel/core/details"
	"ruvel/core/marks"
	"ruvel/core/session"
	"ruvel/core/timeline"
	"ruvel/internal/archive"
	"ruvel/internal/feed"
	"ruvel/internal/store"
)

// List is a list of what stands in an episode, in a form that others read.
type List struct {
	File string // what it is called
	Type string // of its content
	Data []byte
}

// List gives one by its name: the markers and ranges of an episode, its chapters, or its whole timeline.
func (h *Handover) List(ctx context.Context, episode, name string) (out List, err error) {
	e, err := h.Store.Episode(ctx, episode)
	if err != nil {
		return out, err
	}
	doc, _, err := h.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	form, is := listForms[name]
	if !is {
		form.kind, form.write = "application/json", h.timeline(ctx, e)
	}
	out.File = details.Sheet{Title: e.Title, Number: e.Number}.FileName("") + " - " + name
	out.Type = form.kind
	out.Data, err = form.write(doc)
	return out, err
}

// listForms are those in which others read markers.
var listForms = map[string]struct {
	kind  string
	write func(doc session.Document) ([]byte, error)
}{
	"markers.csv":  {"text/csv; charset=utf-8", func(doc session.Document) ([]byte, error) { return marks.CSV(doc), nil }},
	"markers.vtt":  {"text/vtt; charset=utf-8", func(doc session.Document) ([]byte, error) { return marks.WebVTT(doc), nil }},
	"chapters.txt": {"text/plain; charset=utf-8", func(doc session.Document) ([]byte, error) { return marks.Chapters(doc), nil }},
	"chapters.json": {feed.ChaptersType, func(doc session.Document) ([]byte, error) {
		to := doc.Length()
		for _, m := range doc.Markers { // some may stand beyond the last clip
			to = max(to, m.At+max(m.Length, 1))
		}
		return feed.Chapters(details.Chapters(doc, 0, to), func(string) string { return "" })
	}},
}

// timeline writes the session of an episode as OpenTimelineIO, with the names of its sounds, and where they lie in its archive.
func (h *Handover) timeline(ctx context.Context, e store.Episode) func(session.Document) ([]byte, error) {
	return func(doc session.Document) ([]byte, error) {
		return timeline.Write(doc, e.Title, func(id string) (name, file string) {
			if sound, err := h.Store.Sound(ctx, e.Show, id); err == nil {
				name = sound.Name
			}
			return name, archive.PathOf(id)
		})
	}
}
