package incoming_test

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/memblob"

	"ruvel/internal/incoming"
)

// places are all kinds, empty.
func places(t *testing.T) map[string]incoming.Place {
	t.Helper()
	folder, err := incoming.Open(filepath.Join(t.TempDir(), "takes"))
	require.NoError(t, err)
	b := memblob.OpenBucket(nil)
	t.Cleanup(func() { _ = b.Close() })
	require.NoError(t, b.WriteAll(t.Context(), "elsewhere/a/0", []byte("x"), nil))
	return map[string]incoming.Place{"folder": folder, "bucket": incoming.Bucket{In: b, Prefix: "incoming/takes/"}}
}

func TestAPlaceKeepsPiecesOfThingsInTheOrderOfTheirNames(t *testing.T) {
	for kind, p := range places(t) {
		t.Run(kind, func(t *testing.T) {
			ctx, begun := t.Context(), time.Now().Add(-time.Second)
			none, err := p.List(ctx, "a")
			require.NoError(t, err)
			assert.Empty(t, none)
			_, err = p.Get(ctx, "a", "1")
			require.ErrorIs(t, err, fs.ErrNotExist)
			_, there, err := p.Size(ctx, "a", "1")
			require.NoError(t, err)
			assert.False(t, there)
			require.NoError(t, p.Remove(ctx, "a"), "which is not there")

			data := []byte("fog")
			require.NoError(t, p.Put(ctx, "a", "2", data))
			copy(data, "xxx") // it is the caller's again
			require.NoError(t, p.Put(ctx, "a", "1", []byte("lamp")))
			require.NoError(t, p.Put(ctx, "../b", "../1", []byte("horn")))
			got, err := p.Get(ctx, "a", "2")
			require.NoError(t, err)
			assert.Equal(t, "fog", string(got))
			size, there, err := p.Size(ctx, "a", "1")
			require.NoError(t, err)
			assert.Equal(t, []any{int64(4), true}, []any{size, there})
			all, err := p.List(ctx, "a")
			require.NoError(t, err)
			require.Len(t, all, 2)
			assert.Equal(t, []any{"1", int64(4), "2", int64(3)}, []any{all[0].Name, all[0].Bytes, all[1].Name, all[1].Bytes})
			things, err := p.Things(ctx)
			require.NoError(t, err)
			require.Len(t, things, 2, "names are no paths")
			for _, id := range []string{"a", "b"} {
				assert.True(t, things[id].After(begun))
			}
			require.NoError(t, p.Remove(ctx, "a"))
			things, err = p.Things(ctx)
			require.NoError(t, err)
			assert.Len(t, things, 1)
		})
	}
}

func TestWhatLiesInAPlaceMovesToAnotherAndMayHaveMovedInPart(t *testing.T) {
	ctx := t.Context()
	from, to := places(t)["folder"], places(t)["bucket"]
	for _, name := range []string{"1", "2"} {
		require.NoError(t, from.Put(ctx, "a", name, []byte(name)))
	}
	require.NoError(t, to.Put(ctx, "a", "1", []byte("1")), "as far as it came when it was ended")
	require.NoError(t, incoming.Move(ctx, from, to))
	all, err := to.List(ctx, "a")
	require.NoError(t, err)
	assert.Len(t, all, 2)
	left, err := from.Things(ctx)
	require.NoError(t, err)
	assert.Empty(t, left)
	require.NoError(t, incoming.Move(ctx, from, to))
}

func TestWhatIsHalfWrittenIsNoPieceAndIsClearedOnceNobodyCanBeWritingIt(t *testing.T) {
	dir := t.TempDir()
	f, err := incoming.Open(dir)
	require.NoError(t, err)
	require.NoError(t, f.Put(t.Context(), "a", "1", []byte("fog")))
	young, old := filepath.Join(dir, "a", ".ruvel-1.part"), filepath.Join(dir, "a", ".ruvel-2.part")
	for _, path := range []string{young, old} {
		require.NoError(t, os.WriteFile(path, []byte("f"), 0o600))
	}
	require.NoError(t, os.Chtimes(old, time.Time{}, time.Now().Add(-time.Hour)))
	f, err = incoming.Open(dir)
	require.NoError(t, err)
	all, err := f.List(context.Background(), "a")
	require.NoError(t, err)
	assert.Len(t, all, 1)
	assert.NoFileExists(t, old)
	assert.FileExists(t, young, "another process may be writing it")
}
