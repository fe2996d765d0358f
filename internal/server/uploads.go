package server

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"
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
	composer.UseCore(arrivals{s.Uploads})
	composer.UseTerminater(arrivals{s.Uploads})
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
	served := inWords(http.StripPrefix("/api/uploads", tus))
	r.HandleFunc("/uploads", served.ServeHTTP)
	r.HandleFunc("/uploads/", served.ServeHTTP)
	r.HandleFunc("/uploads/{upload}", func(w http.ResponseWriter, r *http.Request) {
		if uuid.Validate(chi.URLParam(r, "upload")) != nil {
			notFound(w, r)
			return
		}
		if err := s.Uploads.Enter(r.Context(), chi.URLParam(r, "upload")); err != nil {
			refuseFor(w, err)
			return
		}
		served.ServeHTTP(w, r)
	})
	return nil
}

// arrivals is where the protocol's handler finds and leaves uploads. Two requests that send the same one to different processes do no harm
// to each other: what they send lies there twice.
type arrivals struct{ uploads *uploads.Uploads }

// arrival is one of them.
type arrival struct {
	uploads *uploads.Uploads
	info    handler.FileInfo
}

// NewUpload begins one that was admitted.
func (a arrivals) NewUpload(ctx context.Context, info handler.FileInfo) (handler.Upload, error) {
	return arrival{a.uploads, info}, refusal(a.uploads.Begin(ctx, announced(info)))
}

// GetUpload finds one.
func (a arrivals) GetUpload(ctx context.Context, id string) (handler.Upload, error) {
	said, come, err := a.uploads.Find(ctx, id)
	if store.IsNotFound(err) {
		return nil, handler.ErrNotFound
	}
	return arrival{a.uploads, handler.FileInfo{ID: said.ID, Size: said.Size, SizeIsDeferred: said.SizeIsDeferred, MetaData: said.MetaData, Offset: come}}, refusal(err)
}

// AsTerminatableUpload is one that its sender does not go on with.
func (a arrivals) AsTerminatableUpload(u handler.Upload) handler.TerminatableUpload {
	return u.(arrival)
}

func (a arrival) Terminate(ctx context.Context) error {
	return refusal(a.uploads.Worker.RemoveUpload(ctx, a.info.ID))
}

func (a arrival) GetInfo(context.Context) (handler.FileInfo, error) { return a.info, nil }

func (a arrival) WriteChunk(ctx context.Context, at int64, src io.Reader) (int64, error) {
	n, err := a.uploads.Worker.Uploads.Write(ctx, a.info.ID, at, src)
	return n, refusal(err)
}

func (a arrival) FinishUpload(context.Context) error { return nil }

// GetReader is asked for by nobody: what has come is not handed out again.
func (a arrival) GetReader(context.Context) (io.ReadCloser, error) { return nil, handler.ErrNotFound }

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

// uploadWords says what the protocol's handler says with a status.
var uploadWords = map[int]string{
	http.StatusNotFound:              "This upload does not exist, or no longer. Send the file anew.",
	http.StatusConflict:              "The upload has come to another place than this request begins at. Ask where it is and go on from there.",
	http.StatusPreconditionFailed:    "Uploads are taken in by version 1.0.0 of the tus protocol.",
	http.StatusRequestEntityTooLarge: "More has come than was announced.",
	http.StatusLocked:                "Another request is sending this upload at the moment.",
	http.StatusMethodNotAllowed:      "This address cannot be asked in this way.",
}

// inWords makes problems of the errors of a handler that answers in another form, and of
// what it may know of our folders.
func inWords(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(&wording{ResponseWriter: w, of: r}, r)
	})
}

// wording is an answer whose error, if it is one, is put in our words.
type wording struct {
	http.ResponseWriter
	of       *http.Request
	reworded bool
}

func (w *wording) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *wording) WriteHeader(status int) {
	if status < 400 || w.Header().Get("Content-Type") == "application/problem+json" {
		w.ResponseWriter.WriteHeader(status)
		return
	}
	w.reworded = true
	w.Header().Del("Content-Length")
	if err := mishapIn(w.of); err != nil && status >= 500 { // which the handler does not know more of
		refuseFor(w.ResponseWriter, err)
		return
	}
	words, known := uploadWords[status]
	if !known {
		words = "The upload could not go on. What has come is kept; try again."
		if status < 500 {
			words = "This is not a request as the tus protocol has them. Nothing was changed."
		}
	}
	refuse(w.ResponseWriter, newError(status, words, "upload"))
}

func (w *wording) Write(p []byte) (int, error) {
	if w.reworded {
		return len(p), nil
	}
	return w.ResponseWriter.Write(p)
}
