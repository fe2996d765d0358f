// Package dbtest gives tests databases of their own on a real MariaDB server: on the one that
// the run has started for all packages, or else on one that the test program starts for itself.
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

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/require"

	"ruvel/internal/database"
)

// Shared is the variable with the data source name of the server of the whole run. Programs that are tested use databases
// of their own all the same.
const Shared = "RUVEL_TEST_DATABASE"

var (
	start  sync.Once
	server *database.Server
	fault  error
	folder string
	number atomic.Int64
	alone  bool
)

// Main runs the tests of a package and then leaves no database behind, nor what else is to be ended.
func Main(m *testing.M, ends ...func()) {
	code := m.Run()
	for _, end := range ends {
		end()
	}
	Tidy()
	os.Exit(code)
}

// MainAlone is Main of a package whose tests may kill the server: it has one of its own.
func MainAlone(m *testing.M) {
	alone = true
	Main(m)
}

// Tidy removes what New has made, and ends the server if it is one of our own.
func Tidy() {
	if dsn := shared(); dsn != "" {
		for n := range number.Load() {
			_ = onShared(dsn, "DROP DATABASE IF EXISTS "+name(n+1))
		}
	}
	if server != nil {
		server.Stop()
	}
	_ = os.RemoveAll(folder)
}

func shared() string {
	if alone {
		return ""
	}
	return os.Getenv(Shared)
}

// name is that of a database; test programs that run at once have different ones.
func name(n int64) string { return fmt.Sprintf("test_%d_%d", os.Getpid(), n) }

func onShared(dsn, statement string) error {
	db, err := sqlx.Connect("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.Exec(statement)
	return err
}

// New makes an empty database and gives its data source name.
func New(t testing.TB) string {
	t.Helper()
	dsn, err := Make()
	require.NoError(t, err)
	return dsn
}

// Make is New before there is a test.
func Make() (string, error) {
	if dsn := shared(); dsn != "" {
		if err := onShared(dsn, "CREATE DATABASE "+name(number.Add(1))); err != nil {
			return "", err
		}
		return latest()
	}
	start.Do(func() {
		if folder, fault = os.MkdirTemp("", "ruvel-test"); fault != nil {
			return
		}
		if fault = os.Chmod(folder, 0o711); fault == nil {
			server, fault = database.Start(context.Background(), folder)
		}
	})
	if fault != nil {
		return "", fault
	}
	number.Add(1)
	return latest()
}

// Kill ends the server, which then starts again by itself, as a machine without memory would.
func Kill(t testing.TB) {
	t.Helper()
	require.True(t, alone, "other packages use this server")
	require.Eventually(t, func() bool { // it may be on its way back from the last time
		return server.Trouble() == "" && syscall.Kill(server.Process(), syscall.SIGKILL) == nil
	}, time.Minute, 10*time.Millisecond)
}

// Latest is the data source name of the database that New made last.
func Latest(t testing.TB) string {
	t.Helper()
	dsn, err := latest()
	require.NoError(t, err)
	return dsn
}

func latest() (string, error) {
	last := name(number.Load())
	dsn := shared()
	if dsn == "" {
		return server.DSN(context.Background(), last)
	}
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return "", err
	}
	c.DBName = last
	return c.FormatDSN(), nil
}
