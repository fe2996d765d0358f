package housetest

import (
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// Ended waits until a job has ended.
func (h House) Ended(t testing.TB, id string) (job store.Job) {
	t.Helper()
	require.Eventually(t, func() bool {
		j, err := h.Store.Job(t.Context(), id)
		job = j
		return err == nil && job.State.Final()
	}, time.Minute, 5*time.Millisecond)
	return job
}

// Placed is a new episode of a show with a sound of its own on a track, and the id of that.
func (h House) Placed(t testing.TB, show, title string, part session.Part, samples audio.PCM) (e store.Episode, sound string) {
	t.Helper()
	e, err := h.Store.AddEpisode(t.Context(), show, title, 7, session.New())
	require.NoError(t, err)
	f, err := os.Open(testkit.WriteWAV(t, "a.wav", samples))
	require.NoError(t, err)
	defer f.Close()
	job, err := h.Library.Receive(t.Context(), show, library.File{Name: "Keeper.wav", Part: part, Bytes: f, Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	require.Equal(t, store.Done, h.Ended(t, job.ID).State)
	doc, _, err := h.Store.Document(t.Context(), e.ID)
	require.NoError(t, err)
	require.Len(t, doc.SoundsInOrder(), 1)
	return e, doc.SoundsInOrder()[0]
}
