package server

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"mime"
	"net/http"
	"path/filepath"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

func (s *Server) archiveRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/archive", "get-archive", "The whole episode in one file, which opens again anywhere: docs/archive.md. It is opened by uploading it, as sounds are"), s.archiveFile)
}

func (s *Server) archiveFile(ctx context.Context, in *struct {
	InEpisode
	Files bool `query:"files" doc:"With the finished files, for whoever unpacks it"`
},
) (*huma.StreamResponse, error) {
	name, m, doc, err := s.archiveOf(ctx, in.Episode)
	if err == nil && in.Files {
		m.Files, err = s.filesOf(ctx, in.Episode)
	}
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

// inArchive opens what lies under an id in an archive.
func (s *Server) inArchive(ctx context.Context, id string, of archive.Kind) (io.ReadCloser, error) {
	switch of {
	case archive.OfPicture:
		return s.Bucket.NewReader(ctx, work.PictureFolder+id, nil)
	case archive.OfFile:
		m, err := s.Store.Mixdown(ctx, id)
		if err != nil {
			return nil, err
		}
		return s.Bucket.NewReader(ctx, work.MixdownKey(m), nil)
	}
	return s.Sounds.Original(ctx, id)
}

// filesOf are the finished files of an episode, each under a name of its own.
func (s *Server) filesOf(ctx context.Context, episode string) (out []archive.File, err error) {
	all, err := s.Store.Mixdowns(ctx, episode)
	for _, m := range all {
		name := filepath.Base(m.File)
		for n := 2; slices.ContainsFunc(out, func(f archive.File) bool { return strings.EqualFold(f.Name, name) }); n++ {
			ext := filepath.Ext(m.File)
			name = fmt.Sprintf("%s (%d)%s", strings.TrimSuffix(filepath.Base(m.File), ext), n, ext)
		}
		out = append(out, archive.File{ID: m.ID, Name: name, Bytes: m.Bytes, Setting: m.Made.Of.Setting, Integrated: m.Loudness.Of.Integrated, TruePeak: m.Loudness.Of.TruePeak})
	}
	return out, err
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
	sheet, err := s.Handover.Sheet(ctx, e, doc, 0, doc.Length())
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
