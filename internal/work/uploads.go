package work

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"ruvel/internal/disk"
	"ruvel/internal/incoming"
)

// Uploads is where files lie that are on their way in, in stretches as they came. A stretch is named by where it begins, and by something
// of its own: what two requests send of the same place lies there twice, and neither takes anything from the other.
type Uploads struct {
	In    incoming.Place
	Space *disk.Space // that they are kept on; nil: as much as is wanted
}

// stretchBytes is how long a stretch is at most: what is kept in memory of each upload that is coming, and what is lost of one whose process is killed.
const stretchBytes = 8 << 20

// stretch is one of an upload.
type stretch struct {
	name    string
	at, end int64
}

// stretches are those that an upload consists of, without a gap: of those that begin where the last has ended or before, the one that
// reaches furthest.
func (u Uploads) stretches(ctx context.Context, id string) (out []stretch, end int64, err error) {
	pieces, err := u.In.List(ctx, id)
	if err != nil {
		return nil, 0, err
	}
	var best stretch
	for _, p := range pieces { // in the order of where they begin
		hex, _, _ := strings.Cut(p.Name, "-")
		at, err := strconv.ParseInt(hex, 16, 64)
		if err != nil {
			continue
		}
		if at > end {
			if best.end <= end || at > best.end {
				break
			}
			out, end = append(out, best), best.end
		}
		if at <= end && at+p.Bytes > best.end {
			best = stretch{p.Name, at, at + p.Bytes}
		}
	}
	if best.end > end {
		out, end = append(out, best), best.end
	}
	return out, end, nil
}

// Come says how many bytes of an upload have come, without a gap.
func (u Uploads) Come(ctx context.Context, id string) (int64, error) {
	_, end, err := u.stretches(ctx, id)
	return end, err
}

// Write takes in what comes of an upload from a byte of it on, and says how much. What has come before it breaks off is kept.
func (u Uploads) Write(ctx context.Context, id string, at int64, src io.Reader) (n int64, err error) {
	ctx = context.WithoutCancel(ctx) // who breaks off has sent what they have sent
	var held bytes.Buffer
	for {
		held.Reset()
		k, failed := io.CopyN(&held, src, stretchBytes)
		if k > 0 {
			if err := u.Space.Room(k); err != nil {
				return n, err
			}
			name := fmt.Sprintf("%016x-%s", at+n, uuid.NewString()[:8])
			if err := u.In.Put(ctx, id, name, held.Bytes()); err != nil {
				return n, err
			}
			n += k
		}
		if errors.Is(failed, io.EOF) {
			return n, nil
		}
		if failed != nil {
			return n, failed
		}
	}
}

// Open gives a reader of all that has come of an upload; of one that there is not, an error that is fs.ErrNotExist.
func (u Uploads) Open(ctx context.Context, id string) (io.Reader, error) {
	all, _, err := u.stretches(ctx, id)
	if err != nil {
		return nil, err
	}
	if len(all) == 0 {
		return nil, &fs.PathError{Op: "open", Path: id, Err: fs.ErrNotExist}
	}
	return &joined{ctx: ctx, in: u.In, of: id, left: all}, nil
}

// joined reads stretches one after the other.
type joined struct {
	ctx  context.Context
	in   incoming.Place
	of   string
	left []stretch
	at   int64
	now  bytes.Reader
}

func (j *joined) Read(p []byte) (int, error) {
	for j.now.Len() == 0 {
		if len(j.left) == 0 {
			return 0, io.EOF
		}
		next := j.left[0]
		data, err := j.in.Get(j.ctx, j.of, next.name)
		if err != nil {
			return 0, fmt.Errorf("read what was uploaded: %w", err)
		}
		j.now.Reset(data[j.at-next.at:])
		j.left, j.at = j.left[1:], next.end
	}
	return j.now.Read(p)
}

// File joins an upload to a file that has no name and goes when it is closed.
func (u Uploads) File(ctx context.Context, id, dir string) (*os.File, error) {
	src, err := u.Open(ctx, id)
	if err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(dir, "upload.part*")
	if err != nil {
		return nil, disk.Full(err)
	}
	_ = os.Remove(f.Name())
	if _, err = io.Copy(u.Space.Writer(f), src); err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, disk.Full(errors.Join(err, f.Close()))
	}
	return f, nil
}

// Remove takes what has come of an upload away.
func (u Uploads) Remove(ctx context.Context, id string) error { return u.In.Remove(ctx, id) }

// Older lists the uploads of which nothing has come for a time.
func (u Uploads) Older(ctx context.Context, age time.Duration) (ids []string, err error) {
	all, err := u.In.Things(ctx)
	for id, last := range all {
		if time.Since(last) >= age {
			ids = append(ids, id)
		}
	}
	return ids, err
}
