package database_test

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/database"
)

var ctx = context.Background()

// place is a folder that the user the server runs as can reach.
func place(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "database-test")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o711))
	return filepath.Join(dir, "database")
}

func start(t *testing.T, dir string) *database.Server {
	t.Helper()
	s, err := database.Start(ctx, dir)
	require.NoError(t, err)
	t.Cleanup(s.Stop)
	return s
}

func connect(t *testing.T, s *database.Server) *sqlx.DB {
	t.Helper()
	dsn, err := s.DSN(ctx, "tried")
	require.NoError(t, err)
	db, err := sqlx.Connect("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	return db
}

func TestSeveralServersAreLaidOutAndStartedAtOnce(t *testing.T) {
	var g sync.WaitGroup
	for range 3 {
		dir := place(t)
		g.Go(func() {
			s, err := database.Start(ctx, dir)
			if !assert.NoError(t, err) {
				return
			}
			_, err = s.DSN(ctx, "tried")
			assert.NoError(t, err)
			s.Stop()
		})
	}
	g.Wait()
}

func TestAServerThatDiesIsStartedAgainWithAllItHad(t *testing.T) {
	s := start(t, place(t))
	db := connect(t, s)
	_, err := db.Exec(`CREATE TABLE kept (n INT)`)
	require.NoError(t, err)
	for n := range 3 {
		_, err = db.Exec(`INSERT INTO kept VALUES (?)`, n)
		require.NoError(t, err)
		require.Empty(t, s.Trouble())
		require.NoError(t, syscall.Kill(s.Process(), syscall.SIGKILL))
		require.Eventually(t, func() bool { return s.Trouble() != "" }, 10*time.Second, time.Millisecond)
		assert.Contains(t, s.Trouble(), "is being started again")
		require.Eventually(t, func() bool {
			var there int
			return db.Get(&there, `SELECT COUNT(*) FROM kept`) == nil && there == n+1 && s.Trouble() == ""
		}, time.Minute, 20*time.Millisecond)
	}
}

func TestAServerThatCannotStartSaysWhyAndIsTriedAgain(t *testing.T) {
	dir := place(t)
	s := start(t, dir)
	db := connect(t, s)
	// Its files are away, and come back.
	data := filepath.Join(dir, "data")
	require.NoError(t, os.Rename(data, data+".away"))
	require.NoError(t, syscall.Kill(s.Process(), syscall.SIGKILL))
	require.Eventually(t, func() bool { return strings.Contains(s.Trouble(), "cannot be started") }, time.Minute, 10*time.Millisecond)
	require.NoError(t, os.RemoveAll(data))
	require.NoError(t, os.Rename(data+".away", data))
	require.Eventually(t, func() bool { return s.Trouble() == "" && db.Ping() == nil }, time.Minute, 20*time.Millisecond)
}

func TestAServerThatWasLeftBehindIsEndedBeforeAnotherStartsOnItsFiles(t *testing.T) {
	dir := place(t)
	s := start(t, dir)
	words, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", s.Process()))
	require.NoError(t, err)
	db := connect(t, s)
	_, err = db.Exec(`CREATE TABLE kept (n INT)`)
	require.NoError(t, err)
	s.Stop()
	// A shell starts one and ends at once, so that nobody is left who could end it.
	start := exec.Command("sh", append([]string{"-c", `"$@" 3</dev/null >/dev/null 2>&1 & echo $!`, "sh"}, strings.Split(strings.TrimRight(string(words), "\x00"), "\x00")...)...)
	if owner, err := user.Lookup("mysql"); err == nil && os.Getuid() == 0 {
		uid, _ := strconv.Atoi(owner.Uid)
		gid, _ := strconv.Atoi(owner.Gid)
		start.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
	}
	said, err := start.Output()
	require.NoError(t, err)
	left, err := strconv.Atoi(strings.TrimSpace(string(said)))
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(left, 0), "it runs")
	again, err := database.Start(ctx, dir)
	require.NoError(t, err)
	t.Cleanup(again.Stop)
	require.Eventually(t, func() bool { return syscall.Kill(left, 0) != nil }, time.Minute, 10*time.Millisecond)
	var there int
	require.NoError(t, connect(t, again).Get(&there, `SELECT COUNT(*) FROM kept`))
}

func TestDamagedFilesAreCalledThat(t *testing.T) {
	dir := place(t)
	s, err := database.Start(ctx, dir)
	require.NoError(t, err)
	s.Stop()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "data", "ibdata1"), []byte("no database"), 0o600))
	_, err = database.Start(ctx, dir)
	require.ErrorContains(t, err, "its files are damaged")
}

func TestWhatAServerKeepsIsForItsUserAloneAndThePasswordIsInNoFile(t *testing.T) {
	dir := place(t)
	s := start(t, dir)
	dsn, err := s.DSN(ctx, "tried")
	require.NoError(t, err)
	_, password, _ := strings.Cut(strings.Split(dsn, "@")[0], ":")
	require.Len(t, password, 32)
	look := func() {
		require.NoError(t, filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
			require.NoError(t, err)
			info, err := d.Info()
			require.NoError(t, err)
			if d.IsDir() {
				assert.Zero(t, info.Mode().Perm()&0o077, path)
				return nil
			}
			if !info.Mode().IsRegular() {
				return nil
			}
			assert.Zero(t, info.Mode().Perm()&0o077, path)
			if info.Size() < 1<<20 {
				data, err := os.ReadFile(path)
				require.NoError(t, err)
				assert.NotContains(t, string(data), password, path)
			}
			return nil
		}))
	}
	look()
	s.Stop()
	look()
}
