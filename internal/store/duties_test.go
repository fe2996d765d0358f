package store_test

import (
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestADutyHasOneAtATimeAndPassesOnFromWhoIsSilent(t *testing.T) {
	st, _, _ := open(t)
	has := func(owner string, lease time.Duration) bool {
		mine, err := st.Duty(ctx, "sweep", owner, lease)
		require.NoError(t, err)
		return mine
	}
	assert.True(t, has("one", time.Hour))
	assert.False(t, has("two", time.Hour))
	assert.True(t, has("one", 20*time.Millisecond), "who has it renews it")
	require.Eventually(t, func() bool { return has("two", time.Hour) }, time.Minute, 5*time.Millisecond)
	assert.False(t, has("one", time.Hour))
	other, err := st.Duty(ctx, "backup", "one", time.Hour)
	require.NoError(t, err)
	assert.True(t, other, "each duty by itself")

	second := another(t)
	var got atomic.Int32
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			asks := st
			if i%2 == 1 {
				asks = second
			}
			mine, err := asks.Duty(ctx, "at once", fmt.Sprint(i), time.Hour)
			assert.NoError(t, err)
			if mine {
				got.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), got.Load())
}
