package chunks_test

import (
	"context"
	"encoding/binary"
	"errors"
	"math"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/problem"
	"ruvel/internal/chunks"
	"ruvel/internal/disk"
	"ruvel/internal/incoming"
	"ruvel/testkit/law"
)

func bytesOf(samples ...float32) (out []byte) {
	for _, v := range samples {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	return out
}

// at opens a box in a folder.
func at(t require.TestingT, dir string) *chunks.Box {
	in, err := incoming.Open(dir)
	require.NoError(t, err)
	return chunks.New(in)
}

func read(t testing.TB, b *chunks.Box, id string) (out []float32) {
	t.Helper()
	require.NoError(t, b.Read(context.Background(), id, func(s []float32) error { out = append(out, s...); return nil }))
	return out
}

func TestChunksAreKeptInOrderOnceAndWhole(t *testing.T) {
	dir := t.TempDir()
	b := at(t, dir)
	there, err := b.Inside(context.Background(), "a")
	require.NoError(t, err)
	assert.Zero(t, there, "nothing yet")
	require.NoError(t, b.Put(context.Background(), "a", 0, bytesOf(0.1, 0.2)))
	assert.Equal(t, chunks.Gap{Next: 1}, b.Put(context.Background(), "a", 2, bytesOf(0.5)), "a chunk that leaves a gap")
	require.NoError(t, b.Put(context.Background(), "a", 1, bytesOf(0.3)))
	require.NoError(t, b.Put(context.Background(), "a", 1, bytesOf(0.3)), "sent again")
	for _, bad := range [][]byte{nil, {1}, {1, 2, 3, 4, 5}, bytesOf(0.3, 0.4)} {
		var p problem.Problem
		require.ErrorAs(t, b.Put(context.Background(), "a", 1, bad), &p)
		assert.Equal(t, "bad-chunk", p.Code)
	}
	assert.Equal(t, []float32{0.1, 0.2, 0.3}, read(t, b, "a"))
	there, err = b.Inside(context.Background(), "a")
	require.NoError(t, err)
	assert.Equal(t, 2, there.Chunks)
	assert.Equal(t, int64(12), there.Bytes)
	assert.False(t, there.Last.IsZero())
	require.NoError(t, b.Remove(context.Background(), "a"))
	assert.Empty(t, read(t, b, "a"))
}

func TestWhatACrashLeftHalfWrittenIsClearedAndWholeChunksStay(t *testing.T) {
	dir := t.TempDir()
	b := at(t, dir)
	require.NoError(t, b.Put(context.Background(), "a", 0, bytesOf(1)))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a", "123.part"), []byte("ha"), 0o600))
	require.NoError(t, os.Chtimes(filepath.Join(dir, "a", "123.part"), time.Time{}, time.Now().Add(-time.Hour)))
	b = at(t, dir)
	assert.NoFileExists(t, filepath.Join(dir, "a", "123.part"))
	assert.Equal(t, []float32{1}, read(t, b, "a"))
	// A chunk that went missing ends what there is; nothing after it is joined to what was before.
	require.NoError(t, b.Put(context.Background(), "a", 1, bytesOf(2)))
	require.NoError(t, b.Put(context.Background(), "a", 2, bytesOf(3)))
	require.NoError(t, os.Remove(filepath.Join(dir, "a", "00000001.f32")))
	assert.Equal(t, []float32{1}, read(t, b, "a"))
}

func TestAFullDiskKeepsNothingHalf(t *testing.T) {
	dir := t.TempDir()
	b := at(t, dir)
	b.Space = disk.Of(dir, math.MaxInt64/2)
	var p problem.Problem
	require.ErrorAs(t, b.Put(context.Background(), "a", 0, bytesOf(1)), &p)
	assert.Equal(t, "disk-full", p.Code)
	left, err := filepath.Glob(filepath.Join(dir, "*", "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	b.Space.Keep(0)
	require.NoError(t, b.Put(context.Background(), "a", 0, bytesOf(1)))
}

func TestHoweverChunksAreSentAgainTheTakeIsTheRecording(t *testing.T) {
	law.Check(t, func(rt *rapid.T) {
		dir, err := os.MkdirTemp("", "takes")
		require.NoError(rt, err)
		defer os.RemoveAll(dir)
		b := at(rt, dir)
		stretches := rapid.SliceOfN(rapid.SliceOfN(rapid.Float32Range(-1, 1), 1, 5), 1, 8).Draw(rt, "chunks")
		var want []float32
		for _, c := range stretches {
			want = append(want, c...)
		}
		for next := 0; next < len(stretches); {
			seq := rapid.IntRange(0, min(len(stretches)-1, next+2)).Draw(rt, "seq")
			err := b.Put(context.Background(), "x", seq, bytesOf(stretches[seq]...))
			var gap chunks.Gap
			switch {
			case errors.As(err, &gap):
				if seq <= next || gap.Next != next {
					rt.Fatalf("chunk %d was refused although %d is due: %v", seq, next, err)
				}
			case err != nil:
				rt.Fatal(err)
			case seq > next:
				rt.Fatalf("chunk %d was taken although %d is due", seq, next)
			case seq == next:
				next++
			}
			if rapid.IntRange(0, 5).Draw(rt, "restart") == 0 {
				b = at(rt, dir)
			}
		}
		var got []float32
		require.NoError(rt, b.Read(context.Background(), "x", func(s []float32) error { got = append(got, s...); return nil }))
		require.Equal(rt, want, got)
	})
}
