package disk_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
	"ruvel/internal/disk"
)

func isFull(t *testing.T, err error) {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "disk-full", p.Code)
}

func TestWhatWouldLeaveTooLittleIsRefused(t *testing.T) {
	s := disk.Of(t.TempDir(), 0)
	require.NoError(t, s.Room(1))
	isFull(t, s.Room(math.MaxInt64/2))
	s.Keep(math.MaxInt64 / 2)
	isFull(t, s.Room(0))
	s.Keep(0)
	require.NoError(t, s.Room(0), "as soon as there is room")
	var none *disk.Space
	require.NoError(t, none.Room(math.MaxInt64))
	require.Error(t, disk.Of("/nowhere/at/all", 0).Room(0), "what cannot be asked is not room")
}

func TestItIsAskedAgainWhileSomethingIsWritten(t *testing.T) {
	for name, move := range map[string]func(s *disk.Space) (int64, error){
		"written": func(s *disk.Space) (int64, error) {
			return io.Copy(s.Writer(io.Discard), filling{strings.NewReader(strings.Repeat("x", 20<<20)), s})
		},
		"read": func(s *disk.Space) (int64, error) {
			return io.Copy(io.Discard, s.Reader(filling{strings.NewReader(strings.Repeat("x", 20<<20)), s}))
		},
	} {
		n, err := move(disk.Of(t.TempDir(), 0))
		isFull(t, err)
		assert.Positive(t, n, name)
		assert.Less(t, n, int64(12<<20), name)
	}
	var out bytes.Buffer
	_, err := io.Copy(disk.Of(t.TempDir(), 0).Writer(&out), strings.NewReader("all of it"))
	require.NoError(t, err)
	assert.Equal(t, "all of it", out.String())
}

// filling reads on while the disk becomes full.
type filling struct {
	io.Reader
	space *disk.Space
}

func (f filling) Read(p []byte) (int, error) {
	n, err := f.Reader.Read(p)
	if r := f.Reader.(*strings.Reader); r.Len() < 15<<20 {
		f.space.Keep(math.MaxInt64 / 2)
	}
	return n, err
}

func TestOnlyAFullDiskIsCalledThat(t *testing.T) {
	isFull(t, disk.Full(fmt.Errorf("store: %w", syscall.ENOSPC)))
	isFull(t, disk.Full(syscall.EDQUOT))
	other := errors.New("other")
	assert.Equal(t, other, disk.Full(other))
	assert.NoError(t, disk.Full(nil))
}
