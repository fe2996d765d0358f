package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"

	"ruvel/core/audio"
	"ruvel/internal/disk"
)

// Format is what a mix can be delivered as.
type Format struct {
	Key       string   `json:"key"`
	Name      string   `json:"name"`
	Extension string   `json:"extension"`
	Type      string   `json:"type" doc:"MIME type"`
	args      []string // of ffmpeg, between input and output
}

// Formats are the formats in the order they are offered.
func Formats() []Format {
	// LAME turns its input down by 0.97 at this bit rate; the volume filter takes that back, so that an
	// MP3 is as loud as the WAV of the same mix (the tests measure it).
	// Triangular dither hides the rounding to 16 bits as even noise.
	return []Format{
		{"wav-24", "WAV, 24 bit", "wav", "audio/wav", []string{"-c:a", "pcm_s24le", "-f", "wav", "-rf64", "auto"}},
		{"wav-16", "WAV, 16 bit", "wav", "audio/wav", []string{"-af", "aresample=osf=s16:dither_method=triangular", "-c:a", "pcm_s16le", "-f", "wav", "-rf64", "auto"}},
		{"wav-32f", "WAV, 32 bit float", "wav", "audio/wav", []string{"-c:a", "pcm_f32le", "-f", "wav", "-rf64", "auto"}},
		{"mp3", "MP3, 192 kbit/s", "mp3", "audio/mpeg", []string{"-af", "volume=1.0309278:precision=float", "-c:a", "libmp3lame", "-b:a", "192k", "-f", "mp3"}},
	}
}

// FindFormat gives a format by its key.
func FindFormat(key string) (Format, bool) {
	for _, f := range Formats() {
		if f.Key == key {
			return f, true
		}
	}
	return Format{}, false
}

// Encoder writes sound at 48 kHz into a file. It must be closed; only if Close returns nil is the file complete.
type Encoder struct {
	cmd    *exec.Cmd
	in     io.WriteCloser
	log    bytes.Buffer
	buffer []byte
}

// NewEncoder starts writing one or two channels to a path.
func NewEncoder(ctx context.Context, path string, format Format, channels int) (*Encoder, error) {
	return NewEncoderAt(ctx, path, format, channels, audio.Rate)
}

// NewEncoderAt is NewEncoder for sound at another rate, in hertz, which the file keeps.
func NewEncoderAt(ctx context.Context, path string, format Format, channels, rate int) (*Encoder, error) {
	e := &Encoder{}
	args := []string{"-v", "error", "-y", "-f", "f32le", "-ar", strconv.Itoa(rate), "-ac", strconv.Itoa(channels), "-i", "pipe:0"}
	args = append(append(args, "-map_metadata", "-1"), format.args...)
	e.cmd = command(ctx, filepath.Dir(path), "ffmpeg", append(args, path)...)
	e.cmd.Stderr = &e.log
	var err error
	if e.in, err = e.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	if err := e.cmd.Start(); err != nil {
		return nil, fmt.Errorf("start ffmpeg: %w", err)
	}
	return e, nil
}

// Write takes the next frames.
func (e *Encoder) Write(pcm audio.PCM) error {
	e.buffer = e.buffer[:0]
	for i := range int(pcm.Length()) {
		for c := range pcm {
			e.buffer = binary.LittleEndian.AppendUint32(e.buffer, math.Float32bits(pcm[c][i]))
		}
	}
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
