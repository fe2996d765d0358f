package sounds_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/fileblob"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/waveform"
	"ruvel/internal/disk"
	"ruvel/internal/sounds"
	"ruvel/testkit"
)

var ctx = context.Background()

func library(t *testing.T, dir string) *sounds.Sounds {
	t.Helper()
	bucket, err := fileblob.OpenBucket(filepath.Join(dir, "originals"), &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
	require.NoError(t, err)
	t.Cleanup(func() { _ = bucket.Close() })
	l, err := sounds.New(bucket, filepath.Join(dir, "cache"))
	require.NoError(t, err)
	return l
}

func put(t *testing.T, l *sounds.Sounds, pcm audio.PCM) string {
	t.Helper()
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", pcm))
	require.NoError(t, err)
	id, size, err := l.Put(ctx, bytes.NewReader(data))
	require.NoError(t, err)
	require.Equal(t, int64(len(data)), size)
	return id
}

func files(t *testing.T, dir string) (names []string) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			names = append(names, path)
		}
		return err
	}))
	return names
}

func deleted(t *testing.T, l *sounds.Sounds, id string) {
	t.Helper()
	_, err := l.DeleteOlder(ctx, id, 0)
	require.NoError(t, err)
}

func TestASoundIsKeptOnceAndReadBackExactly(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	pcm := testkit.Noise(2, 0.5, 3*audio.Second+77, 3)
	id := put(t, l, pcm)
	assert.Equal(t, id, put(t, l, pcm), "the same bytes have the same id")
	assert.Len(t, files(t, filepath.Join(dir, "originals")), 1)
	var told []float64
	facts, err := l.Import(ctx, id, func(p float64) { told = append(told, p) })
	require.NoError(t, err)
	assert.Equal(t, 2, facts.Channels)
	assert.Equal(t, pcm.Length(), facts.Loudness.Length)
	assert.IsIncreasing(t, told)
	c, err := l.Open(ctx, id)
	require.NoError(t, err)
	assert.Zero(t, testkit.MaxDifference(t, pcm, c.PCM))
	c.Close()
	peaks, err := l.Peaks(ctx, id)
	require.NoError(t, err)
	k := peaks.Between(0, pcm.Length())
	assert.InDelta(t, 0.5, float64(k.High)/32767, 0.001)
}

func TestAWorkingCopyThatIsMissingOrDamagedIsMadeAnew(t *testing.T) {
	dir := t.TempDir()
	pcm := testkit.Noise(1, 0.5, audio.Second, 3)
	id := put(t, library(t, dir), pcm)
	for name, spoil := range map[string]func(folder string) error{
		"removed":       os.RemoveAll,
		"cut short":     func(f string) error { return os.Truncate(filepath.Join(f, "channel-0.f32"), 4000) },
		"without peaks": func(f string) error { return os.Remove(filepath.Join(f, "peaks")) },
		"short peaks":   func(f string) error { return os.Truncate(filepath.Join(f, "peaks"), 300) },
		"odd peaks":     func(f string) error { return os.WriteFile(filepath.Join(f, "peaks"), []byte("RVPK"), 0o644) },
	} {
		t.Run(name, func(t *testing.T) {
			c, err := library(t, dir).Open(ctx, id)
			require.NoError(t, err)
			c.Close()
			require.NoError(t, spoil(filepath.Join(dir, "cache", id)))
			l := library(t, dir)
			var g sync.WaitGroup
			for range 4 {
				g.Go(func() {
					c, err := l.Open(ctx, id)
					if assert.NoError(t, err) {
						assert.Equal(t, pcm.Length(), c.PCM.Length())
						c.Close()
					}
					peaks, err := l.Peaks(ctx, id)
					if assert.NoError(t, err) {
						assert.Len(t, peaks.Levels[0], int(audio.Second)/waveform.Finest)
					}
				})
			}
			g.Wait()
		})
	}
}

func TestPowersLieBesideTheCopyAndAreMeasuredAnewWhereTheyDoNot(t *testing.T) {
	dir := t.TempDir()
	pcm := testkit.Noise(2, 0.25, 3*audio.Second+77, 8)
	l := library(t, dir)
	id := put(t, l, pcm)
	_, err := l.Import(ctx, id, func(float64) {})
	require.NoError(t, err)
	file := filepath.Join(dir, "cache", id, "powers")
	kept, err := os.ReadFile(file)
	require.NoError(t, err)
	other, err := loudness.Powers(pcm.Slice(0, audio.Second)).MarshalBinary()
	require.NoError(t, err)
	for what, data := range map[string][]byte{"kept": kept, "none": nil, "broken off": kept[:50], "of another sound": other} {
		if require.NoError(t, os.Remove(file)); data != nil {
			require.NoError(t, os.WriteFile(file, data, 0o600))
		}
		got, err := library(t, dir).Powers(ctx, id)
		require.NoError(t, err, what)
		for c, want := range loudness.Powers(pcm) {
			assert.InDeltaSlice(t, want, got[c], 1e-7, what)
		}
		now, err := os.ReadFile(file)
		require.NoError(t, err, what)
		assert.Len(t, now, len(kept), what)
	}
}

func TestAnImportThatFailsLeavesNothingInTheCache(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	id, _, err := l.Put(ctx, strings.NewReader("no sound at all"))
	require.NoError(t, err)
	_, err = l.Import(ctx, id, func(float64) {})
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Empty(t, files(t, filepath.Join(dir, "cache")))
	_, _, err = l.Put(ctx, strings.NewReader(""))
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "empty-file", p.Code)
}

func TestAnUploadThatBreaksOffLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	broken := errors.New("connection lost")
	_, _, err := l.Put(ctx, io.MultiReader(strings.NewReader("RIFF"), failing{broken}))
	require.ErrorIs(t, err, broken)
	assert.Empty(t, files(t, dir))
}

type failing struct{ err error }

func (f failing) Read([]byte) (int, error) { return 0, f.err }

func TestADiskWithTooLittleSpaceTakesNothingIn(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	id := put(t, l, testkit.Noise(2, 0.5, 10*audio.Second, 3))
	l.Space = disk.Of(dir, 1<<60)
	_, _, err := l.Put(ctx, strings.NewReader("RIFF"))
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "disk-full", p.Code)
	// And in the middle of it: what is half made goes.
	l.Space.Keep(0)
	_, err = l.Import(ctx, id, func(float64) { l.Space.Keep(1 << 60) })
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "disk-full", p.Code)
	assert.Empty(t, files(t, filepath.Join(dir, "cache")))
	l.Space.Keep(0)
	_, err = l.Import(ctx, id, func(float64) {})
	require.NoError(t, err, "as soon as there is room")
}

func TestWhatAnEarlierProcessLeftHalfMadeIsCleared(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "cache", "abcdef12.part99"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "cache", "upload.part1"), []byte("x"), 0o644))
	library(t, dir)
	left, err := os.ReadDir(filepath.Join(dir, "cache"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestADeletedSoundStaysReadableToThoseWhoReadItAndThenFreesItsDisk(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	id := put(t, l, testkit.Noise(1, 0.5, audio.Second, 3))
	c, err := l.Open(ctx, id)
	require.NoError(t, err)
	deleted(t, l, id)
	assert.Positive(t, c.PCM.Peak())
	assert.Empty(t, files(t, dir))
	_, err = l.Open(ctx, id)
	require.Error(t, err)
	_, err = l.Peaks(ctx, id)
	require.Error(t, err)
	deleted(t, l, id) // twice is once
	assert.Contains(t, mapped(t), dir)
	c.Close()
	c.Close()
	assert.NotContains(t, mapped(t), dir, "what keeps the disk from being free")
}

// mapped is what the system says that this process has mapped.
func mapped(t *testing.T) string {
	t.Helper()
	data, err := os.ReadFile("/proc/self/maps")
	require.NoError(t, err)
	return string(data)
}

func TestAWorkingCopyIsMappedOnceForAllAndUnmappedWhenTheLastHasReadIt(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	pcm := testkit.Noise(2, 0.5, audio.Second, 3)
	id := put(t, l, pcm)
	var g sync.WaitGroup
	for reader := range 8 {
		g.Go(func() {
			for range 30 {
				c, err := l.Open(ctx, id)
				if !assert.NoError(t, err) {
					return
				}
				assert.LessOrEqual(t, l.Mapped(), 1)
				assert.NoError(t, audio.Guard(func() { assert.Equal(t, pcm[1][reader], c.PCM[1][reader]) }))
				c.Close()
			}
		})
	}
	g.Wait()
	assert.Zero(t, l.Mapped())
	assert.NotContains(t, mapped(t), dir)
	hold := l.Hold(ctx)
	for range 3 {
		_, err := hold.Samples(id)
		require.NoError(t, err)
	}
	assert.Equal(t, 1, l.Mapped())
	hold.Close()
	assert.Zero(t, l.Mapped())
}

func TestACopyThatIsCutShortUnderItsReaderIsAnErrorAndTheNextOneGetsANewCopy(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	pcm := testkit.Noise(1, 0.5, audio.Second, 3)
	id := put(t, l, pcm)
	first, err := l.Open(ctx, id)
	require.NoError(t, err)
	defer first.Close()
	require.NoError(t, os.Truncate(filepath.Join(dir, "cache", id, "channel-0.f32"), 4096))
	var sum float32
	require.ErrorIs(t, audio.Guard(func() { sum += first.PCM[0][40000] }), audio.ErrUnreadable)
	second, err := l.Open(ctx, id)
	require.NoError(t, err)
	defer second.Close()
	assert.Zero(t, testkit.MaxDifference(t, pcm, second.PCM))
	assert.Equal(t, 2, l.Mapped())
}

func TestPeaksInMemoryAreBounded(t *testing.T) {
	l := library(t, t.TempDir())
	l.KeepPeaks(10000)
	var ids []string
	for i := range 6 {
		id := put(t, l, testkit.Noise(1, 0.5, audio.Second, uint64(i)))
		ids = append(ids, id)
		p, err := l.Peaks(ctx, id)
		require.NoError(t, err)
		require.Less(t, p.Bytes(), 10000)
		assert.LessOrEqual(t, l.PeakBytes(), 10000)
	}
	again, err := l.Peaks(ctx, ids[0])
	require.NoError(t, err)
	assert.Len(t, again.Levels[0], int(audio.Second)/waveform.Finest)
	deleted(t, l, ids[0])
	before := l.PeakBytes()
	assert.Less(t, before, 10000-again.Bytes()+1)
}

func TestMemoryStaysFlatForALongFile(t *testing.T) {
	path := filepath.Join(t.TempDir(), "long.flac")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "anullsrc=r=48000:cl=mono:d=600", "-compression_level", "0", path)
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	l := library(t, t.TempDir())
	id, _, err := l.Put(ctx, f)
	require.NoError(t, err)
	var before, now runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	most, told := uint64(0), 0
	facts, err := l.Import(ctx, id, func(float64) {
		if told++; told%100 == 0 {
			runtime.ReadMemStats(&now)
			most = max(most, now.HeapInuse)
		}
	})
	require.NoError(t, err)
	assert.Equal(t, 600*audio.Second, facts.Loudness.Length)
	// The samples alone are 115 MB. What grows with the length is the peaks, 4 bytes for 64 frames.
	t.Logf("ten minutes take %d MB of memory", (most-before.HeapInuse)>>20)
	assert.Less(t, most-before.HeapInuse, uint64(60<<20))
}

func TestAnOriginalThatIsWantedAgainIsYoungAgain(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	pcm := testkit.Noise(1, 0.5, audio.Second, 3)
	id := put(t, l, pcm)
	longAgo := time.Now().Add(-72 * time.Hour)
	for name, want := range map[string]func(){
		"put in again": func() { put(t, l, pcm) },
		"asked for":    func() { require.True(t, l.Want(ctx, id)) },
	} {
		require.NoError(t, os.Chtimes(filepath.Join(dir, "originals", id), longAgo, longAgo))
		want()
		gone, err := l.DeleteOlder(ctx, id, 24*time.Hour)
		require.NoError(t, err)
		require.False(t, gone, name)
		require.True(t, l.Has(ctx, id))
	}
	require.NoError(t, os.Chtimes(filepath.Join(dir, "originals", id), longAgo, longAgo))
	gone, err := l.DeleteOlder(ctx, id, 24*time.Hour)
	require.NoError(t, err)
	assert.True(t, gone)
	assert.False(t, l.Want(ctx, id))
}

func TestAnOriginalThatIsGoneOrCannotBeReadIsSaidInWords(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	id := put(t, l, testkit.Noise(1, 0.5, audio.Second, 3))
	path := filepath.Join(dir, "originals", id)
	code := func() string {
		_, err := l.Import(ctx, id, func(float64) {})
		var p problem.Problem
		require.ErrorAs(t, err, &p)
		return p.Code
	}
	require.NoError(t, os.Rename(path, path+".away"))
	assert.Equal(t, "original-missing", code())
	require.NoError(t, os.Rename(filepath.Join(dir, "originals"), filepath.Join(dir, "elsewhere")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "originals"), nil, 0o600)) // what is there is no folder
	assert.Equal(t, "original-unreadable", code())
}

func TestPhrasesAreFoundWhenASoundIsTakenInAndAnewByANewerAnalysis(t *testing.T) {
	dir := t.TempDir()
	l := library(t, dir)
	pcm := testkit.Join(audio.NewPCM(1, audio.Second), testkit.Voice(0.8, 120, audio.Second), testkit.Noise(1, 0.0005, 2*audio.Second, 1))
	id := put(t, l, pcm)
	_, err := l.Import(ctx, id, func(float64) {})
	require.NoError(t, err)
	file := filepath.Join(dir, "cache", id, "speech.json")
	first, err := os.ReadFile(file)
	require.NoError(t, err, "they lie beside the working copy")
	found, err := l.Speech(ctx).Phrases(id, 0)
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.InDelta(t, 1, found[0].From.Seconds(), 0.05)
	assert.InDelta(t, 2, found[0].To.Seconds(), 0.05)

	for _, old := range []string{`{"version":0,"phrases":[{"from":5,"to":9}]}`, `{"version":1,"phrases":[{"from":9,"to":5}]}`, `{`, ""} {
		require.NoError(t, os.WriteFile(file, []byte(old), 0o600))
		anew, err := library(t, dir).Speech(ctx).Phrases(id, 0)
		require.NoError(t, err)
		assert.Equal(t, found, anew)
		written, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, first, written)
	}
}
