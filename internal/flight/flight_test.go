package flight_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/flight"
)

var ctx = context.Background()

func TestThoseWhoWantTheSameShareOneMaking(t *testing.T) {
	g := flight.New[int](0)
	var made atomic.Int32
	go1, first := make(chan struct{}), make(chan struct{})
	var all sync.WaitGroup
	all.Go(func() {
		v, err := g.Do(ctx, "a", func(context.Context) (int, error) {
			close(first)
			<-go1
			return int(made.Add(1)), nil
		})
		assert.NoError(t, err)
		assert.Equal(t, 1, v)
	})
	<-first
	var asked sync.WaitGroup
	for range 30 {
		asked.Add(1)
		all.Go(func() {
			asked.Done()
			v, err := g.Do(ctx, "a", func(context.Context) (int, error) { return int(made.Add(1)), nil })
			assert.NoError(t, err)
			assert.LessOrEqual(t, v, 31)
		})
	}
	asked.Wait()
	close(go1)
	all.Wait()
	before := made.Load()
	v, err := g.Do(ctx, "a", func(context.Context) (int, error) { return int(made.Add(1)), nil })
	require.NoError(t, err)
	assert.Equal(t, int(before)+1, v, "afterwards it is made anew")
}

func TestWhatNobodyWaitsForAnyMoreIsGivenUpAndOneWhoLeavesDisturbsNobody(t *testing.T) {
	g := flight.New[string](0)
	impatient, leave := context.WithCancel(ctx)
	begun, ended := make(chan struct{}), make(chan error, 1)
	go func() {
		_, err := g.Do(impatient, "a", func(ctx context.Context) (string, error) {
			close(begun)
			<-ctx.Done()
			ended <- ctx.Err()
			return "", ctx.Err()
		})
		assert.ErrorIs(t, err, context.Canceled)
	}()
	<-begun
	leave()
	require.ErrorIs(t, <-ended, context.Canceled)
	v, err := g.Do(ctx, "a", func(context.Context) (string, error) { return "anew", nil })
	require.NoError(t, err)
	assert.Equal(t, "anew", v)

	// Two wait; the one who began it leaves.
	one, leaves := context.WithCancel(ctx)
	going, release := make(chan struct{}), make(chan struct{})
	left := make(chan error, 1)
	go func() {
		_, err := g.Do(one, "b", func(ctx context.Context) (string, error) {
			close(going)
			select {
			case <-release:
				return "whole", nil
			case <-ctx.Done():
				return "", ctx.Err()
			}
		})
		left <- err
	}()
	<-going
	stays := make(chan string, 1)
	joined := make(chan struct{})
	go func() {
		close(joined)
		v, err := g.Do(ctx, "b", func(context.Context) (string, error) { return "another", nil })
		assert.NoError(t, err)
		stays <- v
	}()
	<-joined
	time.Sleep(20 * time.Millisecond) // until it waits; if it does not yet, it makes its own
	leaves()
	require.ErrorIs(t, <-left, context.Canceled)
	close(release)
	assert.Contains(t, []string{"whole", "another"}, <-stays)
}

func TestNoMoreIsMadeAtATimeThanThereAreHands(t *testing.T) {
	g := flight.New[int](2)
	var now, most atomic.Int32
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			_, err := g.Do(ctx, fmt.Sprint(i), func(context.Context) (int, error) {
				most.Store(max(most.Load(), now.Add(1)))
				time.Sleep(time.Millisecond) // long enough to meet the others
				now.Add(-1)
				return i, nil
			})
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.LessOrEqual(t, most.Load(), int32(2))
}

func TestErrorsAndPanicsReachThoseWhoWait(t *testing.T) {
	g := flight.New[int](1)
	broken := errors.New("broken")
	_, err := g.Do(ctx, "a", func(context.Context) (int, error) { return 0, broken })
	require.ErrorIs(t, err, broken)
	_, err = g.Do(ctx, "a", func(context.Context) (int, error) { panic("out of order") })
	require.ErrorContains(t, err, "out of order")
	v, err := g.Do(ctx, "a", func(context.Context) (int, error) { return 7, nil })
	require.NoError(t, err)
	assert.Equal(t, 7, v)
}
