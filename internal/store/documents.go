package store

import (
	"container/list"
	"sync"

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

// documents keeps the latest documents parsed, by episode and version, one for each
// episode. One that is found is used only while the locked row has that version, so it
// does not matter who else writes to the database. It is safe for use by many goroutines.
type documents struct {
	mu    sync.Mutex
	byID  map[string]*list.Element
	order list.List // the last used first
}

func (d *documents) find(episode string, version int64) (parsed, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	e, there := d.byID[episode]
	if !there || e.Value.(parsed).version != version {
		return parsed{}, false
	}
	d.order.MoveToFront(e)
	return e.Value.(parsed), true
}

// keep replaces what is kept of an episode, unless that is newer.
func (d *documents) keep(p parsed) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if e, there := d.byID[p.episode]; there {
		if e.Value.(parsed).version <= p.version {
			e.Value = p
			d.order.MoveToFront(e)
		}
		return
	}
	if d.byID == nil {
		d.byID = map[string]*list.Element{}
	}
	d.byID[p.episode] = d.order.PushFront(p)
	if d.order.Len() > keptDocuments {
		last := d.order.Back()
		delete(d.byID, d.order.Remove(last).(parsed).episode)
	}
}

// forget drops what is kept of an episode.
func (d *documents) forget(episode string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if e, there := d.byID[episode]; there {
		d.order.Remove(e)
		delete(d.byID, episode)
	}
}
