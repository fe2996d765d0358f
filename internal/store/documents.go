package store

import (
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"ruvel/core/session"
)

// keptDocuments is how many documents are kept parsed.
const keptDocuments = 32

// parsed is a document as it stands in the database at a version. Nobody changes it.
type parsed struct {
	episode string
	version int64
	doc     session.Document
	gesture string           // of the last step, if that is known
	start   session.Document // that the last step of this gesture began with
}

// documents keeps the latest documents parsed, by episode, one for each. One that is found is used only while the locked row has its
// version, so it does not matter who else writes to the database. It is safe for use by many goroutines.
type documents struct {
	mu   sync.Mutex
	kept *simplelru.LRU[string, parsed] // by episode; nil: none has been kept yet
}

func (d *documents) find(episode string, version int64) (p parsed, there bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.kept == nil {
		return parsed{}, false
	}
	if known, _ := d.kept.Peek(episode); known.version != version {
		return parsed{}, false
	}
	return d.kept.Get(episode)
}

// keep replaces what is kept of an episode, unless that is newer.
func (d *documents) keep(p parsed) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.kept == nil {
		d.kept, _ = simplelru.NewLRU[string, parsed](keptDocuments, nil) // whose only error is a size of 0
	}
	if known, there := d.kept.Peek(p.episode); !there || known.version <= p.version {
		d.kept.Add(p.episode, p)
	}
}

// forget drops what is kept of an episode.
func (d *documents) forget(episode string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.kept != nil {
		d.kept.Remove(episode)
	}
}
