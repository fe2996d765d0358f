package media

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os/exec"
	"syscall"

	"ruvel/core/audio"
	"ruvel/internal/disk"
)

// encoder writes sound at 48 kHz into a file by ffmpeg. It must be closed; only if Close returns nil is the file complete.
type encoder struct {
	cmd    *exec.Cmd
	in     io.WriteCloser
	log    bytes.Buffer
	buffer []byte
}

func (e *encoder) start(ctx context.Context, args []string, dir string) error {
	return e.startWith(ctx, args, dir, func(*exec.Cmd) error { return nil })
}

// startWith starts ffmpeg, after with has done something to it.
func (e *encoder) startWith(ctx context.Context, args []string, dir string, with func(*exec.Cmd) error) (err error) {
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
func (e *encoder) Write(pcm audio.PCM) error {
	e.buffer = interleaved(e.buffer[:0], pcm)
	return e.hand()
}

// hand gives what is in the buffer to ffmpeg.
func (e *encoder) hand() error {
	if _, err := e.in.Write(e.buffer); err != nil {
		return fmt.Errorf("hand sound to the encoder: %w", err)
	}
	return nil
}

// Close finishes the file.
func (e *encoder) Close() error {
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
