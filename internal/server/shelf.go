package server

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/shelf"
	"ruvel/internal/sounds"
	"ruvel/internal/work"
)

// shelved gives the pieces of a shelf as sounds. What has been fetched once is noted in
// a folder, by the piece's key, so that it is not fetched again.
type shelved struct {
	shelf.Shelf
	library *sounds.Library
	notes   string
	making  singleflight.Group
	going   sync.Map            // keys of pieces that are being fetched in the background
	hands   *semaphore.Weighted // how many of those at a time
}

func newShelved(s shelf.Shelf, library *sounds.Library, notes string) (*shelved, error) {
	return &shelved{Shelf: s, library: library, notes: notes, hands: semaphore.NewWeighted(1)}, os.MkdirAll(notes, 0o755)
}

var soundID = regexp.MustCompile(`^[0-9a-f]{64}$`)

// ready gives the id of a piece's sound if it has been fetched. If not, it is fetched
// in the background, one piece at a time, and the Problem says to ask again: a page has
// few connections, and none may wait for long.
func (s *shelved) ready(ctx context.Context, key string) (string, error) {
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
			id, err := s.sound(background, key)
			if err == nil {
				_, err = s.library.Open(background, id)
			}
			if err != nil {
				slog.Warn("a piece of the shelf could not be fetched", "piece", key, "error", err)
			}
		}()
	}
	return "", session.Problem{Code: "not-ready", Where: "piece", Message: "The piece is being fetched. Ask again in a moment."}
}

// sound gives the id of a piece's sound, fetching it if that has not been done.
func (s *shelved) sound(ctx context.Context, key string) (string, error) {
	if _, err := s.Piece(ctx, key); err != nil {
		return "", err
	}
	v, err, _ := s.making.Do(key, func() (any, error) { return s.fetch(context.WithoutCancel(ctx), key) })
	if err != nil {
		return "", err
	}
	return v.(string), nil
}

func (s *shelved) fetch(ctx context.Context, key string) (string, error) {
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
	return id, os.WriteFile(s.note(key), []byte(id), 0o644)
}

func (s *shelved) note(key string) string {
	return filepath.Join(s.notes, fmt.Sprintf("%s-%d", filepath.Base(key), shelf.Edition))
}

// noted is the id of a piece that was fetched before and is still there.
func (s *shelved) noted(ctx context.Context, key string) (id string, there bool) {
	noted, err := os.ReadFile(s.note(key))
	return string(noted), err == nil && soundID.Match(noted) && s.library.Has(ctx, string(noted))
}

// InPiece is a route within a piece of the shelf.
type InPiece struct {
	Piece string `path:"piece" maxLength:"60" pattern:"^[a-z0-9-]+$"`
}

type placing struct {
	Episode string       `json:"episode,omitempty" format:"uuid" doc:"Place it in this episode when it is there"`
	Track   string       `json:"track,omitempty" maxLength:"20" doc:"On this track; left out: on an empty or new one for its part"`
	Start   audio.Frames `json:"start,omitempty" minimum:"0"`
	Offset  audio.Frames `json:"offset,omitempty" minimum:"0" doc:"Where to begin in the piece"`
	Length  audio.Frames `json:"length,omitempty" minimum:"0" doc:"Left out: to its end"`
}

func (s *Server) shelfRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/shelf", "search-shelf", "Find music and effects on the shelf"),
		func(ctx context.Context, in *struct {
			Words     string       `query:"words" maxLength:"200" doc:"Several words, all of which must be met"`
			Part      session.Part `query:"part" enum:"music,effect"`
			MinLength audio.Frames `query:"minLength" minimum:"0"`
			MaxLength audio.Frames `query:"maxLength" minimum:"0"`
			MinTempo  float64      `query:"minTempo" minimum:"0"`
			MaxTempo  float64      `query:"maxTempo" minimum:"0"`
		},
		) (*body[[]shelf.Piece], error) {
			return answer(s.Shelf.Search(ctx, shelf.Query{
				Words: in.Words, Part: in.Part, MinLength: in.MinLength, MaxLength: in.MaxLength, MinTempo: in.MinTempo, MaxTempo: in.MaxTempo,
			}))
		})
	huma.Register(api, operation("GET", "/shelf/{piece}/audio", "hear-piece", "A piece as 16-bit WAV at 48 kHz, for listening to it"),
		func(ctx context.Context, in *InPiece) (*huma.StreamResponse, error) {
			id, err := s.Shelf.sound(ctx, in.Piece)
			if err != nil {
				return nil, fail(err)
			}
			return s.audioOf(ctx, id)
		})
	huma.Register(api, operation("GET", "/shelf/{piece}/peaks/{level}", "get-piece-peaks", "Peaks of a piece, in the form of those of sounds; 503 while it is still being fetched"),
		func(ctx context.Context, in *struct {
			InPiece
			PeakRange
		},
		) (*bytesAnswer, error) {
			id, err := s.Shelf.ready(ctx, in.Piece)
			if err != nil {
				return nil, fail(err)
			}
			return s.peaksOf(ctx, id, in.PeakRange)
		})
	huma.Register(api, operation("POST", "/shows/{show}/shelf/{piece}", "take-piece", "Take a piece from the shelf among the sounds of a show, and place it if an episode is given"),
		func(ctx context.Context, in *struct {
			InShow
			InPiece
			Body placing
		},
		) (*body[work.JobEvent], error) {
			return answer(s.takePiece(ctx, in.Show, in.Piece, in.Body))
		})
}

func (s *Server) takePiece(ctx context.Context, show, key string, at placing) (work.JobEvent, error) {
	if _, err := s.Store.Show(ctx, show); err != nil {
		return work.JobEvent{}, err
	}
	p, err := s.Shelf.Piece(ctx, key)
	if err != nil {
		return work.JobEvent{}, err
	}
	id, err := s.Shelf.sound(ctx, key)
	if err != nil {
		return work.JobEvent{}, err
	}
	args := work.ImportArguments{Sound: id, File: p.Title, Part: p.Part, About: &work.About{
		Name: p.Title, Title: p.Title, Author: p.Author, Source: p.Source, Licence: p.Licence, Words: strings.Join(p.Words, ", "), Tempo: p.Tempo,
	}}
	var episode *string
	if at.Episode != "" {
		args.Place = &work.Place{Episode: at.Episode, Track: at.Track, Start: at.Start, Offset: at.Offset, Length: at.Length}
		episode = &at.Episode
	}
	job, err := s.Worker.Submit(ctx, work.Import, show, episode, p.Title, args)
	return work.View(job), err
}
