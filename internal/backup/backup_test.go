package backup_test

import (
	"bytes"
	"context"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/backup"
	"ruvel/internal/disk"
	"ruvel/internal/library"
	"ruvel/internal/store"
	"ruvel/internal/work"
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

// kept is an episode with a sound of its own.
func kept(t *testing.T, show, title string, seed uint64) (episode, sound string) {
	t.Helper()
	e, err := house.Store.AddEpisode(ctx, show, title, 0, session.New())
	require.NoError(t, err)
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.2, audio.Second, seed)))
	require.NoError(t, err)
	job, err := house.Library.Receive(ctx, show, library.File{Name: "Keeper.wav", Part: session.Voice, Bytes: bytes.NewReader(data), Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		j, err := house.Store.Job(ctx, job.ID)
		return err == nil && j.State == store.Done
	}, time.Minute, 5*time.Millisecond)
	doc, _, err := house.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	require.Len(t, doc.SoundsInOrder(), 1)
	return e.ID, doc.SoundsInOrder()[0]
}

func TestWhatCannotBeKeptKeepsNothingElseFromBeingKept(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	_, lost := kept(t, show.ID, "The bell", 1)
	kept(t, show.ID, "The lamp", 2)
	require.NoError(t, house.Bucket.Delete(ctx, lost))

	folder := filepath.Join(t.TempDir(), "kept")
	written, err := house.Backup.Write(ctx, folder)
	require.ErrorContains(t, err, "The bell")
	assert.NotContains(t, err.Error(), "The lamp")
	assert.GreaterOrEqual(t, written, 1)
	all, err := os.ReadDir(folder)
	require.NoError(t, err)
	var names []string
	for _, e := range all {
		names = append(names, e.Name())
	}
	list := strings.Join(names, "\n")
	assert.Contains(t, list, "The lamp")
	assert.Contains(t, list, backup.Named("Harbour Hours", show.ID)+backup.SettingsEnding)
	assert.NotContains(t, list, "The bell")
	assert.NotContains(t, list, disk.Unfinished)
}

func TestABackupIsMadeAtOnceAndEndsWithItsContext(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Night shift")
	require.NoError(t, err)
	kept(t, show.ID, "The gale", 3)
	folder := filepath.Join(t.TempDir(), "kept")
	until, stop := context.WithCancel(ctx)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		house.Backup.Run(until, folder, time.Hour)
	}()
	require.Eventually(t, func() bool {
		found, _ := filepath.Glob(filepath.Join(folder, "*The gale*.zip"))
		return len(found) == 1
	}, time.Minute, 10*time.Millisecond)
	stop()
	select {
	case <-ended:
	case <-time.After(time.Minute):
		t.Fatal("it goes on")
	}
}

func TestAnArchiveThatIsNotWholeTakesNoPlace(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Low water")
	require.NoError(t, err)
	episode, _ := kept(t, show.ID, "The buoy", 4)
	name, m, doc, err := house.Backup.Contents(ctx, episode)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), backup.Named(name, episode)+".zip")
	whole := func(f io.Writer) error { return archive.Write(ctx, f, m, doc, house.Backup.Open) }
	require.NoError(t, backup.Archive(path, disk.File{}, func(f *os.File) error { return whole(f) }))
	before, err := os.ReadFile(path)
	require.NoError(t, err)

	for what, write := range map[string]func(f *os.File) error{
		"nothing":    func(*os.File) error { return nil },
		"half of it": func(f *os.File) error { _, err := f.Write(before[:len(before)/2]); return err },
		"broken off": func(f *os.File) error { return io.ErrUnexpectedEOF },
	} {
		require.Error(t, backup.Archive(path, disk.File{}, write), what)
		after, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.True(t, bytes.Equal(before, after), what)
	}
	left, err := os.ReadDir(filepath.Dir(path))
	require.NoError(t, err)
	assert.Len(t, left, 1)
}
