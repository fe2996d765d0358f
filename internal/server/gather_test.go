package server_test

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/internal/library"
	"ruvel/internal/server"
	"ruvel/internal/shelf"
	"ruvel/internal/work"
	"ruvel/testkit"
)

func TestAScriptIsKeptMarkedAndNotOverwrittenUnseen(t *testing.T) {
	_, episode := newEpisode(t)
	path := "/episodes/" + episode + "/script"
	sc := want[server.Script](t, "GET", path, nil)
	assert.Equal(t, []any{int64(0), "", 150}, []any{sc.Version, sc.Text, int(sc.Pace)})
	sc = want[server.Script](t, "PATCH", path, map[string]any{"base": 0, "text": "# Fog\n\nTwo blasts.\n\nAll night."})
	require.Len(t, sc.Reading.Parts, 3)
	key := sc.Reading.Parts[1].Key
	sc = want[server.Script](t, "PATCH", path, map[string]any{"base": sc.Version, "recorded": map[string]bool{key: true}, "pace": 120})
	assert.True(t, sc.Reading.Parts[1].Recorded)
	assert.Equal(t, sc.Reading.Parts[2].Time, sc.Reading.Left)
	code, _ := refused(t, 409, "PATCH", path, map[string]any{"base": 1, "text": "Something else"})
	assert.Equal(t, "script-changed", code)
	// A mark from a window that is behind does no harm, and the words that were marked stay marked.
	want[server.Script](t, "PATCH", path, map[string]any{"base": 1, "recorded": map[string]bool{sc.Reading.Parts[2].Key: true}})
	sc = want[server.Script](t, "PATCH", path, map[string]any{"base": 3, "text": "Before.\n\nTwo blasts.\n\nAll night!"})
	assert.Equal(t, []bool{false, true, false}, []bool{sc.Reading.Parts[0].Recorded, sc.Reading.Parts[1].Recorded, sc.Reading.Parts[2].Recorded})
	sc = want[server.Script](t, "PATCH", path, map[string]any{"base": sc.Version, "recorded": map[string]bool{key: false}})
	assert.False(t, sc.Reading.Parts[1].Recorded)
	refused(t, 422, "PATCH", path, map[string]any{"base": 1, "pace": 1000})
	refused(t, 404, "PATCH", "/episodes/01a21000-0000-7000-8000-000000000000/script", map[string]any{"base": 0, "text": "x"})
}

func TestCreditsFollowWhatIsWrittenAboutTheSoundsInUse(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.1, 16*audio.Second, 1))
	list := want[credits.List](t, "GET", "/episodes/"+episode+"/credits", nil)
	require.Len(t, list.Entries, 1)
	assert.Equal(t, []credits.Field{"licence"}, list.Entries[0].Missing)
	assert.False(t, list.Complete)
	sounds := want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil)
	assert.True(t, sounds[0].Need.Credit)
	changed := want[library.ShowSound](t, "PATCH", "/shows/"+show+"/sounds/"+sounds[0].ID, map[string]any{
		"title": "Slack water", "author": "Quay band", "source": "Reel 3", "licence": "cc-by-4.0", "notes": "Ask again in spring", "words": "calm", "tempo": 60,
	})
	assert.Empty(t, changed.Need.Missing)
	assert.Equal(t, []any{"theme", "Slack water", "Ask again in spring", "calm", 60.0}, []any{changed.Name, changed.Title, changed.Notes, changed.Words, changed.Tempo})
	list = want[credits.List](t, "GET", "/episodes/"+episode+"/credits", nil)
	assert.True(t, list.Complete)
	assert.Contains(t, list.Text, "“Slack water” by Quay band, CC BY 4.0")
	assert.NotEmpty(t, want[[]credits.Licence](t, "GET", "/licences", nil))
}

func TestASoundSaysWhereItIsUsedAndAnotherTakesItsPlaceEverywhere(t *testing.T) {
	show, episode := newEpisode(t)
	other := want[named](t, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "Another"}).ID
	imported(t, show, episode, "old", testkit.Noise(2, 0.1, 16*audio.Second, 1))
	old := want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil)[0].ID
	do(t, other, 1, map[string]any{"type": "insert-clip", "sound": old, "start": 480, "part": "music", "name": "Far in", "offset": 8 * audio.Second})
	uses := want[[]library.Use](t, "GET", "/shows/"+show+"/sounds/"+old+"/uses", nil)
	require.Len(t, uses, 2)
	assert.Equal(t, []any{"The Last Fog Signal", "Another", "Far in", audio.Frames(480)}, []any{uses[0].Title, uses[1].Title, uses[1].Clips[0].Name, uses[1].Clips[0].Start})

	// One that is too short for a single clip changes none of them.
	imported(t, show, want[named](t, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "Third"}).ID, "short", testkit.Noise(2, 0.1, 2*audio.Second, 2))
	byName := func(name string) string {
		for _, s := range want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil) {
			if s.Name == name {
				return s.ID
			}
		}
		require.Fail(t, "no sound is called "+name)
		return ""
	}
	code, detail := refused(t, 422, "POST", "/shows/"+show+"/sounds/"+old+"/replace", map[string]any{"with": byName("short")})
	assert.Equal(t, "too-short", code)
	assert.Contains(t, detail, "In “Another”")
	assert.Equal(t, old, clips(t, episode)[0].Sound)

	// A file that takes its place when it has arrived.
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(2, 0.1, 20*audio.Second, 3)))
	require.NoError(t, err)
	id := upload(t, file, map[string]string{"filename": "new.wav", "show": show, "replaces": old, "part": "music"})
	require.Equal(t, "done", string(ended(t, id).State))
	fresh := byName("new")
	assert.Equal(t, []any{fresh, 20 * audio.Second}, []any{clips(t, episode)[0].Sound, clips(t, episode)[0].Length})
	assert.Equal(t, fresh, clips(t, other)[0].Sound)
	want[any](t, "DELETE", "/shows/"+show+"/sounds/"+old, nil)
	refused(t, 409, "POST", "/episodes/"+other+"/undo", nil)
	code, detail = refused(t, 409, "DELETE", "/shows/"+show+"/sounds/"+fresh, nil)
	assert.Equal(t, "sound-in-use", code)
	assert.Contains(t, detail, "“The Last Fog Signal”, “Another”")
}

func TestAPieceOfTheShelfIsFoundHeardAndPlacedWithItsCredit(t *testing.T) {
	show, episode := newEpisode(t)
	found := want[[]shelf.Piece](t, "GET", "/shelf?words=page+paper&part=effect&maxLength=96000", nil)
	require.Len(t, found, 1)
	key := found[0].Key
	// Peaks say to ask again while the piece is being fetched, and hold no connection meanwhile.
	require.Eventually(t, func() bool {
		status, _, body := call(t, "GET", "/shelf/"+key+"/peaks/3", nil)
		if status == 503 {
			assert.Contains(t, string(body), "not-ready")
		}
		return status == 200 && len(body) > 100
	}, patience, tick)
	_, header, sound := call(t, "GET", "/shelf/"+key+"/audio", nil)
	assert.Equal(t, "audio/wav", header.Get("Content-Type"))
	assert.Equal(t, int(found[0].Length)*4+44, len(sound))

	job := want[work.JobEvent](t, "POST", "/shows/"+show+"/shelf/"+key, map[string]any{"episode": episode, "start": 4800, "offset": 2400, "length": 24000})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	all := clips(t, episode)
	require.Len(t, all, 1)
	assert.Equal(t, []any{"A page is turned", audio.Frames(4800), audio.Frames(2400), audio.Frames(24000)}, []any{all[0].Name, all[0].Start, all[0].Offset, all[0].Length})
	s := want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil)[0]
	assert.Equal(t, []any{found[0].Author, "cc0-1.0", "effect"}, []any{s.Author, s.Licence, string(s.Part)})
	// Taken twice it is one sound.
	job = want[work.JobEvent](t, "POST", "/shows/"+show+"/shelf/"+key, map[string]any{"episode": episode, "start": 96000})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	assert.Len(t, want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil), 1)
	assert.Len(t, clips(t, episode), 2)
	refused(t, 404, "GET", "/shelf/nothing/audio", nil)
	refused(t, 404, "GET", "/shelf/nothing/peaks/0", nil)
	refused(t, 404, "POST", "/shows/"+show+"/shelf/nothing", map[string]any{})
}

// tus sends a request of the upload protocol.
func tus(t *testing.T, method, url string, body io.Reader, headers map[string]string) *http.Response {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, url, body)
	require.NoError(t, err)
	r.Header.Set("Tus-Resumable", "1.0.0")
	for k, v := range headers {
		r.Header.Set(k, v)
	}
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	t.Cleanup(func() { _ = answer.Body.Close() })
	return answer
}

func announce(t *testing.T, size int, about map[string]string) *http.Response {
	t.Helper()
	var pairs []string
	for k, v := range about {
		pairs = append(pairs, k+" "+base64.StdEncoding.EncodeToString([]byte(v)))
	}
	return tus(t, "POST", base+"/uploads/", nil, map[string]string{"Upload-Length": strconv.Itoa(size), "Upload-Metadata": strings.Join(pairs, ",")})
}

func patch(t *testing.T, url string, at int, part io.Reader) *http.Response {
	t.Helper()
	return tus(t, "PATCH", url, part, map[string]string{"Upload-Offset": strconv.Itoa(at), "Content-Type": "application/offset+octet-stream"})
}

// upload sends a whole file and gives the id of its import.
func upload(t *testing.T, file []byte, about map[string]string) string {
	t.Helper()
	answer := announce(t, len(file), about)
	require.Equal(t, 201, answer.StatusCode)
	url := answer.Header.Get("Location")
	require.Equal(t, 204, patch(t, url, 0, bytes.NewReader(file)).StatusCode)
	return url[strings.LastIndexByte(url, '/')+1:]
}

// brokenOff gives some bytes and then fails, as a connection does that is lost.
type brokenOff struct{ io.Reader }

func (b brokenOff) Read(p []byte) (int, error) {
	n, err := b.Reader.Read(p)
	if err == io.EOF {
		err = io.ErrUnexpectedEOF
	}
	return n, err
}

func TestAnUploadThatBreaksOffGoesOnWhereItStopped(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Noise(2, 0.25, 20*audio.Second, 6)
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", pcm))
	require.NoError(t, err)
	answer := announce(t, len(file), map[string]string{"filename": "tide.wav", "show": show, "episode": episode, "start": "48000"})
	require.Equal(t, 201, answer.StatusCode)
	url := answer.Header.Get("Location")
	id := url[strings.LastIndexByte(url, '/')+1:]

	breaksOff := func() {
		r, err := http.NewRequest("PATCH", url, brokenOff{bytes.NewReader(file[:1000000])})
		require.NoError(t, err)
		r.ContentLength = int64(len(file))
		for k, v := range map[string]string{"Tus-Resumable": "1.0.0", "Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"} {
			r.Header.Set(k, v)
		}
		_, err = http.DefaultClient.Do(r)
		require.Error(t, err)
		refused(t, 404, "GET", "/jobs/"+id, nil)
	}
	var there int
	require.Eventually(t, func() bool {
		breaksOff() // a connection that is torn down takes with it what had come and was not read yet: at times all of it
		there, _ = strconv.Atoi(tus(t, "HEAD", url, nil, nil).Header.Get("Upload-Offset"))
		return there > 0
	}, patience, tick)
	require.LessOrEqual(t, there, 1000000)
	assert.Equal(t, 409, patch(t, url, there+1, bytes.NewReader(file[there+1:])).StatusCode, "not from anywhere else")
	require.Equal(t, 204, patch(t, url, there, bytes.NewReader(file[there:])).StatusCode)
	require.Equal(t, "done", string(ended(t, id).State))
	heard := stream(t, episode, "from=48000&to=144000")
	assert.Zero(t, testkit.MaxDifference(t, pcm.Slice(0, 2*audio.Second), heard))
	require.Eventually(t, func() bool {
		left, _ := filepath.Glob(filepath.Join(data, "uploads", "*"))
		return len(left) == 0
	}, patience, tick, "what was uploaded is moved, not kept twice")

	// The same file again is the same sound, without being read again.
	again := upload(t, file, map[string]string{"filename": "copy.wav", "show": show})
	require.Equal(t, "done", string(ended(t, again).State))
	assert.Len(t, want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil), 1)
}

func TestAnUploadIsRefusedBeforeItIsSent(t *testing.T) {
	show, _ := newEpisode(t)
	for name, c := range map[string]struct {
		size   int
		about  map[string]string
		status int
		code   string
	}{
		"empty":           {0, map[string]string{"filename": "a.wav", "show": show}, 422, "empty-file"},
		"too large":       {30 << 20, map[string]string{"filename": "a.wav", "show": show}, 413, "too-large"},
		"without a name":  {10, map[string]string{"show": show}, 422, "bad-upload"},
		"without a show":  {10, map[string]string{"filename": "a.wav"}, 422, "bad-upload"},
		"no such show":    {10, map[string]string{"filename": "a.wav", "show": "01a21000-0000-7000-8000-000000000000"}, 404, "not-found"},
		"an odd part":     {10, map[string]string{"filename": "a.wav", "show": show, "part": "drums"}, 422, "bad-upload"},
		"an odd place":    {10, map[string]string{"filename": "a.wav", "show": show, "episode": "../x"}, 422, "bad-upload"},
		"an odd exchange": {10, map[string]string{"filename": "a.wav", "show": show, "replaces": "x"}, 422, "bad-upload"},
	} {
		answer := announce(t, c.size, c.about)
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		assert.Equal(t, c.status, answer.StatusCode, "%s: %s", name, body)
		assert.Contains(t, string(body), c.code, name)
	}
	status, _, _ := call(t, "HEAD", "/uploads/..%2f..%2fetc", nil, "Tus-Resumable", "1.0.0")
	assert.Equal(t, 404, status)

	// One that is no sound is named when it has arrived, until that is put away.
	id := upload(t, []byte("The fog came at four.\n"), map[string]string{"filename": "Notes.mp3", "show": show})
	job := ended(t, id)
	require.Equal(t, "failed", string(job.State))
	assert.Contains(t, job.Problem.Message, "Notes.mp3: This is not a sound file")
	assert.Len(t, want[[]work.JobEvent](t, "GET", "/shows/"+show+"/jobs", nil), 1)
	want[any](t, "POST", "/jobs/"+id+"/put-away", nil)
	assert.Empty(t, want[[]work.JobEvent](t, "GET", "/shows/"+show+"/jobs", nil))
	// And one that is cancelled leaves nothing.
	answer := announce(t, 100, map[string]string{"filename": "a.wav", "show": show})
	url := answer.Header.Get("Location")
	require.Equal(t, 204, tus(t, "DELETE", url, nil, nil).StatusCode)
	assert.Equal(t, 404, tus(t, "HEAD", url, nil, nil).StatusCode)
	left, err := filepath.Glob(filepath.Join(data, "uploads", "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestWhatAFileSaysOfItselfIsWrittenDown(t *testing.T) {
	show, _ := newEpisode(t)
	path := filepath.Join(t.TempDir(), "t.flac")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "sine=d=1", "-metadata", "title=Slack water", "-metadata", "artist=Quay band",
		"-metadata", "license=https://creativecommons.org/licenses/by/4.0/", "-metadata", "comment=Second mix", "-metadata", "bpm=60", "-metadata", "genre=Ambient",
		"-metadata", "source=https://example.org/slack", path)
	file, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Equal(t, "done", string(ended(t, upload(t, file, map[string]string{"filename": "t.flac", "show": show})).State))
	s := want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil)[0]
	assert.Equal(t, fmt.Sprint([]any{"Slack water", "Quay band", "cc-by-4.0", "Second mix", "Ambient", 60.0, "https://example.org/slack"}),
		fmt.Sprint([]any{s.Title, s.Author, s.Licence, s.Notes, s.Words, s.Tempo, s.Source}))
	assert.Empty(t, s.Need.Missing)
}

func TestTheUploadProtocolsOwnRefusalsAreProblemsInWordsToo(t *testing.T) {
	show, _ := newEpisode(t)
	url := announce(t, 100, map[string]string{"filename": "a.wav", "show": show}).Header.Get("Location")
	nowhere := base + "/uploads/01a21000-0000-7000-8000-000000000000"
	offset := func(at string) map[string]string {
		return map[string]string{"Upload-Offset": at, "Content-Type": "application/offset+octet-stream"}
	}
	for name, c := range map[string]struct {
		method, url string
		headers     map[string]string
		status      int
	}{
		"no such upload":      {"PATCH", nowhere, offset("0"), 404},
		"from another place":  {"PATCH", url, offset("7"), 409},
		"from no place":       {"PATCH", url, offset("x"), 400},
		"of another type":     {"PATCH", url, map[string]string{"Upload-Offset": "0", "Content-Type": "text/plain"}, 400},
		"of another version":  {"PATCH", url, map[string]string{"Tus-Resumable": "0.1.0", "Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"}, 412},
		"deleting nothing":    {"DELETE", nowhere, nil, 404},
		"without a length":    {"POST", base + "/uploads/", nil, 400},
		"with an odd length":  {"POST", base + "/uploads/", map[string]string{"Upload-Length": "-4"}, 400},
		"in a way of its own": {"PUT", url, nil, 405},
	} {
		answer := tus(t, c.method, c.url, strings.NewReader("0123"), c.headers)
		assert.Equal(t, c.status, answer.StatusCode, name)
		_, detail := saidOf(t, answer)
		assert.NotEmpty(t, detail, name)
		assert.NotContains(t, detail, data, name)
	}
	require.Equal(t, 204, tus(t, "DELETE", url, nil, nil).StatusCode)
}
