package media

import (
	"context"
	"errors"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"

	"ruvel/core/audio"
	"ruvel/core/master"
)

// overheard is a stream of a lossy format that is decoded and listened to while it is written.
type overheard struct {
	decoder  encoder
	listener *master.Listener
	copied   chan error // the stream is in the file
	heard    chan error // and has been listened to
}

// overhear takes what an encoder gives, as a stream in Ogg, writes it into a file and listens to it.
func overhear(ctx context.Context, from io.Reader, path string, s Setting, loud float32) (*overheard, error) {
	f, err := os.Create(path)
	if err != nil {
		return nil, err
	}
	o := &overheard{listener: master.NewListener(s.Channels, loud), copied: make(chan error, 1), heard: make(chan error, 1)}
	args := []string{"-v", "error", "-f", "ogg", "-i", "pipe:0", "-map", "0:a"}
	if s.Rate != audio.Rate {
		args = append(args, "-af", "aresample="+strconv.Itoa(audio.Rate)+":"+clean)
	}
	var pipe io.ReadCloser
	if err := o.decoder.startWith(ctx, append(args, "-f", "f32le", "pipe:1"), filepath.Dir(path), func(cmd *exec.Cmd) (err error) {
		pipe, err = cmd.StdoutPipe()
		widen(pipe)
		return err
	}); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	go func() {
		_, err := io.Copy(io.MultiWriter(f, o.decoder.in), from)
		if err != nil {
			_, _ = io.Copy(io.Discard, from) // so that the encoder comes to its end
		}
		o.copied <- errors.Join(err, o.decoder.in.Close(), f.Close())
	}()
	go func() {
		_, err := read(pipe, s.Channels, math.MaxInt64, func(pcm audio.PCM) error {
			o.listener.Write(pcm)
			return nil
		})
		o.heard <- err
	}()
	return o, nil
}

// written waits until the encoder has given all that it gives, and it is in the file.
func (o *overheard) written() error { return <-o.copied }

// course waits until all has been listened to.
func (o *overheard) course() (master.Course, error) {
	err := <-o.heard
	return o.listener.Course(), errors.Join(err, o.decoder.Close())
}
