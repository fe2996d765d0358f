package hosts_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/hosts"
)

var content = bytes.Repeat([]byte("ninety years of fog "), 5000)

// delivery is a file to be sent, at a try and in a way.
func delivery(try int, way string) hosts.Delivery {
	return hosts.Delivery{
		Key: "0190-key", Try: try, Way: way, File: "Fog at four.mp3", Type: "audio/mpeg", Size: int64(len(content)),
		Open: func(context.Context) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(content)), nil },
	}
}

func TestAFolderTakesAFileWholeUnderAFreeName(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "Fog at four.mp3"), []byte("an older one"), 0o600))
	told := int64(0)
	p := delivery(1, "")
	p.Told = func(n int64) { told = n }
	r, err := hosts.Folder{Dir: dir}.Send(t.Context(), p)
	require.NoError(t, err)
	assert.Contains(t, r.Words, "Fog at four (2).mp3")
	assert.Equal(t, p.Size, told)
	got, err := os.ReadFile(filepath.Join(dir, "Fog at four (2).mp3"))
	require.NoError(t, err)
	assert.Equal(t, content, got)
	left, err := os.ReadFile(filepath.Join(dir, "Fog at four.mp3"))
	require.NoError(t, err)
	assert.Equal(t, "an older one", string(left))
	all, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, all, 2, "nothing half-made is left")
	// Its receipt was lost: tried again, it is no second copy.
	p.Try = 2
	again, err := hosts.Folder{Dir: dir}.Send(t.Context(), p)
	require.NoError(t, err)
	assert.Equal(t, r, again)
	p.File = "../../elsewhere.mp3"
	_, err = hosts.Folder{Dir: dir}.Send(t.Context(), p)
	require.NoError(t, err)
	assert.FileExists(t, filepath.Join(dir, "elsewhere.mp3"), "a name is never a path")
}

func TestAFolderThatIsAwayOrAFileThatBreaksOffLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	_, err := hosts.Folder{Dir: filepath.Join(dir, "gone")}.Send(t.Context(), delivery(1, ""))
	require.ErrorContains(t, err, "cannot be written to")
	var refused hosts.Refused
	assert.False(t, errors.As(err, &refused), "it is tried again")
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = hosts.Folder{Dir: dir}.Send(ctx, delivery(1, ""))
	require.ErrorIs(t, err, context.Canceled)
	all, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, all)
}

func TestThePracticeHostAcceptsRefusesIsSlowAndBreaksOff(t *testing.T) {
	h := hosts.Practice{Dir: t.TempDir(), Pause: time.Millisecond}
	r, err := h.Send(t.Context(), delivery(1, hosts.Accepts))
	require.NoError(t, err)
	assert.Contains(t, r.Words, "100000 bytes")
	again, err := h.Send(t.Context(), delivery(2, hosts.Accepts))
	require.NoError(t, err)
	assert.Equal(t, r, again, "the same sending is no second copy")

	h.Dir = t.TempDir()
	_, err = h.Send(t.Context(), delivery(1, hosts.Refuses))
	var refused hosts.Refused
	require.ErrorAs(t, err, &refused)
	for try := 1; try <= 2; try++ {
		_, err = h.Send(t.Context(), delivery(try, hosts.BreaksOff))
		require.ErrorContains(t, err, "broke off after 50000 of 100000 bytes")
		require.False(t, errors.As(err, &refused))
	}
	_, err = h.Send(t.Context(), delivery(3, hosts.BreaksOff))
	require.NoError(t, err)

	h.Dir = t.TempDir()
	var steps []int64
	p := delivery(1, hosts.Slow)
	p.Told = func(n int64) { steps = append(steps, n) }
	_, err = h.Send(t.Context(), p)
	require.NoError(t, err)
	assert.Greater(t, len(steps), 20, "it says how far it is")
	for _, w := range h.Ways() {
		assert.NotEmpty(t, w.Name)
	}
}

func TestFilesThatComeAtOnceHaveNamesOfTheirOwn(t *testing.T) {
	dir := t.TempDir()
	var g sync.WaitGroup
	for i := range 4 {
		g.Go(func() {
			p := delivery(1, "")
			p.Key += string(rune('a' + i)) // two sendings of one file
			_, err := hosts.Folder{Dir: dir}.Send(t.Context(), p)
			assert.NoError(t, err)
		})
	}
	g.Wait()
	all, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, all, 4, "each has a name of its own")
}

func TestAFolderOnAFileSystemWithoutLinksTakesFilesAsWell(t *testing.T) {
	dir := t.TempDir()
	none := func(string, string) error { return syscall.EPERM }
	for n := range 2 {
		part := filepath.Join(dir, "part")
		require.NoError(t, os.WriteFile(part, []byte{byte(n)}, 0o600))
		err := hosts.Place(part, filepath.Join(dir, "Fog.mp3"), none)
		if n == 0 {
			require.NoError(t, err)
			continue
		}
		require.ErrorIs(t, err, fs.ErrExist, "what is there stays")
		require.FileExists(t, part)
	}
	data, err := os.ReadFile(filepath.Join(dir, "Fog.mp3"))
	require.NoError(t, err)
	assert.Equal(t, []byte{0}, data)
}
