// Package media reads and writes sound files through ffmpeg, and plain WAV files by itself. Files that are read are
// taken to be hostile: only listed container formats are opened, no file can name
// another, and every run has bounds on its time, memory and output.
package media

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

// MaxLength is the longest sound that can be imported.
const MaxLength = 3 * 3600 * audio.Second

// demuxers are the container formats that are opened. None of them can lead to another file.
const demuxers = "wav,w64,aiff,flac,mp3,mov,aac,ogg,matroska"

// guard is the arguments that come before every input of ffmpeg and ffprobe.
var guard = []string{"-v", "error", "-protocol_whitelist", "file,pipe", "-format_whitelist", demuxers}

// memory and time that one run of ffmpeg may take.
const (
	maxMemory  = 4 << 30
	maxRunTime = 30 * time.Minute
)

// command is ffmpeg or ffprobe under its bounds, in a folder of its own choosing.
func command(ctx context.Context, dir, name string, args ...string) *exec.Cmd {
	bounded := append([]string{fmt.Sprintf("--as=%d", maxMemory), "--core=0", name}, args...)
	cmd := exec.CommandContext(ctx, "prlimit", bounded...)
	cmd.Dir = dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	return cmd
}

// Unreadable says that a file is not one that Ruvel can take in, and why.
func Unreadable(code, format string, args ...any) error {
	return problem.Problem{Code: code, Where: "file", Message: fmt.Sprintf(format, args...)}
}

// failure puts what ffmpeg complained about behind an error of ours.
func failure(err error, log *bytes.Buffer) error {
	text := strings.TrimSpace(log.String())
	if i := strings.LastIndexByte(text, '\n'); i >= 0 {
		text = text[i+1:]
	}
	return fmt.Errorf("ffmpeg: %w: %s", err, text)
}

// CheckTools says which of the programs that this package runs is missing.
func CheckTools() error {
	for _, name := range []string{"ffmpeg", "ffprobe", "mpg123", "prlimit"} {
		if _, err := exec.LookPath(name); err != nil {
			return fmt.Errorf("the program %s is not installed: %w", name, err)
		}
	}
	return nil
}

// size is a file's length in bytes, or 0.
func size(path string) int64 {
	info, err := os.Stat(path)
	if err != nil {
		return 0
	}
	return info.Size()
}
