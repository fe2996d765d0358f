package work_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/fileblob"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/chunks"
	"ruvel/internal/hosts"
	"ruvel/internal/incoming"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

func TestMain(m *testing.M) { dbtest.MainAlone(m) }

var ctx = context.Background()

const (
	patience = time.Minute
	tick     = 10 * time.Millisecond
)

// house is a worker with all it rests on.
type house struct {
	*work.Worker
	dir string
}

// open makes a house on a database. Houses on the same originals are one Ruvel.
func open(t *testing.T, dsn, originals, owner string) house {
	t.Helper()
	dir := t.TempDir()
	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	bucket, err := fileblob.OpenBucket(originals, &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
	require.NoError(t, err)
	t.Cleanup(func() { _ = bucket.Close() })
	cache := filepath.Join(dir, "cache")
	library, err := sounds.New(bucket, cache)
	require.NoError(t, err)
	queue, err := work.NewQueue(ctx, filepath.Join(dir, "queue"), "")
	require.NoError(t, err)
	t.Cleanup(queue.Close)
	in := func(name string) incoming.Folder {
		place, err := incoming.Open(filepath.Join(dir, name))
		require.NoError(t, err)
		return place
	}
	return house{&work.Worker{
		Owner: owner, Queue: queue, Store: st, Sounds: library, Chunks: chunks.New(in("takes")), Uploads: work.Uploads{In: in("uploads")},
		Bucket: bucket, Pictures: &work.Pictures{Bucket: bucket, Store: st}, Dir: cache, Lease: 2 * time.Second,
	}, dir}
}

// run lets a house work until the test ends or it is stopped.
func (h house) run(t *testing.T) (stop func()) {
	t.Helper()
	working, cancel := context.WithCancel(ctx)
	done := make(chan error, 1)
	go func() { done <- h.Run(working) }()
	ended := false
	stop = func() {
		if !ended {
			ended = true
			cancel()
			assert.NoError(t, <-done)
		}
	}
	t.Cleanup(stop)
	return stop
}

func (h house) episode(t *testing.T) (show store.Show, e store.Episode) {
	t.Helper()
	show, err := h.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err = h.Store.AddEpisode(ctx, show.ID, "Fog", 0, session.New())
	require.NoError(t, err)
	return show, e
}

// put keeps a second of noise among the originals.
func (h house) put(t *testing.T, seed uint64) string {
	t.Helper()
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.3, audio.Second, seed)))
	require.NoError(t, err)
	id, _, err := h.Sounds.Put(ctx, bytes.NewReader(data))
	require.NoError(t, err)
	return id
}

// submit queues the import of a sound that is to be placed.
func (h house) submit(t *testing.T, show store.Show, e store.Episode, sound string, at audio.Frames) store.Job {
	t.Helper()
	job, err := h.Submit(ctx, work.Import, show.ID, &e.ID, "a.wav", work.ImportArguments{Sound: sound, File: "a.wav", Place: &work.Place{Episode: e.ID, Start: at}})
	require.NoError(t, err)
	return job
}

// ended waits until a job has ended.
func (h house) ended(t *testing.T, id string) (job store.Job) {
	t.Helper()
	require.Eventually(t, func() bool {
		j, err := h.Store.Job(ctx, id)
		job = j
		return err == nil && job.State.Final()
	}, patience, tick)
	return job
}

func (h house) clips(t *testing.T, e store.Episode) (n int) {
	t.Helper()
	doc, _, err := h.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	for _, tr := range doc.Tracks {
		n += len(tr.Clips)
	}
	return n
}

func TestTwoHousesOnOneDatabaseDoEachJobOnce(t *testing.T) {
	dsn, originals := dbtest.New(t), t.TempDir()
	one, two := open(t, dsn, originals, "one"), open(t, dsn, originals, "two")
	show, e := one.episode(t)
	var jobs []store.Job
	for i := range 12 {
		jobs = append(jobs, one.submit(t, show, e, one.put(t, uint64(i)), audio.Frames(i)*audio.Second))
	}
	// A file that has arrived lies with one of them only.
	data, err := os.ReadFile(testkit.WriteWAV(t, "b.wav", testkit.Noise(1, 0.3, audio.Second, 99)))
	require.NoError(t, err)
	upload := store.NewID()
	_, err = one.Uploads.Write(ctx, upload, 0, bytes.NewReader(data))
	require.NoError(t, err)
	arrived, err := two.SubmitAs(ctx, upload, work.Import, show.ID, &e.ID, "b.wav", work.ImportArguments{Upload: upload, File: "b.wav", Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	two.run(t)
	one.run(t)
	for _, j := range append(jobs, arrived) {
		assert.Equal(t, store.Done, one.ended(t, j.ID).State, "%+v", one.ended(t, j.ID).Problem)
	}
	assert.Equal(t, 13, one.clips(t, e))
}

func TestAJobWhoseWorkerIsGoneIsBegunByAnotherAndPlacesItsClipOnce(t *testing.T) {
	dsn, originals := dbtest.New(t), t.TempDir()
	gone, there := open(t, dsn, originals, "gone"), open(t, dsn, originals, "there")
	show, e := gone.episode(t)
	job := gone.submit(t, show, e, gone.put(t, 1), 0)
	// It was begun, its clip placed, and then nothing was heard of the worker again.
	_, mine, err := gone.Store.Claim(ctx, job.ID, "gone", 500*time.Millisecond)
	require.NoError(t, err)
	require.True(t, mine)
	there.run(t)
	assert.Equal(t, store.Done, there.ended(t, job.ID).State)
	assert.Equal(t, 2, there.ended(t, job.ID).Attempts)
	assert.Equal(t, 1, there.clips(t, e))
	gone.run(t)
	again, err := gone.SubmitAs(ctx, job.ID, work.Import, show.ID, &e.ID, "a.wav", work.ImportArguments{Sound: "x"})
	require.NoError(t, err)
	assert.Equal(t, store.Done, again.State, "the same id twice is one job")
	assert.Equal(t, 1, there.clips(t, e))
}

func TestAJobThatEndsItsProcessEachTimeIsGivenUpInWords(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	job := h.submit(t, show, e, h.put(t, 1), 0)
	killed := func(times int) {
		for range times {
			_, mine, err := h.Store.Claim(ctx, job.ID, "here", time.Hour)
			require.NoError(t, err)
			require.True(t, mine)
			require.NoError(t, h.Store.Abandon(ctx, "here", 0)) // the process was killed and started again
		}
	}
	killed(20)
	h.run(t)
	end := h.ended(t, job.ID)
	assert.Equal(t, store.Failed, end.State)
	assert.Equal(t, "given-up", end.Problem.Of.Code)
	assert.Contains(t, end.Problem.Of.Message, "begun 20 times")
	assert.Zero(t, h.clips(t, e))
	given, err := h.Store.GivenUp(ctx)
	require.NoError(t, err)
	assert.Len(t, given, 1)
	require.NoError(t, h.Again(ctx, job.ID))
	assert.Equal(t, store.Done, h.ended(t, job.ID).State, "begun again, it is done")
	assert.Equal(t, 1, h.clips(t, e))
	assert.Error(t, h.Again(ctx, job.ID))
}

func TestAFileIsKeptForAJobThatWasGivenUp(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	data, err := os.ReadFile(testkit.WriteWAV(t, "b.wav", testkit.Noise(1, 0.3, audio.Second, 98)))
	require.NoError(t, err)
	upload := store.NewID()
	_, err = h.Uploads.Write(ctx, upload, 0, bytes.NewReader(data))
	require.NoError(t, err)
	_, err = h.SubmitAs(ctx, upload, work.Import, show.ID, &e.ID, "b.wav", work.ImportArguments{Upload: upload, File: "b.wav", Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	for range 20 {
		_, mine, err := h.Store.Claim(ctx, upload, "here", time.Hour)
		require.NoError(t, err)
		require.True(t, mine)
		require.NoError(t, h.Store.Abandon(ctx, "here", 0))
	}
	h.run(t)
	assert.Equal(t, "given-up", h.ended(t, upload).Problem.Of.Code)
	come, err := h.Uploads.Come(ctx, upload)
	require.NoError(t, err)
	require.Len(t, data, int(come))
	require.NoError(t, h.Again(ctx, upload))
	assert.Equal(t, store.Done, h.ended(t, upload).State)
	assert.Equal(t, 1, h.clips(t, e))
	h.gone(t, upload) // after its row says that it is done
}

func TestAPanicFailsItsJobAndTheNextOneIsDone(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	h.run(t)
	poisoned, err := h.Submit(ctx, work.Mixdown, show.ID, nil, "nothing.wav", work.MixdownArguments{Format: "wav-24", Channels: 2}) // of no episode
	require.NoError(t, err)
	job := h.submit(t, show, e, h.put(t, 1), 0)
	assert.Equal(t, store.Failed, h.ended(t, poisoned.ID).State)
	assert.Equal(t, "internal", h.ended(t, poisoned.ID).Problem.Of.Code)
	assert.Equal(t, store.Done, h.ended(t, job.ID).State)
}

func TestADatabaseThatGoesAwayAndComesBackLosesNoJobAndDoublesNone(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	var jobs []store.Job
	for i := range 10 {
		jobs = append(jobs, h.submit(t, show, e, h.put(t, uint64(i)), audio.Frames(i)*audio.Second))
	}
	h.run(t)
	for _, left := range []int{8, 5} {
		require.Eventually(t, func() bool { // in the middle of it
			j, err := h.Store.Free(ctx)
			return err == nil && len(j) < left
		}, patience, time.Millisecond)
		dbtest.Kill(t)
	}
	for _, j := range jobs {
		end := h.ended(t, j.ID)
		assert.Equal(t, store.Done, end.State, "%+v", end.Problem)
	}
	assert.Equal(t, 10, h.clips(t, e))
}

func TestAJobIsDoneThatWasAskedForWhileTheQueueWasAway(t *testing.T) {
	dsn, originals := dbtest.New(t), t.TempDir()
	h, other := open(t, dsn, originals, "here"), open(t, dsn, originals, "there")
	show, e := h.episode(t)
	sound := h.put(t, 1)
	h.Queue.Close()
	job, err := h.Submit(ctx, work.Import, show.ID, &e.ID, "a.wav", work.ImportArguments{Sound: sound, File: "a.wav"})
	require.NoError(t, err)
	other.run(t)
	assert.Equal(t, store.Done, other.ended(t, job.ID).State, "it is found as free")
}

func TestTheQueueWritesNothingThatAFullDiskCouldRefuse(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	size := func() (n int64) {
		require.NoError(t, filepath.WalkDir(filepath.Join(h.dir, "queue"), func(_ string, d os.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				if info, err := d.Info(); err == nil {
					n += info.Size()
				}
			}
			return err
		}))
		return n
	}
	before := size()
	for i := range 2000 {
		require.NoError(t, h.Queue.Submit(ctx, fmt.Sprint(i), "0"))
	}
	assert.Equal(t, before, size())
}

func TestWhatTheQueueHasLostIsDoneAllTheSame(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	job, err := h.Store.AddJob(ctx, store.NewID(), work.Import, show.ID, &e.ID, "a.wav", work.ImportArguments{Sound: h.put(t, 1), File: "a.wav"})
	require.NoError(t, err)
	h.run(t)
	assert.Equal(t, store.Done, h.ended(t, job.ID).State)
	late, err := h.Store.AddJob(ctx, store.NewID(), work.Import, show.ID, &e.ID, "a.wav", work.ImportArguments{Sound: h.put(t, 2), File: "a.wav"})
	require.NoError(t, err)
	assert.Equal(t, store.Done, h.ended(t, late.ID).State, "and while it runs")
}

func TestAProcessThatEndsGivesItsJobsBack(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	path := filepath.Join(t.TempDir(), "long.flac")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "anullsrc=r=48000:cl=stereo:d=1800", "-compression_level", "0", path)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	id, _, err := h.Sounds.Put(ctx, bytes.NewReader(data))
	require.NoError(t, err)
	job := h.submit(t, show, e, id, 0)
	stop := h.run(t)
	require.Eventually(t, func() bool {
		j, err := h.Store.Job(ctx, job.ID)
		return err == nil && j.State == store.Running
	}, patience, time.Millisecond)
	stop()
	now, err := h.Store.Job(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{store.Queued, 0}, []any{now.State, now.Attempts})
	assert.True(t, h.Sounds.Has(ctx, id), "what its next beginning needs is there")
}

func TestAnArchiveThatFailsLeavesNothingBehind(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	h.run(t)
	sound := h.put(t, 7)
	h.ended(t, h.submit(t, show, e, sound, 0).ID)
	doc, _, err := h.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	var file bytes.Buffer
	pack := func(marks map[string]bool) {
		file.Reset()
		m := archive.Manifest{Show: "Elsewhere", Title: "From elsewhere", Script: &archive.Script{Text: "The lamp is lit.", Pace: 150, Recorded: marks}}
		data, err := h.Bucket.ReadAll(ctx, sound)
		require.NoError(t, err)
		m.Sounds = []archive.Sound{{ID: sound, Bytes: int64(len(data)), Name: "Sound", Part: session.Voice}}
		require.NoError(t, archive.Write(ctx, &file, m, doc, func(context.Context, string, archive.Kind) (io.ReadCloser, error) {
			return io.NopCloser(bytes.NewReader(data)), nil
		}))
	}
	opening := func(into store.Show) store.Job {
		upload := store.NewID()
		_, err = h.Uploads.Write(ctx, upload, 0, bytes.NewReader(file.Bytes()))
		require.NoError(t, err)
		_, err = h.SubmitAs(ctx, upload, work.Opening, into.ID, nil, "a.zip", work.ImportArguments{Upload: upload, File: "a.zip"})
		require.NoError(t, err)
		return h.ended(t, upload)
	}
	other, err := h.Store.AddShow(ctx, "Tide Tables")
	require.NoError(t, err)
	pack(map[string]bool{strings.Repeat("x", 3<<20): true})
	end := opening(other)
	assert.Equal(t, store.Failed, end.State)
	assert.Contains(t, []string{"bad-mark", "bad-archive"}, end.Problem.Of.Code)
	episodes, err := h.Store.Episodes(ctx, other.ID)
	require.NoError(t, err)
	assert.Empty(t, episodes)
	left, err := h.Store.Sounds(ctx, other.ID)
	require.NoError(t, err)
	assert.Empty(t, left)
	pack(map[string]bool{"intro": true})
	require.Equal(t, store.Done, opening(other).State)
	episodes, err = h.Store.Episodes(ctx, other.ID)
	require.NoError(t, err)
	require.Len(t, episodes, 1)
	script, err := h.Store.Script(ctx, episodes[0].ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{"intro": true}, script.Recorded.Of)
}

func TestASendingThatWasRefusedIsNotTriedAgainAfterACrash(t *testing.T) {
	h := open(t, dbtest.New(t), t.TempDir(), "here")
	show, e := h.episode(t)
	m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 1, Format: "mp3", File: "a.mp3", Bytes: 3}
	require.NoError(t, h.Store.AddMixdown(ctx, m, session.New()))
	tries := 0
	h.Hosts = hosts.Set{"quay": asked(func() error { tries++; return nil })}
	n := store.Sending{ID: store.NewID(), Episode: e.ID, Mixdown: &m.ID, File: m.File, Host: "quay"}
	require.NoError(t, h.Store.AddSending(ctx, n))
	n.State, n.Said, n.Tries = store.SendingRefused, "Not this one.", 1
	require.NoError(t, h.Store.SetSending(ctx, n)) // then the process ended, before its job had
	_, err := h.SubmitAs(ctx, n.ID, work.Sending, show.ID, &e.ID, m.File, struct{}{})
	require.NoError(t, err)
	h.run(t)
	assert.Equal(t, "not-sent", h.ended(t, n.ID).Problem.Of.Code)
	assert.Zero(t, tries)
}

// asked is a host that says something else each time.
type asked func() error

func (asked) Name() string         { return "Quay" }
func (asked) Ways() []hosts.Method { return nil }
func (a asked) Send(context.Context, hosts.Delivery) (hosts.Receipt, error) {
	return hosts.Receipt{}, a()
}
