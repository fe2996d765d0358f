package server

import (
	"bytes"
	"context"
	"mime"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/edit"
	"ruvel/core/marks"
)

// MarkersRead is what was found in a list of markers.
type MarkersRead struct {
	Count int `json:"count"`
	Op    Op  `json:"op" doc:"The edit that takes them in"`
}

func (s *Server) markerRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/lists/{list}", "get-markers", "Markers and ranges as a table (CSV) or WebVTT, chapters as lines of text or JSON, the whole timeline as OpenTimelineIO"),
		func(ctx context.Context, in *struct {
			InEpisode
			List string `path:"list" enum:"markers.csv,markers.vtt,chapters.txt,chapters.json,timeline.otio"`
		},
		) (*huma.StreamResponse, error) {
			l, err := s.Handover.List(ctx, in.Episode, in.List)
			if err != nil {
				return nil, fail(err)
			}
			return &huma.StreamResponse{Body: func(hctx huma.Context) {
				req, w := humachi.Unwrap(hctx)
				w.Header().Set("Content-Type", l.Type)
				w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": l.File}))
				http.ServeContent(w, req, "", time.Time{}, bytes.NewReader(l.Data))
			}}, nil
		})
	route(s, api, operation("POST", "/markers/read", "read-markers", "Read a list of markers of others: a table or WebVTT. Nothing is changed by it"),
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
