package incoming

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"path"
	"strings"
	"time"

	"github.com/aws/smithy-go"
	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
)

// Bucket is a place in a bucket: the objects whose keys begin with a prefix, which ends with a slash. The bucket must show what was put
// into it at once, as S3 has done since 2020.
type Bucket struct {
	In     *blob.Bucket
	Prefix string
}

func (b Bucket) of(thing string) string { return b.Prefix + path.Base(thing) + "/" }

func (b Bucket) key(thing, name string) string { return b.of(thing) + path.Base(name) }

// Put is Place's.
func (b Bucket) Put(ctx context.Context, of, name string, data []byte) error {
	if err := b.In.WriteAll(ctx, b.key(of, name), data, nil); err != nil {
		return fmt.Errorf("put a piece into the bucket: %w", err)
	}
	return nil
}

// Get is Place's.
func (b Bucket) Get(ctx context.Context, of, name string) ([]byte, error) {
	data, err := b.In.ReadAll(ctx, b.key(of, name))
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, &fs.PathError{Op: "get", Path: b.key(of, name), Err: fs.ErrNotExist}
	}
	return data, err
}

// Size is Place's.
func (b Bucket) Size(ctx context.Context, of, name string) (int64, bool, error) {
	a, err := b.In.Attributes(ctx, b.key(of, name))
	if gcerrors.Code(err) == gcerrors.NotFound {
		return 0, false, nil
	}
	if err != nil {
		return 0, false, err
	}
	return a.Size, true, nil
}

// List is Place's.
func (b Bucket) List(ctx context.Context, of string) (out []Piece, err error) {
	return out, b.each(ctx, b.of(of), func(o *blob.ListObject) {
		out = append(out, Piece{Name: path.Base(o.Key), Bytes: o.Size, Came: o.ModTime})
	})
}

// Things is Place's.
func (b Bucket) Things(ctx context.Context) (map[string]time.Time, error) {
	out := map[string]time.Time{}
	return out, b.each(ctx, b.Prefix, func(o *blob.ListObject) {
		of, _, _ := strings.Cut(strings.TrimPrefix(o.Key, b.Prefix), "/")
		if o.ModTime.After(out[of]) {
			out[of] = o.ModTime
		}
	})
}

// Remove is Place's.
func (b Bucket) Remove(ctx context.Context, of string) error {
	pieces, err := b.List(ctx, of)
	for _, p := range pieces {
		if gone := b.In.Delete(ctx, b.key(of, p.Name)); gone != nil && gcerrors.Code(gone) != gcerrors.NotFound {
			err = errors.Join(err, gone)
		}
	}
	return err
}

// each gives the objects whose keys begin with a prefix, in the order of their keys.
func (b Bucket) each(ctx context.Context, prefix string, one func(*blob.ListObject)) error {
	list := b.In.List(&blob.ListOptions{Prefix: prefix})
	for {
		o, err := list.Next(ctx)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("list what lies in the bucket: %w", err)
		}
		one(o)
	}
}

// IsAway says whether an error is that a bucket could not be reached, or could not answer: the same can be tried again.
func IsAway(err error) bool {
	var asked *smithy.OperationError
	if !errors.As(err, &asked) {
		return false
	}
	var n net.Error
	var status interface{ HTTPStatusCode() int }
	return errors.As(err, &n) || errors.As(err, &status) && (status.HTTPStatusCode() >= 500 || status.HTTPStatusCode() == 0)
}
