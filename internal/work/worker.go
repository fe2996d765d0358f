package work

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"github.com/nats-io/nats.go"
	"gocloud.dev/blob"
	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/master"
	"ruvel/core/problem"
	"ruvel/internal/chunks"
	"ruvel/internal/disk"
	"ruvel/internal/hosts"
	"ruvel/internal/incoming"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/watch"
)

// Kinds of jobs.
const (
	Import    = "import"
	Mixdown   = "mixdown"
	Rendering = "render"
	Take      = "take"
	Opening   = "open" // an archive becomes an episode
	Sending   = "send" // a finished file goes to a host
)

// Pieces is a shelf whose pieces can be had as sounds.
type Pieces interface {
	// Sound gives the id of the original of a piece. It is fetched if that has not been done, which may take long; one
	// that there is none of is an error. Several may ask at once.
	Sound(ctx context.Context, key string) (id string, err error)
}

// Worker takes jobs from a queue and does them.
type Worker struct {
	Owner   string // who it is, in the database: one name for a data folder, whatever process works in it
	Queue   *Queue
	Store   *store.Store
	Sounds  *sounds.Sounds
	Chunks  *chunks.Box
	Uploads Uploads
	// Parts is where parts of jobs lie that several processes make together; nil: there is one process.
	Parts  incoming.Place
	Bucket *blob.Bucket // mixdowns go to MixdownKey
	// Pictures are those that archives bring.
	Pictures *Pictures
	Pieces   Pieces
	Dir      string      // for files that are being written
	Space    *disk.Space // that all these are kept on
	Watch    *watch.Watch
	Hosts    hosts.Set // that finished files can be sent to
	// Pause is how long it is waited before a host that broke off is tried for the second time; 0: a second.
	Pause time.Duration
	// Lease is how long a job is its worker's alone without a sign of life; 0: twenty seconds.
	Lease time.Duration

	mu        sync.Mutex
	measured  map[string]master.Course // of stretches of which parts are made
	elsewhere map[string]time.Time     // jobs that are left to other houses, and until when
	company   int                      // processes that are there
}

func (w *Worker) lease() time.Duration { return cmp.Or(w.Lease, 20*time.Second) }

// Submit stores a job and queues it.
func (w *Worker) Submit(ctx context.Context, kind, show string, episode *string, name string, arguments any) (store.Job, error) {
	return w.SubmitAs(ctx, store.NewID(), kind, show, episode, name, arguments)
}

// SubmitAs is Submit with an id of the caller's choice. The same id twice is one job.
func (w *Worker) SubmitAs(ctx context.Context, id, kind, show string, episode *string, name string, arguments any) (store.Job, error) {
	job, err := w.add(ctx, id, kind, show, episode, clip(name, 300), arguments)
	if err != nil || job.State.Final() {
		return job, err
	}
	w.queue(ctx, job)
	return job, nil
}

// queue has a job that is stored begun when its turn comes. One that cannot be queued now is found as free soon.
func (w *Worker) queue(ctx context.Context, job store.Job) {
	if err := w.Queue.Submit(ctx, job.ID, turn(job)); err != nil {
		slog.Warn("a job could not be queued; it is found as free", "job", job.ID, "error", err)
	}
	w.tell(job, 0)
}

// add stores a job. A database that goes away while it is told may have kept the job all the
// same, and who is told to try again would get a second one; so it is told again for a while.
func (w *Worker) add(ctx context.Context, id, kind, show string, episode *string, name string, arguments any) (job store.Job, err error) {
	for until := time.Now().Add(retold); ; {
		job, err = w.Store.AddJob(ctx, id, kind, show, episode, name, arguments)
		if !store.IsAway(err) || time.Now().After(until) {
			return job, err
		}
		select {
		case <-ctx.Done():
			return job, err
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// Cancel ends a job, whether it waits or runs.
func (w *Worker) Cancel(ctx context.Context, id string) error {
	job, err := w.Store.Job(ctx, id)
	if err != nil {
		return err
	}
	ended, err := w.Store.Cancel(ctx, id)
	if err != nil || !ended {
		return err
	}
	w.drop(ctx, job)
	job.State = store.Cancelled
	w.tell(job, 0)
	return w.Queue.Stop(id)
}

const (
	// hands is how many jobs are done at a time.
	hands = 2
	// mostAttempts is how often a job is begun that never comes to an end. That a process ends is no fault of the jobs in
	// it, as a rule, so it is many; what keeps ending it by itself comes later and later.
	mostAttempts = 20
	// later is after how long a job is tried again that could not be done for want of something else.
	later = 2 * time.Second
	// retold is for how long a database that does not answer is told of a new job.
	retold = 4 * time.Second
	// searched is for how long a job waits for a house that has what it works on.
	searched = 10 * time.Minute
)

// Run works until the context ends. Again and again it looks for jobs that nobody does,
// whatever became of those who did or of the queue.
func (w *Worker) Run(ctx context.Context) error {
	err := w.Store.Abandon(ctx, w.Owner, time.Second) // jobs of an earlier process, which is no more
	if err == nil {
		err = errors.Join(w.resume(ctx), w.resumeTakes(ctx))
	}
	if err != nil && ctx.Err() == nil {
		slog.Warn("it could not be found out which jobs were left; trying again", "error", err)
	}
	g, ctx := errgroup.WithContext(ctx)
	for range hands {
		g.Go(func() error {
			return w.Queue.Run(ctx, func(job context.Context, id string) time.Duration { return w.do(ctx, job, id) })
		})
	}
	g.Go(func() error { return w.makeParts(ctx) })
	g.Go(func() error {
		w.keepCompany(ctx)
		look := time.NewTicker(w.lease() / 4)
		defer look.Stop()
		for {
			select {
			case <-look.C:
				w.keepCompany(ctx)
				if err := w.resume(ctx); err != nil && ctx.Err() == nil {
					slog.Warn("it could not be found out which jobs nobody does; trying again", "error", err)
				}
			case <-ctx.Done():
				return nil
			}
		}
	})
	return g.Wait()
}

// resume queues the jobs that nobody does.
func (w *Worker) resume(ctx context.Context) error {
	left, err := w.Store.Free(ctx)
	if err != nil {
		return err
	}
	for _, job := range left {
		if w.left(job.ID) {
			continue
		}
		if err := w.Queue.Submit(ctx, job.ID, turn(job)); err != nil {
			return err
		}
	}
	return nil
}

// resumeTakes queues the making of sounds from takes that were closed here but for which no job was queued.
func (w *Worker) resumeTakes(ctx context.Context) error {
	closed, err := w.Store.ClosedTakes(ctx)
	for _, t := range closed {
		if there, err := w.Chunks.Inside(ctx, t.ID); err != nil || there.Chunks == 0 {
			continue // it is another house's
		}
		if _, err := w.EndTake(ctx, t, false); err != nil {
			return err
		}
	}
	return err
}

// turn tells one time that a job is to be begun from the next.
func turn(job store.Job) string {
	var from int64
	if job.Lease != nil {
		from = job.Lease.UnixMilli()
	}
	return fmt.Sprintf("%d/%d", job.Attempts, from)
}

// do carries a job out, if nobody else does, and stores how it ended. It answers after how
// long the job is to be handed out again; one that it has given back is found by resume. The process ends with the first context, the job
// with the second.
func (w *Worker) do(process, ctx context.Context, id string) time.Duration {
	if w.left(id) {
		return 0
	}
	whole, done := context.WithTimeout(context.WithoutCancel(ctx), w.lease()) // a claim that was half made would hold the job up
	job, mine, err := w.Store.Claim(whole, id, w.Owner, w.lease())
	done()
	if store.IsNotFound(err) {
		return 0
	}
	if err != nil {
		slog.Warn("a job could not be begun; trying again", "job", id, "error", err)
		return later
	}
	if !mine {
		return 0
	}
	w.tell(job, 0)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	alive := make(chan struct{})
	go func() {
		defer close(alive)
		w.stayAlive(ctx, cancel, job)
	}()
	err = w.attempt(store.By(ctx, job.Author()), job)
	lost := context.Cause(ctx)
	cancel(nil)
	<-alive
	var wait again
	switch {
	case errors.As(err, &wait) && process.Err() == nil && lost == nil:
		w.wait(process, job, wait.after)
		return 0
	case errors.Is(err, errElsewhere) && time.Since(job.Created) > searched:
		err = problem.New("file-gone", job.Kind, "What this was to be made of is not there any more.")
	case waitsForRoom(job, err), process.Err() != nil, store.IsAway(err), incoming.IsAway(err), errors.Is(err, errElsewhere), errors.Is(err, nats.ErrConnectionClosed):
		if errors.Is(err, errElsewhere) {
			w.leave(id)
		}
		w.giveBack(process, job, err)
		return 0
	case lost != nil && err != nil: // cancelled, and stored as that, or another's by now
		return 0
	}
	w.end(process, job, err)
	return 0
}

// waitsForRoom is true of a job that is about something which is only here: it waits until
// the disk has room again, and what it is about with it. Other jobs can be asked for anew.
func waitsForRoom(job store.Job, err error) bool {
	var p problem.Problem
	return (job.Kind == Import || job.Kind == Take || job.Kind == Opening) && errors.As(err, &p) && p.Code == "disk-full"
}

// attempt carries a job out. A panic is an error of that job.
func (w *Worker) attempt(ctx context.Context, job store.Job) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("panic: %v\n%s", r, debug.Stack())
		}
	}()
	if job.Attempts > mostAttempts {
		return problem.New(givenUp, job.Kind, "This was begun %d times, and each time Ruvel ended before it had come to an end. It is given up; nothing of it is lost. Begin it again when Ruvel runs steadily.", mostAttempts)
	}
	switch job.Kind {
	case Import:
		return w.importSound(ctx, job)
	case Mixdown:
		return w.mixdown(ctx, job)
	case Rendering:
		return w.render(ctx, job)
	case Take:
		return w.finishTake(ctx, job)
	case Opening:
		return w.openArchive(ctx, job)
	case Sending:
		return w.send(ctx, job)
	}
	return fmt.Errorf("there is no work of the kind %q", job.Kind)
}

// errLost says that a job is not ours any more.
var errLost = errors.New("the job was cancelled or given to another")

// errElsewhere says that what a job works on lies in another house's folder.
var errElsewhere = errors.New("what the job works on is not here")

// leave remembers that what a job works on is not here. Whoever has it must be able to
// claim the job, and would not be if this house were always a little quicker.
func (w *Worker) leave(id string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.elsewhere == nil {
		w.elsewhere = map[string]time.Time{}
	}
	for other, until := range w.elsewhere {
		if time.Now().After(until) {
			delete(w.elsewhere, other)
		}
	}
	w.elsewhere[id] = time.Now().Add(w.lease())
}

// left says whether a job is left to other houses for the moment.
func (w *Worker) left(id string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return time.Now().Before(w.elsewhere[id])
}

// stayAlive renews the lease of a job, and ends the job when it is not ours any more.
func (w *Worker) stayAlive(ctx context.Context, end context.CancelCauseFunc, job store.Job) {
	renewed := time.Now()
	tick := time.NewTicker(w.lease() / 5)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		mine, err := w.Store.Alive(ctx, job.ID, w.Owner, w.lease())
		switch {
		case err == nil && mine:
			renewed = time.Now()
		case err == nil, time.Since(renewed) > w.lease():
			end(errLost)
			return
		}
	}
}

// giveBack lets a job wait again that could not be done for want of something else.
func (w *Worker) giveBack(process context.Context, job store.Job, why error) {
	after := w.lease() / 4
	if process.Err() != nil {
		after = 0 // there is nothing to wait for
	} else if !errors.Is(why, errElsewhere) {
		slog.Warn("a job is given back", "job", job.ID, "request", job.Request, "kind", job.Kind, "why", why)
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(process), later)
	defer cancel()
	if err := w.Store.GiveBack(ctx, job.ID, w.Owner, after); err != nil {
		slog.Warn("a job could not be given back; it is free when its lease has run out", "job", job.ID, "error", err)
		return
	}
	job.State, job.Progress = store.Queued, 0
	var p problem.Problem
	if errors.As(why, &p) {
		job.Problem.Of = p // what it waits for
	}
	w.tell(job, 0)
}

// wait lets a job wait that is to be begun again after a while.
func (w *Worker) wait(process context.Context, job store.Job, after time.Duration) {
	if err := w.Store.GiveBack(process, job.ID, w.Owner, after); err != nil {
		slog.Warn("a job that waits could not be given back; it is free when its lease has run out", "job", job.ID, "error", err)
		return
	}
	job.State, job.Progress = store.Queued, 0
	w.tell(job, 0)
}

// end stores how a job has ended.
func (w *Worker) end(process context.Context, job store.Job, err error) {
	job.State, job.Progress = store.Done, 1
	var why *problem.Problem
	if err != nil {
		why = explain(job, err)
		job.State, job.Progress, job.Problem.Of = store.Failed, 0, *why
	}
	mine, err := w.Store.End(process, job.ID, w.Owner, job.State, why)
	if err != nil {
		slog.Warn("the end of a job could not be stored; it is done again", "job", job.ID, "error", err)
		w.giveBack(process, job, err)
		return
	}
	if !mine {
		return
	}
	took := time.Since(job.Created)
	w.Watch.Job(job.Kind, string(job.State), took)
	slog.Info("a job has ended", "job", job.ID, "request", job.Request, "kind", job.Kind, "state", job.State, "took", took.Round(time.Millisecond))
	if why == nil || why.Code != givenUp { // what was given up can be begun again, and needs its file
		w.drop(process, job)
	}
	w.tell(job, 0)
}

// givenUp is the code of a job that was begun too often.
const givenUp = "given-up"

// Again begins a job anew that was given up.
func (w *Worker) Again(ctx context.Context, id string) error {
	if _, err := w.Store.Job(ctx, id); err != nil {
		return err
	}
	again, err := w.Store.Again(ctx, id)
	if err != nil {
		return err
	}
	if !again {
		return problem.New("not-given-up", "job", "This was not given up, or has been begun again already.")
	}
	job, err := w.Store.Job(ctx, id)
	if err != nil {
		return err
	}
	w.tell(job, 0)
	return w.Queue.Submit(ctx, id, "again "+store.NewID()) // if it cannot be queued now, it is found as free
}

// drop takes away the upload that a job which has ended was about.
func (w *Worker) drop(ctx context.Context, job store.Job) {
	ctx = context.WithoutCancel(ctx)
	if job.Kind != Import && job.Kind != Opening {
		return
	}
	a, err := arguments[ImportArguments](job)
	if err != nil || a.Upload == "" {
		return
	}
	ctx, cancel := context.WithTimeout(ctx, w.lease())
	defer cancel()
	// That it was announced stays known for a while: who has not heard that all of it has come asks for it.
	if err := w.Uploads.Remove(ctx, a.Upload); err != nil {
		slog.Warn("an upload could not be taken away; it goes by its age", "job", job.ID, "error", err)
	}
}

// RemoveUpload takes an upload away.
func (w *Worker) RemoveUpload(ctx context.Context, id string) error {
	if err := w.Uploads.Remove(ctx, id); err != nil {
		return err
	}
	return w.Store.RemoveUpload(ctx, id)
}

// explain names what the job worked on and says in words what went wrong.
func explain(job store.Job, err error) *problem.Problem {
	var p problem.Problem
	if errors.Is(err, audio.ErrUnreadable) {
		err = Unreadable()
	}
	if !errors.As(err, &p) {
		slog.Error("a job failed", "job", job.ID, "request", job.Request, "kind", job.Kind, "error", err)
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
		if mine, err := w.Store.Renew(ctx, job.ID, w.Owner, w.lease(), progress); err != nil || !mine {
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
