package turns

import (
	"context"
	"slices"
	"sync"
)

// Line is who waits for something, and what each is about. All that somebody waits about come by turns, so that
// many who are about one thing hold up others by one of them at most. It is not safe for use by many goroutines.
type Line struct{ rows []row }

type row struct {
	about   string
	waiting []chan struct{}
}

// Join adds one who waits, until what is given is closed.
func (l *Line) Join(about string) (mine chan struct{}) {
	mine = make(chan struct{})
	i := slices.IndexFunc(l.rows, func(r row) bool { return r.about == about })
	if i < 0 {
		i, l.rows = len(l.rows), append(l.rows, row{about: about})
	}
	l.rows[i].waiting = append(l.rows[i].waiting, mine)
	return mine
}

// Begin lets the next one begin, if anybody waits.
func (l *Line) Begin() {
	if len(l.rows) == 0 {
		return
	}
	first := l.rows[0]
	close(first.waiting[0])
	l.rows = l.rows[1:]
	if first.waiting = first.waiting[1:]; len(first.waiting) > 0 {
		l.rows = append(l.rows, first)
	}
}

// Leave takes one away, and says whether it waited still: if not, it has begun.
func (l *Line) Leave(mine chan struct{}) bool {
	for i := range l.rows {
		k := slices.Index(l.rows[i].waiting, mine)
		if k < 0 {
			continue
		}
		l.rows[i].waiting = slices.Delete(l.rows[i].waiting, k, k+1)
		if len(l.rows[i].waiting) == 0 {
			l.rows = slices.Delete(l.rows, i, i+1)
		}
		return true
	}
	return false
}

// Empty says whether nobody waits.
func (l *Line) Empty() bool { return len(l.rows) == 0 }

// Hands are how many things are done at a time, by turns between what they are about. They are safe for use by many goroutines.
type Hands struct {
	mu   sync.Mutex
	free int
	line Line
}

// NewHands gives so many.
func NewHands(n int) *Hands { return &Hands{free: n} }

// Take waits for a hand; who stops waiting gets the error of the context, and none.
func (h *Hands) Take(ctx context.Context, about string) error {
	h.mu.Lock()
	mine := h.line.Join(about)
	h.next()
	h.mu.Unlock()
	select {
	case <-mine:
		return nil
	case <-ctx.Done():
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if !h.line.Leave(mine) {
		h.free++
		h.next()
	}
	return ctx.Err()
}

// Give gives one back.
func (h *Hands) Give() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.free++
	h.next()
}

// next lets those begin for whom there is a hand; the lock is held.
func (h *Hands) next() {
	for ; h.free > 0 && !h.line.Empty(); h.free-- {
		h.line.Begin()
	}
}
