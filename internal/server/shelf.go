package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/shelf"
	"ruvel/internal/work"
)

// InPiece is a route within a piece of the shelf.
type InPiece struct {
	Piece string `path:"piece" maxLength:"60" pattern:"^[a-z0-9-]+$"`
}

func (s *Server) shelfRoutes(api huma.API) {
	route(s, api, operation("GET", "/shelf", "search-shelf", "Find music and effects on the shelf"),
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
	route(s, api, operation("GET", "/shelf/{piece}/audio", "hear-piece", "A piece as 16-bit WAV at 48 kHz, for listening to it"),
		func(ctx context.Context, in *InPiece) (*huma.StreamResponse, error) {
			id, err := s.Shelf.Sound(ctx, in.Piece)
			if err != nil {
				return nil, fail(err)
			}
			return s.audioOf(ctx, id)
		})
	route(s, api, operation("GET", "/shelf/{piece}/peaks/{level}", "get-piece-peaks", "Peaks of a piece, in the form of those of sounds; 503 while it is still being fetched"),
		func(ctx context.Context, in *struct {
			InPiece
			PeakRange
		},
		) (*bytesAnswer, error) {
			id, err := s.Shelf.Ready(ctx, in.Piece)
			if err != nil {
				return nil, fail(err)
			}
			return s.peaksOf(ctx, id, in.PeakRange)
		})
	route(s, api, operation("POST", "/shows/{show}/shelf/{piece}", "take-piece", "Take a piece from the shelf among the sounds of a show, and place it if an episode is given"),
		func(ctx context.Context, in *struct {
			InShow
			InPiece
			Body library.Placing
		},
		) (*body[work.JobEvent], error) {
			return answer(s.Library.TakePiece(ctx, in.Show, in.Piece, in.Body))
		})
}
