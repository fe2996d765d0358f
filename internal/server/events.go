package server

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"reflect"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"ruvel/internal/access"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// heartbeat keeps streams open, finds those that are gone, and lets whoever listens find out that a line has died.
const heartbeat = 5 * time.Second

// told is an event as a window of an episode is told it.
type told struct {
	Of string `json:"of" doc:"The episode whose windows are told"`
	work.Event
}

// beat is a sign of life; version lets a window notice that it has missed a change.
type beat struct {
	Of      string `json:"of" doc:"The episode"`
	Version int64  `json:"version"`
}

type followedEpisodes struct {
	Episodes []string `query:"episode,explode" of:"episode,gone" required:"true" minItems:"1" maxItems:"100"`
}

// Resolve refuses what cannot be an episode.
func (f *followedEpisodes) Resolve(huma.Context) []error {
	for _, id := range f.Episodes {
		if uuid.Validate(id) != nil {
			return []error{&huma.ErrorDetail{Location: "query.episode", Message: "is no episode's id", Value: id}}
		}
	}
	return nil
}

func (s *Server) eventRoutes(api huma.API) {
	names := namesIn(reflect.TypeFor[followedEpisodes](), nil)
	sse.Register(api, through(operation("GET", "/events", "follow-episodes", "What happens to some episodes and their shows, as it happens. A browser needs one such stream, however many windows it shows"), names),
		map[string]any{"message": told{}, "beat": beat{}},
		func(ctx context.Context, in *followedEpisodes, send sse.Sender) {
			for _, n := range thingsIn(names, reflect.ValueOf(in).Elem()) { // which may be of several shows
				if err := s.Access.Enter(ctx, rightFor("follow-episodes"), n); err != nil {
					slog.Debug("an episode is not followed", "error", err)
					return
				}
			}
			var one sync.Mutex
			together := sse.Sender(func(m sse.Message) error {
				one.Lock()
				defer one.Unlock()
				return send(m)
			})
			ctx, cancel := s.streaming(ctx)
			defer cancel()
			follow, ctx := errgroup.WithContext(ctx)
			for _, episode := range in.Episodes {
				follow.Go(func() error { return s.follow(ctx, episode, together) })
			}
			if err := follow.Wait(); err != nil && ctx.Err() == nil {
				slog.Debug("events ended", "error", err)
			}
		})
}

// follow tells what happens to an episode, and that it has been removed; then there is nothing more to be told.
func (s *Server) follow(ctx context.Context, episode string, send sse.Sender) error {
	ctx, left := s.stays(ctx, rightFor("follow-episodes"), access.Named{Thing: store.AnEpisode, ID: episode, Gone: true})
	defer left()
	removed := told{episode, work.Event{Removed: &work.ShowEvent{}}}
	e, err := s.Store.Episode(ctx, episode)
	if store.IsNotFound(err) {
		err = send.Data(removed)
		<-ctx.Done() // a stream that ended would be asked for again
		return err
	}
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
			err = send.Data(removed)
			<-ctx.Done()
			return err
		}
		if err != nil {
			return err
		}
		if err := send.Data(beat{episode, version}); err != nil {
			return err
		}
		if err := s.forward(ctx, e, events, tick.C, send); err != nil {
			return err
		}
	}
}

// forward passes events on until the next heartbeat is due.
func (s *Server) forward(ctx context.Context, of store.Episode, events <-chan []byte, due <-chan time.Time, send sse.Sender) error {
	for {
		select {
		case data, more := <-events:
			if !more {
				return context.Canceled
			}
			e := told{Of: of.ID}
			if err := json.Unmarshal(data, &e.Event); err != nil {
				return err
			}
			theirs, err := s.tellable(ctx, of.ID, of.Show, &e.Event)
			if err != nil {
				return err
			}
			if !theirs {
				continue
			}
			if err := send.Data(e); err != nil {
				return err
			}
		case <-due:
			return nil
		}
	}
}

// followable answers while the database is away, which a stream of events could not.
func (s *Server) followable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/api/events" {
			if id := r.URL.Query().Get("episode"); id != "" {
				if _, err := s.Store.Version(r.Context(), id); err != nil && !store.IsNotFound(err) {
					refuseFor(w, err)
					return
				}
			}
		}
		next.ServeHTTP(w, r)
	})
}
