package server

import (
	"bytes"
	"context"
	"mime"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/marks"
	"ruvel/core/session"
	"ruvel/core/timeline"
	"ruvel/internal/archive"
	"ruvel/internal/feed"
	"ruvel/internal/store"
)

// markerForms are those in which others read markers.
var markerForms = map[string]struct {
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
func (s *Server) timeline(ctx context.Context, e store.Episode) func(session.Document) ([]byte, error) {
	return func(doc session.Document) ([]byte, error) {
		return timeline.Write(doc, e.Title, func(id string) (name, file string) {
			if sound, err := s.Store.Sound(ctx, e.Show, id); err == nil {
				name = sound.Name
			}
			return name, archive.PathOf(id)
		})
	}
}

// MarkersRead is what was found in a list of markers.
type MarkersRead struct {
	Count int `json:"count"`
	Op    Op  `json:"op" doc:"The edit that takes them in"`
}

func (s *Server) markerRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/lists/{list}", "get-markers", "Markers and ranges as a table (CSV) or WebVTT, chapters as lines of text or JSON, the whole timeline as OpenTimelineIO"),
		func(ctx context.Context, in *struct {
			InEpisode
			List string `path:"list" enum:"markers.csv,markers.vtt,chapters.txt,chapters.json,timeline.otio"`
		},
		) (*huma.StreamResponse, error) {
			e, err := s.Store.Episode(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			doc, _, err := s.Store.Document(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			form, is := markerForms[in.List]
			if !is {
				form.kind, form.write = "application/json", s.timeline(ctx, e)
			}
			out, err := form.write(doc)
			if err != nil {
				return nil, fail(err)
			}
			sheet := details.Sheet{Title: e.Title, Number: e.Number}
			return &huma.StreamResponse{Body: func(hctx huma.Context) {
				req, w := humachi.Unwrap(hctx)
				w.Header().Set("Content-Type", form.kind)
				w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": sheet.FileName("") + " - " + in.List}))
				http.ServeContent(w, req, "", time.Time{}, bytes.NewReader(out))
			}}, nil
		})
	huma.Register(api, operation("POST", "/markers/read", "read-markers", "Read a list of markers of others: a table or WebVTT. Nothing is changed by it"),
		func(_ context.Context, in *struct {
			Body struct {
				Text string `json:"text" maxLength:"4194304"`
			}
		},
		) (*body[MarkersRead], error) {
			read, err := marks.Read([]byte(in.Body.Text))
			if err != nil {
				return nil, fail(err)
			}
			var op edit.AddMarkers
			for _, m := range read {
				op.Markers = append(op.Markers, edit.NewMarker{At: m.At, Length: m.Length, Name: m.Name, Chapter: m.Chapter, Link: m.Link})
			}
			return answer(MarkersRead{len(read), Op{edit.Encode(op)}}, nil)
		})
}
