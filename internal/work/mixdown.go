package work

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/media"
	"ruvel/internal/store"
)

// MixdownArguments is what a mixdown is made of: the version of the document that was
// current, and was kept, when it was asked for.
type MixdownArguments struct {
	Document *session.Document `json:"document,omitempty"` // itself, in jobs of earlier versions of Ruvel
	Version  int64             `json:"version"`
	Format   string            `json:"format"`
	Channels int               `json:"channels"`
	From     audio.Frames      `json:"from"`
	To       audio.Frames      `json:"to"`
	File     string            `json:"file"`
}

// MixdownFolder is where all mixdowns lie in the bucket.
const MixdownFolder = "mixdowns/"

// MixdownKey is where a mixdown lies in the bucket.
func MixdownKey(m store.Mixdown) string { return MixdownFolder + m.ID + filepath.Ext(m.File) }

// renderShare is the part of the progress bar that rendering takes; measuring the file takes the rest.
const renderShare = 0.8

func (w *Worker) mixdown(ctx context.Context, job store.Job) error {
	a, err := arguments[MixdownArguments](job)
	if err != nil {
		return err
	}
	format, ok := media.FindFormat(a.Format)
	if !ok {
		return problem.Problem{Code: "unknown-format", Where: "format", Message: fmt.Sprintf("There is no format called %q.", a.Format)}
	}
	var doc session.Document
	if a.Document != nil {
		doc = *a.Document
	} else if doc, err = w.Store.KeptVersion(ctx, *job.Episode, a.Version); err != nil {
		return err
	}
	dir, err := os.MkdirTemp(w.Dir, "mixdown.part*")
	if err != nil {
		return disk.Full(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "mixdown."+format.Extension)
	told := w.meter(ctx, job)
	hold := w.Sounds.Hold(ctx)
	defer hold.Close()
	plan, err := mix.Compile(doc, hold.Samples, nil)
	if err != nil {
		return err
	}
	if err := w.Space.Room(0); err != nil {
		return err
	}
	rendering, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	if err := Render(rendering, plan, path, format, a.Channels, a.From, a.To, func(p float64) {
		told(p * renderShare)
		if err := w.Space.Room(0); err != nil {
			stop(err)
		}
	}); err != nil {
		if full := context.Cause(rendering); ctx.Err() == nil && full != nil {
			err = full
		}
		return disk.Full(err)
	}
	measured, err := MeasureFile(ctx, path, func(p float64) { told(renderShare + p*(1-renderShare)) })
	if err != nil {
		return fmt.Errorf("measure the finished file: %w", err)
	}
	m := store.Mixdown{
		ID: job.ID, Episode: *job.Episode, Version: a.Version, Format: a.Format, Channels: a.Channels,
		Begins: a.From, Ends: a.To, File: a.File,
	}
	m.Loudness.Of = measured
	if m.Bytes, err = w.keep(ctx, path, MixdownKey(m), format.Type); err != nil {
		return disk.Full(err)
	}
	if err := w.Store.AddMixdown(ctx, m); err != nil {
		_ = w.Bucket.Delete(context.WithoutCancel(ctx), MixdownKey(m))
		return err
	}
	w.Queue.Announce(EpisodeSubject(m.Episode), Event{Mixdowns: &ShowEvent{job.Show}})
	return nil
}

func (w *Worker) keep(ctx context.Context, path, key, contentType string) (int64, error) {
	f, err := os.Open(path)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	if err := w.Space.Room(info.Size()); err != nil {
		return 0, err
	}
	return info.Size(), w.Bucket.Upload(ctx, key, f, &blob.WriterOptions{ContentType: contentType})
}

// Render writes the frames from (included) to (excluded) of a plan into a file, in
// stereo or folded to mono. If it fails there is no file.
func Render(ctx context.Context, plan *mix.Plan, path string, format media.Format, channels int, from, to audio.Frames, progress func(float64)) error {
	encodeCtx, stop := context.WithCancel(ctx)
	defer stop()
	e, err := media.NewEncoder(encodeCtx, path, format, channels)
	if err != nil {
		return err
	}
	done := audio.Frames(0)
	err = plan.Each(ctx, from, to, func(piece audio.PCM) error {
		for at := audio.Frames(0); at < piece.Length(); at += audio.Second {
			part := piece.Slice(at, min(at+audio.Second, piece.Length()))
			if channels == 1 {
				part = fold(part)
			}
			if err := e.Write(part); err != nil {
				return err
			}
			done += part.Length()
			progress(done.Seconds() / (to - from).Seconds())
		}
		return nil
	})
	if err != nil {
		stop()
	}
	if err = errors.Join(err, e.Close()); err != nil {
		_ = os.Remove(path)
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return err
}

// fold makes mono of stereo in place: the mean of both channels.
func fold(stereo audio.PCM) audio.PCM {
	left, right := stereo[0], stereo[1]
	for i := range left {
		left[i] = (left[i] + right[i]) / 2
	}
	return stereo[:1]
}

// MeasureFile measures a sound file.
func MeasureFile(ctx context.Context, path string, progress func(float64)) (loudness.Result, error) {
	info, err := media.Probe(ctx, path)
	if err != nil {
		return loudness.Result{}, err
	}
	meter := loudness.NewMeter(info.Channels)
	done := audio.Frames(0)
	_, err = media.Decode(ctx, path, info, func(pcm audio.PCM) error {
		meter.Write(pcm)
		if done += pcm.Length(); info.Expected > 0 {
			progress(min(1, done.Seconds()/info.Expected.Seconds()))
		}
		return nil
	})
	return meter.Result(), err
}
