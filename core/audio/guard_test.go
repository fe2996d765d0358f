package audio_test

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
)

func TestMemoryThatCannotBeReadIsAnErrorAndOtherFaultsStayFaults(t *testing.T) {
	path := filepath.Join(t.TempDir(), "samples")
	require.NoError(t, os.WriteFile(path, make([]byte, 1<<16), 0o600))
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	data, err := syscall.Mmap(int(f.Fd()), 0, 1<<16, syscall.PROT_READ, syscall.MAP_SHARED)
	require.NoError(t, err)
	defer func() { _ = syscall.Munmap(data) }()
	var sum byte
	read := func() { sum += data[40000] }
	require.NoError(t, audio.Guard(read))
	require.NoError(t, os.Truncate(path, 0))
	require.ErrorIs(t, audio.Guard(read), audio.ErrUnreadable)
	assert.Zero(t, sum)
	assert.Panics(t, func() { _ = audio.Guard(func() { data = data[:len(data)+int(sum)+1] }) }, "a fault of ours is not hidden")
	assert.Panics(t, func() {
		var nothing *[4]int
		_ = audio.Guard(func() { nothing[1] = 1 })
	})
}
