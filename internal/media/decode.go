package media

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"

	"ruvel/core/audio"
)

// piece is how many frames are handed on at a time.
const piece = 65536

// slack is how much shorter than stated a sound may come out: lossy formats count their padding.
const slack = audio.Second / 4

// Decode reads a probed file at 48 kHz and hands it on in planar pieces that are
// valid only during the call. It returns the number of frames.
func Decode(ctx context.Context, path string, info Info, sink func(audio.PCM) error) (audio.Frames, error) {
	longest := cmp.Or(info.Longest, MaxLength)
	if info.Expected > longest {
		return 0, tooLong(longest)
	}
	f, p, err := openPlain(path)
	if err != nil {
		return 0, err
	}
	if f != nil {
		defer f.Close()
		if p.rate == audio.Rate && p.channels == info.Channels {
			n, err := readSamples(ctx, p.sound(f), p.samples, p.channels, longest, sink)
			if errors.Is(err, errTooLong) {
				err = tooLong(longest)
			}
			return n, err
		}
	}
	return decodeByFFmpeg(ctx, path, info, longest, sink)
}

// decodeByFFmpeg is Decode of any file that ffmpeg reads.
func decodeByFFmpeg(ctx context.Context, path string, info Info, longest audio.Frames, sink func(audio.PCM) error) (audio.Frames, error) {
	ctx, cancel := context.WithTimeout(ctx, maxRunTime)
	defer cancel()
	args := append(append([]string{"-nostdin"}, guard...), "-i", path, "-map", "0:a:0", "-vn", "-sn", "-dn",
		"-ac", strconv.Itoa(info.Channels))
	if info.Rate != audio.Rate {
		// A longer filter than ffmpeg's own leaves nothing to hear; the soxr resampler takes more than twice as long.
		args = append(args, "-af", "aresample=48000:filter_size=64:cutoff=0.97:filter_type=kaiser:kaiser_beta=12")
	}
	args = append(args, "-f", "f32le", "pipe:1")
	var log bytes.Buffer
	cmd := command(ctx, filepath.Dir(path), "ffmpeg", args...)
	cmd.Stderr = &log
	pipe, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	widen(pipe)
	if err := cmd.Start(); err != nil {
		return 0, fmt.Errorf("start ffmpeg: %w", err)
	}
	limit := longest
	if strings.Contains(info.Format, "mov") && info.Expected > 0 {
		limit = info.Expected // ffmpeg leaves the encoder's padding at the end of an M4A file
	}
	n, readErr := read(pipe, info.Channels, limit, sink)
	if readErr != nil || n == limit {
		cancel()
	}
	waitErr := cmd.Wait()
	switch {
	case errors.Is(readErr, errTooLong) && limit < longest:
		return n, nil
	case errors.Is(readErr, errTooLong):
		return n, tooLong(longest)
	case readErr != nil:
		return n, readErr
	case n == limit:
		return n, nil
	case ctx.Err() != nil:
		return n, ctx.Err()
	case n == 0:
		return 0, Unreadable("not-a-sound", "Nothing in this file could be decoded.")
	case n < info.Expected-slack && !info.Guessed:
		return n, Unreadable("truncated", "The file breaks off: it should be %v long, but only %v could be read. Copy it again from where it came from.", info.Expected, n)
	case waitErr != nil:
		return n, Unreadable("broken", "The file is damaged: %v", failure(waitErr, &log))
	}
	return n, nil
}

func tooLong(longest audio.Frames) error {
	return Unreadable("too-long", "The recording is longer than %.0f hours. Split it before importing it.", longest.Seconds()/3600)
}

// widen lets a pipe hold as much as the system allows, so that neither end waits for
// the other at every few samples.
func widen(pipe any) {
	f, ok := pipe.(syscall.Conn)
	if !ok {
		return
	}
	if raw, err := f.SyscallConn(); err == nil {
		_ = raw.Control(func(fd uintptr) { _, _ = unix.FcntlInt(fd, unix.F_SETPIPE_SZ, 1<<20) })
	}
}

var errTooLong = errors.New("longer than allowed")

// raw is a run of bytes as it came, and the error that ended it.
type raw struct {
	bytes []byte
	err   error
}

// fetch reads ahead of the one who works on what was read, until an error or done.
func fetch(r io.Reader, size int, done <-chan struct{}) <-chan raw {
	out := make(chan raw, 2)
	go func() {
		defer close(out)
		for err := error(nil); err == nil; {
			var n int
			buffer := make([]byte, size)
			n, err = io.ReadFull(r, buffer)
			select {
			case out <- raw{buffer[:n], err}:
			case <-done:
				return
			}
		}
	}()
	return out
}

// read turns what ffmpeg gives into planar pieces, up to a number of frames.
func read(r io.Reader, channels int, limit audio.Frames, sink func(audio.PCM) error) (audio.Frames, error) {
	return readSamples(context.Background(), r, kind(floatingPoint, 32), channels, limit, sink) // it ends with the program
}

// readSamples turns interleaved samples into planar pieces, up to a number of frames.
func readSamples(ctx context.Context, r io.Reader, of samples, channels int, limit audio.Frames, sink func(audio.PCM) error) (total audio.Frames, err error) {
	pcm := audio.NewPCM(channels, piece)
	done := make(chan struct{})
	defer close(done)
	for got := range fetch(r, piece*channels*of.bytes, done) {
		if ctx.Err() != nil {
			return total, ctx.Err()
		}
		n := audio.Frames(len(got.bytes) / of.bytes / channels)
		over := total+n > limit
		n = min(n, limit-total)
		if n > 0 {
			of.planar(pcm, got.bytes, n)
			if err := sink(pcm.Slice(0, n)); err != nil {
				return total, err
			}
		}
		total += n
		if over {
			return total, errTooLong
		}
		if got.err != nil && !errors.Is(got.err, io.EOF) && !errors.Is(got.err, io.ErrUnexpectedEOF) {
			return total, got.err
		}
	}
	return total, nil
}

// planar sorts interleaved samples into channels.
func (of samples) planar(dst audio.PCM, raw []byte, n audio.Frames) {
	for c := range dst {
		out, in, stride := dst[c][:n], raw[c*of.bytes:], of.bytes*len(dst)
		for i := range out {
			out[i] = of.read(in[i*stride:])
		}
	}
}
