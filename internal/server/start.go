package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"gocloud.dev/blob/fileblob"

	"ruvel/internal/chunks"
	"ruvel/internal/database"
	"ruvel/internal/library"
	"ruvel/internal/measure"
	"ruvel/internal/media"
	"ruvel/internal/plans"
	"ruvel/internal/shelf"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/uploads"
	"ruvel/internal/work"
)

// Settings say where Ruvel keeps its things. Empty addresses mean servers of its own.
type Settings struct {
	Data     string // the folder for everything
	Database string // DSN of a MariaDB server
	NATS     string // URL of a NATS server
	KeepFree int64  // bytes that must stay free on the disk for a file to be taken in
}

// House is a Ruvel with all it rests on, running.
type House struct {
	*Server
	private *database.Server
	stop    context.CancelFunc
	worked  chan error
}

// Start brings up the database, the queue and the workers. Close ends them again.
func Start(ctx context.Context, set Settings) (*House, error) {
	if err := media.CheckTools(); err != nil {
		return nil, err
	}
	data, err := filepath.Abs(set.Data)
	if err != nil {
		return nil, err
	}
	if err := writable(data); err != nil {
		return nil, err
	}
	workCtx, stop := context.WithCancel(context.WithoutCancel(ctx))
	h := &House{Server: &Server{}, stop: stop, worked: make(chan error, 1)}
	if err := h.furnish(ctx, data, set); err != nil {
		close(h.worked)
		h.Close()
		return nil, err
	}
	go func() {
		err := h.Worker.Run(workCtx)
		if err != nil && workCtx.Err() == nil {
			slog.Error("the workers have ended", "error", err)
		}
		h.worked <- err
	}()
	return h, nil
}

// furnish brings up what the server rests on, one after the other.
func (h *House) furnish(ctx context.Context, data string, set Settings) (err error) {
	dsn := set.Database
	if dsn == "" {
		if h.private, err = database.Start(ctx, filepath.Join(data, "database")); err != nil {
			return err
		}
		if dsn, err = h.private.DSN(ctx, "ruvel"); err != nil {
			return err
		}
	}
	if h.Store, err = store.Open(ctx, dsn); err != nil {
		return err
	}
	if h.Bucket, err = fileblob.OpenBucket(filepath.Join(data, "originals"), &fileblob.Options{
		CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite,
	}); err != nil {
		return fmt.Errorf("open the folder of originals: %w", err)
	}
	cache := filepath.Join(data, "cache")
	if h.Sounds, err = sounds.New(h.Bucket, cache); err != nil {
		return err
	}
	h.Sounds.KeepFree = set.KeepFree
	if h.Queue, err = work.NewQueue(ctx, filepath.Join(data, "queue"), set.NATS); err != nil {
		return err
	}
	box, err := chunks.New(filepath.Join(data, "takes"))
	if err != nil {
		return err
	}
	box.KeepFree.Store(set.KeepFree)
	if h.Shelf, err = shelf.NewFetcher(shelf.House{}, h.Sounds, filepath.Join(cache, "shelf")); err != nil {
		return err
	}
	arriving := work.Uploads(filepath.Join(data, "uploads"))
	if err := os.MkdirAll(string(arriving), 0o755); err != nil {
		return err
	}
	h.Worker = &work.Worker{Queue: h.Queue, Store: h.Store, Sounds: h.Sounds, Chunks: box, Uploads: arriving, Bucket: h.Bucket, Dir: cache}
	h.Plans = &plans.Plans{Store: h.Store, Sounds: h.Sounds, Queue: h.Queue, Idle: keepIdle}
	h.Measure = measure.New(h.Store, h.Plans, h.Queue)
	h.Library = &library.Library{Store: h.Store, Sounds: h.Sounds, Plans: h.Plans, Worker: h.Worker, Queue: h.Queue, Shelf: h.Shelf, MaxUpload: maxUpload}
	h.Takes = &takes.Takes{Store: h.Store, Chunks: box, Worker: h.Worker, Queue: h.Queue, RemoveSound: h.Library.Remove}
	h.Uploads = &uploads.Uploads{Store: h.Store, Worker: h.Worker, Most: maxUpload, KeepFree: set.KeepFree}
	return h.Uploads.Resume(ctx)
}

const (
	// maxUpload is the largest file that is taken in, in bytes.
	maxUpload = 4 << 30
	// keepIdle is how long a plan that nobody renders is kept, with the working copies that it reads.
	keepIdle = time.Minute
)

// writable says in words why a folder cannot be used.
func writable(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fmt.Errorf("the data folder %s cannot be made: %w; choose another with --data", dir, err)
	}
	f, err := os.CreateTemp(dir, ".try")
	if err != nil {
		return fmt.Errorf("the data folder %s cannot be written to: %w; choose another with --data", dir, err)
	}
	_ = f.Close()
	return os.Remove(f.Name())
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
}

// Listen takes a port on loopback. One that is taken is a sentence, not a number.
func Listen(port int) (net.Listener, error) {
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf("port %d is in use by another program; choose another with --port", port)
	}
	return l, err
}

// sendBuffer is how many bytes the system keeps for a connection. Left to itself it would
// keep ten seconds of sound, and that much later one would notice that a listener does not read.
const sendBuffer = 256 << 10

// Serve answers on a listener until the context ends, then lets requests finish for a moment.
func (h *House) Serve(ctx context.Context, l net.Listener) error {
	s := &http.Server{
		Handler: h.Handler(), ReadHeaderTimeout: 10 * time.Second,
		BaseContext: func(net.Listener) context.Context { return ctx },
		ConnContext: func(ctx context.Context, c net.Conn) context.Context {
			if tcp, ok := c.(*net.TCPConn); ok {
				_ = tcp.SetWriteBuffer(sendBuffer)
			}
			return ctx
		},
	}
	done := make(chan error, 1)
	go func() { done <- s.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	short, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
	defer cancel()
	if s.Shutdown(short) != nil {
		_ = s.Close()
	}
	return nil
}
