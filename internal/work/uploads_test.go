package work_test

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"strings"
	"sync"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/memblob"
	"pgregory.net/rapid"

	"ruvel/internal/incoming"
	"ruvel/internal/work"
	"ruvel/testkit/law"
)

func arriving(t require.TestingT) work.Uploads {
	b := memblob.OpenBucket(nil)
	require.NotNil(t, b)
	return work.Uploads{In: incoming.Bucket{In: b, Prefix: "uploads/"}}
}

func TestAnUploadIsWhatWasSentHoweverItWasBrokenOffAndSentAgain(t *testing.T) {
	law.Check(t, func(rt *rapid.T) {
		u := arriving(rt)
		file := rapid.SliceOfN(rapid.Byte(), 1, 60).Draw(rt, "file")
		for come := int64(0); come < int64(len(file)); {
			at := rapid.Int64Range(0, come).Draw(rt, "at") // some of it may be sent again
			to := rapid.Int64Range(at, int64(len(file))).Draw(rt, "to")
			n, err := u.Write(ctx, "a", at, bytes.NewReader(file[at:to]))
			require.NoError(rt, err)
			require.Equal(rt, to-at, n)
			before := come
			come, err = u.Come(ctx, "a")
			require.NoError(rt, err)
			require.Equal(rt, max(before, to), come, "what has come stays")
		}
		r, err := u.Open(ctx, "a")
		require.NoError(rt, err)
		got, err := io.ReadAll(iotest.OneByteReader(r))
		require.NoError(rt, err)
		require.Equal(rt, file, got)
	})
}

func TestWhatHasComeOfAnUploadBeforeItBrokeOffIsKept(t *testing.T) {
	u, broken := arriving(t), errors.New("the line is broken")
	n, err := u.Write(ctx, "a", 0, io.MultiReader(strings.NewReader("fog and "), iotest.ErrReader(broken)))
	require.ErrorIs(t, err, broken)
	assert.Equal(t, int64(8), n)
	_, err = u.Write(ctx, "a", 20, strings.NewReader("beyond a gap"))
	require.NoError(t, err)
	come, err := u.Come(ctx, "a")
	require.NoError(t, err)
	assert.Equal(t, int64(8), come)
	_, err = u.Write(ctx, "a", 8, strings.NewReader("a lamp"))
	require.NoError(t, err)
	f, err := u.File(ctx, "a", t.TempDir())
	require.NoError(t, err)
	defer f.Close()
	got, err := io.ReadAll(f)
	require.NoError(t, err)
	assert.Equal(t, "fog and a lamp", string(got))
	_, err = u.Open(ctx, "b")
	require.ErrorIs(t, err, fs.ErrNotExist)
	require.NoError(t, u.Remove(ctx, "a"))
	_, err = u.File(ctx, "a", t.TempDir())
	assert.ErrorIs(t, err, fs.ErrNotExist)
}

// Two processes that each have a request of the same upload, of which one was given up by its sender, harm nothing.
func TestTheSameStretchFromTwoProcessesAtOnceIsOne(t *testing.T) {
	u := arriving(t)
	file := bytes.Repeat([]byte("harbour "), 3<<20)
	var both sync.WaitGroup
	for _, part := range []int{len(file), len(file) / 3, len(file) / 2} {
		both.Go(func() {
			_, err := u.Write(ctx, "a", 0, bytes.NewReader(file[:part]))
			assert.NoError(t, err)
		})
	}
	both.Wait()
	r, err := u.Open(ctx, "a")
	require.NoError(t, err)
	got, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(file, got))
}
