// Package publish brings finished files to listeners: by links, whose pages say what the episode says of itself, and in the feed
// of their show, by which players fetch them. It takes what listeners write, and tells the desk of it.
package publish

import (
	"context"

	lru "github.com/hashicorp/golang-lru/v2"
	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/session"
	"ruvel/internal/flight"
	"ruvel/internal/library"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Publisher is that of all shows.
type Publisher struct {
	Store   *store.Store
	Library *library.Library
	Queue   *work.Queue
	// Sheet is what is said of an episode in a file of a stretch of it.
	Sheet Sheet

	bucket  *blob.Bucket
	feeds   *lru.Cache[string, []byte] // as they were read last
	feeding *flight.Group[[]byte]      // those that are being made
	scaled  *lru.Cache[string, []byte] // pictures as they were shown last
	scaling *flight.Group[[]byte]      // those that are being made smaller
}

// Sheet says what is said of an episode in a file of a stretch of it.
type Sheet func(ctx context.Context, e store.Episode, doc session.Document, from, to audio.Frames) (details.Sheet, error)

const (
	// keptFeeds is how many feeds are kept as they were read last. The longest take a megabyte.
	keptFeeds = 24
	// keptPictures is how many pictures are kept in the size in which they are shown: some 100 kB each.
	keptPictures = 64
)

// New gives a publisher.
func New(st *store.Store, l *library.Library, q *work.Queue, bucket *blob.Bucket, sheet Sheet) *Publisher {
	p := &Publisher{Store: st, Library: l, Queue: q, Sheet: sheet, bucket: bucket, feeding: flight.New[[]byte](1), scaling: flight.New[[]byte](1)}
	p.feeds, _ = lru.New[string, []byte](keptFeeds) // whose only error is a size of 0
	p.scaled, _ = lru.New[string, []byte](keptPictures)
	return p
}
