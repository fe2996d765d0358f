// Package chunks keeps recordings while they come in: for each take its chunks, numbered from 0, of interleaved little-endian 32-bit
// floats. A chunk lies in its place, whole, before it is acknowledged, whatever ends the program or the machine.
package chunks

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"time"

	"ruvel/core/problem"
	"ruvel/internal/disk"
	"ruvel/internal/incoming"
)

// Box is where all takes lie that are not sounds yet.
type Box struct {
	// Space is the disk that they are kept on; nil: as much as is wanted.
	Space *disk.Space

	in incoming.Place
}

// New opens a box at a place.
func New(in incoming.Place) *Box { return &Box{in: in} }

const extension = ".f32"

func chunk(seq int) string { return fmt.Sprintf("%08d", seq) + extension }

// Gap says that a chunk came before the one that is due.
type Gap struct{ Next int }

func (g Gap) Error() string { return fmt.Sprintf("chunk %d has not arrived yet", g.Next) }

// Put keeps a chunk. Sent again it is kept once; one that leaves a gap is refused with a Gap.
func (b *Box) Put(ctx context.Context, take string, seq int, data []byte) error {
	if len(data) == 0 || len(data)%4 != 0 {
		return problem.Problem{Code: "bad-chunk", Where: "body", Message: "A chunk holds a whole number of 32-bit samples, and at least one."}
	}
	size, there, err := b.in.Size(ctx, take, chunk(seq))
	if err != nil {
		return err
	}
	if there {
		if size != int64(len(data)) {
			return problem.Problem{Code: "bad-chunk", Where: "body", Message: fmt.Sprintf("Chunk %d was kept with another length before.", seq)}
		}
		return nil
	}
	if seq > 0 {
		_, before, err := b.in.Size(ctx, take, chunk(seq-1))
		if err != nil {
			return err
		}
		if !before {
			inside, err := b.Inside(ctx, take)
			if err != nil {
				return err
			}
			return Gap{inside.Chunks}
		}
	}
	if err := b.Space.Room(int64(len(data))); err != nil {
		return err
	}
	return b.in.Put(ctx, take, chunk(seq), data)
}

// Contents is what there is of a take.
type Contents struct {
	Chunks int
	Bytes  int64
	Last   time.Time // when the last chunk came; zero if there is none
}

// Inside says what there is of a take: the chunks without a gap.
func (b *Box) Inside(ctx context.Context, take string) (c Contents, err error) {
	pieces, err := b.in.List(ctx, take)
	if err != nil {
		return c, err
	}
	for _, p := range pieces {
		if !strings.HasSuffix(p.Name, extension) {
			continue
		}
		if p.Name != chunk(c.Chunks) {
			break
		}
		c.Chunks++
		c.Bytes += p.Bytes
		c.Last = p.Came
	}
	return c, nil
}

// Read hands on the samples of a take chunk by chunk; they are valid only during the call.
func (b *Box) Read(ctx context.Context, take string, sink func(samples []float32) error) error {
	there, err := b.Inside(ctx, take)
	if err != nil {
		return err
	}
	var samples []float32
	for seq := range there.Chunks {
		data, err := b.in.Get(ctx, take, chunk(seq))
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
func (b *Box) Remove(ctx context.Context, take string) error { return b.in.Remove(ctx, take) }

// Older lists the takes of which nothing has come for a time.
func (b *Box) Older(ctx context.Context, age time.Duration) (takes []string, err error) {
	all, err := b.in.Things(ctx)
	for take, last := range all {
		if time.Since(last) >= age {
			takes = append(takes, take)
		}
	}
	return takes, err
}
