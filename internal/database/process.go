package database

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"syscall"
	"time"
)

// process is one run of mariadbd.
type process struct {
	cmd   *exec.Cmd
	place place
	from  int64 // where its part of the log begins
	ended chan struct{}
}

// launch starts mariadbd. Its first statements, which it reads from a pipe that nobody
// else can open, make the account and shut the one it came with out.
func launch(at place, password string, port int) (*process, error) {
	log, err := os.OpenFile(at.log(), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	info, err := log.Stat()
	if err != nil {
		return nil, err
	}
	first, err := at.statements(password)
	if err != nil {
		return nil, err
	}
	defer first.Close()
	// The socket is named relative to the data: the system bounds the length of its name.
	p := &process{place: at, from: info.Size(), ended: make(chan struct{})}
	p.cmd = exec.Command("mariadbd", "--no-defaults", "--datadir="+at.data(), "--bind-address=127.0.0.1", "--port="+strconv.Itoa(port), "--skip-name-resolve",
		"--socket=../run/s", "--pid-file="+filepath.Join(at.run(), "pid"), "--tmpdir="+at.run(), "--init-file=/proc/self/fd/3",
		"--innodb-buffer-pool-size=128M", "--max-allowed-packet=64M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin")
	p.cmd.Env = append(os.Environ(), ownMode...)
	p.cmd.Stdout, p.cmd.Stderr, p.cmd.ExtraFiles = log, log, []*os.File{first}
	// The server is asked to end when our process dies, and does not hear the terminal's Ctrl+C itself. It must
	// be started as its user: were it to change to it, it would lose that tie.
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
	if at.owner != nil {
		uid, gid := at.ids()
		p.cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	}
	started := make(chan error)
	go func() {
		runtime.LockOSThread() // Pdeathsig watches the thread that started the process
		err := p.cmd.Start()
		started <- err
		if err == nil {
			_ = p.cmd.Wait()
		}
		close(p.ended)
	}()
	if err := <-started; err != nil {
		return nil, fmt.Errorf("start mariadbd: %w", err)
	}
	return p, nil
}

// statements is a pipe with what the server does first.
func (p place) statements(password string) (*os.File, error) {
	r, w, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	defer w.Close()
	if p.owner != nil {
		uid, gid := p.ids()
		if err := r.Chown(uid, gid); err != nil {
			return nil, err
		}
	}
	_, err = fmt.Fprintf(w, "CREATE USER IF NOT EXISTS %[1]s@'127.0.0.1';\nALTER USER %[1]s@'127.0.0.1' IDENTIFIED BY '%[2]s';\n"+
		"GRANT ALL ON *.* TO %[1]s@'127.0.0.1';\nALTER USER root@localhost ACCOUNT LOCK;\n", account, password)
	return r, err
}

// end asks the process to end and waits until it has. One that does not hear is ended.
func (p *process) end() {
	_ = p.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-p.ended:
	case <-time.After(endPatience):
		_ = p.cmd.Process.Kill()
		<-p.ended
	}
}

// reasons are what the server's log says of why it cannot run, with what is to be done.
var reasons = []struct {
	log   *regexp.Regexp
	words string
}{
	{regexp.MustCompile(`(?i)no space left|disk is full|errno:? 28\b|error:? 28\b`), "the disk is full; free some space"},
	{regexp.MustCompile(`(?i)unable to lock|already a server running|another (mysqld|mariadbd)`), "another program is using its files; end that"},
	{regexp.MustCompile(`(?i)permission denied|errno:? 13\b`), "its files cannot be read or written; give them back to the user that it runs as"},
	{regexp.MustCompile(`(?i)corrupt|checksum mismatch|not a valid|cannot continue operation|of a different size|registration as a STORAGE ENGINE failed`), "its files are damaged; put a backup in their place, as docs/running.md describes"},
}

// why says in words why the process has ended; its log says more.
func (p *process) why() error {
	text := p.said()
	for _, r := range reasons {
		if r.log.MatchString(text) {
			return errors.New(r.words)
		}
	}
	return fmt.Errorf("it has ended (%v)", p.cmd.ProcessState)
}

// said is what this run has written into the log, of which the end matters.
func (p *process) said() string {
	data, _ := os.ReadFile(p.place.log())
	data = data[min(p.from, int64(len(data))):]
	return string(bytes.ToValidUTF8(data[max(0, len(data)-1<<16):], nil))
}
