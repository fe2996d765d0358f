// Package shelf offers music and effects to choose from. A Shelf may stand for any
// library; the one that ships, House, is a made-up collection computed by Ruvel itself.
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

// Shelf is a library. Implementations are safe for use by many goroutines.
type Shelf interface {
	// Search lists the pieces that meet a query, in an order that stays the same.
	Search(ctx context.Context, q Query) ([]Piece, error)
	// Piece gives one piece by its key; one that is not there is a problem.Problem with the code not-found.
	Piece(ctx context.Context, key string) (Piece, error)
	// Open gives the bytes of a piece's sound file. The caller closes it.
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
