package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"os"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/revise"
	"ruvel/internal/chunks"
	"ruvel/internal/incoming"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// apiError is application/problem+json (RFC 9457) with a code that stays the same between versions.
type apiError struct {
	huma.ErrorModel
	Code    string `json:"code" doc:"What kind of problem it is, for programs"`
	Current int64  `json:"current,omitempty" doc:"With the code version-conflict: the version that the episode is at; with chunk-missing: the chunk that is due"`
}

func (e *apiError) Error() string { return e.Detail }

// GetHeaders says when to ask again, where that makes sense.
func (e *apiError) GetHeaders() http.Header {
	if e.Status != http.StatusServiceUnavailable {
		return nil
	}
	return http.Header{"Retry-After": {"1"}}
}

// statusOf is the HTTP status of problems that are not 422.
var statusOf = map[string]int{
	"not-found": http.StatusNotFound, "sound-in-use": http.StatusConflict, "sound-gone": http.StatusConflict,
	"nothing-to-undo": http.StatusConflict, "nothing-to-redo": http.StatusConflict, "disk-full": http.StatusInsufficientStorage,
	"unknown-step": http.StatusNotFound, "shared": http.StatusConflict, "link-withdrawn": http.StatusConflict, "name-taken": http.StatusConflict, "must-mend": http.StatusConflict, "being-measured": http.StatusServiceUnavailable,
	"too-large": http.StatusRequestEntityTooLarge, "take-closed": http.StatusConflict, "take-full": http.StatusConflict, "take-open": http.StatusConflict, "take-in-use": http.StatusConflict,
	"not-signed-in": http.StatusUnauthorized, "wrong-password": http.StatusUnauthorized, "not-allowed": http.StatusForbidden, "too-often": http.StatusTooManyRequests, "busy": http.StatusServiceUnavailable,
	"link-used": http.StatusGone, "last-owner": http.StatusConflict, "last-keeper": http.StatusConflict, "needed-later": http.StatusConflict, "one-person": http.StatusConflict, "known-already": http.StatusConflict,
	"not-ready": http.StatusServiceUnavailable, "script-changed": http.StatusConflict, "sound-unreadable": http.StatusServiceUnavailable,
	"not-given-up": http.StatusConflict, "original-missing": http.StatusNotFound, "file-missing": http.StatusNotFound, "original-unreadable": http.StatusServiceUnavailable,
}

// fail turns an error into an answer. What is not meant for people is logged and answered in general words.
func fail(err error) error {
	var p problem.Problem
	var c store.Conflict
	var gap chunks.Gap
	var stale revise.Stale
	if errors.Is(err, audio.ErrUnreadable) {
		err = work.Unreadable()
	}
	switch {
	case err == nil:
		return nil
	case errors.Is(err, context.Canceled): // whoever asked has left, whatever could not be asked any more because of that
		return newError(http.StatusBadRequest, "The request broke off before it was complete. Nothing of it was kept.", "cancelled")
	case errors.As(err, &c):
		e := newError(http.StatusConflict, c.Error(), "version-conflict")
		e.Current = c.Current
		return e
	case errors.As(err, &stale):
		e := newError(http.StatusConflict, stale.Error(), "changed-meanwhile")
		for _, name := range slices.Sorted(maps.Keys(stale.There)) {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Message: "was changed meanwhile", Location: name, Value: stale.There[name]})
		}
		return e
	case errors.As(err, &gap):
		e := newError(http.StatusConflict, "A stretch of the recording before this one has not arrived yet.", "chunk-missing")
		e.Current = int64(gap.Next)
		return e
	case errors.As(err, &p):
		status, ok := statusOf[p.Code]
		if !ok {
			status = http.StatusUnprocessableEntity
		}
		e := newError(status, p.Message, p.Code)
		e.Errors = []*huma.ErrorDetail{{Message: p.Message, Location: p.Where}}
		return e
	case store.IsAway(err) && !errors.Is(err, os.ErrDeadlineExceeded):
		slog.Warn("the database does not answer", "error", err)
		return newError(http.StatusServiceUnavailable, "The database does not answer at the moment. Nothing that was kept is lost; this is tried again.", "database-away")
	case incoming.IsAway(err):
		slog.Warn("the bucket does not answer", "error", err)
		return newError(http.StatusServiceUnavailable, "The store of files does not answer at the moment. Nothing that was kept is lost; this is tried again.", "bucket-away")
	case store.IsUnfit(err):
		slog.Warn("a value did not fit its column", "error", err) // which should have been found out before
		return newError(http.StatusUnprocessableEntity, "Something in this is too long, holds signs that cannot be kept, or names what does not exist. Nothing was changed.", "unfit")
	case store.IsFull(err):
		return newError(http.StatusInsufficientStorage, "The disk is full, so this was not kept. Free some space; it is tried again.", "disk-full")
	case errors.Is(err, os.ErrDeadlineExceeded):
		return newError(http.StatusRequestTimeout, "The request stopped coming before it was complete. Nothing of it was kept.", "cancelled")
	case errors.Is(err, io.ErrUnexpectedEOF):
		return newError(http.StatusBadRequest, "The request broke off before it was complete. Nothing of it was kept.", "cancelled")
	}
	slog.Error("request failed", "error", err)
	return newError(http.StatusInternalServerError, "Something went wrong inside Ruvel; the log says more. Nothing was changed; try again.", "internal")
}

func newError(status int, detail, code string) *apiError {
	return &apiError{ErrorModel: huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail}, Code: code}
}

// useOurErrors makes huma answer its own findings, such as a malformed body, in the same shape.
func useOurErrors() {
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		e := newError(status, message, "bad-request")
		for _, err := range errs {
			var p problem.Problem
			if errors.As(err, &p) || errors.Is(err, os.ErrDeadlineExceeded) { // while the body was read: as that the disk is full
				if errors.As(fail(err), &e) {
					return e
				}
			}
			var d huma.ErrorDetailer
			if errors.As(err, &d) {
				detail := d.ErrorDetail()
				e.Errors = append(e.Errors, detail)
				e.Detail = fmt.Sprintf("%s: %s %s", message, detail.Location, detail.Message)
			}
		}
		return e
	}
}

// refuseFor is refuse for whatever went wrong.
func refuseFor(w http.ResponseWriter, err error) {
	var e *apiError
	if errors.As(fail(err), &e) {
		refuse(w, e)
	}
}

// refuse answers with an error where huma does not.
func refuse(w http.ResponseWriter, e *apiError) {
	w.Header().Set("Content-Type", "application/problem+json")
	maps.Copy(w.Header(), e.GetHeaders())
	w.WriteHeader(e.Status)
	_ = json.NewEncoder(w).Encode(e)
}
