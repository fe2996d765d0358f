package shelf

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"

	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"ruvel/core/problem"
	"ruvel/internal/sounds"
)

// Fetcher gives the pieces of a shelf as sounds. What has been fetched once is noted in
// a folder, by the piece's key, so that it is not fetched again.
type Fetcher struct {
	Shelf
	library *sounds.Sounds
	notes   string
	making  singleflight.Group
	going   sync.Map            // keys of pieces that are being fetched in the background
	hands   *semaphore.Weighted // how many of those at a time
}

// NewFetcher fetches from a shelf into a library and keeps its notes in a folder.
func NewFetcher(s Shelf, library *sounds.Sounds, notes string) (*Fetcher, error) {
	return &Fetcher{Shelf: s, library: library, notes: notes, hands: semaphore.NewWeighted(1)}, os.MkdirAll(notes, 0o700)
}

// Ready gives the id of a piece's sound if it has been fetched. If not, it is fetched
// in the background, one piece at a time, and the Problem says to ask again: a page has
// few connections, and none may wait for long.
func (s *Fetcher) Ready(ctx context.Context, key string) (string, error) {
	if _, err := s.Piece(ctx, key); err != nil {
		return "", err
	}
	if id, there := s.noted(ctx, key); there {
		return id, nil
	}
	if _, going := s.going.LoadOrStore(key, true); !going {
		go func() {
			defer s.going.Delete(key)
			background := context.WithoutCancel(ctx)
			_ = s.hands.Acquire(background, 1)
			defer s.hands.Release(1)
			id, err := s.Sound(background, key)
			if err == nil {
				_, err = s.library.Peaks(background, id)
			}
			if err != nil {
				slog.Warn("a piece of the shelf could not be fetched", "piece", key, "error", err)
			}
		}()
	}
	return "", problem.New("not-ready", "piece", "The piece is being fetched. Ask again in a moment.")
}

// Sound gives the id of a piece's sound, fetching it if that has not been done.
func (s *Fetcher) Sound(ctx context.Context, key string) (string, error) {
	if _, err := s.Piece(ctx, key); err != nil {
		return "", err
	}
	v, err, _ := s.making.Do(key, func() (any, error) { return s.fetch(context.WithoutCancel(ctx), key) })
	if err != nil {
		return "", err
	}
	return v.(string), nil
}

func (s *Fetcher) fetch(ctx context.Context, key string) (string, error) {
	if id, there := s.noted(ctx, key); there {
		return id, nil
	}
	r, err := s.Open(ctx, key)
	if err != nil {
		return "", err
	}
	defer r.Close()
	id, _, err := s.library.Put(ctx, r)
	if err != nil {
		return "", err
	}
	return id, os.WriteFile(s.note(key), []byte(id), 0o600)
}

func (s *Fetcher) note(key string) string {
	return filepath.Join(s.notes, fmt.Sprintf("%s-%d", filepath.Base(key), Edition))
}

// noted is the id of a piece that was fetched before and is still there.
func (s *Fetcher) noted(ctx context.Context, key string) (id string, there bool) {
	noted, err := os.ReadFile(s.note(key))
	return string(noted), err == nil && sounds.IsID(string(noted)) && s.library.Want(ctx, string(noted))
}
