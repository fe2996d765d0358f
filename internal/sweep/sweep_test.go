package sweep_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/pictures"
	"ruvel/internal/store"
	"ruvel/internal/sweep"
	"ruvel/internal/uploads"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func show(t *testing.T) store.Show {
	t.Helper()
	s, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	return s
}

// sound is a second of noise as a file.
func sound(t *testing.T, seed uint64) []byte {
	t.Helper()
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.3, audio.Second, seed)))
	require.NoError(t, err)
	return data
}

// receive brings a file into a show and gives the job that imports it.
func receive(t *testing.T, show string, data []byte) work.JobEvent {
	t.Helper()
	job, err := house.Library.Receive(ctx, show, library.File{Name: "a.wav", Bytes: bytes.NewReader(data)})
	require.NoError(t, err)
	return job
}

// aged makes a file of the house as old as that.
func aged(t *testing.T, age time.Duration, path ...string) {
	t.Helper()
	when := time.Now().Add(-age)
	require.NoError(t, os.Chtimes(filepath.Join(append([]string{house.Data}, path...)...), when, when))
}

func there(path ...string) bool {
	_, err := os.Stat(filepath.Join(append([]string{house.Data}, path...)...))
	return err == nil
}

func sweeper() *sweep.Sweeper {
	s := *house.Sweeper
	return &s
}

// later is a sweeper to which so much more time has passed.
func later(by time.Duration) *sweep.Sweeper {
	s := sweeper()
	s.Now = func() time.Time { return time.Now().Add(by) }
	return s
}

func TestOnlyWhatIsOldAndBelongsToNothingIsSwept(t *testing.T) {
	owned, other := show(t), show(t)
	put := func(seed uint64) string {
		id, _, err := house.Sounds.Put(ctx, bytes.NewReader(sound(t, seed)))
		require.NoError(t, err)
		return id
	}
	used, waited, young, old := put(1), put(2), put(3), put(4)
	house.Ended(t, receive(t, owned.ID, sound(t, 1)).ID)
	// A job that another house has waits for one; it is never begun here, for its upload lies there.
	_, err := house.Store.AddJob(ctx, store.NewID(), "elsewhere", other.ID, nil, "a.wav", work.ImportArguments{Sound: waited})
	require.NoError(t, err)
	_, err = house.Store.AddJob(ctx, store.NewID(), work.Import, other.ID, nil, "a.wav", work.ImportArguments{Sound: waited, Upload: store.NewID()})
	require.NoError(t, err)
	mixdown, lost := store.NewID(), store.NewID()
	e, err := house.Store.AddEpisode(ctx, owned.ID, "Fog", 0, session.New())
	require.NoError(t, err)
	require.NoError(t, house.Store.AddMixdown(ctx, store.Mixdown{ID: mixdown, Episode: e.ID, Version: 1, Format: "mp3", File: "a.mp3"}, session.New()))
	for _, id := range []string{mixdown, lost} {
		require.NoError(t, house.Bucket.WriteAll(ctx, work.MixdownFolder+id+".mp3", []byte("mp3"), nil))
		aged(t, 48*time.Hour, "originals", "mixdowns", id+".mp3")
	}
	shown, orphan := strings.Repeat("a", 64), strings.Repeat("b", 64)
	require.NoError(t, house.Store.AddPicture(ctx, owned.ID, store.Picture{ID: shown, Type: "image/jpeg", Size: 1400, Bytes: 3}))
	for _, id := range []string{shown, orphan} {
		require.NoError(t, house.Bucket.WriteAll(ctx, work.PictureFolder+id, []byte("jpg"), nil))
		aged(t, 48*time.Hour, "originals", "pictures", id)
	}
	const left, writing = "0123.18a.tmp", "0124.18b.tmp" // of a process that was killed, and of one that is at work
	for _, name := range []string{left, writing} {
		require.NoError(t, os.WriteFile(filepath.Join(house.Data, "originals", name), []byte("half"), 0o600))
	}
	for _, id := range []string{used, waited, old, left} {
		aged(t, 48*time.Hour, "originals", id)
	}
	require.NoError(t, house.Worker.Chunks.Put(ctx, "of-nobody", 0, make([]byte, 8)))
	aged(t, 48*time.Hour, "takes", "of-nobody")
	require.NoError(t, house.Worker.Chunks.Put(ctx, "of-nobody-yet", 0, make([]byte, 8)))

	swept, err := sweeper().Sweep(ctx)
	require.NoError(t, err)
	assert.Equal(t, sweep.Swept{Leftovers: 1, Recordings: 1}, swept, "what has lost its owner just now stays, however old it is")
	assert.True(t, there("originals", old))
	assert.True(t, there("originals", writing))
	swept, err = later(23 * time.Hour).Sweep(ctx)
	require.NoError(t, err)
	assert.Zero(t, swept)
	aged(t, 25*time.Hour, "originals", writing)
	swept, err = later(25 * time.Hour).Sweep(ctx)
	require.NoError(t, err)
	assert.Equal(t, sweep.Swept{Originals: 1, Mixdowns: 1, Pictures: 1, Leftovers: 1}, swept, "a day later, and what a day ago was being written")
	for id, want := range map[string]bool{used: true, waited: true, young: true, old: false, left: false} {
		assert.Equal(t, want, there("originals", id))
	}
	assert.True(t, there("originals", "mixdowns", mixdown+".mp3"))
	assert.False(t, there("originals", "mixdowns", lost+".mp3"))
	assert.True(t, there("originals", "pictures", shown))
	assert.False(t, there("originals", "pictures", orphan))
	assert.False(t, there("takes", "of-nobody"))
	assert.True(t, there("takes", "of-nobody-yet"))
}

func TestDeletingASoundWhileAnotherShowImportsTheSameFileLeavesBothWithWhatTheyShouldHave(t *testing.T) {
	a, b := show(t), show(t)
	for round := range 5 {
		data := sound(t, uint64(100+round))
		id := receiveWhole(t, a.ID, data)
		var g sync.WaitGroup
		g.Go(func() { assert.NoError(t, house.Library.Remove(ctx, a.ID, id)) })
		var job work.JobEvent
		g.Go(func() { job = receive(t, b.ID, data) })
		g.Wait()
		require.Equal(t, store.Done, house.Ended(t, job.ID).State)
		_, err := sweeper().Sweep(ctx)
		require.NoError(t, err)
		c, err := house.Sounds.Open(ctx, id)
		require.NoError(t, err, "show B has its file in round %d", round)
		c.Close()
	}
}

// receiveWhole imports a file and gives the id of its sound.
func receiveWhole(t *testing.T, show string, data []byte) string {
	t.Helper()
	require.Equal(t, store.Done, house.Ended(t, receive(t, show, data).ID).State)
	all, err := house.Store.Sounds(ctx, show)
	require.NoError(t, err)
	return all[0].ID
}

func TestTheSameFileTwiceWithOneImportCancelledKeepsItsFile(t *testing.T) {
	s := show(t)
	for round := range 5 {
		data := sound(t, uint64(300+round))
		first, second := receive(t, s.ID, data), receive(t, s.ID, data)
		require.NoError(t, house.Worker.Cancel(ctx, first.ID))
		require.Equal(t, store.Done, house.Ended(t, second.ID).State)
	}
	all, err := house.Store.Sounds(ctx, s.ID)
	require.NoError(t, err)
	require.Len(t, all, 5)
	for _, v := range all {
		assert.True(t, house.Sounds.Has(ctx, v.ID))
	}
}

func TestADiscardedTakeGoesAfterItsTimeUnlessItIsUsed(t *testing.T) {
	s := show(t)
	e, err := house.Store.AddEpisode(ctx, s.ID, "Fog", 0, session.New())
	require.NoError(t, err)
	id := receiveWhole(t, s.ID, sound(t, 500))
	add := func(state store.TakeState) store.Take {
		v, err := house.Store.AddTake(ctx, store.Take{Episode: e.ID, Track: "t1", Rate: 48000, Channels: 1})
		require.NoError(t, err)
		v.State, v.Sound = state, &id
		require.NoError(t, house.Store.SetTake(ctx, v))
		return v
	}
	add(store.TakeKept)
	discarded := add(store.TakeDiscarded)
	sw := sweeper()
	swept, err := sw.Sweep(ctx)
	require.NoError(t, err)
	require.Zero(t, swept.Takes)
	sw.Ages.Discarded = 0
	require.Eventually(t, func() bool {
		_, err := sw.Sweep(ctx)
		require.NoError(t, err)
		_, err = house.Store.Take(ctx, discarded.ID)
		return store.IsNotFound(err)
	}, time.Minute, 10*time.Millisecond)
}

// arrive lays an upload that has arrived, or some of it, into the folder.
func arrive(t *testing.T, show, episode string, data []byte, of int64) uploads.Announced {
	t.Helper()
	info := uploads.Announced{ID: store.NewID(), Size: of, MetaData: map[string]string{"filename": "Tide.wav", "show": show}}
	if episode != "" {
		info.MetaData["episode"] = episode
	}
	require.NoError(t, house.Uploads.Begin(ctx, info))
	_, err := house.Worker.Uploads.Write(ctx, info.ID, 0, bytes.NewReader(data))
	require.NoError(t, err)
	return info
}

func TestAFileThatHasArrivedIsTakenUpWhateverBecameOfItsEpisode(t *testing.T) {
	s := show(t)
	data := sound(t, 600)
	info := arrive(t, s.ID, store.NewID(), data, int64(len(data))) // of an episode that is gone
	require.NoError(t, house.Uploads.Resume(ctx))
	require.Equal(t, store.Done, house.Ended(t, info.ID).State)
	all, err := house.Store.Sounds(ctx, s.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "Tide", all[0].Name)
	require.Eventually(t, func() bool { return !there("uploads", info.ID) }, time.Minute, 5*time.Millisecond, "and is put away")

	// Of a show that is gone nothing can be made; it stays until it is old.
	gone := arrive(t, store.NewID(), "", data, int64(len(data)))
	half := arrive(t, s.ID, "", data, int64(2*len(data)))
	require.NoError(t, house.Uploads.Resume(ctx))
	swept, err := sweeper().Sweep(ctx)
	require.NoError(t, err)
	assert.Zero(t, swept.Uploads)
	for _, u := range []uploads.Announced{gone, half} {
		assert.True(t, there("uploads", u.ID))
		aged(t, 72*time.Hour, "uploads", u.ID)
	}
	swept, err = sweeper().Sweep(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, swept.Uploads)
	assert.False(t, there("uploads", gone.ID) || there("uploads", half.ID))
}

func TestAnUploadThatAJobNeedsIsNotSwept(t *testing.T) {
	owner := show(t)
	kept := func(kind string) string {
		id := store.NewID()
		_, err := house.Worker.Uploads.Write(ctx, id, 0, strings.NewReader("RIFF"))
		require.NoError(t, err)
		aged(t, 96*time.Hour, "uploads", id)
		if kind != "" {
			_, err := house.Store.AddJob(ctx, id, kind, owner.ID, nil, "a.wav", work.ImportArguments{Upload: id, File: "a.wav"})
			require.NoError(t, err)
			_, _, err = house.Store.Claim(ctx, id, "another house", time.Hour)
			require.NoError(t, err)
		}
		return id
	}
	waits, opens, given, done, lost := kept(work.Import), kept(work.Opening), kept(work.Import), kept(work.Import), kept("")
	_, err := house.Store.End(ctx, given, "another house", store.Failed, &problem.Problem{Code: "given-up"})
	require.NoError(t, err)
	_, err = house.Store.End(ctx, done, "another house", store.Done, nil)
	require.NoError(t, err)
	_, err = sweeper().Sweep(ctx)
	require.NoError(t, err)
	for id, want := range map[string]bool{waits: true, opens: true, given: true, done: false, lost: false} {
		assert.Equal(t, want, there("uploads", id))
	}
	require.NoError(t, house.Store.PutAway(ctx, given))
	_, err = sweeper().Sweep(ctx)
	require.NoError(t, err)
	assert.False(t, there("uploads", given), "nobody will begin it again")
	for _, id := range []string{waits, opens} {
		_, err := house.Store.Cancel(ctx, id)
		require.NoError(t, err)
	}
}

func TestThePictureThatIsHandedInAgainIsNotSweptMeanwhile(t *testing.T) {
	owner := show(t)
	for round := range 20 {
		p := pictures.Picture{ID: fmt.Sprintf("%064x", round), Type: "image/jpeg", Data: []byte("jpg"), Size: 1400}
		require.NoError(t, house.Bucket.WriteAll(ctx, work.PictureFolder+p.ID, p.Data, nil))
		aged(t, 48*time.Hour, "originals", "pictures", p.ID)
		_, err := sweeper().Sweep(ctx) // from now on it is known to have no owner
		require.NoError(t, err)
		var both sync.WaitGroup
		both.Go(func() {
			_, err := later(25 * time.Hour).Sweep(ctx)
			assert.NoError(t, err)
		})
		both.Go(func() {
			_, err := house.Worker.Pictures.Keep(ctx, owner.ID, p)
			assert.NoError(t, err)
		})
		both.Wait()
		assert.True(t, there("originals", "pictures", p.ID), "it has an owner, and is there")
	}
}
