package work

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/finish"
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
	// What follows is not there in jobs of earlier versions of Ruvel, which left the mix as it is.
	Quality string           `json:"quality,omitempty"`
	Rate    int              `json:"rate,omitempty"`
	Target  *loudness.Target `json:"target,omitempty"`
	Sheet   details.Sheet    `json:"sheet"`
	Chapter string           `json:"chapter,omitempty"`
	Of      *session.Span    `json:"of,omitempty"` // the stretch that is brought to the target, if the file is a part of it
	Asked   time.Time        `json:"asked"`
}

// pictures reads those that a sheet names.
func (w *Worker) pictures(ctx context.Context, show string, sheet details.Sheet) (map[string]media.Picture, error) {
	out := map[string]media.Picture{}
	ids := []string{sheet.Artwork}
	for _, c := range sheet.Chapters {
		ids = append(ids, c.Picture)
	}
	for _, id := range ids {
		if _, there := out[id]; there || id == "" {
			continue
		}
		p, err := w.Store.Picture(ctx, show, id)
		if store.IsNotFound(err) {
			continue // it was taken away from its show: the file has none
		}
		if err != nil {
			return nil, err
		}
		data, err := w.Bucket.ReadAll(ctx, PictureFolder+id)
		if err != nil {
			return nil, fmt.Errorf("read a picture: %w", err)
		}
		out[id] = media.Picture{Type: p.Type, Data: data, Width: p.Size, Height: p.Size}
	}
	return out, nil
}

// course gives what was measured of a stretch under a key, or measures it.
func (w *Worker) course(key string, measure func() (master.Course, error)) (master.Course, error) {
	w.mu.Lock()
	known, there := w.measured[key]
	w.mu.Unlock()
	if there {
		return known, nil
	}
	c, err := measure()
	if err == nil {
		w.mu.Lock()
		defer w.mu.Unlock()
		if w.measured == nil || len(w.measured) >= keptCourses {
			w.measured = map[string]master.Course{}
		}
		w.measured[key] = c
	}
	return c, err
}

// keptCourses is of how many stretches it is kept what was measured: each takes up to half a megabyte.
const keptCourses = 8

// MixdownFolder is where all mixdowns lie in the bucket.
const MixdownFolder = "mixdowns/"

// MixdownKey is where a mixdown lies in the bucket.
func MixdownKey(m store.Mixdown) string { return MixdownFolder + m.ID + filepath.Ext(m.File) }

// renderShare is the part of the progress bar that rendering clips takes; taking the sound in takes the rest.
const renderShare = 0.8

func (w *Worker) mixdown(ctx context.Context, job store.Job) error {
	a, setting, doc, err := w.wanted(ctx, job)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp(w.Dir, "mixdown.part*")
	if err != nil {
		return disk.Full(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "mixdown."+setting.Format.Extension)
	told := w.meter(ctx, job)
	hold := w.Sounds.Hold(ctx)
	defer hold.Close()
	plan, err := mix.CompileFrom(doc, hold, nil)
	if err != nil {
		return err
	}
	o, err := w.order(ctx, job, a, setting)
	if err != nil {
		return err
	}
	if w.together(a.To - a.From) {
		hands := hand{w, job}
		defer func() {
			if ctx.Err() == nil { // else another goes on with what is there
				hands.clear(ctx)
			}
		}()
		o.Hands = hands
	}
	made, err := w.makeWithin(ctx, plan, o, path, told)
	if err != nil {
		return disk.Full(err)
	}
	m := store.Mixdown{
		ID: job.ID, Episode: *job.Episode, Version: a.Version, Format: a.Format, Channels: a.Channels,
		Begins: a.From, Ends: a.To, File: a.File,
	}
	m.Loudness.Of = made.Loudness
	m.Made.Of = store.MadeOf{
		Asked: a.Asked, Setting: setting.Say(), Rate: setting.Rate, Chapter: a.Chapter, Target: a.Target, Text: made.Text, Again: made.Again,
		Gain: made.Gain, Touched: made.Touched, Most: made.Most, Reached: made.Reached || a.Target == nil,
		Outline: made.Outline,
	}
	if m.Bytes, err = w.keep(ctx, path, MixdownKey(m), setting.Format.Type); err != nil {
		return disk.Full(err)
	}
	if err := w.Store.AddMixdown(ctx, m, doc); err != nil {
		return err // the row may be there all the same, and the file is its: one without a row is swept
	}
	w.Queue.Announce(EpisodeSubject(m.Episode), Event{Mixdowns: &ShowEvent{job.Show}})
	return nil
}

// wanted is what a mixdown is to be, and the document that it is made of.
func (w *Worker) wanted(ctx context.Context, job store.Job) (a MixdownArguments, setting media.Setting, doc session.Document, err error) {
	if a, err = arguments[MixdownArguments](job); err != nil {
		return a, setting, doc, err
	}
	if setting, err = media.Set(a.Format, a.Quality, a.Rate, a.Channels); err != nil {
		return a, setting, doc, err
	}
	if a.Document != nil {
		return a, setting, *a.Document, nil
	}
	doc, err = w.Store.KeptVersion(ctx, *job.Episode, a.Version)
	return a, setting, doc, err
}

// order is what a mixdown is to become.
func (w *Worker) order(ctx context.Context, job store.Job, a MixdownArguments, setting media.Setting) (o finish.Order, err error) {
	o = finish.Order{
		Setting: setting, From: a.From, To: a.To, Target: a.Target, Name: strings.TrimSuffix(a.File, filepath.Ext(a.File)),
		Label: media.Label{Sheet: a.Sheet, Origin: int64(a.From)},
	}
	if o.Of = a.Of; o.Of != nil { // which its other parts have measured as well, mostly
		key := fmt.Sprintf("%s %d %v %d", *job.Episode, a.Version, *a.Of, setting.Channels)
		o.Course = func(measure func() (master.Course, error)) (master.Course, error) { return w.course(key, measure) }
	}
	o.Label.Pictures, err = w.pictures(ctx, job.Show, a.Sheet)
	return o, err
}

// makeWithin makes a file for as long as the disk has room for it.
func (w *Worker) makeWithin(ctx context.Context, plan *mix.Plan, o finish.Order, path string, told func(float64)) (finish.Made, error) {
	if err := w.Space.Room(0); err != nil {
		return finish.Made{}, err
	}
	rendering, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	made, err := finish.Make(rendering, plan, o, path, func(p float64) {
		told(p)
		if err := w.Space.Room(0); err != nil {
			stop(err)
		}
	})
	if full := context.Cause(rendering); err != nil && ctx.Err() == nil && full != nil {
		err = full
	}
	return made, err
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
