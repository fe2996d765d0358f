// Package publish brings finished files to listeners: by links, whose pages say what the episode says of itself, and in the feed
// of their show, by which players fetch them. It takes what listeners write, and tells the desk of it.
package publish

import (
	"context"

	lru "github.com/hashicorp/golang-lru/v2"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/share"
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

	feeds   *lru.Cache[string, []byte] // as they were read last
	feeding *share.Group[[]byte]       // those that are being made
}

// Sheet says what is said of an episode in a file of a stretch of it.
type Sheet func(ctx context.Context, e store.Episode, doc session.Document, from, to audio.Frames) (details.Sheet, error)

// keptFeeds is how many feeds are kept as they were read last. The longest take a megabyte.
const keptFeeds = 24

// New gives a publisher.
func New(st *store.Store, l *library.Library, q *work.Queue, sheet Sheet) *Publisher {
	feeds, _ := lru.New[string, []byte](keptFeeds) // whose only error is a size of 0
	return &Publisher{Store: st, Library: l, Queue: q, Sheet: sheet, feeds: feeds, feeding: share.New[[]byte](1)}
}
