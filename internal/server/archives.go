package server

import (
	"context"
	"io"
	"log/slog"
	"mime"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

func (s *Server) archiveRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/archive", "get-archive", "The whole episode in one file, which opens again anywhere: docs/archive.md. It is opened by uploading it, as sounds are"), s.archiveFile)
}

func (s *Server) archiveFile(ctx context.Context, in *InEpisode) (*huma.StreamResponse, error) {
	name, m, doc, err := s.archiveOf(ctx, in.Episode)
	if err != nil {
		return nil, fail(err)
	}
	return &huma.StreamResponse{Body: func(out huma.Context) {
		ctx, cancel := s.streaming(out.Context())
		defer cancel()
		out.SetHeader("Content-Type", "application/zip")
		out.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name + ".zip"}))
		err := archive.Write(ctx, out.BodyWriter(), m, doc, s.inArchive)
		if err != nil && ctx.Err() == nil {
			slog.Warn("an archive could not be written to its end", "episode", in.Episode, "error", err)
			panic(http.ErrAbortHandler) // whoever receives it must not take it for whole
		}
	}}, nil
}

// inArchive opens what lies under an id in an archive: an original, or a picture.
func (s *Server) inArchive(ctx context.Context, id string, picture bool) (io.ReadCloser, error) {
	if picture {
		return s.Bucket.NewReader(ctx, work.PictureFolder+id, nil)
	}
	return s.Sounds.Original(ctx, id)
}

// archiveOf is what an archive of an episode holds, and what it is called.
func (s *Server) archiveOf(ctx context.Context, episode string) (name string, m archive.Manifest, doc session.Document, err error) {
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return name, m, doc, err
	}
	if doc, _, err = s.Store.Document(ctx, episode); err != nil {
		return name, m, doc, err
	}
	sheet, err := s.sheet(ctx, e, doc, 0, doc.Length())
	if err != nil {
		return name, m, doc, err
	}
	m = archive.Manifest{Show: sheet.Show, Title: e.Title, Number: e.Number, Layout: e.Layout, Details: sheet.Details}
	text, err := s.Store.Script(ctx, episode)
	if err != nil {
		return name, m, doc, err
	}
	if text.Version > 0 {
		m.Script = &archive.Script{Text: text.Text, Pace: int(text.Pace), Recorded: text.Recorded.Of}
	}
	for _, id := range doc.SoundsInOrder() {
		sound, err := s.Store.Sound(ctx, e.Show, id)
		if err != nil {
			return name, m, doc, err
		}
		m.Sounds = append(m.Sounds, archive.Sound{
			ID: id, Bytes: sound.Bytes, Name: sound.Name, Part: sound.Part, Title: sound.Title, Author: sound.Author, Source: sound.Source,
			Licence: sound.Licence, Notes: sound.Notes, Words: sound.Words, Tempo: sound.Tempo,
		})
	}
	ids := []string{sheet.Artwork}
	for _, marker := range doc.Markers {
		ids = append(ids, marker.Picture)
	}
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		if id == "" {
			continue
		}
		p, err := s.Store.AnyPicture(ctx, id)
		if store.IsNotFound(err) {
			if id == sheet.Artwork { // it was taken away from its show
				m.Details.Artwork = ""
			}
			continue
		}
		if err != nil {
			return name, m, doc, err
		}
		m.Pictures = append(m.Pictures, archive.Picture{ID: id, Bytes: p.Bytes})
	}
	return sheet.FileName("archive"), m, doc, nil
}
