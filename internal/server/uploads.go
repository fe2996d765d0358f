package server

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"
	"github.com/tus/tusd/v2/pkg/filestore"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/tus/tusd/v2/pkg/memorylocker"
	"golang.org/x/exp/slog"

	"ruvel/internal/store"
	"ruvel/internal/uploads"
)

// Large files come in by the tus protocol (version 1.0.0) under /api/uploads, so that
// one that broke off goes on where it stopped. What becomes of them stands in internal/uploads.

// uploadRoutes mounts the protocol.
func (s *Server) uploadRoutes(r chi.Router) error {
	composer := handler.NewStoreComposer()
	filestore.New(string(s.Worker.Uploads)).UseIn(composer)
	memorylocker.New().UseIn(composer)
	tus, err := handler.NewHandler(handler.Config{
		StoreComposer: composer, BasePath: "/api/uploads/", DisableDownload: true, DisableConcatenation: true,
		Cors: &handler.CorsConfig{Disable: true}, Logger: slog.New(slog.NewTextHandler(io.Discard, nil)),
		PreUploadCreateCallback: func(hook handler.HookEvent) (handler.HTTPResponse, handler.FileInfoChanges, error) {
			err := s.Uploads.Admit(hook.Context, announced(hook.Upload))
			return handler.HTTPResponse{}, handler.FileInfoChanges{ID: store.NewID()}, refusal(err)
		},
		PreFinishResponseCallback: func(hook handler.HookEvent) (handler.HTTPResponse, error) {
			return handler.HTTPResponse{}, refusal(s.Uploads.Arrived(hook.Context, announced(hook.Upload)))
		},
	})
	if err != nil {
		return err
	}
	served := http.StripPrefix("/api/uploads", tus)
	r.HandleFunc("/uploads", served.ServeHTTP)
	r.HandleFunc("/uploads/", served.ServeHTTP)
	r.HandleFunc("/uploads/{upload}", func(w http.ResponseWriter, r *http.Request) {
		if uuid.Validate(chi.URLParam(r, "upload")) != nil {
			notFound(w, r)
			return
		}
		served.ServeHTTP(w, r)
	})
	return nil
}

// refusal gives an error the form in which the protocol's handler answers, with our problems as its body.
func refusal(err error) error {
	if err == nil {
		return nil
	}
	var e *apiError
	if !errors.As(fail(err), &e) {
		return err
	}
	data, _ := json.Marshal(e)
	return handler.Error{ErrorCode: e.Code, Message: e.Detail, HTTPResponse: handler.HTTPResponse{
		StatusCode: e.Status, Body: string(data), Header: handler.HTTPHeader{"Content-Type": "application/problem+json"},
	}}
}

func announced(info handler.FileInfo) uploads.Announced {
	return uploads.Announced{ID: info.ID, Size: info.Size, SizeIsDeferred: info.SizeIsDeferred, MetaData: info.MetaData}
}
