package work

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/recording"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/media"
	"ruvel/internal/store"
)

// TakeArguments is what the making of a sound from a recording works on.
type TakeArguments struct {
	Take    string `json:"take"`
	Discard bool   `json:"discard,omitempty"` // it becomes a sound, so that it can be taken back, but is not placed
}

// EndTake closes a take and queues the making of its sound, once: a second ending gets the job of the first.
func (w *Worker) EndTake(ctx context.Context, t store.Take, discard bool) (store.Job, error) {
	e, err := w.Store.Episode(ctx, t.Episode)
	if err != nil {
		return store.Job{}, err
	}
	job, started, err := w.Store.EndTake(ctx, t.ID, Take, e.Show, fmt.Sprintf("Take %d", t.Number), TakeArguments{t.ID, discard})
	if err != nil {
		return job, err
	}
	if !started {
		return job, problem.New("take-closed", "take", "This recording has been ended.")
	}
	w.queue(ctx, job)
	return job, nil
}

// finishTake makes a sound of a take's chunks and places it. A take that has become
// one already is left alone, so that this can be done again whatever interrupted it.
func (w *Worker) finishTake(ctx context.Context, job store.Job) error {
	a, err := arguments[TakeArguments](job)
	if err != nil {
		return err
	}
	t, err := w.Store.Take(ctx, a.Take)
	if err != nil || t.State == store.TakeKept || t.State == store.TakeDiscarded {
		return err
	}
	doc, _, err := w.Store.Document(ctx, t.Episode)
	if err != nil {
		return err
	}
	name := TakeName(doc, t)
	sound, sides, err := w.takeSound(ctx, job, t, name)
	if err != nil {
		return err
	}
	t.Sound, t.Length, t.Peak, t.Silenced, t.State = &sound.ID, sound.Length, sides.Peak(), sides.Silenced(), store.TakeKept
	var unplaced problem.Problem
	if a.Discard {
		t.State = store.TakeDiscarded
	} else if err := w.PlaceTake(ctx, t, "take "+t.ID, name); errors.As(err, &unplaced) {
		t.State = store.TakeDiscarded // it is kept, and can be taken back when there is a place for it
	} else if err != nil {
		return err
	}
	if err := w.Store.SetTake(ctx, t); err != nil {
		return err
	}
	w.Queue.Announce(ShowSubject(job.Show), Event{Sounds: &ShowEvent{job.Show}})
	w.Queue.Announce(EpisodeSubject(t.Episode), Event{Takes: &ShowEvent{job.Show}})
	if err := w.Chunks.Remove(ctx, t.ID); err != nil {
		return err
	}
	if unplaced.Code != "" {
		unplaced.Message += " The take is among the removed ones and can be taken back."
		return unplaced
	}
	return nil
}

// TakeName is what a take and its clip are called.
func TakeName(doc session.Document, t store.Take) string {
	stem := "Voice"
	if i := doc.FindTrack(t.Track); i >= 0 {
		stem = doc.Tracks[i].Name
	}
	return clip(stem, 180) + fmt.Sprintf(", take %d", t.Number)
}

// PlaceTake puts a take that is a sound where it was recorded, in place of the other
// takes of that place. If its track is gone, it gets one for voices.
func (w *Worker) PlaceTake(ctx context.Context, t store.Take, gesture, name string) error {
	siblings, err := w.Store.Takes(ctx, t.Episode)
	if err != nil {
		return err
	}
	op := edit.PlaceTake{Sound: *t.Sound, Track: t.Track, Name: name}
	op.Start, op.Offset = recording.Place(t.Begins, t.Late)
	for _, s := range siblings {
		if s.Track == t.Track && s.Begins == t.Begins && s.Sound != nil && s.ID != t.ID {
			op.Instead = append(op.Instead, *s.Sound)
		}
	}
	doc, _, err := w.Store.Document(ctx, t.Episode)
	if err != nil {
		return err
	}
	if doc.FindTrack(t.Track) < 0 {
		return w.Edit(ctx, t.Episode, gesture, edit.InsertClip{Sound: op.Sound, Start: op.Start, Offset: op.Offset, Part: session.Voice, Name: name})
	}
	return w.Edit(ctx, t.Episode, gesture, op)
}

// takeSound joins the chunks to a file, takes it in as a sound of the show, and says how high it peaks.
func (w *Worker) takeSound(ctx context.Context, job store.Job, t store.Take, name string) (store.Sound, *recording.Sides, error) {
	sides := &recording.Sides{}
	frames := 0
	if err := w.Chunks.Read(ctx, t.ID, func(samples []float32) error {
		sides.Look(samples, t.Channels)
		frames += len(samples) / t.Channels
		return ctx.Err()
	}); err != nil {
		return store.Sound{}, sides, err
	}
	if frames == 0 {
		return store.Sound{}, sides, errElsewhere
	}
	dir, err := os.MkdirTemp(w.Dir, "take.part*")
	if err != nil {
		return store.Sound{}, sides, disk.Full(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "take.wav")
	fold := recording.NewFold(t.Channels, t.Mono, *sides)
	if err := w.joinTake(ctx, t, path, fold); err != nil {
		return store.Sound{}, sides, disk.Full(err)
	}
	f, err := os.Open(path)
	if err != nil {
		return store.Sound{}, sides, err
	}
	defer f.Close()
	id, _, err := w.Sounds.Put(ctx, f)
	if err != nil {
		return store.Sound{}, sides, err
	}
	facts, err := w.Sounds.ImportUpTo(ctx, id, session.MaxLength, w.meter(ctx, job)) // it was recorded, so it is kept
	if err != nil {
		return store.Sound{}, sides, err
	}
	sound := soundOf(job.Show, name, session.Voice, facts)
	sound.Notes = fmt.Sprintf("Recorded with %s.", t.Device)
	if n := sides.Silenced(); n > 0 {
		sound.Notes += fmt.Sprintf(" %d samples that came from it were no numbers and became silence.", n)
	}
	return sound, sides, w.Store.AddSound(ctx, sound)
}

// joinTake writes the chunks of a take into one file at the device's own rate, sample for sample.
func (w *Worker) joinTake(ctx context.Context, t store.Take, path string, fold recording.Fold) error {
	e, err := media.CreateWAV(path, 32, fold.Channels(), t.Rate)
	if err != nil {
		return err
	}
	err = w.Chunks.Read(ctx, t.ID, func(samples []float32) error {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err := w.Space.Room(int64(4 * len(samples))); err != nil {
			return err
		}
		return e.Write(fold.Apply(samples))
	})
	if closed := e.Close(); err == nil {
		err = closed
	}
	return err
}
