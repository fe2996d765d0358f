// Package sweep takes away what nobody needs any more: originals and mixdowns without an
// owner since a while, working copies of sounds that are gone, uploads that broke off, recordings of takes
// that are gone, takes that were discarded long ago, jobs that have ended. It is the only
// place where an original is deleted. What is younger than an age of its kind stays, since
// somebody may be about to use it.
package sweep

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"path"
	"slices"
	"strings"
	"time"

	"gocloud.dev/blob"

	"ruvel/internal/chunks"
	"ruvel/internal/incoming"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Ages are how old something must be for it to be swept.
type Ages struct {
	Unowned   time.Duration // files that belong to nothing
	Upload    time.Duration // uploads that nobody has gone on with
	Discarded time.Duration // takes that were discarded
	Job       time.Duration // jobs that have ended
	Facts     time.Duration // what was measured and not asked for since
}

// Default are the ages of a running Ruvel.
func Default() Ages {
	const day = 24 * time.Hour
	return Ages{Unowned: day, Upload: 2 * day, Discarded: 30 * day, Job: 7 * day, Facts: 60 * day}
}

// Sweeper is what it sweeps.
type Sweeper struct {
	Store   *store.Store
	Sounds  *sounds.Sounds
	Bucket  *blob.Bucket
	Chunks  *chunks.Box
	Uploads work.Uploads
	Parts   incoming.Place // of jobs that several processes make together; nil: there is one process
	// RemoveTake deletes a discarded take for good; one that is still used is refused.
	RemoveTake func(ctx context.Context, id string) error
	// RemoveUpload takes a file that was on its way in away.
	RemoveUpload func(ctx context.Context, id string) error
	Ages         Ages
	// Owner is the process that sweeps, of those on one database.
	Owner    string
	Pictures *work.Pictures
	// Now is the time by which it is noted since when nothing names a file; nil: that of the machine. How old a file is goes
	// by the machine's own clock: it is what wrote the file's time.
	Now func() time.Time
}

func (s *Sweeper) now() time.Time {
	if s.Now == nil {
		return time.Now()
	}
	return s.Now()
}

// Swept is how many of each kind were taken away.
type Swept struct {
	Originals, Mixdowns, Pictures, Leftovers, Copies, Uploads, Recordings, Takes int
	Jobs, Facts, SignIns                                                         int64
}

// every is how long it is from one sweep to the next.
const every = time.Hour

// Run sweeps at once and then every hour until the context ends.
func (s *Sweeper) Run(ctx context.Context) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		swept, err := s.inTurn(ctx)
		if err != nil && ctx.Err() == nil {
			slog.Warn("not all could be swept; it is tried again", "error", err)
		}
		if swept != (Swept{}) {
			slog.Info("swept away what nobody needs", "what", fmt.Sprintf("%+v", swept))
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// inTurn sweeps what lies in this process's own folder, and the rest if no other process does.
func (s *Sweeper) inTurn(ctx context.Context) (Swept, error) {
	mine, err := s.Store.Duty(ctx, "sweep", s.Owner, every+every/4)
	if mine {
		return s.Sweep(ctx)
	}
	swept, more := s.all(ctx, s.copies)
	return swept, errors.Join(err, more)
}

// Sweep takes away what is old enough. Where one kind cannot be asked about, the others are
// swept all the same.
func (s *Sweeper) Sweep(ctx context.Context) (swept Swept, err error) {
	return s.all(ctx, s.uploads, s.jobs, s.signIns, s.facts, s.takes, s.recordings, s.parts, s.bucket, s.copies)
}

func (s *Sweeper) all(ctx context.Context, kinds ...func(context.Context, *Swept) error) (swept Swept, err error) {
	for _, kind := range kinds {
		err = errors.Join(err, kind(ctx, &swept))
	}
	return swept, err
}

// uploads removes files that came in and that nobody has gone on with; those that a job waits for, or was given up with, stay.
func (s *Sweeper) uploads(ctx context.Context, swept *Swept) error {
	jobs, err := s.Store.Unfinished(ctx)
	if err != nil {
		return err
	}
	failed, err := s.Store.GivenUp(ctx)
	if err != nil {
		return err
	}
	needed := map[string]bool{}
	for _, j := range append(jobs, failed...) {
		needed[work.UploadOf(j)] = true
	}
	// What came last tells how old one is; of one of which nothing has come, when it was announced.
	old, err := s.Store.OldUploads(ctx, s.Ages.Upload)
	if err != nil {
		return err
	}
	left, err := s.Uploads.Older(ctx, s.Ages.Upload)
	if err != nil {
		return err
	}
	quiet := map[string]bool{}
	for _, id := range left {
		quiet[id] = true
	}
	for _, id := range old {
		if come, sizeErr := s.Uploads.Come(ctx, id); sizeErr != nil {
			err = errors.Join(err, sizeErr)
			continue
		} else if come == 0 {
			quiet[id] = true
		}
	}
	for id := range quiet {
		if needed[id] {
			continue
		}
		if gone := s.RemoveUpload(ctx, id); gone != nil {
			err = errors.Join(err, gone)
			continue
		}
		swept.Uploads++
	}
	return err
}

func (s *Sweeper) jobs(ctx context.Context, swept *Swept) (err error) {
	swept.Jobs, err = s.Store.PruneJobs(ctx, s.Ages.Job)
	return err
}

// signIns takes away sessions and invitations that have ended, and wrong passwords of long ago.
func (s *Sweeper) signIns(ctx context.Context, swept *Swept) (err error) {
	swept.SignIns, err = s.Store.PruneSignIns(ctx, s.Ages.Unowned)
	return err
}

func (s *Sweeper) facts(ctx context.Context, swept *Swept) (err error) {
	swept.Facts, err = s.Store.ForgetFacts(ctx, s.Ages.Facts)
	return err
}

func (s *Sweeper) takes(ctx context.Context, swept *Swept) error {
	old, err := s.Store.Discarded(ctx, s.Ages.Discarded)
	for _, t := range old {
		if s.RemoveTake(ctx, t.ID) == nil { // one that is still used stays
			swept.Takes++
		}
	}
	return err
}

// parts removes what was made of parts of jobs that have ended.
func (s *Sweeper) parts(ctx context.Context, _ *Swept) error {
	needed, err := s.Store.ForgetParts(ctx)
	if err != nil || s.Parts == nil {
		return err
	}
	all, err := s.Parts.Things(ctx)
	for job, last := range all {
		if !needed[job] && time.Since(last) >= s.Ages.Unowned {
			err = errors.Join(err, s.Parts.Remove(ctx, job))
		}
	}
	return err
}

// recordings removes the chunks of takes that are gone.
func (s *Sweeper) recordings(ctx context.Context, swept *Swept) error {
	old, err := s.Chunks.Older(ctx, s.Ages.Unowned)
	if err != nil || len(old) == 0 {
		return err
	}
	known, err := s.Store.TakesOfAll(ctx)
	if err != nil {
		return err
	}
	for _, take := range old {
		if !known[take] {
			err = errors.Join(err, s.Chunks.Remove(ctx, take))
			swept.Recordings++
		}
	}
	return err
}

// halfWritten ends the names of files that a bucket in a folder was writing when its process was killed.
const halfWritten = ".tmp"

// bucket removes originals, mixdowns and pictures that nothing has named for as long as a file without an owner stays.
func (s *Sweeper) bucket(ctx context.Context, swept *Swept) error {
	found, left, err := s.unowned(ctx)
	if err != nil {
		return err
	}
	for _, key := range left {
		if err := s.Bucket.Delete(ctx, key); err != nil {
			return err
		}
		swept.Leftovers++
	}
	if len(found) == 0 {
		return nil
	}
	orphans, err := s.orphans(ctx, found)
	if err != nil {
		return err
	}
	gone, err := s.Store.Orphaned(ctx, orphans, s.now(), s.Ages.Unowned)
	if err != nil {
		return err
	}
	for _, key := range gone {
		switch {
		case strings.HasPrefix(key, work.PictureFolder):
			err = errors.Join(err, counted(&swept.Pictures)(s.Pictures.DeleteOlder(ctx, path.Base(key), s.Ages.Unowned)))
		case strings.HasPrefix(key, work.MixdownFolder):
			err = errors.Join(err, counted(&swept.Mixdowns)(true, s.Bucket.Delete(ctx, key)))
		default:
			err = errors.Join(err, counted(&swept.Originals)(s.Sounds.DeleteOlder(ctx, key, s.Ages.Unowned)))
		}
	}
	return err
}

// unowned gives what lies in the bucket long enough: what may be somebody's, pictures first, and what was left half written.
func (s *Sweeper) unowned(ctx context.Context) (found, left []string, err error) {
	old := time.Now().Add(-s.Ages.Unowned)
	var originals, mixdowns, pictures []string
	list := s.Bucket.List(nil)
	for {
		o, err := list.Next(ctx)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, nil, err
		}
		switch {
		case o.IsDir || o.ModTime.After(old):
		case strings.HasSuffix(o.Key, halfWritten):
			left = append(left, o.Key)
		case strings.HasPrefix(o.Key, work.MixdownFolder):
			mixdowns = append(mixdowns, o.Key)
		case strings.HasPrefix(o.Key, work.PictureFolder):
			pictures = append(pictures, o.Key)
		case sounds.IsID(o.Key):
			originals = append(originals, o.Key)
		}
	}
	return slices.Concat(pictures, originals, mixdowns), left, nil
}

// orphans are those that nobody has.
func (s *Sweeper) orphans(ctx context.Context, found []string) (orphans []string, err error) {
	// What is asked for first is what could become needed last: a job ends by adding its sound or its mixdown.
	jobs, err := s.named(ctx)
	if err != nil {
		return nil, err
	}
	shows, err := s.Store.SoundsOfAll(ctx)
	if err != nil {
		return nil, err
	}
	files, err := s.Store.MixdownsOfAll(ctx)
	if err != nil {
		return nil, err
	}
	shown, err := s.Store.PicturesOfAll(ctx)
	if err != nil {
		return nil, err
	}
	nameOf := func(key string) string { return strings.TrimSuffix(path.Base(key), path.Ext(key)) }
	for _, key := range found {
		if name := nameOf(key); !jobs[name] && !shows[name] && !files[name] && !shown[name] {
			orphans = append(orphans, key)
		}
	}
	return orphans, nil
}

// counted counts what has gone.
func counted(n *int) func(bool, error) error {
	return func(gone bool, err error) error {
		if gone && err == nil {
			*n++
		}
		return err
	}
}

// named is the set of what waiting and running jobs name: the originals that they work on, and themselves.
func (s *Sweeper) named(ctx context.Context) (map[string]bool, error) {
	jobs, err := s.Store.Unfinished(ctx)
	out := map[string]bool{}
	for _, j := range jobs {
		out[j.ID] = true
		for _, id := range work.Originals(j) {
			out[id] = true
		}
	}
	return out, err
}

// copies removes the working copies of sounds that no show has: they can be made again.
func (s *Sweeper) copies(ctx context.Context, swept *Swept) error {
	old, err := s.Sounds.CopiesOlder(s.Ages.Unowned)
	if err != nil || len(old) == 0 {
		return err
	}
	known, err := s.Store.SoundsOfAll(ctx)
	if err != nil {
		return err
	}
	for _, id := range old {
		if !known[id] {
			err = errors.Join(err, s.Sounds.DropCopy(id))
			swept.Copies++
		}
	}
	return err
}
