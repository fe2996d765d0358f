// Package sounds keeps the recordings and music of all shows: originals, immutable in
// a bucket and named by the SHA-256 of their bytes, and working copies decoded to 48
// kHz, a cache on local disk that is rebuilt whenever it is missing.
package sounds

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"sync"
	"time"

	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/fit"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/speech"
	"ruvel/core/waveform"
	"ruvel/internal/disk"
	"ruvel/internal/flight"
	"ruvel/internal/media"
)

// Sounds is the bucket with its cache. It is safe for use by many goroutines.
//
// Of a bucket is needed that an object is there whole or not at all, that whoever reads after it was written finds it, also from another
// process, and that one which is written again with the same bytes is as young as that; listing may lag, and nothing is renamed. An object
// under the name of an original has the SHA-256 that it is named by: it is written once that is known, never changed, and deleted by the sweep
// alone. "Not there" (gcerrors.NotFound) and "could not be asked" are different answers: of the first one is told at once, the second is tried
// again. Whoever opens a reader closes it.
type Sounds struct {
	// Space is the disk that it is kept on.
	Space *disk.Space

	bucket    *blob.Bucket
	cache     string
	copies    *flight.Group[Facts] // working copies that are made anew
	opening   *flight.Group[struct{}]
	reading   *flight.Group[waveform.Pyramid]
	peaks     *memory[waveform.Pyramid]
	weighing  *flight.Group[loudness.Series]
	powers    *memory[loudness.Series]
	listening *flight.Group[[]speech.Phrase]
	spoken    *memory[[]speech.Phrase]
	examining *flight.Group[review.Examined]
	examined  *memory[review.Examined]
	hearing   *flight.Group[fit.Piece]
	pieces    *memory[fit.Piece]
	mu        sync.Mutex
	mapped    map[string]*mapping // to be read next; older ones of a sound live as long as they are read
	live      int                 // mappings that there are

	deleting sync.RWMutex // no original is deleted while one is being put in
}

// New opens a library. Working copies go into the folder cache; what an earlier
// process left half-made there is cleared away.
func New(bucket *blob.Bucket, cache string) (*Sounds, error) {
	if err := os.MkdirAll(cache, 0o700); err != nil {
		return nil, err
	}
	left, _ := filepath.Glob(filepath.Join(cache, "*"+disk.Unfinished+"*"))
	for _, path := range left {
		_ = os.RemoveAll(path)
	}
	return &Sounds{
		bucket: bucket, cache: cache, mapped: map[string]*mapping{},
		copies: flight.New[Facts](decoders), opening: flight.New[struct{}](0), reading: flight.New[waveform.Pyramid](0),
		peaks:    newMemory[waveform.Pyramid](peaksKept),
		weighing: flight.New[loudness.Series](1), powers: newMemory[loudness.Series](powersKept),
		examining: flight.New[review.Examined](1), examined: newMemory[review.Examined](examinedKept),
		hearing: flight.New[fit.Piece](1), pieces: newMemory[fit.Piece](piecesKept),
		listening: flight.New[[]speech.Phrase](1), spoken: newMemory[[]speech.Phrase](spokenKept),
	}, nil
}

// decoders is how many working copies are made anew at a time: each takes a core and more.
const decoders = 2

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
func (l *Sounds) Put(ctx context.Context, r io.Reader) (id string, bytes int64, err error) {
	if err := l.Space.Room(0); err != nil {
		return "", 0, err
	}
	temp, err := os.CreateTemp(l.cache, "upload"+disk.Unfinished+"*")
	if err != nil {
		return "", 0, disk.Full(err)
	}
	defer os.Remove(temp.Name())
	defer temp.Close()
	hash := sha256.New()
	if bytes, err = io.Copy(io.MultiWriter(l.Space.Writer(temp), hash), r); err != nil {
		return "", 0, disk.Full(fmt.Errorf("receive the file: %w", err))
	}
	if bytes == 0 {
		return "", 0, media.Unreadable("empty-file", "The file is empty.")
	}
	id = hex.EncodeToString(hash.Sum(nil))
	if _, err := temp.Seek(0, io.SeekStart); err != nil {
		return "", 0, err
	}
	l.deleting.RLock()
	defer l.deleting.RUnlock()
	if fresh, err := l.fresh(ctx, id); err != nil || fresh {
		return id, bytes, err
	}
	if err := l.Space.Room(bytes); err != nil {
		return "", 0, err
	}
	if err := l.bucket.Upload(ctx, id, temp, &blob.WriterOptions{ContentType: "application/octet-stream"}); err != nil {
		return "", 0, disk.Full(fmt.Errorf("store the file: %w", err))
	}
	return id, bytes, nil
}

// renewed is how old an original may be that is wanted again without being written anew.
// Those that nothing names are swept by their age, which must not be about to be reached.
const renewed = time.Hour

// fresh says whether an original is there and young.
func (l *Sounds) fresh(ctx context.Context, id string) (bool, error) {
	a, err := l.bucket.Attributes(ctx, id)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return false, nil
	}
	return err == nil && time.Since(a.ModTime) < renewed, err
}

// Has says whether an original is there.
func (l *Sounds) Has(ctx context.Context, id string) bool {
	there, err := l.bucket.Exists(ctx, id)
	return err == nil && there
}

// Want says whether an original is there, and if so keeps it from being swept for a while.
func (l *Sounds) Want(ctx context.Context, id string) bool {
	l.deleting.RLock()
	defer l.deleting.RUnlock()
	if fresh, err := l.fresh(ctx, id); err != nil || fresh {
		return err == nil
	}
	r, err := l.bucket.NewReader(ctx, id, nil)
	if err != nil {
		return false
	}
	defer r.Close()
	return l.bucket.Upload(ctx, id, r, &blob.WriterOptions{ContentType: "application/octet-stream"}) == nil
}

// DeleteOlder removes an original, and its working copy, if it was last wanted longer ago
// than an age, and says whether it did.
func (l *Sounds) DeleteOlder(ctx context.Context, id string, age time.Duration) (bool, error) {
	l.deleting.Lock()
	defer l.deleting.Unlock()
	a, err := l.bucket.Attributes(ctx, id)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return false, nil
	}
	if err != nil || time.Since(a.ModTime) < age {
		return false, err
	}
	return true, errors.Join(l.DropCopy(id), l.bucket.Delete(ctx, id))
}

// DropCopy removes the working copy of a sound, which can be made again. One that is being
// read stays readable; its disk is free as soon as nobody reads it.
func (l *Sounds) DropCopy(id string) error {
	l.peaks.forget(id)
	l.powers.forget(id)
	return os.RemoveAll(l.folder(id))
}

// CopiesOlder lists the sounds whose working copies were made longer ago than an age.
func (l *Sounds) CopiesOlder(age time.Duration) (ids []string, err error) {
	all, err := os.ReadDir(l.cache)
	for _, e := range all {
		if info, err := e.Info(); err == nil && IsID(e.Name()) && time.Since(info.ModTime()) >= age {
			ids = append(ids, e.Name())
		}
	}
	return ids, err
}

var pattern = regexp.MustCompile(`^[0-9a-f]{64}$`)

// IsID says whether a text has the form of a sound's id.
func IsID(s string) bool { return pattern.MatchString(s) }

// Original opens the bytes that were imported.
func (l *Sounds) Original(ctx context.Context, id string) (io.ReadCloser, error) {
	return l.bucket.NewReader(ctx, id, nil)
}

func (l *Sounds) folder(id string) string { return filepath.Join(l.cache, filepath.Base(id)) }

// Import decodes an original, makes its working copy and measures it. Progress, from
// 0 to 1, is told now and then. A file that is not a whole sound is refused with a
// problem.Problem and leaves nothing behind in the cache.
func (l *Sounds) Import(ctx context.Context, id string, progress func(float64)) (Facts, error) {
	return l.ImportUpTo(ctx, id, media.MaxLength, progress)
}

// ImportUpTo is Import of what may be as long as that.
func (l *Sounds) ImportUpTo(ctx context.Context, id string, longest audio.Frames, progress func(float64)) (Facts, error) {
	dir, err := os.MkdirTemp(l.cache, id[:8]+disk.Unfinished+"*")
	if err != nil {
		return Facts{}, disk.Full(err)
	}
	defer os.RemoveAll(dir)
	original := filepath.Join(dir, "original")
	bytes, err := l.fetch(ctx, id, original)
	if err != nil {
		return Facts{}, disk.Full(err)
	}
	info, readable, err := probe(ctx, original, dir)
	if err != nil {
		return Facts{}, err
	}
	info.Longest = longest
	measured, err := l.convert(ctx, dir, readable, info, progress)
	if err != nil {
		return Facts{}, disk.Full(err)
	}
	for _, path := range []string{original, readable} {
		if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return Facts{}, err
		}
	}
	if err := os.Chmod(dir, 0o700); err != nil {
		return Facts{}, err
	}
	if err := l.settle(dir, id); err != nil {
		return Facts{}, err
	}
	return Facts{
		ID: id, Bytes: bytes, Channels: info.Channels, Rate: info.Rate, Format: info.Format, Tags: info.Tags, Loudness: measured,
	}, nil
}

// convert decodes a file into a folder as a working copy, with all that is known of it, and gives its loudness.
func (l *Sounds) convert(ctx context.Context, dir, readable string, info media.Info, progress func(float64)) (out loudness.Result, err error) {
	w, err := newCopyWriter(dir, info.Channels)
	if err != nil {
		return out, err
	}
	defer w.close()
	meter, listener := loudness.NewMeter(info.Channels), speech.NewListener()
	var done audio.Frames
	if _, err = media.Decode(ctx, readable, info, func(pcm audio.PCM) error {
		var g errgroup.Group // measuring, listening and writing go side by side
		g.Go(func() error {
			listener.Write(pcm)
			return nil
		})
		g.Go(func() error { // what a file says of its length need not be true
			if err := l.Space.Room(4 * int64(len(pcm)) * int64(pcm.Length())); err != nil {
				return err
			}
			return w.write(pcm)
		})
		meter.Write(pcm)
		if done += pcm.Length(); info.Expected > 0 {
			progress(min(1, done.Seconds()/info.Expected.Seconds()))
		}
		return g.Wait()
	}); err != nil {
		return out, err
	}
	if err := writeSpoken(dir, listener.Phrases()); err != nil {
		return out, err
	}
	return meter.Result(), w.finish(meter.Series())
}

// probe looks at a file and says which file is to be decoded: itself, or, if it can only be
// read in another way, what has been made of it in dir.
func probe(ctx context.Context, path, dir string) (info media.Info, readable string, err error) {
	info, err = media.Probe(ctx, path)
	var p problem.Problem
	if !errors.As(err, &p) || p.Code != "not-a-sound" {
		return info, path, err
	}
	second, secondErr := media.SecondReader(ctx, path, dir)
	if second == "" || secondErr != nil {
		return info, path, cmp.Or(secondErr, err)
	}
	info, err = media.Probe(ctx, second)
	info.Format = "ogg"
	return info, second, err
}

// settle puts a finished working copy in its place. Where another import of the same
// bytes was quicker, its copy stays.
func (l *Sounds) settle(dir, id string) error {
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

func (l *Sounds) fetch(ctx context.Context, id, path string) (int64, error) {
	r, err := l.Original(ctx, id)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return 0, problem.New("original-missing", "originals", "The original of this sound is not in the folder of originals any more. Put it back from a backup, or let another sound take its place.")
	}
	if err != nil {
		slog.Error("an original cannot be read", "sound", id, "error", err)
		return 0, problem.New("original-unreadable", "originals", "The original of this sound cannot be read. Look whether the folder of originals is there and may be read; the log says more.")
	}
	defer r.Close()
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	n, err := io.Copy(l.Space.Writer(f), r)
	return n, errors.Join(err, f.Close())
}

// makeAnew makes a working copy from the original. Those who wait for the samples and
// those who wait for the peaks share the work; when nobody waits any more it is given up.
func (l *Sounds) makeAnew(ctx context.Context, id string) error {
	_, err := l.copies.Do(ctx, id, func(ctx context.Context) (Facts, error) {
		// What was taken in once is not too long.
		return l.ImportUpTo(ctx, id, math.MaxInt32*audio.Second, func(float64) {})
	})
	return err
}
