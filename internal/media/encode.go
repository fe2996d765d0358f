package media

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"

	"ruvel/core/audio"
	"ruvel/internal/disk"
)

// Encoder writes sound at 48 kHz into a file. It must be closed; only if Close returns nil is the file complete.
type Encoder struct {
	cmd    *exec.Cmd
	in     io.WriteCloser
	log    bytes.Buffer
	buffer []byte
}

// NewEncoder starts writing one or two channels to a WAV file, of 24 bits or 32-bit float.
func NewEncoder(ctx context.Context, path string, bits, channels int) (*Encoder, error) {
	return NewEncoderAt(ctx, path, bits, channels, audio.Rate)
}

// NewEncoderAt is NewEncoder for sound at another rate, in hertz, which the file keeps.
func NewEncoderAt(ctx context.Context, path string, bits, channels, rate int) (*Encoder, error) {
	codec := map[int]string{24: "pcm_s24le", 32: "pcm_f32le"}[bits]
	e := &Encoder{}
	return e, e.start(ctx, []string{
		"-v", "error", "-y", "-f", "f32le", "-ar", strconv.Itoa(rate), "-ac", strconv.Itoa(channels), "-i", "pipe:0",
		"-map_metadata", "-1", "-c:a", codec, "-f", "wav", "-rf64", "auto", path,
	}, filepath.Dir(path))
}

func (e *Encoder) start(ctx context.Context, args []string, dir string) error {
	return e.startWith(ctx, args, dir, func(*exec.Cmd) error { return nil })
}

// startWith starts ffmpeg, after with has done something to it.
func (e *Encoder) startWith(ctx context.Context, args []string, dir string, with func(*exec.Cmd) error) (err error) {
	e.cmd = command(ctx, dir, "ffmpeg", args...)
	e.cmd.Stderr = &e.log
	if e.in, err = e.cmd.StdinPipe(); err != nil {
		return err
	}
	widen(e.in)
	if err := with(e.cmd); err != nil {
		return err
	}
	if err := e.cmd.Start(); err != nil {
		return fmt.Errorf("start ffmpeg: %w", err)
	}
	return nil
}

// Write takes the next frames.
func (e *Encoder) Write(pcm audio.PCM) error {
	e.buffer = interleaved(e.buffer[:0], pcm)
	return e.hand()
}

// hand gives what is in the buffer to ffmpeg.
func (e *Encoder) hand() error {
	if _, err := e.in.Write(e.buffer); err != nil {
		return fmt.Errorf("hand sound to the encoder: %w", err)
	}
	return nil
}

// Close finishes the file.
func (e *Encoder) Close() error {
	_ = e.in.Close()
	if err := e.cmd.Wait(); err != nil {
		if bytes.Contains(e.log.Bytes(), []byte("No space left")) {
			return disk.Full(syscall.ENOSPC)
		}
		return failure(err, &e.log)
	}
	if e.log.Len() > 0 { // ffmpeg reports a full disk while writing the trailer, but ends well
		return fmt.Errorf("ffmpeg: %s", bytes.TrimSpace(e.log.Bytes()))
	}
	return nil
}
