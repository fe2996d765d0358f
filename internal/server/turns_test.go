package server

import (
	"sync"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsHeardComesBeforeEverythingElseAndWaitsForNothingElse(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		turns := newTurns(1)
		var mu sync.Mutex
		var order []string
		come := func(name string, take func() func()) (end func()) {
			ended := make(chan struct{})
			go func() {
				done := take()
				mu.Lock()
				order = append(order, name)
				mu.Unlock()
				<-ended
				done()
			}()
			synctest.Wait()
			return func() {
				close(ended)
				synctest.Wait()
			}
		}
		course := come("a course", turns.compute)
		estimate := come("an estimate", turns.compute)
		listener := come("a listener", turns.listen)
		another := come("another listener", turns.listen)
		assert.Equal(t, []string{"a course", "a listener"}, order)
		course()
		assert.Len(t, order, 2, "nothing else begins while a listener waits")
		listener()
		assert.ElementsMatch(t, []string{"a course", "a listener", "another listener", "an estimate"}, order, "now none does")
		another()
		estimate()
		func() {
			defer func() { _ = recover() }()
			turns.in(func() { panic("a fault in the work") })
		}()
		assert.Equal(t, 1, turns.free)
		assert.False(t, turns.busy, "a fault keeps no turn")
		assert.Empty(t, append(turns.heard, turns.others...))
	})
}
