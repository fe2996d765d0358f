package demo_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/fileblob"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

func TestMain(m *testing.M) {
	dbtest.Main(m, func() { _ = os.RemoveAll(written.dir) })
}

// written is the folder with the series, once it has been written.
var written struct {
	sync.Once
	dir string
	err error
}

// sample gives that folder.
func sample(t *testing.T) string {
	t.Helper()
	written.Do(func() {
		if written.dir, written.err = os.MkdirTemp("", "ruvel-series"); written.err == nil {
			written.err = demo.Write(context.Background(), written.dir)
		}
	})
	require.NoError(t, written.err)
	return written.dir
}

func TestTheSampleEpisodeIsCompleteAndItsMusicHasForm(t *testing.T) {
	dir := sample(t)
	data, err := os.ReadFile(filepath.Join(dir, "session.json"))
	require.NoError(t, err)
	doc, err := session.Parse(data)
	require.NoError(t, err)
	assert.InDelta(t, 120, doc.Length().Seconds(), 15, "about two minutes")
	parts := map[session.Part]int{}
	for _, tr := range doc.Tracks {
		parts[tr.Part] += len(tr.Clips)
	}
	assert.Equal(t, map[session.Part]int{session.Voice: 5, session.Music: 2, session.Effect: 2}, parts)
	for id, s := range doc.Sounds {
		assert.FileExists(t, filepath.Join(dir, s.Path), id)
	}

	bed := testkit.ReadAudio(t, filepath.Join(dir, "bed.wav"), 2)
	level := func(from, to float64) float64 { return testkit.RMS(bed[0][audio.Seconds(from):audio.Seconds(to)]) }
	full, under, after := level(5, 20), level(30, 60), level(91.5, 91.9)
	assert.Greater(t, full, under+3, "the theme is louder than the bed under it")
	assert.Less(t, after, full-30, "it ends")
	// The bars repeat: the bed correlates with itself a round of eight bars later, not at any odd distance.
	round := 8 * 4 * 60.0 / 92
	assert.Greater(t, likeness(bed[0], 30, round), likeness(bed[0], 30, round+0.7)+0.3)
	// It is stereo, and neither noise nor one tone.
	assert.Greater(t, testkit.MaxDifference(t, bed[:1], bed[1:]), 0.05)
}

// likeness is the correlation of ten seconds with those a distance later.
func likeness(x []float32, from, by float64) float64 {
	a, b := x[audio.Seconds(from):audio.Seconds(from+10)], x[audio.Seconds(from+by):audio.Seconds(from+by+10)]
	var ab, aa, bb float64
	for i := range a {
		ab, aa, bb = ab+float64(a[i]*b[i]), aa+float64(a[i]*a[i]), bb+float64(b[i]*b[i])
	}
	return ab * ab / (aa * bb)
}

func TestTheSampleEpisodeIsBuiltByEditsAndRefusesUnknownSounds(t *testing.T) {
	_, err := demo.Episode(map[string]string{}, func(string) (session.Sound, bool) { return session.Sound{}, false })
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "unknown-sound", p.Code)
}

func TestASeriesWhoseFillingBrokeOffIsCompletedAndAFilledOneIsLeftAlone(t *testing.T) {
	dsn := dbtest.New(t)
	st, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer st.Close()
	dir := t.TempDir()
	bucket, err := fileblob.OpenBucket(filepath.Join(dir, "originals"), &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
	require.NoError(t, err)
	defer bucket.Close()
	library, err := sounds.New(bucket, filepath.Join(dir, "cache"))
	require.NoError(t, err)
	broken, cancel := context.WithCancel(t.Context())
	_, err = demo.Fill(broken, st, library, bucket, func(what string) {
		if strings.Contains(what, "link 2") {
			cancel()
		}
	})
	require.Error(t, err)
	for _, want := range []bool{true, false} {
		filled, err := demo.Fill(t.Context(), st, library, bucket, func(string) {})
		require.NoError(t, err)
		assert.Equal(t, want, filled)
	}
	shows, err := st.Shows(t.Context())
	require.NoError(t, err)
	require.Len(t, shows, 1)
	assert.Equal(t, 2, shows[0].Episodes)
	layouts, err := st.Layouts(t.Context(), shows[0].ID)
	require.NoError(t, err)
	require.Len(t, layouts, 2)
	for i, want := range []int{5, 1} {
		layout, _, err := st.Document(t.Context(), layouts[i].ID)
		require.NoError(t, err)
		assert.Len(t, layout.EmptyPlaces(), want, layouts[i].Title)
	}
	all, err := st.Sounds(t.Context(), shows[0].ID)
	require.NoError(t, err)
	for _, s := range all {
		need := credits.Of(credits.Sound{Name: s.Name, Part: s.Part, Title: s.Title, Author: s.Author, Source: s.Source, Licence: s.Licence})
		assert.Equal(t, s.Name == "Pier reel", len(need.Missing) > 0, "%s: the reel of the rough cut alone lacks its credit", s.Name)
	}
}
