// Package running is a Ruvel with all that it rests on: it brings up the database, the queue, the workers and the server one after
// the other, in a folder of its own, and ends them again.
package running

import (
	"cmp"
	"context"
	"log/slog"
	"path/filepath"
	"runtime"
	"sync"
	"time"

	"ruvel/internal/access"
	"ruvel/internal/arrange"
	"ruvel/internal/backup"
	"ruvel/internal/balance"
	"ruvel/internal/check"
	"ruvel/internal/chunks"
	"ruvel/internal/database"
	"ruvel/internal/disk"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/hosts"
	"ruvel/internal/library"
	"ruvel/internal/measure"
	"ruvel/internal/media"
	"ruvel/internal/notes"
	"ruvel/internal/outside"
	"ruvel/internal/people"
	"ruvel/internal/plans"
	"ruvel/internal/publish"
	"ruvel/internal/server"
	"ruvel/internal/shelf"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/sweep"
	"ruvel/internal/takes"
	"ruvel/internal/turns"
	"ruvel/internal/uploads"
	"ruvel/internal/watch"
	"ruvel/internal/work"
)

// Settings say where Ruvel keeps its things. Empty addresses mean servers of its own.
type Settings struct {
	Data     string   // the folder for everything
	Database string   // DSN of a MariaDB server
	NATS     string   // URL of a NATS server
	Bucket   string   // where originals are kept: a folder, or the address of a bucket
	KeepFree int64    // bytes of the disk that must stay free: nothing is written beyond that
	Folder   string   // that finished files can be copied to
	Names    []string // that it answers to besides loopback addresses and localhost
	People   bool     // there are several, who sign in
	Outside  outside.Settings
	Pages    string // the address of pages for listeners, if they have one of their own
}

// House is a Ruvel with all it rests on, running.
type House struct {
	*server.Server
	folder  *folder
	private *database.Server
	stop    context.CancelFunc
	worked  chan struct{} // closed when nothing works in the background any more
	Sweeper *sweep.Sweeper
}

// Start brings up the database, the queue and the workers. Close ends them again.
func Start(ctx context.Context, set Settings) (*House, error) {
	if err := media.CheckTools(); err != nil {
		return nil, err
	}
	data, err := openFolder(set.Data)
	if err != nil {
		return nil, err
	}
	workCtx, stop := context.WithCancel(context.WithoutCancel(ctx))
	h := &House{Server: &server.Server{Names: set.Names, Turns: turns.New(max(1, runtime.GOMAXPROCS(0)-1))}, folder: data, stop: stop, worked: make(chan struct{})}
	if err := h.furnish(ctx, data, set); err != nil {
		close(h.worked)
		h.Close()
		return nil, err
	}
	go func() {
		defer close(h.worked)
		var background sync.WaitGroup
		background.Go(func() {
			if err := h.Worker.Run(workCtx); err != nil && workCtx.Err() == nil {
				slog.Error("the workers have ended", "error", err)
			}
		})
		background.Go(func() { h.Uploads.TakeUp(workCtx) })
		background.Go(func() { h.Sweeper.Run(workCtx) })
		background.Wait()
	}()
	return h, nil
}

// furnish brings up what the server rests on, one after the other.
func (h *House) furnish(ctx context.Context, data *folder, set Settings) (err error) {
	if err := h.openStore(ctx, data, set.Database); err != nil {
		return err
	}
	if h.Bucket, err = openBucket(ctx, cmp.Or(set.Bucket, data.join("originals"))); err != nil {
		return err
	}
	cache := data.join("cache")
	if h.Sounds, err = sounds.New(h.Bucket, cache); err != nil {
		return err
	}
	h.Space = disk.Of(data.path, set.KeepFree)
	h.Sounds.Space = h.Space
	h.Store.Samples = h.Sounds.Listen
	if h.Queue, err = work.NewQueue(ctx, data.join("queue"), set.NATS); err != nil {
		return err
	}
	if h.Shelf, err = shelf.NewFetcher(shelf.House{}, h.Sounds, filepath.Join(cache, "shelf")); err != nil {
		return err
	}
	if err := h.employ(ctx, data, set, cache); err != nil {
		return err
	}
	h.equip(set)
	if set.People {
		if h.People, err = people.New(h.Store); err != nil {
			return err
		}
	}
	if err := h.Uploads.TakeOver(ctx, data.join("uploads")); err != nil {
		return err
	}
	w := h.Worker
	h.Sweeper = &sweep.Sweeper{
		Store: h.Store, Sounds: h.Sounds, Bucket: h.Bucket, Chunks: w.Chunks, Uploads: w.Uploads, Parts: w.Parts, Pictures: w.Pictures, RemoveTake: h.Takes.Remove, RemoveUpload: w.RemoveUpload, Ages: sweep.Default(), Owner: w.Owner,
	}
	return nil
}

// openStore opens the database, a private one where none is named.
func (h *House) openStore(ctx context.Context, data *folder, dsn string) (err error) {
	if dsn == "" {
		if err := data.letThrough(); err != nil {
			return err
		}
		if h.private, err = database.Start(ctx, data.join("database")); err != nil {
			return err
		}
		h.Trouble = h.private.Trouble
		if dsn, err = h.private.DSN(ctx, "ruvel"); err != nil {
			return err
		}
	}
	h.Store, err = store.Open(ctx, dsn)
	return err
}

// employ makes the worker, with the places where it finds what has come in.
func (h *House) employ(ctx context.Context, data *folder, set Settings, cache string) error {
	in, err := h.arrivals(ctx, data, set)
	if err != nil {
		return err
	}
	owner, err := data.name()
	if err != nil {
		return err
	}
	h.Worker = &work.Worker{
		Owner: owner, Queue: h.Queue, Store: h.Store, Sounds: h.Sounds, Chunks: chunks.New(in.takes), Uploads: work.Uploads{In: in.uploads}, Bucket: h.Bucket,
		Pictures: &work.Pictures{Bucket: h.Bucket, Store: h.Store}, Pieces: h.Shelf, Dir: cache, Space: h.Space, Hosts: hosts.Set{hosts.PracticeKey: hosts.Practice{Dir: data.join("outside")}},
	}
	if in.shared {
		h.Worker.Parts = in.parts
	}
	if !in.elsewhere {
		h.Worker.Chunks.Space, h.Worker.Uploads.Space = h.Space, h.Space
	}
	if set.Folder != "" {
		h.Worker.Hosts[hosts.FolderKey] = hosts.Folder{Dir: set.Folder}
	}
	return nil
}

// equip makes what acts are done with of what they rest on.
func (h *House) equip(set Settings) {
	h.Access = &access.Door{Owners: h.Store, People: set.People}
	h.Notes = &notes.Notes{Store: h.Store, Queue: h.Queue, Door: h.Access}
	h.Watch = watch.New(h.Figures)
	h.Worker.Watch = h.Watch
	h.Outside, h.Pages = outside.New(set.Outside), set.Pages
	h.Plans = &plans.Plans{Store: h.Store, Sounds: h.Sounds, Queue: h.Queue, Idle: keepIdle}
	h.Measure = measure.New(h.Store, h.Plans, h.Queue)
	h.Library = &library.Library{Door: h.Access, Store: h.Store, Sounds: h.Sounds, Plans: h.Plans, Worker: h.Worker, Queue: h.Queue, Shelf: h.Shelf, MaxUpload: maxUpload}
	h.Takes = &takes.Takes{Store: h.Store, Chunks: h.Worker.Chunks, Worker: h.Worker, Queue: h.Queue, RemoveSound: h.Library.Remove}
	h.Arrange = arrange.New(arrange.Arranger{Store: h.Store, Sounds: h.Sounds, Plans: h.Plans, Turns: h.Turns, Worker: h.Worker})
	h.Balance = balance.New(balance.Balancer{Store: h.Store, Plans: h.Plans, Measure: h.Measure, Sounds: h.Sounds, Turns: h.Turns})
	h.Episodes = &episodes.Episodes{Store: h.Store, Plans: h.Plans, Measure: h.Measure, Takes: h.Takes, Bucket: h.Bucket, Queue: h.Queue}
	h.Check = check.New(check.Checker{Store: h.Store, Plans: h.Plans, Measure: h.Measure, Sounds: h.Sounds, Library: h.Library, Takes: h.Takes, Turns: h.Turns})
	h.Handover = &handover.Handover{
		Store: h.Store, Sounds: h.Sounds, Bucket: h.Bucket, Worker: h.Worker, Queue: h.Queue, Library: h.Library, Measure: h.Measure, Folder: set.Folder, Check: h.Check.Findings,
	}
	h.Backup = &backup.Keeper{Store: h.Store, Sounds: h.Sounds, Bucket: h.Bucket, Space: h.Space, Sheet: h.Handover.Sheet, Owner: h.Worker.Owner}
	h.Publish = publish.New(h.Store, h.Library, h.Queue, h.Bucket, h.Handover.Sheet)
	h.Uploads = uploads.New(h.Store, h.Worker, h.Access, maxUpload, h.Space)
}

const (
	// maxUpload is the largest file that is taken in, in bytes.
	maxUpload = 4 << 30
	// keepIdle is how long a plan that nobody renders is kept, with the working copies that it reads.
	keepIdle = time.Minute
)

// Scratch is a folder for temporary files, emptied at the next start if not before.
func (h *House) Scratch() string { return h.folder.scratch() }

// DatabaseProcess is the number of the private database's process, or 0.
func (h *House) DatabaseProcess() int {
	if h.private == nil {
		return 0
	}
	return h.private.Process()
}

// Close ends the workers, the queue and the private database, in this order.
func (h *House) Close() {
	h.stop()
	<-h.worked
	if h.Measure != nil {
		h.Measure.Close()
	}
	if h.Queue != nil {
		h.Queue.Close()
	}
	if h.Store != nil {
		_ = h.Store.Close()
	}
	if h.Bucket != nil {
		_ = h.Bucket.Close()
	}
	if h.private != nil {
		h.private.Stop()
	}
	h.folder.close()
}
