package server

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"

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
	hands   *semaphore.Weighted // how many are fetched at a time
}

func newShelved(s shelf.Shelf, library *sounds.Library, notes string) (*shelved, error) {
	return &shelved{Shelf: s, library: library, notes: notes, hands: semaphore.NewWeighted(1)}, os.MkdirAll(notes, 0o755)
}

var soundID = regexp.MustCompile(`^[0-9a-f]{64}$`)

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
	note := filepath.Join(s.notes, fmt.Sprintf("%s-%d", filepath.Base(key), shelf.Edition))
	if id, err := os.ReadFile(note); err == nil && soundID.Match(id) && s.library.Has(ctx, string(id)) {
		return string(id), nil
	}
	if err := s.hands.Acquire(ctx, 1); err != nil {
		return "", err
	}
	defer s.hands.Release(1)
	r, err := s.Open(ctx, key)
	if err != nil {
		return "", err
	}
	defer r.Close()
	id, _, err := s.library.Put(ctx, r)
	if err != nil {
		return "", err
	}
	return id, os.WriteFile(note, []byte(id), 0o644)
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
	huma.Register(api, operation("GET", "/shelf/{piece}/peaks/{level}", "get-piece-peaks", "Peaks of a piece, in the form of those of sounds"),
		func(ctx context.Context, in *struct {
			InPiece
			PeakRange
		},
		) (*bytesAnswer, error) {
			id, err := s.Shelf.sound(ctx, in.Piece)
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
