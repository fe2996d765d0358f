package database_test

import (
	"context"
	"os"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/database"
)

func TestSeveralServersAreLaidOutAndStartedAtOnce(t *testing.T) {
	var g sync.WaitGroup
	for range 3 {
		dir, err := os.MkdirTemp("", "ruvel-database-test")
		require.NoError(t, err)
		t.Cleanup(func() { _ = os.RemoveAll(dir) })
		require.NoError(t, os.Chmod(dir, 0o755)) // it runs as a user of its own
		g.Go(func() {
			s, err := database.Start(context.Background(), dir)
			if !assert.NoError(t, err) {
				return
			}
			_, err = s.DSN(context.Background(), "tried")
			assert.NoError(t, err)
			s.Stop()
		})
	}
	g.Wait()
}
