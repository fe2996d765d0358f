// Package database runs a private MariaDB server on loopback: with its own data folder, a
// password that only this process knows and a free port, as an unprivileged user when
// started by root. A server that dies is started again. It ends when the program ends,
// however that happens.
package database

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
)

// Server is a private server that is kept running.
type Server struct {
	place   place
	config  *mysql.Config
	trouble atomic.Pointer[string]
	process atomic.Pointer[process]
	port    atomic.Int64
	stop    context.CancelFunc
	ended   chan struct{}
}

// place is where a server keeps its things and as whom it runs.
type place struct {
	dir   string
	owner *user.User // nil: as ourselves
}

func (p place) data() string { return filepath.Join(p.dir, "data") }
func (p place) log() string  { return filepath.Join(p.dir, "mariadb.log") }

// run is the folder of what is of no use any more when the server has ended: its socket and temporary tables.
func (p place) run() string { return filepath.Join(p.dir, "run") }

const account = "ruvel"

// ownMode is how the server is told to make files and folders that nobody else can look into.
var ownMode = []string{"UMASK=0600", "UMASK_DIR=0700"}

// Start runs a server on the data in dir, which is laid out first if it is empty. The
// folders above it must be open to the user mysql when started by root.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	owner, err := unprivileged()
	if err != nil {
		return nil, err
	}
	s := &Server{place: place{dir, owner}, ended: make(chan struct{})}
	if err := s.place.prepare(ctx); err != nil {
		return nil, err
	}
	s.config = mysql.NewConfig()
	s.config.User, s.config.Passwd, s.config.Net, s.config.Addr = account, secret(), "ruvel-"+secret(), "private"
	mysql.RegisterDialContext(s.config.Net, s.dial)
	first, err := s.up(ctx)
	if err != nil {
		mysql.DeregisterDialContext(s.config.Net)
		return nil, fmt.Errorf("the database cannot be started: %w; its log is %s", err, s.place.log())
	}
	lasting, stop := context.WithCancel(context.WithoutCancel(ctx))
	s.stop = stop
	go s.keepUp(lasting, first)
	return s, nil
}

// prepare makes the folders, and lays the data out if there are none.
func (p place) prepare(ctx context.Context) error {
	if err := p.own(p.dir); err != nil {
		return fmt.Errorf("make the database's folder: %w", err)
	}
	// Earlier versions kept the password in a file.
	if err := os.Remove(filepath.Join(p.dir, "password")); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	if _, err := os.Stat(filepath.Join(p.data(), "mysql")); err != nil {
		if err := p.install(ctx); err != nil {
			return err
		}
	}
	return shut(p.data())
}

// shut lets nobody but its user look into a folder and what is in it. Earlier versions, and
// the program that lays the data out, leave some of it open. What goes away meanwhile, as
// when a server of before is still ending, needs no shutting.
func shut(dir string) error {
	return filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil {
			return unlessGone(err, path, dir)
		}
		info, err := d.Info()
		if err != nil || info.Mode().Perm()&0o077 == 0 || !d.IsDir() && !info.Mode().IsRegular() {
			return unlessGone(err, path, dir)
		}
		return unlessGone(os.Chmod(path, info.Mode().Perm()&^0o077), path, dir)
	})
}

// unlessGone is an error about a path, or nil if the path, inside a folder, is not there any more.
func unlessGone(err error, path, dir string) error {
	if path != dir && errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}

// own makes a folder that only the server's user can look into.
func (p place) own(dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	if err := p.give(dir); err != nil {
		return err
	}
	return os.Chmod(dir, 0o700)
}

// give makes something the server's user's own.
func (p place) give(path string) error {
	if p.owner == nil {
		return nil
	}
	uid, gid := p.ids()
	return os.Chown(path, uid, gid)
}

func (p place) ids() (uid, gid int) {
	uid, _ = strconv.Atoi(p.owner.Uid)
	gid, _ = strconv.Atoi(p.owner.Gid)
	return uid, gid
}

// clear empties the folder of what an earlier server has left.
func (p place) clear() error {
	if err := os.RemoveAll(p.run()); err != nil {
		return err
	}
	return p.own(p.run())
}

// unprivileged is the user that the server runs as when we are root.
func unprivileged() (*user.User, error) {
	if os.Getuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("mysql")
	if err != nil {
		return nil, fmt.Errorf("the user mysql is missing: install mariadb-server: %w", err)
	}
	return u, nil
}

// install lays out an empty data folder beside its place and renames it when it is complete.
func (p place) install(ctx context.Context) error {
	fresh := p.data() + ".part"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if err := p.clear(); err != nil {
		return err
	}
	args := []string{"--no-defaults", "--datadir=" + fresh, "--tmpdir=" + p.run(), "--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve"}
	if p.owner != nil {
		args = append(args, "--user="+p.owner.Username)
	}
	cmd := exec.CommandContext(ctx, "mariadb-install-db", args...)
	cmd.Env = append(os.Environ(), append(ownMode, "TMPDIR="+p.run())...)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("lay out the database: %w: %s", err, bytes.TrimSpace(out))
	}
	return os.Rename(fresh, p.data())
}

// secret makes a password. Each process has one of its own, which no file ever holds.
func secret() string {
	raw := make([]byte, 16)
	_, _ = rand.Read(raw)
	return hex.EncodeToString(raw)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// up starts the server and waits until it answers.
func (s *Server) up(ctx context.Context) (*process, error) {
	s.place.endOrphans()
	if err := s.place.clear(); err != nil {
		return nil, err
	}
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	p, err := launch(s.place, s.config.Passwd, port)
	if err != nil {
		return nil, err
	}
	s.port.Store(int64(port))
	if err := s.wait(ctx, p); err != nil {
		p.end()
		return nil, err
	}
	s.process.Store(p)
	return p, nil
}

// dial connects to the server wherever it is: another program may take the port that it had
// before it is started again.
func (s *Server) dial(ctx context.Context, _ string) (net.Conn, error) {
	var d net.Dialer
	return d.DialContext(ctx, "tcp", net.JoinHostPort("127.0.0.1", strconv.FormatInt(s.port.Load(), 10)))
}

// wait returns when the server answers.
func (s *Server) wait(ctx context.Context, p *process) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		db, err := sqlx.ConnectContext(ctx, "mysql", s.config.FormatDSN())
		if err == nil {
			return db.Close()
		}
		select {
		case <-p.ended:
			return p.why()
		case <-ctx.Done():
			return fmt.Errorf("it does not answer: %w", errors.Join(ctx.Err(), err))
		case <-tick.C:
		}
	}
}

// DSN is the data source name of a database on the server, which is made if it is missing.
// It holds for this process only.
func (s *Server) DSN(ctx context.Context, name string) (string, error) {
	db, err := sqlx.ConnectContext(ctx, "mysql", s.config.FormatDSN())
	if err != nil {
		return "", err
	}
	defer db.Close()
	if _, err := db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+strings.ReplaceAll(name, "`", "")+"`"); err != nil {
		return "", err
	}
	c := s.config.Clone()
	c.DBName = name
	return c.FormatDSN(), nil
}

// Stop ends the server and waits until it has written everything.
func (s *Server) Stop() {
	s.stop()
	<-s.ended
	mysql.DeregisterDialContext(s.config.Net)
}
