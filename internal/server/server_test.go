package server_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/running"
	"ruvel/internal/server"
	"ruvel/internal/sweep"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	base  string
	data  string
	house housetest.House
)

// patience is how long something is waited for, tick how often it is looked for.
const (
	patience = 2 * time.Minute
	tick     = 10 * time.Millisecond
)

func TestMain(m *testing.M) {
	housetest.MainAlone(m, func(h housetest.House) error {
		h.Uploads.Most, h.Library.MaxUpload = 20<<20, 20<<20
		h.Plans.Idle = 50 * time.Millisecond
		h.Names, h.BodyPatience = []string{"desk.harbour.example"}, 3*time.Second
		h.Ahead = 3600 * audio.Second // tests listen faster than people
		house, base, data = h, h.Address+"/api", h.Data
		return nil
	})
}

// call sends a request and gives the status and the answer's bytes.
func call(t testing.TB, method, path string, body any, headers ...string) (int, http.Header, []byte) {
	t.Helper()
	var in io.Reader
	switch b := body.(type) {
	case nil:
	case []byte:
		in = bytes.NewReader(b)
	default:
		raw, err := json.Marshal(b)
		require.NoError(t, err)
		in = bytes.NewReader(raw)
	}
	r, err := http.NewRequestWithContext(t.Context(), method, base+path, in)
	require.NoError(t, err)
	if in != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	out, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, answer.Header, out
}

// want sends a request that must go well and decodes the answer.
func want[T any](t testing.TB, method, path string, body any) (v T) {
	t.Helper()
	status, _, out := call(t, method, path, body)
	require.Less(t, status, 300, "%s %s: %s", method, path, out)
	if len(out) > 0 {
		require.NoError(t, json.Unmarshal(out, &v), string(out))
	}
	return v
}

// refused sends a request that must be refused and gives the problem's code and sentence.
func refused(t testing.TB, status int, method, path string, body any, headers ...string) (code, detail string) {
	t.Helper()
	got, header, out := call(t, method, path, body, headers...)
	require.Equal(t, status, got, string(out))
	assert.Equal(t, "application/problem+json", header.Get("Content-Type"))
	var p struct {
		Code   string `json:"code"`
		Detail string `json:"detail"`
		Status int    `json:"status"`
		Title  string `json:"title"`
	}
	require.NoError(t, json.Unmarshal(out, &p), string(out))
	assert.Equal(t, status, p.Status)
	assert.NotEmpty(t, p.Title)
	return p.Code, p.Detail
}

type named struct{ ID string }

// newEpisode makes a show and an episode.
func newEpisode(t testing.TB) (show, episode string) {
	t.Helper()
	show = want[named](t, "POST", "/shows", map[string]any{"name": "Harbour Hours"}).ID
	return show, want[named](t, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "The Last Fog Signal"}).ID
}

func do(t testing.TB, episode string, base int64, op map[string]any) work.ChangeEvent {
	t.Helper()
	return want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": base, "op": op})
}

// ended waits until a job is not going on any more.
func ended(t testing.TB, id string) work.JobEvent {
	t.Helper()
	var job work.JobEvent
	require.Eventually(t, func() bool {
		job = want[work.JobEvent](t, "GET", "/jobs/"+id, nil)
		return job.State.Final()
	}, 60*time.Second, 10*time.Millisecond)
	return job
}

// imported imports a sound and places it in the episode.
func imported(t testing.TB, show, episode, name string, pcm audio.PCM) (sound string) {
	t.Helper()
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", pcm))
	require.NoError(t, err)
	job := want[work.JobEvent](t, "POST", fmt.Sprintf("/shows/%s/sounds?file=%s.wav&episode=%s&start=48000", show, name, episode), file)
	require.Equal(t, "done", string(ended(t, job.ID).State))
	return fmt.Sprintf("%x", sha256.Sum256(file))
}

func TestAnImportedFileIsPlacedHeardAndMixedDown(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Noise(2, 0.25, 20*audio.Second, 6)
	imported(t, show, episode, "theme", pcm)
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	require.Len(t, desk.Document.Tracks, 1)
	assert.Equal(t, "music", string(desk.Document.Tracks[0].Part))
	assert.Equal(t, "Insert “theme” at 0:01.00", desk.Undo)

	heard := stream(t, episode, "from=0&to=144000")
	require.Equal(t, 3*audio.Second, heard.Length())
	assert.Zero(t, heard.Slice(0, audio.Second).Peak())
	assert.Zero(t, testkit.MaxDifference(t, pcm.Slice(0, 2*audio.Second), heard.Slice(audio.Second, 3*audio.Second)))

	job := want[server.Begun](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "wav-32f", "channels": 2}}, "asItIs": true, "overrule": true, "from": 48000}).Jobs[0]
	require.Equal(t, "done", string(ended(t, job.ID).State))
	list := want[[]handover.Mixdown](t, "GET", "/episodes/"+episode+"/mixdowns", nil)
	require.Len(t, list, 1)
	assert.Equal(t, "Harbour Hours - 01 - The Last Fog Signal - part.wav", list[0].File)
	_, header, file := call(t, "GET", "/mixdowns/"+list[0].ID+"/file?download=true", nil)
	assert.Contains(t, header.Get("Content-Disposition"), "The Last Fog Signal")
	assert.Equal(t, list[0].Bytes, int64(len(file)))
	back := testkit.ReadAudio(t, testkit.WriteFile(t, "mix.wav", file), 2)
	assert.Zero(t, testkit.MaxDifference(t, pcm, back))
	assert.Equal(t, "podcast-stereo", want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Target)
	assert.False(t, list[0].Verdict.Meets)
	assert.InDelta(t, list[0].Loudness.Integrated+16, list[0].Verdict.Loud, 0.001)
	want[any](t, "DELETE", "/mixdowns/"+list[0].ID, nil)
	refused(t, 404, "GET", "/mixdowns/"+list[0].ID+"/file", nil)
}

// block is one of the listening stream.
type block struct {
	frame                       audio.Frames
	momentary, shortTerm, power float64
	tracks                      []float32
	pcm                         audio.PCM
}

// blocksOf reads the listening stream to its end, or as many blocks as given.
func blocksOf(t testing.TB, episode, query string, most ...int) (out []block) {
	t.Helper()
	r, err := http.Get(base + "/episodes/" + episode + "/listen?" + query)
	require.NoError(t, err)
	defer r.Body.Close()
	require.Equal(t, 200, r.StatusCode)
	for len(most) == 0 || len(out) < most[0] {
		var head [36]byte
		_, err := io.ReadFull(r.Body, head[:])
		require.NoError(t, err)
		n := int64(binary.LittleEndian.Uint32(head[8:]))
		if n == 0 {
			break
		}
		float := func(at int) float64 {
			return float64(math.Float32frombits(binary.LittleEndian.Uint32(head[at:])))
		}
		tracks := make([]float32, binary.LittleEndian.Uint32(head[12:]))
		require.NoError(t, binary.Read(r.Body, binary.LittleEndian, tracks))
		raw := make([]byte, 8*n)
		_, err = io.ReadFull(r.Body, raw)
		require.NoError(t, err)
		out = append(out, block{audio.Frames(binary.LittleEndian.Uint64(head[:])), float(24), float(28), float(32), tracks, testkit.Planar(raw, 2)})
	}
	return out
}

// stream is the sound of the listening stream to its end, or of as many blocks as given.
func stream(t testing.TB, episode, query string, most ...int) audio.PCM {
	t.Helper()
	out := audio.NewPCM(2, 0)
	expected := audio.Frames(-1)
	for _, b := range blocksOf(t, episode, query, most...) {
		if expected >= 0 && !strings.Contains(query, "loop") && !strings.Contains(query, "joins") {
			require.Equal(t, expected, b.frame, "blocks follow one another")
		}
		expected = b.frame + b.pcm.Length()
		for c := range out {
			out[c] = append(out[c], b.pcm[c]...)
		}
	}
	return out
}

func TestTheLoudnessGoesOnWhereAChangedMixIsGoneOnWith(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "keeper", testkit.Noise(2, 0.25, 8*audio.Second, 6))
	var heard []string
	var before block
	for _, b := range blocksOf(t, episode, "from=48000&to=288000") {
		if b.power >= 0 {
			heard = append(heard, fmt.Sprintf("%.4g", b.power))
		}
		before = b
	}
	require.Greater(t, len(heard), 40)
	query := "from=288000&to=330000&heard=" + strings.Join(heard[len(heard)-30:], ",")
	after := blocksOf(t, episode, query, 1)[0]
	assert.InDelta(t, before.momentary, after.momentary, 0.2)
	assert.InDelta(t, before.shortTerm, after.shortTerm, 0.1)
	last := blocksOf(t, episode, query)
	assert.InDelta(t, before.shortTerm, last[len(last)-1].shortTerm, 0.1)
	assert.Less(t, blocksOf(t, episode, "from=288000&to=330000", 1)[0].momentary, -100.0, "without a past there is none")
	refused(t, 422, "GET", "/episodes/"+episode+"/listen?from=0&heard="+strings.Repeat("1,", 30)+"1", nil)
	refused(t, 422, "GET", "/episodes/"+episode+"/listen?from=0&heard=loud", nil)
	assert.NotEmpty(t, blocksOf(t, episode, "from=0&heard=NaN,-1,1e99", 1))
}

func TestOnlyTheJoinsAreHeardWithoutAClick(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Constant(1, 0.5, 20*audio.Second)
	imported(t, show, episode, "keeper", pcm)
	clip := func(d episodes.Desk) []string { return d.Document.Tracks[0].ClipsInOrder() }
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	for _, at := range []audio.Frames{5 * audio.Second, 15 * audio.Second} {
		change := do(t, episode, d.Version, map[string]any{"type": "split-clips", "clips": clip(d)[len(clip(d))-1:], "at": at})
		d = want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
		require.Equal(t, change.Version, d.Version)
	}
	heard := stream(t, episode, "from=0&joins=true")
	require.Equal(t, 4*audio.Second, heard.Length(), "a second before and after two cuts")
	full := float64(heard[0][audio.Second])
	for i, v := range heard[0] {
		step := math.Abs(float64(v))
		if i > 0 {
			step = math.Abs(float64(v) - float64(heard[0][i-1]))
		}
		require.Less(t, step, full/100, "frame %d", i)
	}
	assert.Equal(t, audio.Second, stream(t, episode, "from=672000&joins=true").Length()-audio.Second, "the first one lies behind, the second begins at 14 s")
	assert.Zero(t, stream(t, episode, "from=800000&joins=true").Length())
}

func TestEachTracksLevelComesWithWhatIsHeard(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "tone", testkit.Constant(1, 0.5, 2*audio.Second))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	d.Version = do(t, episode, d.Version, map[string]any{"type": "add-track", "part": "effect"}).Version
	track := d.Document.Tracks[0].ID
	do(t, episode, d.Version, map[string]any{"type": "move-faders", "faders": []any{map[string]any{"track": track, "level": -6}}})
	tracks := blocksOf(t, episode, "from=48000", 1)[0].tracks
	require.Len(t, tracks, 2)
	assert.InDelta(t, 0.5*math.Sqrt2/2*audio.DB(-6).Gain(), tracks[0], 1e-6)
	assert.Zero(t, tracks[1])
}

func TestALoopGoesRoundWithoutAGap(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Noise(2, 0.25, 16*audio.Second, 6)
	imported(t, show, episode, "theme", pcm)
	heard := stream(t, episode, "from=60000&to=61000&loopFrom=59000&loop=true", 12)
	for i := range 900 {
		require.Equal(t, pcm[0][12000+i], heard[0][i])
	}
	for i := range 2000 {
		require.Equal(t, pcm[0][11000+i], heard[0][1000+i], "second time round, frame %d", i)
	}
}

func TestListeningWaitsForAVersionThatIsOnItsWay(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 16*audio.Second, 6))
	got := make(chan float32, 1)
	go func() { got <- stream(t, episode, "from=60000&rev=3", 4).Peak() }()
	do(t, episode, 2, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": "t1", "mute": true}}})
	assert.Zero(t, <-got)
}

func TestEditsAnswerWithPatchesAndConflictsWithTheCurrentVersion(t *testing.T) {
	_, episode := newEpisode(t)
	c := do(t, episode, 1, map[string]any{"type": "add-track", "part": "voice", "name": "Presenter"})
	assert.Equal(t, int64(2), c.Version)
	assert.Contains(t, string(c.Patch), "/tracks")
	status, _, out := call(t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": 1, "op": map[string]any{"type": "add-track", "part": "voice"}})
	assert.Equal(t, 409, status)
	assert.Contains(t, string(out), `"current":2`)
	c = want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Equal(t, "Add the track “Presenter”", c.Redo)
	code, _ := refused(t, 409, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Equal(t, "nothing-to-undo", code)
}

func TestEveryRefusalIsAProblemInWords(t *testing.T) {
	show, episode := newEpisode(t)
	nowhere := "/episodes/01890000-0000-7000-8000-000000000000"
	sound := strings.Repeat("a", 64)
	edit := func(op string) []byte { return []byte(`{"base":1,"op":` + op + `}`) }
	for _, c := range []struct {
		name         string
		status       int
		method, path string
		body         any
		code         string
	}{
		{"no such address", 404, "GET", "/nowhere", nil, "not-found"},
		{"no such episode", 404, "GET", nowhere, nil, "not-found"},
		{"no such show", 404, "GET", "/shows/01890000-0000-7000-8000-000000000000/episodes", nil, "not-found"},
		{"a malformed id", 422, "GET", "/episodes/12", nil, "bad-request"},
		{"no name", 422, "POST", "/shows", map[string]any{"name": "  "}, "bad-name"},
		{"no JSON", 400, "POST", "/shows", []byte("{"), "bad-request"},
		{"an unknown edit", 422, "POST", "/episodes/" + episode + "/edits", edit(`{"type":"explode"}`), "bad-request"},
		{"an edit of a missing clip", 422, "POST", "/episodes/" + episode + "/edits", edit(`{"type":"set-clips","clips":[{"clip":"c9"}]}`), "unknown-clip"},
		{"a sound of nobody", 404, "GET", "/sounds/" + sound + "/audio", nil, "not-found"},
		{"peaks of nobody", 404, "GET", "/sounds/" + sound + "/peaks/2", nil, "not-found"},
		{"an id that is a path", 422, "GET", "/sounds/..%2f..%2fetc/peaks/2", nil, "bad-request"},
		{"an empty file", 422, "POST", "/shows/" + show + "/sounds?file=a.wav", []byte{}, "empty-file"},
		{"too large a file", 413, "POST", "/shows/" + show + "/sounds?file=a.wav", make([]byte, 21<<20), "too-large"},
		{"a mixdown of nothing", 422, "POST", "/episodes/" + episode + "/mixdowns", map[string]any{"files": []any{map[string]any{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true}, "nothing-to-mix"},
		{"an unknown format", 422, "POST", "/episodes/" + episode + "/mixdowns", map[string]any{"files": []any{map[string]any{"format": "tape", "channels": 2}}, "asItIs": true, "overrule": true}, "unknown-format"},
	} {
		t.Run(c.name, func(t *testing.T) {
			code, detail := refused(t, c.status, c.method, c.path, c.body)
			assert.Equal(t, c.code, code)
			assert.NotEmpty(t, detail)
		})
	}
}

func TestAFileThatIsNoSoundFailsByItsNameAndLeavesNothing(t *testing.T) {
	show, episode := newEpisode(t)
	before := originals(t)
	job := want[work.JobEvent](t, "POST", "/shows/"+show+"/sounds?file=notes.mp3&episode="+episode, []byte("not a sound, but a text about one"))
	end := ended(t, job.ID)
	require.NotNil(t, end.Problem)
	assert.Equal(t, "not-a-sound", end.Problem.Code)
	assert.True(t, strings.HasPrefix(end.Problem.Message, "notes.mp3: "), end.Problem.Message)
	assert.Empty(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks)
	assert.Empty(t, want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil))
	swept(t)
	assert.LessOrEqual(t, originals(t), before)
}

// swept sweeps away what belongs to nothing, however young it is.
func swept(t testing.TB) sweep.Swept {
	t.Helper()
	sweeper := *house.Sweeper
	sweeper.Ages.Unowned = 0
	_, err := sweeper.Sweep(t.Context()) // which notes what has no owner
	require.NoError(t, err)
	swept, err := sweeper.Sweep(t.Context())
	require.NoError(t, err)
	return swept
}

func originals(t testing.TB) int {
	t.Helper()
	all, err := filepath.Glob(filepath.Join(data, "originals", "*"))
	require.NoError(t, err)
	return len(all)
}

func TestACancelledJobLeavesNothing(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 20*audio.Second, 6))
	for i := range 8 { // long enough to be caught at work
		do(t, episode, int64(2+i), map[string]any{"type": "copy-clips", "clips": []string{"c2"}, "start": (1 + i) * 48000 * 100})
	}
	job := want[server.Begun](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true}).Jobs[0]
	require.Eventually(t, func() bool { return want[work.JobEvent](t, "GET", "/jobs/"+job.ID, nil).State != "queued" }, 20*time.Second, time.Millisecond)
	want[any](t, "POST", "/jobs/"+job.ID+"/cancel", nil)
	assert.Equal(t, "cancelled", string(ended(t, job.ID).State))
	require.Eventually(t, func() bool {
		left, err := filepath.Glob(filepath.Join(data, "cache", "mixdown*"))
		return err == nil && len(left) == 0
	}, 20*time.Second, 10*time.Millisecond)
	assert.Empty(t, want[[]handover.Mixdown](t, "GET", "/episodes/"+episode+"/mixdowns", nil))
}

func TestASecondWindowIsToldOfEveryChange(t *testing.T) {
	_, episode := newEpisode(t)
	r, err := http.Get(base + "/events?episode=" + episode)
	require.NoError(t, err)
	defer r.Body.Close()
	lines := make(chan string, 100)
	go func() {
		defer close(lines)
		buffer := make([]byte, 1<<16)
		for {
			n, err := r.Body.Read(buffer)
			if err != nil {
				return
			}
			lines <- string(buffer[:n])
		}
	}()
	until := func(text string) {
		for got := ""; !strings.Contains(got, text); {
			select {
			case line := <-lines:
				got += line
			case <-time.After(20 * time.Second):
				require.Fail(t, "never told", text)
			}
		}
	}
	until(`"version":1`)
	do(t, episode, 1, map[string]any{"type": "add-track", "part": "music"})
	until(`"version":2`)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	until(`"op":"remove"`)
}

func TestASoundCanBeHeardFromAnyByteAndIsRenamedAndRemoved(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Sine(1, 440, -6, 0, 2*audio.Second)
	imported(t, show, episode, "tone", pcm)
	sounds := want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil)
	require.Len(t, sounds, 1)
	assert.Equal(t, "voice", string(sounds[0].Part))
	_, header, whole := call(t, "GET", "/sounds/"+sounds[0].ID+"/audio", nil)
	assert.Equal(t, "audio/wav", header.Get("Content-Type"))
	back := testkit.ReadAudio(t, testkit.WriteFile(t, "a.wav", whole), 1)
	assert.Less(t, testkit.MaxDifference(t, pcm, back), 2.0/32768)
	status, _, part := call(t, "GET", "/sounds/"+sounds[0].ID+"/audio", nil, "Range", "bytes=40-1043")
	assert.Equal(t, 206, status)
	assert.Equal(t, whole[40:1044], part)
	_, _, peaks := call(t, "GET", "/sounds/"+sounds[0].ID+"/peaks/3?from=10&count=5", nil)
	assert.Len(t, peaks, 20)
	renamed := want[library.ShowSound](t, "PATCH", "/shows/"+show+"/sounds/"+sounds[0].ID, map[string]any{"name": "A tone", "part": "effect"})
	assert.Equal(t, "A tone", renamed.Name)
	code, detail := refused(t, 409, "DELETE", "/shows/"+show+"/sounds/"+sounds[0].ID, nil)
	assert.Equal(t, "sound-in-use", code)
	assert.Contains(t, detail, "The Last Fog Signal")
	want[any](t, "DELETE", "/episodes/"+episode, nil)
	want[any](t, "DELETE", "/shows/"+show+"/sounds/"+sounds[0].ID, nil)
}

func TestAPageOfAnotherOriginCanDoNothing(t *testing.T) {
	status, _, _ := call(t, "POST", "/shows", map[string]any{"name": "x"}, "Origin", "http://elsewhere.example", "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, 403, status)
	r, err := http.Get(strings.TrimSuffix(base, "/api") + "/")
	require.NoError(t, err)
	defer r.Body.Close()
	assert.Contains(t, r.Header.Get("Content-Security-Policy"), "script-src 'self'")
	assert.Equal(t, "nosniff", r.Header.Get("X-Content-Type-Options"))
}

func TestStartingSaysInWordsWhatIsInTheWay(t *testing.T) {
	file := testkit.WriteFile(t, "file", nil)
	_, err := running.Start(t.Context(), running.Settings{Data: filepath.Join(file, "data")})
	require.ErrorContains(t, err, "choose another with --data")
	l, err := server.Listen(0)
	require.NoError(t, err)
	defer l.Close()
	_, err = server.Listen(l.Addr().(*net.TCPAddr).Port)
	require.ErrorContains(t, err, "choose another with --port")
}
