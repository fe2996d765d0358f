package server

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/google/uuid"

	"ruvel/internal/store"
	"ruvel/internal/work"
)

// heartbeat keeps connections open and finds those that are gone.
const heartbeat = 15 * time.Second

// beat is a sign of life; version lets a window notice that it has missed a change.
type beat struct {
	Version int64 `json:"version"`
}

func (s *Server) eventRoutes(api huma.API) {
	sse.Register(api, operation("GET", "/episodes/{episode}/events", "follow-episode", "Changes, jobs and lists of an episode and its show as they happen"),
		map[string]any{"message": work.Event{}, "beat": beat{}},
		func(ctx context.Context, in *InEpisode, send sse.Sender) {
			if err := s.follow(ctx, in.Episode, send); err != nil && ctx.Err() == nil {
				slog.Debug("events ended", "error", err)
			}
		})
}

func (s *Server) follow(ctx context.Context, episode string, send sse.Sender) error {
	ctx, cancel := s.streaming(ctx)
	defer cancel()
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return err
	}
	events, err := s.Queue.Listen(ctx, work.EpisodeSubject(episode), work.ShowSubject(e.Show))
	if err != nil {
		return err
	}
	tick := time.NewTicker(heartbeat)
	defer tick.Stop()
	for {
		version, err := s.Store.Version(ctx, episode)
		if store.IsNotFound(err) {
			return send.Data(work.Event{Removed: &work.ShowEvent{Show: e.Show}})
		}
		if err != nil {
			return err
		}
		if err := send.Data(beat{version}); err != nil {
			return err
		}
		if err := forward(events, tick.C, send); err != nil {
			return err
		}
	}
}

// forward passes events on until the next heartbeat is due.
func forward(events <-chan []byte, due <-chan time.Time, send sse.Sender) error {
	for {
		select {
		case data, more := <-events:
			if !more {
				return context.Canceled
			}
			var e work.Event
			if err := json.Unmarshal(data, &e); err != nil {
				return err
			}
			if err := send.Data(e); err != nil {
				return err
			}
		case <-due:
			return nil
		}
	}
}

// followable answers for an episode that does not exist, which a stream of events could not.
func (s *Server) followable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if id, ok := strings.CutSuffix(strings.TrimPrefix(r.URL.Path, "/api/episodes/"), "/events"); ok && uuid.Validate(id) == nil {
			if _, err := s.Store.Version(r.Context(), id); err != nil {
				refuseFor(w, err)
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}
