package takes_test

import (
	"bytes"
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/chunks"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) {
	housetest.Main(m, func(h housetest.House) error {
		house = h
		return nil
	})
}

func TestATakeIsBegunKeptFinishedDiscardedTakenBackAndDeleted(t *testing.T) {
	k := house.Takes
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	episode, err := house.Store.AddEpisode(ctx, show.ID, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	_, err = k.Begin(ctx, episode.ID, takes.NewTake{Track: "t1", Rate: 48000, Channels: 1})
	assert.Equal(t, "unknown-track", code(t, err))
	_, err = house.Store.Edit(ctx, episode.ID, 1, "", edit.AddTrack{Part: session.Voice})
	require.NoError(t, err)
	take, err := k.Begin(ctx, episode.ID, takes.NewTake{Track: "t1", Begins: 4800, Rate: 48000, Channels: 1, Device: "Quay"})
	require.NoError(t, err)
	samples := testkit.Interleave(testkit.Noise(1, 0.3, audio.Second/2, 5))
	require.NoError(t, k.Keep(ctx, take.ID, 0, bytes.NewReader(samples)))
	require.NoError(t, k.Keep(ctx, take.ID, 0, bytes.NewReader(samples)), "sent again it is kept once")
	assert.Equal(t, chunks.Gap{Next: 1}, k.Keep(ctx, take.ID, 2, bytes.NewReader(samples)))
	assert.Equal(t, "bad-chunk", code(t, k.Keep(ctx, take.ID, 1, bytes.NewReader(make([]byte, 4*48001)))))
	_, err = k.Finish(ctx, take.ID, takes.TakeEnding{Chunks: 2})
	assert.Equal(t, chunks.Gap{Next: 1}, err)
	_, err = k.Finish(ctx, take.ID, takes.TakeEnding{Chunks: 1})
	require.NoError(t, err)

	status := func(want store.TakeState) takes.TakeStatus {
		var list []takes.TakeStatus
		require.Eventually(t, func() bool {
			list, err = k.List(ctx, episode.ID)
			return err == nil && len(list) == 1 && list[0].State == want
		}, time.Minute, 10*time.Millisecond)
		return list[0]
	}
	clips := func() (out []session.Clip) {
		doc, _, err := house.Store.Document(ctx, episode.ID)
		require.NoError(t, err)
		for _, c := range doc.Tracks[0].Clips {
			out = append(out, c)
		}
		return out
	}
	assert.Equal(t, audio.Second/2, status(store.TakeKept).Length)
	require.Len(t, clips(), 1)
	assert.Equal(t, audio.Frames(4800), clips()[0].Start)
	assert.Equal(t, "take-in-use", code(t, k.Remove(ctx, take.ID)))
	require.NoError(t, k.Discard(ctx, take.ID))
	status(store.TakeDiscarded)
	assert.Empty(t, clips())
	require.NoError(t, k.Use(ctx, take.ID, ""))
	status(store.TakeKept)
	assert.Len(t, clips(), 1)
	require.NoError(t, k.Discard(ctx, take.ID))
	require.NoError(t, k.Remove(ctx, take.ID))
	list, err := k.List(ctx, episode.ID)
	require.NoError(t, err)
	assert.Empty(t, list)
}

func code(t *testing.T, err error) string {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	return p.Code
}
