// Package disk keeps some of a disk free, so that those who cannot do without it, the
// database above all, never find it full: whatever writes asks first, and again while it writes.
package disk

import (
	"errors"
	"io"
	"sync/atomic"
	"syscall"

	"ruvel/core/problem"
)

// Space is the disk that a folder lies on. The zero value, and nil, is one that never is full.
type Space struct {
	dir  string
	keep atomic.Int64
}

// Of gives the space of the disk that a folder lies on, of which so many bytes are to be kept free.
func Of(dir string, keep int64) *Space {
	s := &Space{dir: dir}
	s.keep.Store(keep)
	return s
}

// Keep says how many bytes are to be kept free from now on.
func (s *Space) Keep(bytes int64) { s.keep.Store(bytes) }

// Free is how many bytes are free, and how many of them are kept.
func (s *Space) Free() (free, kept int64, err error) {
	if s == nil || s.dir == "" {
		return 0, 0, nil
	}
	var is syscall.Statfs_t
	if err := syscall.Statfs(s.dir, &is); err != nil {
		return 0, 0, err
	}
	return int64(is.Bavail) * is.Bsize, s.keep.Load(), nil
}

// Room is a Problem if so many bytes more would leave too little free.
func (s *Space) Room(more int64) error {
	if s == nil || s.dir == "" {
		return nil
	}
	free, kept, err := s.Free()
	if err == nil && free-more < kept {
		return full()
	}
	return err
}

// Full turns the errors of a full disk into a Problem, and leaves others as they are.
func Full(err error) error {
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) {
		return full()
	}
	return err
}

func full() error {
	return problem.New("disk-full", "disk", "The disk is full, so this was not kept. What was kept before is there. Free some space; then it goes on.")
}

// step is how many bytes are written or read before it is asked again whether there is room.
const step = 4 << 20

// Writer asks for room while something is written through it.
func (s *Space) Writer(to io.Writer) io.Writer { return &asking{space: s, write: to.Write} }

// Reader asks for room while something is read through it that is to be written.
func (s *Space) Reader(from io.Reader) io.Reader { return &asking{space: s, read: from.Read} }

type asking struct {
	space       *Space
	write, read func([]byte) (int, error)
	left        int // bytes until it is asked again
}

func (a *asking) Write(p []byte) (int, error) { return a.move(p, a.write) }

func (a *asking) Read(p []byte) (int, error) { return a.move(p, a.read) }

func (a *asking) move(p []byte, do func([]byte) (int, error)) (int, error) {
	if a.left <= 0 {
		if err := a.space.Room(int64(len(p))); err != nil {
			return 0, err
		}
		a.left = step
	}
	n, err := do(p)
	a.left -= n
	return n, err
}
