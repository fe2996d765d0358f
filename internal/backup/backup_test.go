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
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func TestWhatCannotBeKeptKeepsNothingElseFromBeingKept(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	_, lost := house.Placed(t, show.ID, "The bell", session.Voice, testkit.Noise(1, 0.2, audio.Second, 1))
	house.Placed(t, show.ID, "The lamp", session.Voice, testkit.Noise(1, 0.2, audio.Second, 2))
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
	house.Placed(t, show.ID, "The gale", session.Voice, testkit.Noise(1, 0.2, audio.Second, 3))
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
	episode, _ := house.Placed(t, show.ID, "The buoy", session.Voice, testkit.Noise(1, 0.2, audio.Second, 4))
	name, m, doc, err := house.Backup.Contents(ctx, episode.ID)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), backup.Named(name, episode.ID)+".zip")
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
