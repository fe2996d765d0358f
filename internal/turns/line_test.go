package turns_test

import (
	"context"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/turns"
)

func TestWhatIsWaitedAboutTakesTurns(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := turns.NewHands(1)
		require.NoError(t, h.Take(t.Context(), "busy"))
		var order []string
		wait := func(ctx context.Context, about string) {
			go func() {
				if h.Take(ctx, about) == nil {
					order = append(order, about)
					h.Give()
				}
			}()
			synctest.Wait()
		}
		gone, leave := context.WithCancel(t.Context())
		for range 50 {
			wait(gone, "dropped")
		}
		for range 3 {
			wait(t.Context(), "busy")
		}
		wait(t.Context(), "quiet")
		leave()
		synctest.Wait()
		h.Give()
		synctest.Wait()
		assert.Equal(t, []string{"busy", "quiet", "busy", "busy"}, order, "many that are about one thing hold up another by one at most, and who has left holds up nobody")
		require.NoError(t, h.Take(t.Context(), "last"), "no hand was lost")
	})
}
