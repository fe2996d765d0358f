package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"
	"github.com/tus/tusd/v2/pkg/filestore"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/tus/tusd/v2/pkg/memorylocker"
	"golang.org/x/exp/slog"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Large files come in by the tus protocol (version 1.0.0) under /api/uploads, so that
// one that broke off goes on where it stopped. What has arrived is imported by a job
// whose id is that of the upload.

// uploadPatience is how long an upload that broke off is kept.
const uploadPatience = 48 * time.Hour

// uploadRoutes mounts the protocol.
func (s *Server) uploadRoutes(r chi.Router) error {
	composer := handler.NewStoreComposer()
	filestore.New(string(s.Worker.Uploads)).UseIn(composer)
	memorylocker.New().UseIn(composer)
	tus, err := handler.NewHandler(handler.Config{
		StoreComposer: composer, BasePath: "/api/uploads/", DisableDownload: true, DisableConcatenation: true,
		Cors: &handler.CorsConfig{Disable: true}, Logger: slog.New(slog.NewTextHandler(io.Discard, nil)),
		PreUploadCreateCallback: func(hook handler.HookEvent) (handler.HTTPResponse, handler.FileInfoChanges, error) {
			err := s.admit(hook.Context, hook.Upload)
			return handler.HTTPResponse{}, handler.FileInfoChanges{ID: store.NewID()}, refusal(err)
		},
		PreFinishResponseCallback: func(hook handler.HookEvent) (handler.HTTPResponse, error) {
			return handler.HTTPResponse{}, refusal(s.arrived(hook.Context, hook.Upload))
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

// admit says whether a file may come in.
func (s *Server) admit(ctx context.Context, info handler.FileInfo) error {
	file := info.MetaData["filename"]
	if _, _, err := s.importOf(info); err != nil {
		return err
	}
	if _, err := s.Store.Show(ctx, info.MetaData["show"]); err != nil {
		return err
	}
	switch {
	case info.SizeIsDeferred:
		return session.Problem{Code: "bad-upload", Where: "size", Message: "The upload does not say how large its file is."}
	case info.Size == 0:
		return nameFile(file, media.Unreadable("empty-file", "The file is empty."))
	case info.Size > s.MaxUpload:
		return nameFile(file, tooLarge(s.MaxUpload))
	}
	return nameFile(file, media.Room(string(s.Worker.Uploads), s.Sounds.KeepFree+info.Size))
}

func tooLarge(most int64) error {
	return session.Problem{Code: "too-large", Where: "file", Message: fmt.Sprintf("The file is larger than %d MB, the most that can be imported.", most>>20)}
}

// importOf reads what is to be done with a file from what was said when it was announced.
func (s *Server) importOf(info handler.FileInfo) (args work.ImportArguments, episode *string, err error) {
	m := info.MetaData
	args = work.ImportArguments{Upload: info.ID, File: strings.ToValidUTF8(m["filename"], "?"), Part: session.Part(m["part"]), Replaces: m["replaces"]}
	bad := func(what string) error {
		return session.Problem{Code: "bad-upload", Where: what, Message: "The upload does not say rightly " + what + "."}
	}
	switch {
	case args.File == "" || len(args.File) > 1000:
		return args, nil, bad("what its file is called")
	case args.Part != "" && args.Part != session.Voice && args.Part != session.Music && args.Part != session.Effect:
		return args, nil, bad("which part it is for")
	case uuid.Validate(m["show"]) != nil:
		return args, nil, bad("which show it is for")
	case args.Replaces != "" && !soundID.MatchString(args.Replaces):
		return args, nil, bad("which sound it replaces")
	}
	if id := m["episode"]; id != "" {
		start, err := strconv.ParseInt("0"+m["start"], 10, 64)
		if uuid.Validate(id) != nil || err != nil || len(m["track"]) > 20 {
			return args, nil, bad("where it is to be placed")
		}
		args.Place = &work.Place{Episode: id, Track: m["track"], Start: audio.Frames(start)}
		episode = &id
	}
	return args, episode, nil
}

// arrived queues the import of a file that is complete.
func (s *Server) arrived(ctx context.Context, info handler.FileInfo) error {
	args, episode, err := s.importOf(info)
	if err != nil {
		return err
	}
	_, err = s.Worker.SubmitAs(ctx, info.ID, work.Import, info.MetaData["show"], episode, args.File, args)
	return err
}

// resumeUploads queues the imports of files that had arrived when an earlier process
// ended before it could, and takes away what nobody has gone on with.
func (s *Server) resumeUploads(ctx context.Context) error {
	s.Worker.Uploads.Sweep(uploadPatience)
	all, err := filepath.Glob(s.Worker.Uploads.File("*.info"))
	if err != nil {
		return err
	}
	for _, path := range all {
		var info handler.FileInfo
		data, err := os.ReadFile(path)
		if err == nil {
			err = json.Unmarshal(data, &info)
		}
		there, statErr := os.Stat(strings.TrimSuffix(path, ".info"))
		if err != nil || statErr != nil || there.Size() != info.Size {
			continue // it has not arrived
		}
		if err := s.arrived(ctx, info); err != nil {
			s.Worker.Uploads.Remove(info.ID)
		}
	}
	return nil
}
