// Package database runs a private MariaDB server on loopback: with its own data
// folder, a password of its own and a free port, as an unprivileged user when started
// by root. It ends when the program ends, however that happens.
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
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
)

// Server is a running private server.
type Server struct {
	config *mysql.Config
	cmd    *exec.Cmd
	ended  chan struct{}
	log    string
}

const account = "ruvel"

// Start runs a server on the data in dir, which is laid out first if it is empty. The
// folder must be reachable by the user mysql when started by root.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("make the database's folder: %w", err)
	}
	owner, err := unprivileged()
	if err != nil {
		return nil, err
	}
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "mysql")); err != nil {
		if err := install(ctx, data, owner); err != nil {
			return nil, err
		}
	}
	password, err := secret(filepath.Join(dir, "password"))
	if err != nil {
		return nil, err
	}
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	s := &Server{ended: make(chan struct{}), log: filepath.Join(dir, "mariadb.log")}
	s.config = mysql.NewConfig()
	s.config.User, s.config.Passwd, s.config.Net = account, password, "tcp"
	s.config.Addr = net.JoinHostPort("127.0.0.1", strconv.Itoa(port))
	if err := s.run(dir, data, owner, port, password); err != nil {
		return nil, err
	}
	if err := s.wait(ctx); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
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
func install(ctx context.Context, data string, owner *user.User) error {
	fresh := data + ".part"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	aside, err := ownFolder(owner)
	if err != nil {
		return err
	}
	defer os.RemoveAll(aside)
	args := []string{"--no-defaults", "--datadir=" + fresh, "--tmpdir=" + aside, "--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve"}
	if owner != nil {
		args = append(args, "--user="+owner.Username)
	}
	if out, err := exec.CommandContext(ctx, "mariadb-install-db", args...).CombinedOutput(); err != nil {
		return fmt.Errorf("lay out the database: %w: %s", err, bytes.TrimSpace(out))
	}
	return os.Rename(fresh, data)
}

// ownFolder makes a folder for what a server writes aside. Servers that share one take each
// other's temporary tables away when they start.
func ownFolder(owner *user.User) (string, error) {
	dir, err := os.MkdirTemp("", "ruvel-db")
	if err != nil || owner == nil {
		return dir, err
	}
	uid, _ := strconv.Atoi(owner.Uid)
	gid, _ := strconv.Atoi(owner.Gid)
	return dir, os.Chown(dir, uid, gid)
}

// secret reads the password kept in a file, or makes one.
func secret(path string) (string, error) {
	if data, err := os.ReadFile(path); err == nil {
		return string(data), nil
	}
	raw := make([]byte, 16)
	_, _ = rand.Read(raw)
	password := hex.EncodeToString(raw)
	return password, os.WriteFile(path, []byte(password), 0o600)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// run starts the server. Its first statements, read from a file that only it can
// read, make the account and shut the one it came with out.
func (s *Server) run(dir, data string, owner *user.User, port int, password string) error {
	sockets, err := ownFolder(owner)
	if err != nil {
		return err
	}
	first := filepath.Join(sockets, "first.sql")
	statements := fmt.Sprintf("CREATE USER IF NOT EXISTS %[1]s@'127.0.0.1';\nALTER USER %[1]s@'127.0.0.1' IDENTIFIED BY '%[2]s';\n"+
		"GRANT ALL ON *.* TO %[1]s@'127.0.0.1';\nALTER USER root@localhost ACCOUNT LOCK;\n", account, password)
	if err := os.WriteFile(first, []byte(statements), 0o600); err != nil {
		return err
	}
	log, err := os.OpenFile(s.log, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o644)
	if err != nil {
		return err
	}
	defer log.Close()
	args := []string{
		"--no-defaults", "--datadir=" + data, "--bind-address=127.0.0.1", "--port=" + strconv.Itoa(port), "--skip-name-resolve",
		"--socket=" + filepath.Join(sockets, "s"), "--pid-file=" + filepath.Join(sockets, "pid"), "--tmpdir=" + sockets, "--init-file=" + first,
		"--innodb-buffer-pool-size=128M", "--max-allowed-packet=64M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin",
	}
	// The server is asked to end when our process dies, and does not hear the terminal's Ctrl+C itself. It must
	// be started as its user: were it to change to it, it would lose that tie.
	attributes := &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
	if owner != nil {
		uid, _ := strconv.Atoi(owner.Uid)
		gid, _ := strconv.Atoi(owner.Gid)
		if err := os.Chown(first, uid, gid); err != nil {
			return err
		}
		attributes.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	}
	s.cmd = exec.Command("mariadbd", args...)
	s.cmd.Stdout, s.cmd.Stderr = log, log
	s.cmd.SysProcAttr = attributes
	started := make(chan error)
	go func() {
		runtime.LockOSThread() // Pdeathsig watches the thread that started the process
		err := s.cmd.Start()
		started <- err
		if err == nil {
			_ = s.cmd.Wait()
		}
		_ = os.RemoveAll(sockets)
		close(s.ended)
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("start mariadbd: %w", err)
	}
	return nil
}

// wait returns when the server answers.
func (s *Server) wait(ctx context.Context) error {
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
		case <-s.ended:
			return fmt.Errorf("the database ended while starting; its log ends with: %s", tail(s.log))
		case <-ctx.Done():
			return fmt.Errorf("the database does not answer: %w", errors.Join(ctx.Err(), err))
		case <-tick.C:
		}
	}
}

func tail(path string) string {
	data, _ := os.ReadFile(path)
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	return strings.Join(lines[max(0, len(lines)-5):], "\n")
}

// DSN is the data source name of a database on the server, which is made if it is missing.
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
	if s.cmd.Process != nil {
		_ = s.cmd.Process.Signal(syscall.SIGTERM)
	}
	<-s.ended
}
