// Package debian holds what the Debian package of Ruvel is made of.
package debian

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/testkit"
)

// run gives what a program says.
func run(t *testing.T, program string, arguments ...string) string {
	t.Helper()
	out, err := exec.CommandContext(t.Context(), program, arguments...).CombinedOutput()
	require.NoError(t, err, "%s: %s", program, out)
	return strings.TrimSpace(string(out))
}

// The package is made and installed on a copy of this machine, what its unit begins is begun as its unit does and asked how it is, and it is
// taken off again. Where no copy can be made, as by who is not root, it is begun where it was unpacked.
func TestThePackageInstallsBeginsAnswersEndsAndLeavesWhatWasKept(t *testing.T) {
	dir, err := os.MkdirTemp("", "ruvel-package")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	require.NoError(t, os.Chmod(dir, 0o755))
	program := filepath.Join(dir, "ruvel")
	run(t, "go", "build", "-o", program, "../cmd/ruvel")
	said := run(t, "./build", "--built", program, dir)
	deb := said[strings.LastIndex(said, "\n")+1:]
	control := run(t, "dpkg-deb", "--field", deb)
	for _, line := range []string{"Package: ruvel", "Depends: adduser, mariadb-server, ffmpeg, mpg123, sox, util-linux"} {
		assert.Contains(t, control, line)
	}
	root := filepath.Join(dir, "root")
	run(t, "dpkg-deb", "--extract", deb, root)
	for _, file := range []string{"usr/bin/ruvel", "etc/ruvel/ruvel.conf", "usr/share/doc/ruvel/running.md", "usr/share/doc/ruvel/copyright"} {
		require.FileExists(t, filepath.Join(root, file))
	}
	unit, err := os.ReadFile(filepath.Join(root, "lib/systemd/system/ruvel.service"))
	require.NoError(t, err)
	_, begins, _ := strings.Cut(string(unit), "\nExecStart=")
	begins, _, _ = strings.Cut(begins, "\n")
	require.Equal(t, "/usr/bin/ruvel serve --data /var/lib/ruvel --no-demo", begins)
	port := strconv.Itoa(testkit.Port(t))
	if exec.CommandContext(t.Context(), "unshare", "--mount", "--pid", "--fork", "mount", "-t", "tmpfs", "tmpfs", root).Run() != nil {
		t.Log("This machine lets nobody make a copy of it, so what the package holds is begun where it was unpacked.")
		words := strings.Fields(strings.ReplaceAll(filepath.Join(root, begins), "/var/lib/ruvel", filepath.Join(dir, "data")))
		out := run(t, "bash", append([]string{"-euo", "pipefail", "answers", port}, words...)...)
		assert.Contains(t, out, `"ready":true`)
		assert.Contains(t, out, "ended well")
		return
	}
	out := run(t, "unshare", "--mount", "--pid", "--fork", "--kill-child", "bash", "-euo", "pipefail", "installed", dir, deb, begins, port)
	assert.Contains(t, out, `"ready":true`)
	assert.Contains(t, out, "ended well")
	assert.Contains(t, out, "what was kept is there")
}
