package takes_test

import (
	"bytes"
	"context"
	"math"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
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

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func TestATakeIsBegunKeptFinishedDiscardedTakenBackAndDeleted(t *testing.T) {
	k := house.Takes
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	episode, err := house.Store.AddEpisode(ctx, show.ID, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	_, err = k.Begin(ctx, episode.ID, takes.NewTake{Track: "t1", Rate: 48000, Channels: 1})
	assert.Equal(t, "unknown-track", testkit.Code(t, err))
	_, err = house.Store.Edit(ctx, episode.ID, 1, "", edit.AddTrack{Part: session.Voice})
	require.NoError(t, err)
	take, err := k.Begin(ctx, episode.ID, takes.NewTake{Track: "t1", Begins: 4800, Rate: 48000, Channels: 1, Device: "Quay"})
	require.NoError(t, err)
	samples := testkit.Interleave(testkit.Noise(1, 0.3, audio.Second/2, 5))
	require.NoError(t, k.Keep(ctx, take.ID, 0, bytes.NewReader(samples)))
	require.NoError(t, k.Keep(ctx, take.ID, 0, bytes.NewReader(samples)), "sent again it is kept once")
	assert.Equal(t, chunks.Gap{Next: 1}, k.Keep(ctx, take.ID, 2, bytes.NewReader(samples)))
	assert.Equal(t, "bad-chunk", testkit.Code(t, k.Keep(ctx, take.ID, 1, bytes.NewReader(make([]byte, 4*48001)))))
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
	assert.Equal(t, "take-in-use", testkit.Code(t, k.Remove(ctx, take.ID)))
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

// begun makes an episode and begins a take in it.
func begun(t *testing.T, channels int) (episode store.Episode, take takes.TakeStatus) {
	t.Helper()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	episode, err = house.Store.AddEpisode(ctx, show.ID, "Fog", 0, session.New())
	require.NoError(t, err)
	_, err = house.Store.Edit(ctx, episode.ID, 1, "", edit.AddTrack{Part: session.Voice})
	require.NoError(t, err)
	take, err = house.Takes.Begin(ctx, episode.ID, takes.NewTake{Track: "t1", Rate: 8000, Channels: channels, Mono: true, Device: "Quay"})
	require.NoError(t, err)
	return episode, take
}

// kept waits until a take has become a sound and gives its state and its samples.
func kept(t *testing.T, episode store.Episode) (takes.TakeStatus, audio.PCM) {
	t.Helper()
	var list []takes.TakeStatus
	require.Eventually(t, func() bool {
		l, err := house.Takes.List(ctx, episode.ID)
		list = l
		return err == nil && len(l) == 1 && l[0].Sound != ""
	}, time.Minute, 10*time.Millisecond)
	c, err := house.Sounds.Open(ctx, list[0].Sound)
	require.NoError(t, err)
	t.Cleanup(c.Close)
	return list[0], c.PCM
}

func TestWhatRecordingAcceptsTheSoundAccepts(t *testing.T) {
	house.Takes.Longest = 2
	defer func() { house.Takes.Longest = 0 }()
	episode, take := begun(t, 1)
	half := testkit.Interleave(testkit.Noise(1, 0.3, 4000, 5))
	seq := 0
	for ; seq < 4; seq++ {
		require.NoError(t, house.Takes.Keep(ctx, take.ID, seq, bytes.NewReader(half)))
	}
	err := house.Takes.Keep(ctx, take.ID, seq, bytes.NewReader(half))
	assert.Equal(t, "take-full", testkit.Code(t, err))
	assert.Contains(t, err.Error(), "go on with another take")
	_, err = house.Takes.Finish(ctx, take.ID, takes.TakeEnding{Chunks: seq})
	require.NoError(t, err)
	status, _ := kept(t, episode)
	assert.Equal(t, 2*audio.Second, status.Length)
}

func TestSamplesThatAreNoNumbersBecomeSilenceAndAreCounted(t *testing.T) {
	episode, take := begun(t, 2)
	samples := testkit.Noise(2, 0.3, 8000, 5)
	for i := range 7 {
		samples[0][1000+i], samples[1][1000+i] = float32(math.NaN()), float32(math.Inf(1))
	}
	require.NoError(t, house.Takes.Keep(ctx, take.ID, 0, bytes.NewReader(testkit.Interleave(samples))))
	_, err := house.Takes.Finish(ctx, take.ID, takes.TakeEnding{Chunks: 1})
	require.NoError(t, err)
	status, pcm := kept(t, episode)
	assert.Equal(t, int64(14), status.Silenced)
	assert.Equal(t, audio.Second, pcm.Length())
	assert.Less(t, float64(pcm.Peak()), 0.5)
	sound, err := house.Store.Sound(ctx, episode.Show, status.Sound)
	require.NoError(t, err)
	assert.Contains(t, sound.Notes, "14 samples that came from it were no numbers and became silence.")
}

func TestATakeWithoutAPlaceIsKeptAllTheSame(t *testing.T) {
	episode, take := begun(t, 1)
	row, err := house.Store.Take(ctx, take.ID)
	require.NoError(t, err)
	row.Late = -session.MaxLength // so that it would lie behind the end of what a session holds
	require.NoError(t, house.Store.SetTake(ctx, row))
	require.NoError(t, house.Takes.Keep(ctx, take.ID, 0, bytes.NewReader(testkit.Interleave(testkit.Noise(1, 0.3, 8000, 6)))))
	job, err := house.Takes.Finish(ctx, take.ID, takes.TakeEnding{})
	require.NoError(t, err)
	status, pcm := kept(t, episode)
	assert.Equal(t, store.TakeDiscarded, status.State)
	assert.Equal(t, audio.Second, pcm.Length())
	require.Eventually(t, func() bool {
		j, err := house.Store.Job(ctx, job.ID)
		return err == nil && j.State == store.Failed && strings.Contains(j.Problem.Of.Message, "can be taken back")
	}, time.Minute, 10*time.Millisecond)
}

func TestNoChunkThatWasAcknowledgedIsMissingFromTheSound(t *testing.T) {
	for range 10 {
		episode, take := begun(t, 1)
		second := testkit.Interleave(testkit.Noise(1, 0.3, 800, 7))
		var g sync.WaitGroup
		var acknowledged int
		g.Go(func() {
			for seq := range 40 {
				if house.Takes.Keep(ctx, take.ID, seq, bytes.NewReader(second)) != nil {
					return
				}
				acknowledged++
			}
		})
		var err error
		g.Go(func() {
			for { // as soon as there is something, whatever is under way
				list, listErr := house.Takes.List(ctx, episode.ID)
				if listErr == nil && list[0].Chunks > 3 {
					break
				}
			}
			_, err = house.Takes.Finish(ctx, take.ID, takes.TakeEnding{})
		})
		g.Wait()
		require.NoError(t, err)
		status, _ := kept(t, episode)
		// One that was on its way when the take was ended may lie there without having been acknowledged.
		more := int(status.Length)/4800 - acknowledged
		require.Contains(t, []int{0, 1}, more, "%v for %d chunks", status.Length, acknowledged)
	}
}

func TestTwoEndingsOfOneTakeAreOneJob(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	episode, err := house.Store.AddEpisode(ctx, show.ID, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	_, err = house.Store.Edit(ctx, episode.ID, 1, "", edit.AddTrack{Part: session.Voice})
	require.NoError(t, err)
	other := &takes.Takes{Store: house.Store, Chunks: house.Takes.Chunks, Worker: house.Worker, Queue: house.Queue} // as of another process: it shares no lock with the first
	for round := range 20 {
		take, err := house.Takes.Begin(ctx, episode.ID, takes.NewTake{Track: "t1", Begins: audio.Frames(round) * 48000, Rate: 48000, Channels: 1})
		require.NoError(t, err)
		require.NoError(t, house.Takes.Keep(ctx, take.ID, 0, bytes.NewReader(testkit.Interleave(testkit.Noise(1, 0.3, 4800, uint64(round))))))
		ids := make(chan string, 6)
		var all sync.WaitGroup
		for i := range 6 {
			all.Go(func() {
				k := house.Takes
				if i%2 > 0 {
					k = other
				}
				job, err := k.Finish(ctx, take.ID, takes.TakeEnding{})
				if err == nil {
					ids <- job.ID
				} else {
					assert.Equal(t, "take-closed", testkit.Code(t, err), "it was a sound already")
				}
			})
		}
		all.Wait()
		close(ids)
		of := map[string]bool{}
		for id := range ids {
			of[id] = true
		}
		assert.Len(t, of, 1)
	}
}
