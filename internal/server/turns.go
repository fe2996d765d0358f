package server

import "sync"

// turns lets a few render at a time for those who listen, and one thing besides be computed that
// nobody listens to: it begins when no listener waits, and no listener ever waits for it.
type turns struct {
	mu     sync.Mutex
	free   int // of those for listeners
	busy   bool
	heard  []chan struct{} // who waits to render what is heard
	others []chan struct{}
}

func newTurns(n int) *turns { return &turns{free: n} }

// listen waits for a turn to render what is heard, and gives what ends it.
func (t *turns) listen() (done func()) {
	t.wait(&t.heard)
	return func() { t.end(func() { t.free++ }) }
}

// compute waits for the turn to compute something else, and gives what ends it.
func (t *turns) compute() (done func()) {
	t.wait(&t.others)
	return func() { t.end(func() { t.busy = false }) }
}

// in computes a piece of something that nobody listens to.
func (t *turns) in(do func()) {
	defer t.compute()()
	do()
}

func (t *turns) wait(queue *[]chan struct{}) {
	mine := make(chan struct{})
	t.mu.Lock()
	*queue = append(*queue, mine)
	t.next()
	t.mu.Unlock()
	<-mine
}

func (t *turns) end(give func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	give()
	t.next()
}

// next lets those begin whose turn it is; the lock is held.
func (t *turns) next() {
	for ; t.free > 0 && len(t.heard) > 0; t.free-- {
		t.heard = begin(t.heard)
	}
	if !t.busy && len(t.heard) == 0 && len(t.others) > 0 {
		t.busy = true
		t.others = begin(t.others)
	}
}

func begin(queue []chan struct{}) []chan struct{} {
	close(queue[0])
	return queue[1:]
}
