package mix

import (
	"container/list"
	"crypto/sha256"
	"sync"
)

// key is a digest of all that something is made of.
type key [sha256.Size]byte

// sized is what knows how much memory it takes. What takes none could not be made.
type sized interface{ bytes() int }

// entry is about what it takes to keep a thing in which there is nothing.
const entry = 256

// keeping keeps what was made, bounded by bytes, what was used last. It is safe for use by many goroutines.
type keeping[V sized] struct {
	mu    sync.Mutex
	most  int
	bytes int
	made  int
	byKey map[key]*list.Element
	order list.List // the last used first
}

func newKeeping[V sized](bytes int) *keeping[V] {
	return &keeping[V]{most: bytes, byKey: map[key]*list.Element{}}
}

// one is a thing that has been made or is being made.
type one[V sized] struct {
	key  key
	done chan struct{} // closed when it is there, or could not be made
	of   *V
}

// has says whether a thing is kept or is being made.
func (s *keeping[V]) has(k key) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, there := s.byKey[k]
	return there
}

// find gives a thing that is there.
func (s *keeping[V]) find(k key) (v V, there bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	e, there := s.byKey[k]
	if !there || e.Value.(*one[V]).of == nil {
		return v, false
	}
	s.order.MoveToFront(e)
	return *e.Value.(*one[V]).of, true
}

// get gives a thing, which is made once for all who want it at the same time.
func (s *keeping[V]) get(k key, produce func() V) V {
	for {
		s.mu.Lock()
		e, there := s.byKey[k]
		if !there {
			o := &one[V]{key: k, done: make(chan struct{})}
			s.byKey[k] = s.order.PushFront(o)
			s.mu.Unlock()
			return s.fill(o, produce)
		}
		s.order.MoveToFront(e)
		s.mu.Unlock()
		o := e.Value.(*one[V])
		if <-o.done; o.of != nil {
			return *o.of
		}
	}
}

// offer keeps a thing that came along with another one, unless it is there or is being made.
func (s *keeping[V]) offer(k key, v V) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, there := s.byKey[k]; there {
		return
	}
	o := &one[V]{key: k, done: make(chan struct{}), of: &v}
	close(o.done)
	s.byKey[k] = s.order.PushFront(o)
	s.bytes += v.bytes()
	s.letGo(o)
}

// fill makes a thing. One that cannot be made is forgotten, and whoever waits tries by themselves.
func (s *keeping[V]) fill(o *one[V], produce func() V) V {
	var made *V
	defer func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		defer close(o.done)
		if made == nil {
			s.order.Remove(s.byKey[o.key])
			delete(s.byKey, o.key)
			return
		}
		o.of = made
		s.made++
		s.bytes += (*made).bytes()
		s.letGo(o)
	}()
	v := produce()
	if v.bytes() > 0 {
		made = &v
	}
	return v
}

// letGo drops what was not used for longest until there is room, but not a thing that was just
// made; the lock is held.
func (s *keeping[V]) letGo(stays *one[V]) {
	for e := s.order.Back(); e != nil && s.bytes > s.most; {
		old, before := e.Value.(*one[V]), e.Prev()
		if old != stays && old.of != nil { // those that are being made stay
			s.order.Remove(e)
			delete(s.byKey, old.key)
			s.bytes -= (*old.of).bytes()
		}
		e = before
	}
}
