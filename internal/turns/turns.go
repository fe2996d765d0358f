// Package turns says who computes when: those who listen first, and everybody else by turns.
package turns

import (
	"context"
	"sync"

	"ruvel/core/mix"
	"ruvel/core/problem"
)

// Turns lets a few render at a time for those who listen, and one thing besides be computed that
// nobody listens to: it begins when no listener waits, and no listener ever waits for it. Whoever stops waiting
// leaves no place behind, and who computes much for one episode waits behind who computes little for another.
type Turns struct {
	mu     sync.Mutex
	free   int // of those for listeners
	busy   bool
	heard  Line // who waits to render what is heard
	others Line
	ends   context.Context // of all waiting to compute; nil: it never ends
}

// New gives turns of which so many are for listeners.
func New(listeners int) *Turns { return &Turns{free: listeners} }

// Until ends all waiting to compute with a context. It is said before anybody waits.
func (t *Turns) Until(end context.Context) { t.ends = end }

// Listen waits for a turn to render what is heard, and gives what ends it.
func (t *Turns) Listen(ctx context.Context) (done func(), err error) {
	return t.wait(ctx, &t.heard, "", func() { t.free++ })
}

// errEnding is what those are told who still wait when the server ends.
var errEnding = problem.New("not-ready", "server", "Ruvel is being ended. Nothing was changed; ask again when it is back.")

// Compute waits for the turn to compute something else, about an episode or a show, and gives what ends it.
func (t *Turns) Compute(ctx context.Context, about string) (done func(), err error) {
	if t.ends == nil {
		return t.wait(ctx, &t.others, about, func() { t.busy = false })
	}
	waiting, stop := context.WithCancel(ctx)
	defer stop()
	defer context.AfterFunc(t.ends, stop)()
	if done, err = t.wait(waiting, &t.others, about, func() { t.busy = false }); err != nil && ctx.Err() == nil {
		err = errEnding
	}
	return done, err
}

// In computes a piece of something that nobody listens to.
func (t *Turns) In(ctx context.Context, about string, do func()) error {
	done, err := t.Compute(ctx, about)
	if err != nil {
		return err
	}
	defer done()
	do()
	return nil
}

// Plan is one whose work is done in turns, for as long as the context lasts.
func (t *Turns) Plan(ctx context.Context, about string, p *mix.Plan) *mix.Plan {
	return p.InTurns(ctx.Err, func(do func()) error { return t.In(ctx, about, do) })
}

// wait stands in a line until it is one's turn or the context ends; give is called, with the lock held, when the turn does.
func (t *Turns) wait(ctx context.Context, line *Line, about string, give func()) (done func(), err error) {
	end := func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		give()
		t.next()
	}
	t.mu.Lock()
	mine := line.Join(about)
	t.next()
	t.mu.Unlock()
	select {
	case <-mine:
		return end, nil
	case <-ctx.Done():
	}
	t.mu.Lock()
	left := line.Leave(mine)
	t.next() // what waited for a listener need not any more
	t.mu.Unlock()
	if !left {
		end()
	}
	return nil, ctx.Err()
}

// next lets those begin whose turn it is; the lock is held.
func (t *Turns) next() {
	for ; t.free > 0 && !t.heard.Empty(); t.free-- {
		t.heard.Begin()
	}
	if !t.busy && t.heard.Empty() && !t.others.Empty() {
		t.busy = true
		t.others.Begin()
	}
}
