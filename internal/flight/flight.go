// Package flight lets those who want the same thing at the same time wait for one making of it, as golang.org/x/sync/singleflight does;
// besides, it bounds how many things are made at a time, by turns between what they are about, and gives up what nobody waits for any more.
package flight

import (
	"context"
	"fmt"
	"strings"
	"sync"

	"ruvel/internal/turns"
)

// Group makes things that are told apart by their keys. What stands in a key before the first space is what the
// thing is about: of all that wait, those about one thing take turns with those about others. It is safe for use by many goroutines.
type Group[T any] struct {
	hands *turns.Hands // nil: as many at a time as are wanted
	mu    sync.Mutex
	going map[string]*making[T]
}

// making is a thing that is being made, and those who wait for it.
type making[T any] struct {
	waiting int
	cancel  context.CancelFunc
	done    chan struct{} // closed when the fields below are set
	thing   T
	err     error
}

// New gives a group that makes so many things at a time; 0: any number.
func New[T any](n int) *Group[T] {
	g := &Group[T]{going: map[string]*making[T]{}}
	if n > 0 {
		g.hands = turns.NewHands(n)
	}
	return g
}

// Do gives what is being made under a key, or makes it. The context that produce gets ends when
// nobody waits any more; who stops waiting gets the error of their own context.
func (g *Group[T]) Do(ctx context.Context, key string, produce func(context.Context) (T, error)) (thing T, err error) {
	if err := ctx.Err(); err != nil {
		return thing, err
	}
	m := g.join(ctx, key, produce)
	select {
	case <-m.done:
		return m.thing, m.err
	case <-ctx.Done():
		g.leave(key, m)
		return thing, ctx.Err()
	}
}

// join adds one who waits.
func (g *Group[T]) join(ctx context.Context, key string, produce func(context.Context) (T, error)) *making[T] {
	g.mu.Lock()
	defer g.mu.Unlock()
	m := g.going[key]
	if m == nil {
		work, cancel := context.WithCancel(context.WithoutCancel(ctx))
		m = &making[T]{cancel: cancel, done: make(chan struct{})}
		g.going[key] = m
		go g.run(work, key, m, produce)
	}
	m.waiting++
	return m
}

// leave takes one away who has stopped waiting. Whoever comes after the last has it made anew.
func (g *Group[T]) leave(key string, m *making[T]) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if m.waiting--; m.waiting == 0 {
		m.cancel()
		g.forget(key, m)
	}
}

func (g *Group[T]) forget(key string, m *making[T]) {
	if g.going[key] == m {
		delete(g.going, key)
	}
}

func (g *Group[T]) run(ctx context.Context, key string, m *making[T], produce func(context.Context) (T, error)) {
	defer m.cancel()
	defer close(m.done)
	defer func() {
		if r := recover(); r != nil {
			m.err = fmt.Errorf("panic while making %s: %v", key, r)
		}
		g.mu.Lock()
		defer g.mu.Unlock()
		g.forget(key, m)
	}()
	if g.hands != nil {
		about, _, _ := strings.Cut(key, " ")
		if m.err = g.hands.Take(ctx, about); m.err != nil {
			return
		}
		defer g.hands.Give()
	}
	m.thing, m.err = produce(ctx)
}
