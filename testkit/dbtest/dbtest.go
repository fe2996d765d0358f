// Package dbtest gives tests databases of their own on a real MariaDB server, one
// server for each test program.
package dbtest

import (
	"context"
	"fmt"
	"os"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ruvel/internal/database"
)

var (
	start  sync.Once
	server *database.Server
	fault  error
	folder string
	number atomic.Int64
)

// Main runs the tests of a package and then ends the server.
func Main(m *testing.M) {
	code := m.Run()
	if server != nil {
		server.Stop()
	}
	_ = os.RemoveAll(folder)
	os.Exit(code)
}

// New makes an empty database and gives its data source name.
func New(t testing.TB) string {
	t.Helper()
	start.Do(func() {
		if folder, fault = os.MkdirTemp("", "ruvel-test"); fault != nil {
			return
		}
		if fault = os.Chmod(folder, 0o711); fault == nil {
			server, fault = database.Start(context.Background(), folder)
		}
	})
	require.NoError(t, fault)
	number.Add(1)
	return Latest(t)
}

// Kill ends the server, which then starts again by itself, as a machine without memory would.
func Kill(t testing.TB) {
	t.Helper()
	require.Eventually(t, func() bool { // it may be on its way back from the last time
		return server.Trouble() == "" && syscall.Kill(server.Process(), syscall.SIGKILL) == nil
	}, time.Minute, 10*time.Millisecond)
}

// Latest is the data source name of the database that New made last.
func Latest(t testing.TB) string {
	t.Helper()
	dsn, err := server.DSN(context.Background(), fmt.Sprintf("test_%d", number.Load()))
	require.NoError(t, err)
	return dsn
}
