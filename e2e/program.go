package e2e

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/testkit"
)

// Program is a server in a process of its own, which can be killed and started again
// at the same address with the same data.
type Program struct {
	t       testing.TB
	path    string
	Data    string
	Address string
	cmd     *exec.Cmd
}

// program is the server's program, once it has been built.
var program struct {
	sync.Once
	dir string
	err error
}

// built gives the program.
func built(t testing.TB) string {
	t.Helper()
	program.Do(func() {
		if program.dir, program.err = os.MkdirTemp("", "ruvel-built"); program.err != nil {
			return
		}
		if out, err := exec.Command("go", "build", "-ldflags=-s -w", "-o", program.dir, "ruvel/cmd/ruvel").CombinedOutput(); err != nil {
			program.err = fmt.Errorf("%w: %s", err, out)
		}
	})
	require.NoError(t, program.err)
	return filepath.Join(program.dir, "ruvel")
}

// removeBuilt removes it.
func removeBuilt() { _ = os.RemoveAll(program.dir) }

// StartProgram starts a server without the sample series.
func StartProgram(t testing.TB) *Program {
	t.Helper()
	data, err := os.MkdirTemp("", "ruvel-program")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(data) })
	require.NoError(t, os.Chmod(data, 0o755)) // the database runs as a user of its own
	p := &Program{t: t, path: built(t), Data: data}
	t.Cleanup(p.Stop)
	p.Start(strconv.Itoa(testkit.Port(t)))
	return p
}

// Start starts the program on a port and waits until it is ready.
func (p *Program) Start(port string) {
	p.t.Helper()
	p.cmd = exec.Command(p.path, "serve", "--no-demo", "--data", p.Data, "--port", port)
	out, err := p.cmd.StdoutPipe()
	require.NoError(p.t, err)
	p.cmd.Stderr = os.Stderr
	require.NoError(p.t, p.cmd.Start())
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, address, ok := strings.Cut(lines.Text(), "Ruvel is ready: "); ok {
			p.Address = address
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return
		}
	}
	require.Fail(p.t, "the server did not start")
}

// Again starts it at the address that it had.
func (p *Program) Again() {
	p.t.Helper()
	p.Start(p.Address[strings.LastIndexByte(p.Address, ':')+1:])
}

// Kill ends it without a chance to tidy up.
func (p *Program) Kill() {
	p.t.Helper()
	require.NoError(p.t, p.cmd.Process.Kill())
	_ = p.cmd.Wait()
}

// Stop ends it as Ctrl+C does.
func (p *Program) Stop() {
	if p.cmd.ProcessState == nil {
		_ = p.cmd.Process.Signal(os.Interrupt)
		_ = p.cmd.Wait()
	}
}
