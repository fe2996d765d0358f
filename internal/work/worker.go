package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"gocloud.dev/blob"
	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/internal/chunks"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
)

// Kinds of jobs.
const (
	Import  = "import"
	Mixdown = "mixdown"
	Take    = "take"
)

// Worker takes jobs from a queue and does them.
type Worker struct {
	Queue   *Queue
	Store   *store.Store
	Sounds  *sounds.Library
	Chunks  *chunks.Box
	Uploads Uploads
	Bucket  *blob.Bucket // mixdowns go to MixdownKey
	Dir     string       // for files that are being written
}

// Submit stores a job and queues it.
func (w *Worker) Submit(ctx context.Context, kind, show string, episode *string, name string, arguments any) (store.Job, error) {
	return w.SubmitAs(ctx, store.NewID(), kind, show, episode, name, arguments)
}

// SubmitAs is Submit with an id of the caller's choice. The same id twice is one job.
func (w *Worker) SubmitAs(ctx context.Context, id, kind, show string, episode *string, name string, arguments any) (store.Job, error) {
	job, err := w.Store.AddJob(ctx, id, kind, show, episode, name, arguments)
	if err != nil {
		return job, err
	}
	if err := w.Queue.Submit(ctx, job.ID); err != nil {
		return job, fmt.Errorf("queue the job: %w", err)
	}
	w.tell(job, 0)
	return job, nil
}

// Cancel ends a job, whether it waits or runs.
func (w *Worker) Cancel(ctx context.Context, id string) error {
	job, err := w.Store.Job(ctx, id)
	if err != nil {
		return err
	}
	ended, err := w.Store.Advance(ctx, id, store.Cancelled, job.Progress, nil)
	if err != nil || !ended {
		return err
	}
	w.drop(job)
	job.State = store.Cancelled
	w.tell(job, 0)
	return w.Queue.Stop(id)
}

// Run works with two hands until the context ends. Jobs that an earlier process left
// unfinished are queued again first.
func (w *Worker) Run(ctx context.Context) error {
	if err := w.resume(ctx); err != nil {
		return err
	}
	g, ctx := errgroup.WithContext(ctx)
	for range 2 {
		g.Go(func() error { return w.Queue.Run(ctx, w.do) })
	}
	return g.Wait()
}

// resume queues what an earlier process left: jobs, and takes that were closed.
func (w *Worker) resume(ctx context.Context) error {
	left, err := w.Store.Unfinished(ctx)
	if err != nil {
		return err
	}
	queued := map[string]bool{} // takes
	for _, job := range left {
		if err := w.Queue.Submit(ctx, job.ID); err != nil {
			return err
		}
		if a, err := arguments[TakeArguments](job); err == nil && job.Kind == Take {
			queued[a.Take] = true
		}
	}
	closed, err := w.Store.ClosedTakes(ctx)
	if err != nil {
		return err
	}
	for _, t := range closed {
		if queued[t.ID] {
			continue
		}
		if _, err := w.SubmitTake(ctx, t, false); err != nil {
			return err
		}
	}
	return nil
}

// do carries one job out and stores how it ended.
func (w *Worker) do(ctx context.Context, id string) {
	job, err := w.Store.Job(ctx, id)
	if err != nil || job.State.Final() {
		return
	}
	if going, err := w.Store.Advance(ctx, id, store.Running, 0, nil); err != nil || !going {
		return
	}
	job.State = store.Running
	w.tell(job, 0)
	switch job.Kind {
	case Import:
		err = w.importSound(ctx, job)
	case Mixdown:
		err = w.mixdown(ctx, job)
	case Take:
		err = w.finishTake(ctx, job)
	default:
		err = fmt.Errorf("there is no work of the kind %q", job.Kind)
	}
	w.end(ctx, job, err)
}

func (w *Worker) end(ctx context.Context, job store.Job, err error) {
	if ctx.Err() != nil { // cancelled, and stored as that; or the process is ending, and the job is done again
		return
	}
	job.State, job.Progress = store.Done, 1
	var problem *problem.Problem
	if err != nil {
		problem = explain(job, err)
		job.State, job.Progress, job.Problem.Of = store.Failed, 0, *problem
	}
	if _, err := w.Store.Advance(ctx, job.ID, job.State, job.Progress, problem); err != nil {
		slog.Error("the end of a job was not stored", "job", job.ID, "error", err)
		return
	}
	w.drop(job)
	w.tell(job, 0)
}

// drop takes away the upload that a job which has ended was about.
func (w *Worker) drop(job store.Job) {
	if job.Kind != Import {
		return
	}
	if a, err := arguments[ImportArguments](job); err == nil && a.Upload != "" {
		w.Uploads.Remove(a.Upload)
	}
}

// explain names what the job worked on and says in words what went wrong.
func explain(job store.Job, err error) *problem.Problem {
	var p problem.Problem
	if errors.Is(err, audio.ErrUnreadable) {
		err = Unreadable()
	}
	if !errors.As(err, &p) {
		slog.Error("a job failed", "job", job.ID, "kind", job.Kind, "error", err)
		p = problem.Problem{Code: "internal", Where: job.Kind, Message: "Something went wrong inside Ruvel; the log says more. Nothing was changed; try again."}
	}
	p.Message = job.Name + ": " + p.Message
	return &p
}

// Unreadable says that the samples of a recording could not be read any more.
func Unreadable() problem.Problem {
	return problem.New("sound-unreadable", "sounds", "A recording could not be read: its copy on the disk was damaged. It is made anew; try again.")
}

func (w *Worker) tell(job store.Job, left float64) {
	e := View(job)
	e.Left = left
	w.Queue.Announce(ShowSubject(job.Show), Event{Job: &e})
}

// meter tells how far a job has come, a few times a second.
func (w *Worker) meter(ctx context.Context, job store.Job) func(float64) {
	begun, told := time.Now(), time.Now()
	return func(progress float64) {
		if time.Since(told) < 250*time.Millisecond {
			return
		}
		told = time.Now()
		job.Progress = progress
		if _, err := w.Store.Advance(ctx, job.ID, store.Running, progress, nil); err != nil {
			return
		}
		var left float64
		if progress > 0.02 {
			left = time.Since(begun).Seconds() * (1 - progress) / progress
		}
		w.tell(job, left)
	}
}

func arguments[T any](job store.Job) (a T, err error) {
	if err := json.Unmarshal(job.Arguments.Of, &a); err != nil {
		return a, fmt.Errorf("read the job's arguments: %w", err)
	}
	return a, nil
}

// NameFile puts the file's name before what is wrong with it.
func NameFile(file string, err error) error {
	var p problem.Problem
	if errors.As(err, &p) {
		p.Message = file + ": " + p.Message
		return p
	}
	return err
}
