package turns

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsHeardComesBeforeEverythingElseAndWaitsForNothingElse(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		turns := New(1)
		var mu sync.Mutex
		var order []string
		come := func(name string, take func(ctx context.Context) (func(), error)) (end func()) {
			ended := make(chan struct{})
			go func() {
				done, err := take(t.Context())
				assert.NoError(t, err)
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
		compute := func(ctx context.Context) (func(), error) { return turns.Compute(ctx, "episode") }
		course := come("a course", compute)
		estimate := come("an estimate", compute)
		listener := come("a listener", turns.Listen)
		another := come("another listener", turns.Listen)
		assert.Equal(t, []string{"a course", "a listener"}, order)
		course()
		assert.Len(t, order, 2, "nothing else begins while a listener waits")
		listener()
		assert.ElementsMatch(t, []string{"a course", "a listener", "another listener", "an estimate"}, order, "now none does")
		another()
		estimate()
		func() {
			defer func() { _ = recover() }()
			_ = turns.In(t.Context(), "episode", func() { panic("a fault in the work") })
		}()
		assert.Equal(t, 1, turns.free)
		assert.False(t, turns.busy, "a fault keeps no turn")
		assert.True(t, turns.heard.Empty() && turns.others.Empty())
	})
}

func TestWhoStopsWaitingLeavesNoPlaceBehind(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		end, stop := context.WithCancel(context.Background())
		turns := New(1)
		turns.ends = end
		hears, err := turns.Listen(t.Context())
		require.NoError(t, err)
		done, err := turns.Compute(t.Context(), "one")
		require.NoError(t, err)
		gone, leave := context.WithCancel(t.Context())
		left := make(chan error, 200)
		for range 100 {
			go func() { _, err := turns.Compute(gone, "one"); left <- err }()
			go func() { _, err := turns.Listen(gone); left <- err }()
		}
		synctest.Wait()
		leave()
		for range 200 {
			assert.ErrorIs(t, <-left, context.Canceled, "at once, although nothing was given back")
		}
		assert.True(t, turns.heard.Empty() && turns.others.Empty())
		done()
		hears()
		for range 3 { // nothing was lost on the way
			done, err := turns.Compute(t.Context(), "one")
			require.NoError(t, err)
			done()
			hears, err := turns.Listen(t.Context())
			require.NoError(t, err)
			hears()
		}
		_, err = turns.Compute(t.Context(), "one")
		require.NoError(t, err)
		go func() { _, err := turns.Compute(t.Context(), "two"); left <- err }()
		synctest.Wait()
		stop()
		assert.ErrorIs(t, <-left, errEnding, "a server that ends makes nobody wait")
	})
}

func TestOneEpisodeDoesNotTakeAllTurns(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		turns := New(1)
		first, err := turns.Compute(t.Context(), "busy")
		require.NoError(t, err)
		var order []string
		wait := func(about string) {
			go func() {
				_ = turns.In(t.Context(), about, func() { order = append(order, about) })
			}()
			synctest.Wait()
		}
		for range 4 {
			wait("busy")
		}
		wait("quiet")
		wait("another")
		first()
		synctest.Wait()
		assert.Equal(t, []string{"busy", "quiet", "another", "busy", "busy", "busy"}, order)
	})
}
