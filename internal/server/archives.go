package server

import (
	"context"
	"log/slog"
	"mime"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/archive"
	"ruvel/internal/backup"
)

func (s *Server) archiveRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/archive", "get-archive", "The whole episode in one file, which opens again anywhere: docs/archive.md. It is opened by uploading it, as sounds are"), s.archiveFile)
}

func (s *Server) archiveFile(ctx context.Context, in *struct {
	InEpisode
	Files bool `query:"files" doc:"With the finished files, for whoever unpacks it"`
},
) (*huma.StreamResponse, error) {
	name, m, doc, err := s.Backup.Contents(ctx, in.Episode)
	if err == nil && in.Files {
		m.Files, err = s.Backup.Files(ctx, in.Episode)
	}
	if err != nil {
		return nil, fail(err)
	}
	return &huma.StreamResponse{Body: func(out huma.Context) {
		ctx, cancel := s.streaming(out.Context())
		defer cancel()
		out.SetHeader("Content-Type", "application/zip")
		out.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name + ".zip"}))
		err := archive.Write(ctx, out.BodyWriter(), m, doc, s.Backup.Open)
		if err != nil && ctx.Err() == nil {
			slog.Warn("an archive could not be written to its end", "episode", in.Episode, "error", err)
			panic(http.ErrAbortHandler) // whoever receives it must not take it for whole
		}
	}}, nil
}

func (s *Server) backupRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows/{show}/settings", "get-show-settings", "What a show keeps besides its episodes and layouts, to be kept elsewhere"),
		func(ctx context.Context, in *InShow) (*body[backup.ShowSettings], error) {
			return answer(s.Backup.Settings(ctx, in.Show))
		})
	route(s, api, operation("PUT", "/shows/{show}/settings", "set-show-settings", "Give a show the settings of one that was kept. Its name stays; artwork that it does not have is left out"),
		func(ctx context.Context, in *struct {
			InShow
			Body backup.ShowSettings
		},
		) (*empty, error) {
			return nothing(s.Backup.TakeSettings(ctx, in.Show, in.Body))
		})
}
