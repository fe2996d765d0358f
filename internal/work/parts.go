package work

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"runtime"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/internal/finish"
	"ruvel/internal/incoming"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
)

// A mixdown of some length is made by all processes that are there: it is cut into parts, whoever is free makes one after the other, and the
// process whose job it is puts them together in their order. Parts are pure: one whose maker has gone is made again by another and is the same.
const (
	// worthwhile is from which length on it is cut.
	worthwhile = 180 * audio.Second
	// partLease is how long a part is its maker's alone without a sign of life.
	partLease = 10 * time.Second
	// partsLook is how often it is looked for parts that are free, or done, if nothing is heard of them.
	partsLook = time.Second
	// partsSubject is where it is told that there are some, and partsDone, with the job's id behind it, that one is made.
	partsSubject = "ruvel.parts"
	partsDone    = "ruvel.parts."
	// planIdle is how long the plan of a job is kept from one of its parts to the next.
	planIdle = 20 * time.Second
)

// together says whether there are others to make parts of a mixdown of a length.
func (w *Worker) together(length audio.Frames) bool {
	return w.Parts != nil && w.Company() > 1 && length >= worthwhile
}

// Company is how many processes are there, as far as this one knows.
func (w *Worker) Company() int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.company
}

// keepCompany says that this process is there, and notes how many are.
func (w *Worker) keepCompany(ctx context.Context) {
	if w.Parts == nil {
		return
	}
	there, err := w.Store.Present(ctx, w.Owner, w.lease())
	if err != nil {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.company = there
}

// hand has parts of a job made by whoever is free.
type hand struct {
	w   *Worker
	job store.Job
}

// partArguments is which part is to be made.
type partArguments struct {
	Kind   string `json:"kind"`
	Number int    `json:"number"`
	With   string `json:"with,omitempty"` // the name under which lies what it is made with
}

// Make is finish.Hands'.
func (h hand) Make(ctx context.Context, parts []finish.Part, take func(int, []byte) error) error {
	w := h.w
	names, wanted, err := h.named(ctx, parts)
	if err != nil {
		return err
	}
	listening, stop := context.WithCancel(ctx)
	defer stop()
	told, err := w.Queue.Listen(listening, partsDone+h.job.ID)
	if err != nil {
		slog.Debug("parts are looked for, not told of", "error", err)
	}
	if err := w.Store.AddParts(ctx, h.job.ID, wanted); err != nil {
		return err
	}
	_ = w.Queue.Tell(partsSubject, nil)
	for n := 0; n < len(names); {
		now, err := w.Store.Parts(ctx, h.job.ID)
		if err != nil && !store.IsAway(err) {
			return err
		}
		for n < len(names) && now[names[n]].Done {
			made, err := w.Parts.Get(ctx, h.job.ID, names[n])
			if err != nil {
				return err
			}
			if err := take(n, made); err != nil {
				return err
			}
			n++
		}
		if err := hopeless(now); err != nil {
			return err
		}
		if n == len(names) {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case _, open := <-told:
			if !open {
				told = nil
			}
		case <-time.After(partsLook):
		}
	}
	return nil
}

// named gives parts names that say what they are and what they are made with, and lays that where their makers find it.
func (h hand) named(ctx context.Context, parts []finish.Part) (names []string, wanted []store.NewPart, err error) {
	for _, p := range parts {
		sum := sha256.Sum256(p.With)
		digest := hex.EncodeToString(sum[:8])
		a := partArguments{Kind: p.Kind, Number: p.Number}
		if len(p.With) > 0 { // which many parts have in common: nothing is limited in them
			a.With = "with-" + digest
			_, there, err := h.w.Parts.Size(ctx, h.job.ID, a.With)
			if err == nil && !there {
				err = h.w.Parts.Put(ctx, h.job.ID, a.With, p.With)
			}
			if err != nil {
				return nil, nil, err
			}
		}
		name := fmt.Sprintf("%s-%05d-%s", p.Kind, p.Number, digest)
		names, wanted = append(names, name), append(wanted, store.NewPart{Name: name, Arguments: a})
	}
	return names, wanted, nil
}

// hopeless is an error where a part cannot be made.
func hopeless(parts map[string]store.Part) error {
	for _, p := range parts {
		switch {
		case p.Done:
		case p.Problem.Of.Code != "":
			return p.Problem.Of
		case p.Attempts >= store.MostAttempts && p.Lease != nil && time.Now().After(*p.Lease):
			return problem.New(givenUp, "mixdown", "A part of this was begun %d times, and each time Ruvel ended before it had come to an end. Nothing of the episode is lost. Begin it again when Ruvel runs steadily.", store.MostAttempts)
		}
	}
	return nil
}

// clear takes away what was made of the parts of a job.
func (h hand) clear(ctx context.Context) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), h.w.lease())
	defer cancel()
	err := h.w.Store.RemoveParts(ctx, h.job.ID)
	if err == nil { // what a row says is made must be there: the job may have to be begun again
		err = h.w.Parts.Remove(ctx, h.job.ID)
	}
	if err != nil {
		slog.Warn("the parts of a job could not be taken away; they go by their age", "job", h.job.ID, "error", err)
	}
}

// makeParts makes parts of whatever jobs until the context ends, as many at a time as there are cores.
func (w *Worker) makeParts(ctx context.Context) error {
	if w.Parts == nil {
		return nil
	}
	plans := &partPlans{w: w, of: map[string]*partPlan{}}
	defer plans.close()
	free := make(chan struct{}, runtime.GOMAXPROCS(0))
	makers, ctx := errgroup.WithContext(ctx)
	for ctx.Err() == nil {
		told, err := w.Queue.Listen(ctx, partsSubject)
		if err != nil {
			told = nil
		}
		for open := true; open && ctx.Err() == nil; {
			w.startParts(ctx, makers, free, plans)
			select {
			case <-ctx.Done():
			case _, open = <-told:
			case <-time.After(partsLook):
				plans.drop()
				open = told != nil
			}
		}
	}
	return makers.Wait()
}

// startParts begins as many parts as there are makers free.
func (w *Worker) startParts(ctx context.Context, makers *errgroup.Group, free chan struct{}, plans *partPlans) {
	for {
		select {
		case free <- struct{}{}:
		default:
			return
		}
		p, mine, err := w.Store.ClaimPart(ctx, w.Owner, partLease)
		if err != nil || !mine {
			<-free
			return
		}
		makers.Go(func() error {
			defer func() { <-free }()
			for mine && ctx.Err() == nil { // as long as there are others
				w.makePart(ctx, p, plans)
				if p, mine, err = w.Store.ClaimPart(ctx, w.Owner, partLease); err != nil {
					return nil
				}
			}
			return nil
		})
	}
}

// makePart makes a part, and says so.
func (w *Worker) makePart(process context.Context, p store.Part, plans *partPlans) {
	ctx, cancel := context.WithCancelCause(process)
	defer cancel(nil)
	go func() {
		tick := time.NewTicker(partLease / 4)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			if mine, err := w.Store.PartAlive(ctx, p, w.Owner, partLease); err == nil && !mine {
				cancel(errLost)
			}
		}
	}()
	made, err := w.part(ctx, p, plans)
	if err == nil {
		err = w.Parts.Put(ctx, p.Job, p.Name, made)
	}
	var why *problem.Problem
	var said problem.Problem
	switch {
	case errors.Is(context.Cause(ctx), errLost):
		return
	case process.Err() != nil:
		after, stop := context.WithTimeout(context.WithoutCancel(process), later)
		defer stop()
		_ = w.Store.FreePart(after, p, w.Owner) // if that cannot be said, its lease says so
		return
	case store.IsAway(err), incoming.IsAway(err), errors.Is(err, fs.ErrNotExist):
		return // it is free when its lease has run out: what is away may be back then
	case errors.As(err, &said):
		why = &said
	case err != nil:
		slog.Error("a part of a job failed", "job", p.Job, "part", p.Name, "error", err)
		why = &problem.Problem{Code: "internal", Where: Mixdown, Message: "Something went wrong inside Ruvel; the log says more. Nothing was changed; try again."}
	}
	if err := w.Store.EndPart(ctx, p, why); err != nil {
		slog.Warn("the end of a part could not be stored; it is made again", "job", p.Job, "part", p.Name, "error", err)
		return
	}
	w.Watch.Part()
	_ = w.Queue.Tell(partsDone+p.Job, nil)
}

// part makes a part.
func (w *Worker) part(ctx context.Context, p store.Part, plans *partPlans) ([]byte, error) {
	var a partArguments
	if err := json.Unmarshal(p.Arguments.Of, &a); err != nil {
		return nil, fmt.Errorf("read what part is wanted: %w", err)
	}
	part := finish.Part{Kind: a.Kind, Number: a.Number}
	if a.With != "" {
		with, err := w.Parts.Get(ctx, p.Job, a.With)
		if err != nil {
			return nil, err
		}
		part.With = bytes.Clone(with)
	}
	plan, err := plans.get(ctx, p.Job)
	if err != nil {
		return nil, err
	}
	defer plans.give(plan)
	dir, err := os.MkdirTemp(w.Dir, "part.part*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	var made []byte
	if guarded := audio.Guard(func() { made, err = finish.MakePart(ctx, plan.plan, plan.order, part, dir) }); err == nil {
		err = guarded
	}
	return made, err
}

// partPlan is what the parts of a job are made from.
type partPlan struct {
	made  sync.Once
	err   error
	plan  *mix.Plan
	order finish.Order
	hold  *sounds.Hold
	users int
	used  time.Time
}

// partPlans keeps those of the jobs of which parts are made. It is safe for use by many goroutines.
type partPlans struct {
	w  *Worker
	mu sync.Mutex
	of map[string]*partPlan
}

// get gives that of a job, which must be given back.
func (all *partPlans) get(ctx context.Context, job string) (*partPlan, error) {
	all.mu.Lock()
	p := all.of[job]
	if p == nil {
		p = &partPlan{}
		all.of[job] = p
	}
	p.users++
	all.mu.Unlock()
	p.made.Do(func() { p.err = all.w.compile(context.WithoutCancel(ctx), job, p) })
	if p.err != nil {
		all.mu.Lock()
		if all.of[job] == p {
			delete(all.of, job) // it is tried anew
		}
		all.mu.Unlock()
		all.give(p)
		return nil, p.err
	}
	return p, nil
}

func (all *partPlans) give(p *partPlan) {
	all.mu.Lock()
	defer all.mu.Unlock()
	p.users--
	p.used = time.Now()
}

// drop lets go of those that nobody has used for a while.
func (all *partPlans) drop() {
	all.mu.Lock()
	defer all.mu.Unlock()
	for job, p := range all.of {
		if p.users == 0 && time.Since(p.used) > planIdle {
			p.hold.Close()
			delete(all.of, job)
		}
	}
}

func (all *partPlans) close() {
	all.mu.Lock()
	defer all.mu.Unlock()
	for _, p := range all.of {
		if p.hold != nil && p.users == 0 {
			p.hold.Close()
		}
	}
}

// compile prepares what the parts of a job are made from.
func (w *Worker) compile(ctx context.Context, id string, p *partPlan) error {
	job, err := w.Store.Job(ctx, id)
	if err != nil {
		return err
	}
	a, setting, doc, err := w.wanted(ctx, job)
	if err != nil {
		return err
	}
	p.hold = w.Sounds.Hold(ctx)
	if p.plan, err = mix.CompileFrom(doc, p.hold, nil); err != nil {
		p.hold.Close()
		return err
	}
	p.order = finish.Order{Setting: setting, From: a.From, To: a.To, Target: a.Target, Of: a.Of}
	return nil
}
