package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"sync"
	"syscall"
	"time"
)

// member is a process of the cluster: a node of the database, a server of the queue, the store of files, the web server in front,
// a Ruvel. It can be killed, stopped, and begun again.
type member struct {
	kind, name string
	dir        string // that it is begun in, with its log
	owner      *owner // nil: who we are
	command    func() *exec.Cmd
	serves     func(ctx context.Context) error // nil once it does

	mu    sync.Mutex
	cmd   *exec.Cmd
	ended chan struct{}
}

// owner is a user that a process is begun as.
type owner struct{ uid, gid uint32 }

// begin begins it, and waits until it serves.
func (m *member) begin(ctx context.Context) error {
	if err := m.launch(); err != nil {
		return fmt.Errorf("begin %s: %w", m.name, err)
	}
	return m.wait(ctx)
}

func (m *member) launch() error {
	log, err := os.OpenFile(filepath.Join(m.dir, m.name+".log"), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd, ended := m.command(), make(chan struct{})
	cmd.Stderr = log
	if cmd.Stdout == nil {
		cmd.Stdout = log
	}
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL, Setpgid: true}
	if m.owner != nil {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: m.owner.uid, Gid: m.owner.gid}
	}
	started := make(chan error)
	go func() {
		runtime.LockOSThread() // Pdeathsig watches the thread that began the process
		err := cmd.Start()
		started <- err
		if err == nil {
			_ = cmd.Wait()
		}
		close(ended)
	}()
	if err := <-started; err != nil {
		return err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.cmd, m.ended = cmd, ended
	return nil
}

// wait waits until it serves.
func (m *member) wait(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 90*time.Second)
	defer cancel()
	for {
		err := m.serves(ctx)
		if err == nil {
			return nil
		}
		select {
		case <-m.ended:
			return fmt.Errorf("%s has ended; its log is %s", m.name, filepath.Join(m.dir, m.name+".log"))
		case <-ctx.Done():
			return fmt.Errorf("%s does not serve: %w", m.name, errors.Join(err, ctx.Err()))
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// signal sends a signal to it and what it has begun.
func (m *member) signal(s syscall.Signal) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.cmd != nil {
		_ = syscall.Kill(-m.cmd.Process.Pid, s)
	}
}

// kill ends it at once.
func (m *member) kill() {
	m.signal(syscall.SIGKILL)
	m.gone()
}

// end asks it to end, and ends it if it does not.
func (m *member) end() {
	if m.cmd == nil {
		return
	}
	m.signal(syscall.SIGCONT)
	m.signal(syscall.SIGTERM)
	select {
	case <-m.ended:
	case <-time.After(10 * time.Second):
		m.kill()
	}
}

func (m *member) gone() {
	m.mu.Lock()
	ended := m.ended
	m.mu.Unlock()
	if ended != nil {
		<-ended
	}
}

// ports gives so many that are free.
func ports(n int) (out []int, err error) {
	for range n {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, err
		}
		defer l.Close()
		out = append(out, l.Addr().(*net.TCPAddr).Port)
	}
	return out, nil
}

// at is a port on this machine.
func at(port int) string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(port)) }
