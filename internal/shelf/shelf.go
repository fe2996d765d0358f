// Package shelf offers music and effects to choose from. A Shelf may stand for any
// collection; the one that ships, House, is a made-up one computed by Ruvel itself.
package shelf

import (
	"context"
	"io"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Piece is something on a shelf, with all that a credit needs.
type Piece struct {
	Key     string       `json:"key"`
	Title   string       `json:"title"`
	Author  string       `json:"author"`
	Part    session.Part `json:"part" enum:"music,effect"`
	Words   []string     `json:"words" nullable:"false" doc:"Mood, instruments, genre"`
	Tempo   float64      `json:"tempo" doc:"Beats a minute; 0 if it has none"`
	Length  audio.Frames `json:"length" doc:"Frames at 48 kHz"`
	Licence string       `json:"licence" doc:"The key of a licence"`
	Source  string       `json:"source"`
}

// Query is what somebody looks for. Zero values ask for nothing.
type Query struct {
	Words                string // several, all of which must be met
	Part                 session.Part
	MinLength, MaxLength audio.Frames
	MinTempo, MaxTempo   float64 // a piece without a tempo meets no tempo
}

// Shelf is a collection of pieces.
//
// Its methods are called in any order, by many goroutines at once. A key stands for the same piece with the same sound for ever: what was
// fetched of it is kept by its key and not asked for again. What is given belongs to whoever asked; a Shelf keeps none of it and changes none
// of it afterwards. A method may keep one waiting as long as its context lasts, and ends with its error. That a piece is not there is a
// problem.Problem with the code not-found; any other error means that the shelf could not be asked, and the same is asked again later. An
// error leaves nothing behind.
type Shelf interface {
	// Search lists the pieces that meet a query (see Piece.Meets), in an order that stays the same: none is an empty list, and no error.
	Search(ctx context.Context, q Query) ([]Piece, error)
	// Piece gives one piece by its key, also if no search has named it.
	Piece(ctx context.Context, key string) (Piece, error)
	// Open gives the bytes of a piece's sound file, in one of the forms that are imported, from the beginning and whole, each time it is
	// called. The caller closes it, and may do so before the end.
	Open(ctx context.Context, key string) (io.ReadCloser, error)
}

// Meets says whether a piece is what a query looks for. Each word must begin a word of
// its title, its author or its description.
func (p Piece) Meets(q Query) bool {
	if q.Part != "" && p.Part != q.Part {
		return false
	}
	if p.Length < q.MinLength || (q.MaxLength > 0 && p.Length > q.MaxLength) {
		return false
	}
	if (q.MinTempo > 0 || q.MaxTempo > 0) && (p.Tempo == 0 || p.Tempo < q.MinTempo || (q.MaxTempo > 0 && p.Tempo > q.MaxTempo)) {
		return false
	}
	text := wordsOf(p.Title + " " + p.Author + " " + strings.Join(p.Words, " "))
	for _, wanted := range wordsOf(q.Words) {
		if !begins(text, wanted) {
			return false
		}
	}
	return true
}

func wordsOf(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return strings.ContainsRune(" ,;.–-/\t\n", r) })
}

func begins(words []string, beginning string) bool {
	for _, w := range words {
		if strings.HasPrefix(w, beginning) {
			return true
		}
	}
	return false
}
