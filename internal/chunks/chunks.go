// Package chunks keeps recordings while they come in: a folder for each take with a
// file for each chunk, numbered from 0, of interleaved little-endian 32-bit floats. A
// chunk is on the disk, whole, before it is acknowledged, whatever ends the program or
// the machine.
package chunks

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ruvel/core/problem"
	"ruvel/internal/disk"
)

// Box is the folder of all takes that are not sounds yet.
type Box struct {
	// Space is the disk that they are kept on.
	Space *disk.Space

	dir string
}

// New opens a box. What an earlier process left half-written is cleared away; whole chunks stay.
func New(dir string) (*Box, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	left, _ := filepath.Glob(filepath.Join(dir, "*", "*"+disk.Unfinished))
	for _, path := range left {
		_ = os.Remove(path)
	}
	return &Box{dir: dir}, nil
}

const extension = ".f32"

func (b *Box) folder(take string) string { return filepath.Join(b.dir, filepath.Base(take)) }

func (b *Box) chunk(take string, seq int) string {
	return filepath.Join(b.folder(take), fmt.Sprintf("%08d", seq)+extension)
}

// Gap says that a chunk came before the one that is due.
type Gap struct{ Next int }

func (g Gap) Error() string { return fmt.Sprintf("chunk %d has not arrived yet", g.Next) }

// Put keeps a chunk. Sent again it is kept once; one that leaves a gap is refused with a Gap.
func (b *Box) Put(take string, seq int, data []byte) error {
	if len(data) == 0 || len(data)%4 != 0 {
		return problem.Problem{Code: "bad-chunk", Where: "body", Message: "A chunk holds a whole number of 32-bit samples, and at least one."}
	}
	path := b.chunk(take, seq)
	if info, err := os.Stat(path); err == nil {
		if info.Size() != int64(len(data)) {
			return problem.Problem{Code: "bad-chunk", Where: "body", Message: fmt.Sprintf("Chunk %d was kept with another length before.", seq)}
		}
		return nil
	}
	if seq > 0 {
		if _, err := os.Stat(b.chunk(take, seq-1)); errors.Is(err, fs.ErrNotExist) {
			there, err := b.Inside(take)
			if err != nil {
				return err
			}
			return Gap{there.Chunks}
		}
	}
	if err := b.Space.Room(int64(len(data))); err != nil {
		return err
	}
	return disk.Full(keep(path, data))
}

// keep writes a file so that it is on the disk, whole, or not there at all.
func keep(path string, data []byte) error {
	dir := filepath.Dir(path)
	if _, err := os.Stat(dir); errors.Is(err, fs.ErrNotExist) { // the first chunk of a take: its folder must outlast a loss of power as well
		if err := os.MkdirAll(dir, 0o700); err != nil {
			return err
		}
		if err := disk.SyncNames(filepath.Dir(dir)); err != nil {
			return err
		}
	}
	return disk.File{Lasting: true}.ReplaceBy(path, data)
}

// Contents is what there is of a take.
type Contents struct {
	Chunks int
	Bytes  int64
	Last   time.Time // when the last chunk came; zero if there is none
}

// Inside says what there is of a take: the chunks without a gap.
func (b *Box) Inside(take string) (c Contents, err error) {
	entries, err := os.ReadDir(b.folder(take))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return c, err
	}
	for _, e := range entries { // in the order of their names
		if !strings.HasSuffix(e.Name(), extension) {
			continue
		}
		info, err := e.Info()
		if err != nil {
			return c, err
		}
		if e.Name() != filepath.Base(b.chunk(take, c.Chunks)) {
			break
		}
		c.Chunks++
		c.Bytes += info.Size()
		c.Last = info.ModTime()
	}
	return c, nil
}

// Read hands on the samples of a take chunk by chunk; they are valid only during the call.
func (b *Box) Read(take string, sink func(samples []float32) error) error {
	there, err := b.Inside(take)
	if err != nil {
		return err
	}
	var samples []float32
	for seq := range there.Chunks {
		data, err := os.ReadFile(b.chunk(take, seq))
		if err != nil {
			return fmt.Errorf("read a chunk of a take: %w", err)
		}
		samples = samples[:0]
		for i := 0; i+4 <= len(data); i += 4 {
			samples = append(samples, math.Float32frombits(binary.LittleEndian.Uint32(data[i:])))
		}
		if err := sink(samples); err != nil {
			return err
		}
	}
	return nil
}

// Remove takes the chunks of a take away.
func (b *Box) Remove(take string) error { return os.RemoveAll(b.folder(take)) }

// Older lists the takes of which nothing has come for a time.
func (b *Box) Older(age time.Duration) (takes []string, err error) {
	all, err := os.ReadDir(b.dir)
	for _, e := range all {
		if info, err := e.Info(); err == nil && e.IsDir() && time.Since(info.ModTime()) >= age {
			takes = append(takes, e.Name())
		}
	}
	return takes, err
}
