package work

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"

	"ruvel/core/problem"
	"ruvel/core/script"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/pictures"
	"ruvel/internal/store"
)

// openArchive makes an episode of an archive that has come in. Until all of it has been checked and every sound has been
// decoded, the show has nothing of it; then the episode is there, whole, under the id of the job.
func (w *Worker) openArchive(ctx context.Context, job store.Job) error {
	args, err := arguments[ImportArguments](job)
	if err != nil {
		return err
	}
	f, err := w.Uploads.File(ctx, args.Upload, w.Dir)
	if errors.Is(err, fs.ErrNotExist) {
		return errElsewhere
	}
	if err != nil {
		return fmt.Errorf("open what was uploaded: %w", err)
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	a, err := archive.Open(f, info.Size())
	if err != nil {
		return err
	}
	if err := w.Space.Room(a.Bytes()); err != nil {
		return err
	}
	prepared, err := picturesOf(a)
	if err != nil {
		return err
	}
	fresh, err := w.soundsOf(ctx, job, a)
	if err != nil {
		return err
	}
	opened := store.Opened{
		ID: job.ID, Show: job.Show, Title: a.Title, Number: a.Number, Layout: a.Layout, Document: a.Document, Details: a.Details, Sounds: fresh,
	}
	opened.Document.Model = session.Model{} // the layout that it began as is not in the archive
	for _, p := range prepared {
		kept, err := w.Pictures.Put(ctx, p)
		if err != nil {
			return err
		}
		opened.Pictures = append(opened.Pictures, kept)
	}
	if s := a.Script; s != nil {
		opened.Script = &store.Script{Text: s.Text, Pace: max(script.Slowest, min(script.Fastest, script.Pace(s.Pace))), Recorded: store.JSON[map[string]bool]{Of: s.Recorded}, Version: 1}
	}
	if _, err := w.Store.TakeIn(ctx, opened); err != nil {
		return err
	}
	w.Queue.Announce(ShowSubject(job.Show), Event{Sounds: &ShowEvent{job.Show}})
	return nil
}

func picturesOf(a *archive.Archive) (out []pictures.Picture, err error) {
	for _, p := range a.Pictures {
		r, err := a.Picture(p)
		if err != nil {
			return nil, err
		}
		data, err := io.ReadAll(r)
		if err = errors.Join(err, r.Close()); err != nil {
			return nil, err
		}
		ready, err := pictures.Ready(data)
		if err != nil {
			return nil, err
		}
		out = append(out, ready)
	}
	return out, nil
}

// soundsOf takes the sounds of an archive in that its show does not have yet, without adding them to it.
func (w *Worker) soundsOf(ctx context.Context, job store.Job, a *archive.Archive) (fresh []store.Sound, err error) {
	told := w.meter(ctx, job)
	for i, s := range a.Sounds {
		if _, err := w.Store.Sound(ctx, job.Show, s.ID); err == nil {
			continue // with what is known of it there
		} else if !store.IsNotFound(err) {
			return nil, err
		}
		r, err := a.Sound(s)
		if err != nil {
			return nil, err
		}
		_, _, err = w.Sounds.Put(ctx, r)
		if err = errors.Join(err, r.Close()); err != nil {
			return nil, err
		}
		facts, err := w.Sounds.Import(ctx, s.ID, func(p float64) { told((float64(i) + p) / float64(len(a.Sounds))) })
		if err != nil {
			return nil, err
		}
		if used, is := a.Document.Sounds[s.ID]; is && (used.Channels != facts.Channels || used.Length != facts.Loudness.Length) {
			return nil, problem.New("bad-archive", "file", "The sound “%s” in this archive is not as long as the session says, or has other channels.", clip(s.Name, 80))
		}
		sound := soundOf(job.Show, clip(s.Name, 200), s.Part, facts)
		sound.Title, sound.Author, sound.Source, sound.Licence = clip(s.Title, 200), clip(s.Author, 200), clip(s.Source, 500), clip(s.Licence, 200)
		sound.Notes, sound.Words, sound.Tempo = clip(s.Notes, 2000), clip(s.Words, 500), max(0, min(1000, s.Tempo))
		fresh = append(fresh, sound)
	}
	return fresh, nil
}
