package work_test

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

// uploaded queues the import of a file that has just arrived.
func (h house) uploaded(t *testing.T, show store.Show, e store.Episode, pcm audio.PCM) (id string) {
	t.Helper()
	data, err := os.ReadFile(testkit.WriteWAV(t, "b.wav", pcm))
	require.NoError(t, err)
	id = store.NewID()
	_, err = h.Uploads.Write(ctx, id, 0, bytes.NewReader(data))
	require.NoError(t, err)
	_, err = h.SubmitAs(ctx, id, work.Import, show.ID, &e.ID, "b.wav", work.ImportArguments{Upload: id, File: "b.wav", Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	return id
}

// next is the next event that is heard.
func next(t *testing.T, heard <-chan []byte) (told work.Event) {
	t.Helper()
	select {
	case data := <-heard:
		require.NoError(t, json.Unmarshal(data, &told))
	case <-time.After(patience):
		require.Fail(t, "nothing is told")
	}
	return told
}

// gone waits until nothing of an upload is there any more.
func (h house) gone(t *testing.T, upload string) {
	t.Helper()
	require.Eventually(t, func() bool {
		come, err := h.Uploads.Come(ctx, upload)
		return err == nil && come == 0
	}, patience, tick, upload)
}

func TestAJobThatIsCancelledWhileItWaitsIsNeverBegun(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	first := h.uploaded(t, show, e, testkit.Noise(1, 0.3, audio.Second, 1))
	require.NoError(t, h.Cancel(ctx, first))
	h.gone(t, first)
	require.NoError(t, h.Cancel(ctx, first), "which is none the worse for being said twice")
	h.run(t)
	second := h.submit(t, show, e, h.put(t, 2), 0)
	assert.Equal(t, store.Done, h.ended(t, second.ID).State)
	assert.Equal(t, store.Cancelled, h.ended(t, first).State)
	assert.Equal(t, 1, h.clips(t, e), "that of the second")
	assert.True(t, store.IsNotFound(h.Cancel(ctx, store.NewID())))
}

func TestAJobThatIsCancelledWhileItRunsPlacesNothingAndLeavesNothing(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	h.run(t)
	heard, err := h.Queue.Listen(t.Context(), work.ShowSubject(show.ID), work.EpisodeSubject(e.ID))
	require.NoError(t, err)
	long := h.uploaded(t, show, e, testkit.Sine(1, 300, -20, 0, 400*audio.Second))
	for { // until it is under way
		if told := next(t, heard); told.Job != nil && told.Job.ID == long && told.Job.Progress > 0 {
			break
		}
	}
	require.NoError(t, h.Cancel(ctx, long))
	assert.Equal(t, store.Cancelled, h.ended(t, long).State)
	h.gone(t, long)
	assert.Equal(t, store.Done, h.ended(t, h.submit(t, show, e, h.put(t, 3), 0).ID).State, "the next one is done")
	assert.Equal(t, 1, h.clips(t, e))
	require.Eventually(t, func() bool {
		left, err := filepath.Glob(filepath.Join(h.Dir, "*part*"))
		return err == nil && len(left) == 0
	}, patience, tick, "nothing half-made")
}

func TestTheSameIDTwiceIsOneJob(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	args := work.ImportArguments{Sound: h.put(t, 4), File: "a.wav", Place: &work.Place{Episode: e.ID}}
	id := store.NewID()
	for range 3 { // as who had no answer says it again
		job, err := h.SubmitAs(ctx, id, work.Import, show.ID, &e.ID, "a.wav", args)
		require.NoError(t, err)
		assert.Equal(t, id, job.ID)
	}
	h.run(t)
	assert.Equal(t, store.Done, h.ended(t, id).State)
	job, err := h.SubmitAs(ctx, id, work.Import, show.ID, &e.ID, "a.wav", args)
	require.NoError(t, err)
	assert.Equal(t, store.Done, job.State, "also afterwards")
	assert.Equal(t, 1, h.clips(t, e))
}

func TestHowAJobGoesIsToldInOrder(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	heard, err := h.Queue.Listen(t.Context(), work.ShowSubject(show.ID), work.EpisodeSubject(e.ID))
	require.NoError(t, err)
	job := h.uploaded(t, show, e, testkit.Noise(1, 0.3, 20*audio.Second, 5))
	h.run(t)
	var states []store.State
	progress, changes := 0.0, 0
	for {
		told := next(t, heard)
		if told.Change != nil {
			changes++
			assert.Equal(t, e.ID, told.Change.Episode)
		}
		if told.Job == nil || told.Job.ID != job {
			continue
		}
		assert.Equal(t, []string{"b.wav", e.ID}, []string{told.Job.Name, told.Job.Episode})
		assert.GreaterOrEqual(t, told.Job.Progress, progress, "it does not go back")
		assert.LessOrEqual(t, told.Job.Progress, 1.0)
		progress = told.Job.Progress
		if n := len(states); n == 0 || states[n-1] != told.Job.State {
			states = append(states, told.Job.State)
		}
		if told.Job.State.Final() {
			break
		}
	}
	assert.Equal(t, []store.State{store.Queued, store.Running, store.Done}, states)
	assert.Positive(t, changes, "the clip was there before the job was over")
}

func TestAChangeThatIsTooLargeToBeToldIsToldByItsVersion(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	_, e := h.episode(t)
	heard, err := h.Queue.Listen(t.Context(), work.EpisodeSubject(e.ID))
	require.NoError(t, err)
	small, large := json.RawMessage(`[{"op":"remove","path":"/markers/m1"}]`), json.RawMessage(`["`+strings.Repeat("x", 600<<10)+`"]`)
	answer := h.Queue.Changed(e.ID, store.Change{Version: 2, Patch: large, Document: session.New()})
	assert.True(t, bytes.Equal(large, answer.Patch), "who has made it gets it whole")
	told := next(t, heard).Change
	assert.Equal(t, int64(2), told.Version)
	assert.Empty(t, told.Patch)
	h.Queue.Changed(e.ID, store.Change{Version: 2, Patch: json.RawMessage(`[]`), Document: session.New()}) // nothing, of which nothing is told
	h.Queue.Changed(e.ID, store.Change{Version: 3, Patch: small, Document: session.New()})
	told = next(t, heard).Change
	assert.Equal(t, int64(3), told.Version)
	assert.JSONEq(t, string(small), string(told.Patch))
}

// slowShelf has one piece, which is fetched when it is let go of.
type slowShelf struct {
	id    string
	letGo chan struct{}
}

func (s slowShelf) Sound(ctx context.Context, key string) (string, error) {
	if key != "undertow" {
		return "", store.NotFound("piece")
	}
	select {
	case <-s.letGo:
		return s.id, nil
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

func TestAPieceIsFetchedByItsJobWhichCanBeCancelledMeanwhile(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	shelf := slowShelf{h.put(t, 6), make(chan struct{})}
	h.Pieces = shelf
	h.run(t)
	take := func(key string) string { // which answers at once
		job, err := h.Submit(ctx, work.Import, show.ID, &e.ID, "Undertow", work.ImportArguments{Piece: key, File: "Undertow", Place: &work.Place{Episode: e.ID}})
		require.NoError(t, err)
		return job.ID
	}
	running := func(id string) {
		require.Eventually(t, func() bool {
			job, err := h.Store.Job(ctx, id)
			return err == nil && job.State == store.Running
		}, patience, tick)
	}
	left := take("undertow")
	running(left)
	require.NoError(t, h.Cancel(ctx, left))
	kept := take("undertow")
	running(kept)
	assert.Equal(t, store.Failed, h.ended(t, take("low tide")).State, "there is none of that name")
	close(shelf.letGo)
	assert.Equal(t, store.Done, h.ended(t, kept).State)
	assert.Equal(t, store.Cancelled, h.ended(t, left).State)
	assert.Equal(t, 1, h.clips(t, e))
}
