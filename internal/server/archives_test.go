package server_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/server"
	"ruvel/testkit"
)

// kept is an episode with everything that an archive has, and the document as it is.
func kept(t *testing.T) (episode string, doc session.Document) {
	t.Helper()
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 4*audio.Second, 6))
	voice := imported(t, show, episode, "voice", testkit.Noise(1, 0.3, 3*audio.Second, 7))
	want[any](t, "PATCH", "/shows/"+show+"/sounds/"+voice, map[string]any{"name": "Link", "title": "A link", "author": "Ada Quill", "licence": "own", "tempo": 96})
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	do(t, episode, version, map[string]any{"type": "add-marker", "at": 48000, "length": 48000, "name": "Opening", "chapter": true})
	artwork := want[server.Picture](t, "POST", "/shows/"+show+"/pictures", drawn(t, 1400))
	small := want[server.Picture](t, "POST", "/shows/"+show+"/pictures?for=chapter", drawn(t, 320))
	for id := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Markers {
		do(t, episode, version+1, map[string]any{"type": "set-markers", "markers": []any{map[string]any{"marker": id, "picture": small.ID}}})
	}
	want[any](t, "PATCH", "/shows/"+show+"/details", testkit.Revised(t, map[string]any{"presenter": "Ada Quill", "artwork": artwork.ID}))
	want[episodes.Episode](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "Of fog", "guests": []string{"Odd"}}))
	want[any](t, "PATCH", "/episodes/"+episode+"/script", map[string]any{"base": 0, "text": "Two blasts."})
	return episode, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document
}

func TestAnArchiveOpensAgainElsewhereWithNothingLost(t *testing.T) {
	t.Parallel()
	episode, doc := kept(t)
	status, header, data := call(t, "GET", "/episodes/"+episode+"/archive", nil)
	require.Equal(t, 200, status)
	assert.Contains(t, header.Get("Content-Disposition"), "Harbour Hours - 01 - The Last Fog Signal - archive.zip")
	_, _, again := call(t, "GET", "/episodes/"+episode+"/archive", nil)
	assert.True(t, bytes.Equal(data, again), "the same episode is the same bytes")

	elsewhere := want[named](t, "POST", "/shows", map[string]any{"name": "Another show"}).ID
	job := upload(t, data, map[string]string{"filename": "fog.ZIP", "show": elsewhere})
	j := ended(t, job)
	require.Equal(t, "done", string(j.State), "%v", j.Problem)
	there := want[episodes.Desk](t, "GET", "/episodes/"+job, nil)
	assert.Equal(t, string(doc.JSON()), string(there.Document.JSON()), "byte for byte")
	list := want[[]episodes.Episode](t, "GET", "/shows/"+elsewhere+"/episodes", nil)
	require.Len(t, list, 1)
	assert.Equal(t, "The Last Fog Signal", list[0].Title)
	mix := func(episode string) []byte {
		m := mixed(t, episode, map[string]any{"files": files("wav-32f"), "asItIs": true, "overrule": true})[0]
		_, _, file := call(t, "GET", "/mixdowns/"+m.ID+"/file", nil)
		return file[bytes.Index(file, []byte("data")):]
	}
	assert.True(t, bytes.Equal(mix(episode), mix(job)), "sample for sample")
	ahead := want[handover.Ahead](t, "GET", "/episodes/"+job+"/handover?files=mp3", nil)
	assert.Equal(t, "Ada Quill", ahead.Sheet.Presenter, "what its show said of all episodes goes with it")
	assert.Equal(t, "Of fog", ahead.Sheet.Description)
	assert.NotEmpty(t, ahead.Sheet.Artwork)
	status, _, _ = call(t, "GET", "/pictures/"+ahead.Sheet.Chapters[0].Picture, nil)
	assert.Equal(t, 200, status)
	assert.Equal(t, "Two blasts.", want[struct{ Text string }](t, "GET", "/episodes/"+job+"/script", nil).Text)
	var names []string
	for _, s := range want[[]struct {
		Name, Author, Licence string
		Tempo                 float64
	}](t, "GET", "/shows/"+elsewhere+"/sounds", nil) {
		names = append(names, s.Name)
		if s.Name == "Link" {
			assert.Equal(t, "Ada Quill", s.Author)
			assert.InDelta(t, 96, s.Tempo, 0)
		}
	}
	assert.ElementsMatch(t, []string{"Link", "theme"}, names)
}

func TestAnArchiveThatIsNotWhatItSaysLeavesNothingBehind(t *testing.T) {
	t.Parallel()
	episode, _ := kept(t)
	_, _, data := call(t, "GET", "/episodes/"+episode+"/archive", nil)
	// The sounds change their places: each is a sound, and neither is the one that its name says.
	from, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	contents := map[string][]byte{}
	var sounds []string
	for _, f := range from.File {
		r, err := f.Open()
		require.NoError(t, err)
		contents[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
		if len(f.Name) > 60 && f.Name[:7] == "sounds/" {
			sounds = append(sounds, f.Name)
		}
	}
	require.Len(t, sounds, 2)
	contents[sounds[0]], contents[sounds[1]] = contents[sounds[1]], contents[sounds[0]]
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for name, data := range contents {
		e, err := w.Create(name)
		require.NoError(t, err)
		_, err = e.Write(data)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	elsewhere := want[named](t, "POST", "/shows", map[string]any{"name": "Another show"}).ID
	for name, wrong := range map[string][]byte{"swapped.zip": out.Bytes(), "half.zip": data[:len(data)/2], "photo.zip": []byte("PK nothing")} {
		j := ended(t, upload(t, wrong, map[string]string{"filename": name, "show": elsewhere}))
		assert.Equal(t, "failed", string(j.State), name)
		require.NotNil(t, j.Problem, name)
		assert.Equal(t, "bad-archive", j.Problem.Code, name)
		assert.Contains(t, j.Problem.Message, name)
	}
	assert.Empty(t, want[[]named](t, "GET", "/shows/"+elsewhere+"/episodes", nil))
	assert.Empty(t, want[[]named](t, "GET", "/shows/"+elsewhere+"/sounds", nil))
}

func TestAnArchiveHoldsTheFinishedFilesIfTheyAreWanted(t *testing.T) {
	episode, mixdown := finishedFile(t)
	_, _, plain := call(t, "GET", "/episodes/"+episode+"/archive", nil)
	_, _, data := call(t, "GET", "/episodes/"+episode+"/archive?files=true", nil)
	assert.Greater(t, len(data), len(plain))
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	inside := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		inside[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
	}
	_, _, want := call(t, "GET", "/mixdowns/"+mixdown+"/file", nil)
	for name, file := range inside {
		if strings.HasPrefix(name, "finished/") {
			assert.True(t, bytes.Equal(want, file), name)
			assert.Equal(t, fmt.Sprintf("%x  %s\n", sha256.Sum256(file), name), string(inside["SHA256SUMS"]))
			_, err = archive.Open(bytes.NewReader(data), int64(len(data)))
			require.NoError(t, err, "it opens all the same")
			return
		}
	}
	require.Fail(t, "there is no finished file in it")
}
