package store_test

import (
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/testkit"
)

// queued adds a job.
func queued(t *testing.T, st *store.Store, show store.Show, e store.Episode) store.Job {
	t.Helper()
	job, err := st.AddJob(ctx, store.NewID(), "mixdown", show.ID, &e.ID, "12 Fog.wav", map[string]int{"a": 1})
	require.NoError(t, err)
	return job
}

func claimed(t *testing.T, st *store.Store, id, owner string, lease time.Duration) bool {
	t.Helper()
	_, mine, err := st.Claim(ctx, id, owner, lease)
	require.NoError(t, err)
	return mine
}

func ids(jobs []store.Job) (out []string) {
	for _, j := range jobs {
		out = append(out, j.ID)
	}
	return out
}

func yes(t *testing.T) func(bool, error) {
	return func(v bool, err error) { t.Helper(); require.NoError(t, err); require.True(t, v) }
}

func no(t *testing.T) func(bool, error) {
	return func(v bool, err error) { t.Helper(); require.NoError(t, err); require.False(t, v) }
}

func TestAJobIsOneOwnersUntilItsLeaseRunsOut(t *testing.T) {
	st, show, e := open(t)
	job := queued(t, st, show, e)
	var got atomic.Int32
	var g sync.WaitGroup
	for i := range 8 {
		g.Go(func() {
			if claimed(t, st, job.ID, string(rune('a'+i)), time.Minute) {
				got.Add(1)
			}
		})
	}
	g.Wait()
	require.Equal(t, int32(1), got.Load(), "of eight who want it, one gets it")

	job = queued(t, st, show, e)
	require.True(t, claimed(t, st, job.ID, "quay", 30*time.Millisecond))
	require.Eventually(t, func() bool { return claimed(t, st, job.ID, "mole", time.Minute) }, time.Minute, 10*time.Millisecond, "an owner that is not heard of loses it")
	no(t)(st.Renew(ctx, job.ID, "quay", time.Minute, 0.5))
	no(t)(st.End(ctx, job.ID, "quay", store.Done, nil))
	require.NoError(t, st.GiveBack(ctx, job.ID, "quay", 0))
	yes(t)(st.Renew(ctx, job.ID, "mole", time.Minute, 0.5))
	now, err := st.Job(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{store.Running, "mole", 2, 0.5}, []any{now.State, now.Owner, now.Attempts, now.Progress})

	require.NoError(t, st.GiveBack(ctx, job.ID, "mole", time.Hour))
	require.False(t, claimed(t, st, job.ID, "pier", time.Hour), "it waits for as long as was said")
	list, err := st.Free(ctx)
	require.NoError(t, err)
	require.NotContains(t, ids(list), job.ID)
	now, err = st.Job(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{store.Queued, "", 1}, []any{now.State, now.Owner, now.Attempts}, "what was given back does not count as begun")
	job = queued(t, st, show, e)
	require.True(t, claimed(t, st, job.ID, "mole", time.Hour))
	require.NoError(t, st.GiveBack(ctx, job.ID, "mole", 0))
	now, err = st.Job(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{store.Queued, "", 0}, []any{now.State, now.Owner, now.Attempts})

	require.True(t, claimed(t, st, job.ID, "pier", time.Hour))
	require.NoError(t, st.Abandon(ctx, "mole", time.Second))
	require.False(t, claimed(t, st, job.ID, "mole", time.Minute), "another's is not freed")
	require.NoError(t, st.Abandon(ctx, "pier", time.Second))
	require.True(t, claimed(t, st, job.ID, "pier", time.Hour), "the same folder's next process begins it at once")
}

func TestAJobThatHasEndedStaysAsItEnded(t *testing.T) {
	st, show, e := open(t)
	job := queued(t, st, show, e)
	require.True(t, claimed(t, st, job.ID, "quay", time.Minute))
	pending, err := st.Pending(ctx, show.ID)
	require.NoError(t, err)
	require.Len(t, pending, 1)
	yes(t)(st.End(ctx, job.ID, "quay", store.Failed, &problem.Problem{Code: "disk-full", Message: "full"}))
	no(t)(st.End(ctx, job.ID, "quay", store.Done, nil))
	no(t)(st.Cancel(ctx, job.ID))
	require.False(t, claimed(t, st, job.ID, "quay", time.Minute))
	job, err = st.Job(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Failed, job.State)
	assert.Equal(t, "disk-full", job.Problem.Of.Code)
}

func TestEndedJobsAndTheVersionsTheyWorkedOnArePruned(t *testing.T) {
	st, show, e := open(t)
	doc, version, err := st.KeepVersion(ctx, e.ID)
	require.NoError(t, err)
	edited(t, st, e.ID, version, "", edit.AddTrack{Part: session.Voice})
	kept, err := st.KeptVersion(ctx, e.ID, version)
	require.NoError(t, err)
	assert.Equal(t, string(doc.JSON()), string(kept.JSON()), "the version, not what became of it")

	waits, done, failed := queued(t, st, show, e), queued(t, st, show, e), queued(t, st, show, e)
	for _, j := range []store.Job{done, failed} {
		require.True(t, claimed(t, st, j.ID, "quay", time.Minute))
	}
	yes(t)(st.End(ctx, done.ID, "quay", store.Done, nil))
	yes(t)(st.End(ctx, failed.ID, "quay", store.Failed, &problem.Problem{Code: "x", Message: "x"}))
	pruned, err := st.PruneJobs(ctx, time.Hour)
	require.NoError(t, err)
	assert.Zero(t, pruned)
	require.Eventually(t, func() bool {
		_, err = st.PruneJobs(ctx, time.Millisecond)
		require.NoError(t, err)
		_, err := st.Job(ctx, done.ID)
		return store.IsNotFound(err)
	}, time.Minute, 5*time.Millisecond)
	_, err = st.Job(ctx, waits.ID)
	require.NoError(t, err)
	_, err = st.KeptVersion(ctx, e.ID, version)
	require.NoError(t, err, "a job may work on it")
	yes(t)(st.Cancel(ctx, waits.ID))
	require.Eventually(t, func() bool {
		_, err := st.PruneJobs(ctx, time.Millisecond)
		require.NoError(t, err)
		_, err = st.KeptVersion(ctx, e.ID, version)
		return store.IsNotFound(err)
	}, time.Minute, 5*time.Millisecond)
}

func TestAGestureOfItsOwnIsMadeOnceHoweverManyMakeItAtOnce(t *testing.T) {
	st, show, e := open(t)
	other := another(t)
	for round := range 20 {
		gesture := "import " + store.NewID()
		var g sync.WaitGroup
		for _, s := range []*store.Store{st, other, st, other} {
			g.Go(func() {
				_, err := s.EditOnce(ctx, e.ID, gesture, edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"})
				assert.NoError(t, err)
			})
		}
		g.Wait()
		doc, _, err := st.Document(ctx, e.ID)
		require.NoError(t, err)
		clips := 0
		for _, tr := range doc.Tracks {
			clips += len(tr.Clips)
		}
		require.Equal(t, round+1, clips)
	}
	assert.NotEmpty(t, show.ID)
}
