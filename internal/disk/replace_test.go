package disk_test

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/disk"
)

func TestAFileIsReplacedWholeOrNotAtAll(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "kept")
	require.NoError(t, disk.File{Lasting: true}.ReplaceBy(path, []byte("before")))

	// Whatever goes wrong on the way leaves what was there, and nothing beside it.
	broken := errors.New("broken off")
	require.ErrorIs(t, disk.File{}.Replace(path, func(f *os.File) error {
		_, _ = f.WriteString("half of wh")
		return broken
	}), broken)
	isFull(t, disk.File{Lasting: true}.Replace(path, func(*os.File) error { return &fs.PathError{Op: "write", Err: syscall.ENOSPC} }))
	require.Error(t, disk.File{}.ReplaceBy(filepath.Join(dir, "no", "folder"), nil))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "taken"), 0o700))
	require.Error(t, disk.File{}.ReplaceBy(filepath.Join(dir, "taken"), nil), "a folder does not give way to a file")
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "before", string(data))
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 2)

	of := time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	require.NoError(t, disk.File{Of: of, Mode: 0o644}.ReplaceBy(path, []byte("after")))
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.True(t, info.ModTime().Equal(of))
	assert.Equal(t, fs.FileMode(0o644), info.Mode())
	require.NoError(t, disk.File{}.ReplaceBy(path, []byte("for its user alone")))
	info, err = os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o600), info.Mode())
}

func TestWhoeverReadsFindsOneOfThemWhole(t *testing.T) {
	path := filepath.Join(t.TempDir(), "kept")
	one, two := strings.Repeat("1", 100_000), strings.Repeat("2", 150_000)
	require.NoError(t, disk.File{}.ReplaceBy(path, []byte(one)))
	var writers sync.WaitGroup
	for _, text := range []string{one, two} {
		writers.Go(func() {
			for range 50 {
				assert.NoError(t, disk.File{}.ReplaceBy(path, []byte(text)))
			}
		})
	}
	for range 200 {
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.True(t, string(data) == one || string(data) == two)
	}
	writers.Wait()
}
