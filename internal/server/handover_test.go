package server_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// drawn is a PNG of one colour, drawn once for all that want one of that size.
func drawn(t testing.TB, side int) []byte {
	t.Helper()
	once, _ := pictures.LoadOrStore(side, sync.OnceValues(func() ([]byte, error) {
		img := image.NewRGBA(image.Rect(0, 0, side, side))
		for i := range img.Pix {
			img.Pix[i] = 200
		}
		img.Set(0, 0, color.Black)
		var out bytes.Buffer
		err := png.Encode(&out, img)
		return out.Bytes(), err
	}))
	data, err := once.(func() ([]byte, error))()
	require.NoError(t, err)
	return data
}

var pictures sync.Map // of functions that draw one, by its side

// mixed makes finished files and waits for them.
func mixed(t *testing.T, episode string, wanted map[string]any) []handover.Mixdown {
	t.Helper()
	for _, job := range want[server.Begun](t, "POST", "/episodes/"+episode+"/mixdowns", wanted).Jobs {
		j := ended(t, job.ID)
		require.Equal(t, "done", string(j.State), "%v", j.Problem)
	}
	return want[[]handover.Mixdown](t, "GET", "/episodes/"+episode+"/mixdowns", nil)
}

func files(formats ...string) []any {
	var out []any
	for _, f := range formats {
		out = append(out, map[string]any{"format": f})
	}
	return out
}

// probed is what ffprobe reads of a finished file.
func probed(t *testing.T, mixdown string) string {
	t.Helper()
	_, _, data := call(t, "GET", "/mixdowns/"+mixdown+"/file", nil)
	out, err := exec.Command("ffprobe", "-v", "error", "-show_format", "-show_streams", "-show_chapters", "-of", "flat", testkit.WriteFile(t, "file", data)).CombinedOutput()
	require.NoError(t, err)
	return string(out)
}

func TestAnEpisodeIsHandedOverWithItsDetailsAndThoseOfItsShow(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 8*audio.Second, 6))
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	do(t, episode, version, map[string]any{"type": "add-marker", "at": 0, "length": 4 * 48000, "name": "Opening", "chapter": true})
	do(t, episode, version+1, map[string]any{"type": "add-marker", "at": 4 * 48000, "length": 2 * 48000, "name": "Talk", "chapter": true})
	marker := ""
	for id, m := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Markers {
		if m.Name == "Talk" {
			marker = id
		}
	}
	artwork := want[server.Picture](t, "POST", "/shows/"+show+"/pictures", drawn(t, 1400))
	small := want[server.Picture](t, "POST", "/shows/"+show+"/pictures?for=chapter", drawn(t, 320))
	do(t, episode, version+2, map[string]any{"type": "set-markers", "markers": []any{map[string]any{"marker": marker, "link": "https://example.org/talk", "picture": small.ID}}})
	code, detail := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": version + 3, "op": map[string]any{"type": "set-markers", "markers": []any{map[string]any{"marker": marker, "link": "javascript:alert(1)"}}}})
	assert.Equal(t, "bad-link", code)
	assert.Contains(t, detail, "begins with https://")

	want[any](t, "PATCH", "/shows/"+show+"/details", testkit.Revised(t, map[string]any{"presenter": "Ada Quill", "language": "en", "artwork": artwork.ID, "copyright": "© them"}))
	want[episodes.Episode](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "What it is about", "guests": []string{"Odd"}, "date": "2026-11-30"}))
	code, _ = refused(t, 422, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"artwork": strings.Repeat("a", 64)}))
	assert.Equal(t, "unknown-picture", code)
	code, _ = refused(t, 422, "POST", "/shows/"+show+"/pictures", []byte("no picture"))
	assert.Equal(t, "no-picture", code)
	_, header, data := call(t, "GET", "/pictures/"+artwork.ID, nil)
	assert.Equal(t, "image/jpeg", header.Get("Content-Type"))
	assert.Equal(t, artwork.Bytes, int64(len(data)))

	ahead := want[handover.Ahead](t, "GET", "/episodes/"+episode+"/handover?files=mp3:small:0:1,wav-16&chapters=true", nil)
	assert.Equal(t, "Ada Quill", ahead.Sheet.Presenter)
	assert.Equal(t, "What it is about", ahead.Sheet.Description)
	require.Len(t, ahead.Names, 2)
	assert.True(t, strings.HasSuffix(ahead.Names[1], "The Last Fog Signal - 02 Talk"), ahead.Names[1])
	assert.Equal(t, []int64{6 * 56000 / 8, 6 * 48000 * 4}, ahead.Sizes)

	list := mixed(t, episode, map[string]any{"files": files("mp3", "opus"), "overrule": true})
	require.Len(t, list, 2)
	for _, m := range list {
		assert.InDelta(t, -16, m.Loudness.Integrated, 0.1)
		assert.LessOrEqual(t, m.Loudness.TruePeak, -1.0)
		assert.True(t, m.Verdict.Meets)
		assert.Equal(t, "Podcast, stereo", m.Target)
		assert.Contains(t, m.Done, "limiter")
		tags := probed(t, m.ID)
		for _, said := range []string{"Ada Quill", "What it is about", "The Last Fog Signal", `"Talk"`, `start_time="4.000000"`, "2026"} {
			assert.Contains(t, tags, said)
		}
		assert.Contains(t, tags, "mjpeg", "the artwork")
	}
	all := mixed(t, episode, map[string]any{"files": files("flac"), "chapters": true, "overrule": true, "asItIs": true})
	require.Len(t, all, 4)
	assert.Equal(t, "Talk", all[0].Chapter)
	assert.Equal(t, 2*audio.Second, all[0].Loudness.Length)
	assert.Contains(t, probed(t, all[0].ID), "The Last Fog Signal: Talk")
	code, _ = refused(t, 422, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": files("flac"), "chapters": true, "overrule": true, "from": 7 * 48000})
	assert.Equal(t, "no-chapters", code)
}

func TestWhatMustBeMendedIsSaidFirstAndCanBeOverruled(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 4*audio.Second, 6))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": d.Document.Tracks[0].ID, "solo": true}}})
	code, detail := refused(t, 409, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": files("mp3")})
	assert.Equal(t, "must-mend", code)
	assert.Contains(t, detail, "is soloed")
	assert.NotEmpty(t, want[handover.Ahead](t, "GET", "/episodes/"+episode+"/handover", nil).Musts)
	assert.Empty(t, want[[]handover.Mixdown](t, "GET", "/episodes/"+episode+"/mixdowns", nil))
	assert.Len(t, mixed(t, episode, map[string]any{"files": files("mp3"), "overrule": true}), 1)
}

func TestAFileSaysWhatHasChangedSinceAndItsSessionIsOpenedAgain(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 4*audio.Second, 6))
	before := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	m := mixed(t, episode, map[string]any{"files": files("wav-24"), "overrule": true})[0]
	since := want[handover.Since](t, "GET", "/mixdowns/"+m.ID+"/since", nil)
	assert.True(t, since.Same)
	do(t, episode, before.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": before.Document.Tracks[0].ID, "fader": -6}}})
	do(t, episode, before.Version+1, map[string]any{"type": "add-marker", "at": 0, "name": "Here"})
	since = want[handover.Since](t, "GET", "/mixdowns/"+m.ID+"/since", nil)
	assert.False(t, since.Same)
	assert.Equal(t, "2 steps since this file was made.", since.Text)
	require.Len(t, since.Steps, 2)
	assert.Contains(t, since.Steps[0], "Here")
	want[work.ChangeEvent](t, "POST", "/mixdowns/"+m.ID+"/reopen", nil)
	after := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	assert.Equal(t, before.Document.Tracks, after.Document.Tracks)
	assert.Empty(t, after.Document.Markers)
	assert.True(t, want[handover.Since](t, "GET", "/mixdowns/"+m.ID+"/since", nil).Same)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Len(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Markers, 1)
}

func TestAFileIsCopiedToTheFolderAndPutAmongTheSounds(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 4*audio.Second, 6))
	list := mixed(t, episode, map[string]any{"files": files("flac", "stems"), "overrule": true})
	stems, m := list[0], list[1]
	if m.Format == "stems" {
		stems, m = m, stems
	}
	code, _ := refused(t, 422, "POST", "/mixdowns/"+m.ID+"/copy", nil)
	assert.Equal(t, "no-folder", code)
	folder := t.TempDir()
	house.Handover.Folder = folder
	defer func() { house.Handover.Folder = "" }()
	assert.Equal(t, m.File, want[server.Copied](t, "POST", "/mixdowns/"+m.ID+"/copy", nil).Name)
	again := want[server.Copied](t, "POST", "/mixdowns/"+m.ID+"/copy", nil).Name
	assert.Equal(t, strings.TrimSuffix(m.File, ".flac")+" (2).flac", again, "what is there stays")
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, left, 2)
	_, _, file := call(t, "GET", "/mixdowns/"+m.ID+"/file", nil)
	copied, err := os.ReadFile(filepath.Join(folder, again))
	require.NoError(t, err)
	assert.True(t, bytes.Equal(file, copied))

	job := want[work.JobEvent](t, "POST", "/mixdowns/"+m.ID+"/sound", nil)
	require.Equal(t, "done", string(ended(t, job.ID).State))
	_, _, sounds := call(t, "GET", "/shows/"+show+"/sounds", nil)
	assert.Contains(t, string(sounds), strings.TrimSuffix(m.File, ".flac"))
	code, _ = refused(t, 422, "POST", "/mixdowns/"+stems.ID+"/sound", nil)
	assert.Equal(t, "no-sound", code)
}

func TestATargetOfAShowIsReached(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.1, 6*audio.Second, 6))
	own := session.OwnTarget{Name: "Night programme", Integrated: -27.5, Tolerance: 0.3, TruePeak: -6}
	want[[]session.OwnTarget](t, "PATCH", "/shows/"+show+"/targets", testkit.Revised(t, []session.OwnTarget{own}))
	code, _ := refused(t, 422, "PATCH", "/shows/"+show+"/targets", testkit.Revised(t, []session.OwnTarget{{Name: " ", Integrated: -20, Tolerance: 1, TruePeak: -1}}))
	assert.Equal(t, "bad-name", code)
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, d.Version, map[string]any{"type": "set-target", "target": "own", "own": own})
	m := mixed(t, episode, map[string]any{"files": files("mp3"), "overrule": true})[0]
	assert.Equal(t, "Night programme", m.Target)
	assert.InDelta(t, -27.5, m.Loudness.Integrated, 0.1)
	assert.LessOrEqual(t, m.Loudness.TruePeak, -6.0)
	refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version + 1, "op": map[string]any{"type": "set-target", "target": "own", "own": map[string]any{"name": "x", "integrated": 3, "tolerance": 1, "truePeak": -1}}})
	do(t, episode, d.Version+1, map[string]any{"type": "set-target", "target": "radio-europe"})
	text, err := json.Marshal(want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "Night programme")
}

func TestAFinishedFileThatIsGoneIsSaidToBe(t *testing.T) {
	_, m := toShare(t)
	kept, err := house.Store.Mixdown(t.Context(), m.ID)
	require.NoError(t, err)
	require.NoError(t, house.Bucket.Delete(t.Context(), work.MixdownKey(kept)))
	for _, path := range []string{"/file", "/sound"} {
		method := map[string]string{"/file": "GET", "/sound": "POST"}[path]
		code, detail := refused(t, 404, method, "/mixdowns/"+m.ID+path, nil)
		assert.Equal(t, "file-missing", code)
		assert.Contains(t, detail, "mix it down again")
	}
}
