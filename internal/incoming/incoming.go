// Package incoming is where what arrives in pieces lies until it is whole: the chunks of a take, the stretches of an upload. A place is a
// folder on this machine, or a part of a bucket, in which any process finds what another has taken in. For each thing there is a folder by
// its id, and in it the pieces by their names. A piece never changes once it is there.
package incoming

import (
	"context"
	"time"
)

// Place keeps pieces. It is safe for use by many goroutines, and by several processes at once.
type Place interface {
	// Put keeps a piece. When it answers without an error the piece is there whole, and outlasts an end of the process or the machine;
	// with one, it is there whole or not at all. data is the caller's again then. The same name twice keeps one of both.
	Put(ctx context.Context, of, name string, data []byte) error
	// Get reads a piece. One that is not there is an error that is fs.ErrNotExist.
	Get(ctx context.Context, of, name string) ([]byte, error)
	// Size is the length of a piece in bytes, if it is there.
	Size(ctx context.Context, of, name string) (bytes int64, there bool, err error)
	// List gives the pieces of a thing in the order of their names: none, if there is no such thing. A piece that was put
	// before it is asked is in it.
	List(ctx context.Context, of string) ([]Piece, error)
	// Things gives the ids of all things of which there is a piece, with the time of the newest.
	Things(ctx context.Context) (map[string]time.Time, error)
	// Remove takes a thing away, with its pieces. One that is not there is no error.
	Remove(ctx context.Context, of string) error
}

// Piece is a piece of a thing.
type Piece struct {
	Name  string
	Bytes int64
	Came  time.Time
}

// Move brings all that lies in one place to another, and takes it away from the first when it is there.
func Move(ctx context.Context, from, to Place) error {
	things, err := from.Things(ctx)
	if err != nil {
		return err
	}
	for of := range things {
		pieces, err := from.List(ctx, of)
		if err != nil {
			return err
		}
		for _, p := range pieces {
			data, err := from.Get(ctx, of, p.Name)
			if err != nil {
				return err
			}
			if err := to.Put(ctx, of, p.Name, data); err != nil {
				return err
			}
		}
		if err := from.Remove(ctx, of); err != nil {
			return err
		}
	}
	return nil
}
