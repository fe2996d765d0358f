package database

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAFolderIsShutWhileFilesInItComeAndGo(t *testing.T) {
	dir := t.TempDir()
	stays := filepath.Join(dir, "stays")
	require.NoError(t, os.WriteFile(stays, nil, 0o644))
	stop, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		passing := filepath.Join(dir, "passing")
		for {
			select {
			case <-stop:
				return
			default:
				_ = os.WriteFile(passing, nil, 0o644)
				_ = os.Remove(passing)
			}
		}
	}()
	for range 2000 {
		require.NoError(t, shut(dir))
	}
	close(stop)
	<-ended
	info, err := os.Stat(stays)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.ErrorIs(t, shut(filepath.Join(dir, "nowhere")), os.ErrNotExist)
}
