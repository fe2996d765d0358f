// Package sounds keeps the recordings and music of all shows: originals, immutable in
// a bucket and named by the SHA-256 of their bytes, and working copies decoded to 48
// kHz, a cache on local disk that is rebuilt whenever it is missing.
package sounds

import (
	"container/list"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"

	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/singleflight"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/internal/media"
)

// Library is the bucket with its cache. It is safe for use by many goroutines.
type Library struct {
	// KeepFree is how many bytes must stay free on the cache's disk for a file to be taken in.
	KeepFree int64

	bucket *blob.Bucket
	cache  string
	making singleflight.Group
	peaks  peakCache
	mu     sync.Mutex
	mapped map[string]*mapping // to be read next; older ones of a sound live as long as they are read
	live   int                 // mappings that there are
}

// New opens a library. Working copies go into the folder cache; what an earlier
// process left half-made there is cleared away.
func New(bucket *blob.Bucket, cache string) (*Library, error) {
	if err := os.MkdirAll(cache, 0o755); err != nil {
		return nil, err
	}
	left, _ := filepath.Glob(filepath.Join(cache, "*"+unfinished+"*"))
	for _, path := range left {
		_ = os.RemoveAll(path)
	}
	return &Library{
		bucket: bucket, cache: cache, mapped: map[string]*mapping{},
		peaks: peakCache{most: peaksKept, byID: map[string]*list.Element{}},
	}, nil
}

// unfinished marks folders and files that are still being written.
const unfinished = ".part"

// Facts is what is measured of a sound when it is taken in.
type Facts struct {
	ID       string
	Bytes    int64
	Channels int
	Rate     int // hertz, of the original
	Format   string
	Tags     map[string]string
	Loudness loudness.Result
}

// Put stores an original and returns its id. The same bytes twice are stored once.
func (l *Library) Put(ctx context.Context, r io.Reader) (id string, bytes int64, err error) {
	if err := media.Room(l.cache, l.KeepFree); err != nil {
		return "", 0, err
	}
	temp, err := os.CreateTemp(l.cache, "upload"+unfinished+"*")
	if err != nil {
		return "", 0, media.FullDisk(err)
	}
	defer os.Remove(temp.Name())
	defer temp.Close()
	hash := sha256.New()
	if bytes, err = io.Copy(io.MultiWriter(temp, hash), r); err != nil {
		return "", 0, media.FullDisk(fmt.Errorf("receive the file: %w", err))
	}
	if bytes == 0 {
		return "", 0, media.Unreadable("empty-file", "The file is empty.")
	}
	id = hex.EncodeToString(hash.Sum(nil))
	if there, err := l.bucket.Exists(ctx, id); err != nil || there {
		return id, bytes, err
	}
	if _, err := temp.Seek(0, io.SeekStart); err != nil {
		return "", 0, err
	}
	if err := l.bucket.Upload(ctx, id, temp, &blob.WriterOptions{ContentType: "application/octet-stream"}); err != nil {
		return "", 0, media.FullDisk(fmt.Errorf("store the file: %w", err))
	}
	return id, bytes, nil
}

// Has says whether an original is there.
func (l *Library) Has(ctx context.Context, id string) bool {
	there, err := l.bucket.Exists(ctx, id)
	return err == nil && there
}

// Delete removes an original and its working copy. A copy that is being rendered from
// stays readable; its disk is free as soon as nobody reads it.
func (l *Library) Delete(ctx context.Context, id string) error {
	l.peaks.forget(id)
	if err := os.RemoveAll(l.folder(id)); err != nil {
		return err
	}
	if err := l.bucket.Delete(ctx, id); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
		return err
	}
	return nil
}

// Original opens the bytes that were imported.
func (l *Library) Original(ctx context.Context, id string) (io.ReadCloser, error) {
	return l.bucket.NewReader(ctx, id, nil)
}

func (l *Library) folder(id string) string { return filepath.Join(l.cache, filepath.Base(id)) }

// Import decodes an original, makes its working copy and measures it. Progress, from
// 0 to 1, is told now and then. A file that is not a whole sound is refused with a
// problem.Problem and leaves nothing behind in the cache.
func (l *Library) Import(ctx context.Context, id string, progress func(float64)) (Facts, error) {
	dir, err := os.MkdirTemp(l.cache, id[:8]+unfinished+"*")
	if err != nil {
		return Facts{}, media.FullDisk(err)
	}
	defer os.RemoveAll(dir)
	original := filepath.Join(dir, "original")
	bytes, err := l.fetch(ctx, id, original)
	if err != nil {
		return Facts{}, media.FullDisk(err)
	}
	info, err := media.Probe(ctx, original)
	if err != nil {
		return Facts{}, err
	}
	w, err := newCopyWriter(dir, info.Channels)
	if err != nil {
		return Facts{}, media.FullDisk(err)
	}
	defer w.close()
	meter := loudness.NewMeter(info.Channels)
	var done audio.Frames
	if _, err = media.Decode(ctx, original, info, func(pcm audio.PCM) error {
		var g errgroup.Group // measuring and writing go side by side
		g.Go(func() error { return w.write(pcm) })
		meter.Write(pcm)
		if done += pcm.Length(); info.Expected > 0 {
			progress(min(1, done.Seconds()/info.Expected.Seconds()))
		}
		return g.Wait()
	}); err != nil {
		return Facts{}, media.FullDisk(err)
	}
	if err := w.finish(); err != nil {
		return Facts{}, media.FullDisk(err)
	}
	if err := os.Remove(original); err != nil {
		return Facts{}, err
	}
	if err := os.Chmod(dir, 0o755); err != nil {
		return Facts{}, err
	}
	if err := l.settle(dir, id); err != nil {
		return Facts{}, err
	}
	return Facts{
		ID: id, Bytes: bytes, Channels: info.Channels, Rate: info.Rate, Format: info.Format, Tags: info.Tags, Loudness: meter.Result(),
	}, nil
}

// settle puts a finished working copy in its place. Where another import of the same
// bytes was quicker, its copy stays.
func (l *Library) settle(dir, id string) error {
	if _, err := readPeaks(l.folder(id)); err == nil {
		return nil
	}
	_ = os.RemoveAll(l.folder(id))
	err := os.Rename(dir, l.folder(id))
	if _, _, there := checkCopy(l.folder(id)); there == nil {
		return nil
	}
	return err
}

func (l *Library) fetch(ctx context.Context, id, path string) (int64, error) {
	r, err := l.Original(ctx, id)
	if err != nil {
		return 0, fmt.Errorf("open the original: %w", err)
	}
	defer r.Close()
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	n, err := io.Copy(f, r)
	return n, errors.Join(err, f.Close())
}

// makeAnew makes a working copy from the original. Those who wait for the samples and
// those who wait for the peaks share the work.
func (l *Library) makeAnew(ctx context.Context, id string) error {
	_, err, _ := l.making.Do("copy "+id, func() (any, error) {
		return l.Import(context.WithoutCancel(ctx), id, func(float64) {})
	})
	return err
}
