package shelf

import (
	"bytes"
	"context"
	"io"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/media"
)

// House is the collection that ships with Ruvel. Its pieces are computed when they are
// asked for, which takes about a second.
type House struct{}

// Edition changes when a piece of the house collection does.
const Edition = 1

// source is where the house collection is said to come from.
const source = "Ruvel house collection"

var _ Shelf = House{}

// Pieces lists the collection: music first, then effects.
func (House) Pieces() []Piece {
	var out []Piece
	for _, m := range pieces() {
		out = append(out, Piece{
			Key: m.key, Title: m.title, Author: m.author, Part: session.Music, Words: m.words, Tempo: m.bpm,
			Length: audio.Seconds(m.seconds()), Licence: "cc-by-4.0", Source: source,
		})
	}
	for _, e := range effects() {
		out = append(out, Piece{
			Key: e.key, Title: e.title, Author: fieldRecordings, Part: session.Effect, Words: e.words,
			Length: audio.Seconds(e.seconds), Licence: "cc0-1.0", Source: source,
		})
	}
	return out
}

// Search implements Shelf.
func (h House) Search(_ context.Context, q Query) ([]Piece, error) {
	found := []Piece{}
	for _, p := range h.Pieces() {
		if p.Meets(q) {
			found = append(found, p)
		}
	}
	return found, nil
}

// Piece implements Shelf.
func (h House) Piece(_ context.Context, key string) (Piece, error) {
	for _, p := range h.Pieces() {
		if p.Key == key {
			return p, nil
		}
	}
	return Piece{}, problem.Problem{Code: "not-found", Where: "piece", Message: "There is no such piece on the shelf."}
}

// Open implements Shelf: it computes the piece and gives it as a 24-bit WAV file.
func (h House) Open(ctx context.Context, key string) (io.ReadCloser, error) {
	if _, err := h.Piece(ctx, key); err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp("", "ruvel-shelf")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "piece.wav")
	e, err := media.CreateWAV(path, 24, 2, audio.Rate)
	if err != nil {
		return nil, err
	}
	err = e.Write(render(key))
	if closed := e.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return nil, disk.Full(err)
	}
	data, err := os.ReadFile(path)
	return io.NopCloser(bytes.NewReader(data)), err
}

// render computes a piece by its key.
func render(key string) audio.PCM {
	for _, m := range pieces() {
		if m.key == key {
			return m.render()
		}
	}
	for _, e := range effects() {
		if e.key == key {
			return e.render()
		}
	}
	return nil
}
