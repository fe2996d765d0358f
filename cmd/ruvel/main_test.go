package main_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

var (
	program string
	// made is the folder with the sample series, once it has been written.
	made struct {
		sync.Once
		dir string
		err error
	}
)

// sample gives a folder of the test's own with the sample series.
func sample(t *testing.T) string {
	t.Helper()
	made.Do(func() {
		made.dir = filepath.Join(filepath.Dir(program), "sample")
		var out []byte
		if out, made.err = exec.Command(program, "demo", made.dir).CombinedOutput(); made.err != nil {
			made.err = fmt.Errorf("%w: %s", made.err, out)
		}
	})
	require.NoError(t, made.err)
	dir := filepath.Join(t.TempDir(), "sample")
	require.NoError(t, os.CopyFS(dir, os.DirFS(made.dir)))
	return dir
}

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "ruvel-program")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "ruvel")
	if out, err := exec.Command("go", "build", "-ldflags=-s -w", "-o", program, ".").CombinedOutput(); err != nil {
		panic(string(out))
	}
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// running is a server in a process of its own.
type running struct {
	t    *testing.T
	cmd  *exec.Cmd
	base string
}

func serve(t *testing.T, data string, arguments ...string) *running {
	t.Helper()
	r := &running{t: t, cmd: exec.Command(program, append([]string{"serve", "--data", data, "--port", "0"}, arguments...)...)}
	out, err := r.cmd.StdoutPipe()
	require.NoError(t, err)
	r.cmd.Stderr = os.Stderr
	require.NoError(t, r.cmd.Start())
	t.Cleanup(r.stop)
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, address, ok := strings.Cut(lines.Text(), "Ruvel is ready: "); ok {
			r.base = address + "/api"
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return r
		}
	}
	require.Fail(t, "the server did not start")
	return nil
}

// stop ends the server as Ctrl+C does.
func (r *running) stop() {
	if r.cmd.ProcessState == nil {
		_ = r.cmd.Process.Signal(syscall.SIGINT)
		_ = r.cmd.Wait()
	}
}

// kill ends it without a chance to tidy up.
func (r *running) kill() {
	require.NoError(r.t, r.cmd.Process.Kill())
	_ = r.cmd.Wait()
}

func ask[T any](r *running, method, path string, body any) (v T) {
	r.t.Helper()
	var in io.Reader
	switch b := body.(type) {
	case nil:
	case []byte:
		in = bytes.NewReader(b)
	default:
		raw, err := json.Marshal(b)
		require.NoError(r.t, err)
		in = bytes.NewReader(raw)
	}
	request, err := http.NewRequest(method, r.base+path, in)
	require.NoError(r.t, err)
	request.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(request)
	require.NoError(r.t, err)
	defer answer.Body.Close()
	out, err := io.ReadAll(answer.Body)
	require.NoError(r.t, err)
	require.Less(r.t, answer.StatusCode, 300, string(out))
	if len(out) > 0 {
		require.NoError(r.t, json.Unmarshal(out, &v))
	}
	return v
}

type named struct{ ID string }

func (r *running) until(condition func() bool) {
	r.t.Helper()
	require.Eventually(r.t, condition, 60*time.Second, 2*time.Millisecond)
}

func (r *running) state(job string) string {
	return string(ask[work.JobEvent](r, "GET", "/jobs/"+job, nil).State)
}

func newEpisode(r *running) (show, episode string) {
	show = ask[named](r, "POST", "/shows", map[string]any{"name": "Harbour Hours"}).ID
	return show, ask[named](r, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "Fog"}).ID
}

// noise is a FLAC file that takes a while to import.
func noise(t *testing.T, seconds int) []byte {
	t.Helper()
	path := filepath.Join(t.TempDir(), "noise.flac")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("anoisesrc=r=44100:d=%d:a=0.2:seed=1", seconds), "-ac", "2", "-compression_level", "0", path)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	return data
}

func halfMade(t *testing.T, data string) []string {
	t.Helper()
	left, err := filepath.Glob(filepath.Join(data, "*", "*part*"))
	require.NoError(t, err)
	return left
}

func place(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "ruvel-kill")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	return dir
}

func TestAServerKilledAtWorkLosesNothingAndLeavesNothingHalfMade(t *testing.T) {
	t.Parallel()
	data := place(t)
	r := serve(t, data, "--no-demo")
	show, episode := newEpisode(r)

	// During an import.
	job := ask[work.JobEvent](r, "POST", "/shows/"+show+"/sounds?file=tide.flac&part=music&episode="+episode, noise(t, 240)).ID
	r.until(func() bool { return r.state(job) == "running" })
	r.kill()
	r = serve(t, data, "--no-demo")
	r.until(func() bool { return r.state(job) == "done" })
	desk := ask[episodes.Desk](r, "GET", "/episodes/"+episode, nil)
	require.Len(t, desk.Document.Tracks, 1)
	require.Len(t, desk.Document.Tracks[0].Clips, 1, "placed once")
	assert.Equal(t, 240*audio.Second, desk.Document.Length())
	assert.Empty(t, halfMade(t, data))

	// During edits: each that was answered is there, and nothing but whole ones.
	answered := desk.Version
	go func(p *os.Process) {
		time.Sleep(300 * time.Millisecond) // anywhere among the edits below; no result depends on where
		_ = p.Kill()
	}(r.cmd.Process)
	for {
		body, _ := json.Marshal(map[string]any{"base": answered, "op": map[string]any{"type": "add-marker", "at": answered * 100, "name": fmt.Sprint(answered)}})
		answer, err := http.Post(r.base+"/episodes/"+episode+"/edits", "application/json", bytes.NewReader(body))
		if err != nil {
			break
		}
		_, err = io.ReadAll(answer.Body)
		_ = answer.Body.Close()
		if err != nil || answer.StatusCode != 200 {
			break
		}
		answered++
	}
	_ = r.cmd.Wait()
	r = serve(t, data, "--no-demo")
	after := ask[episodes.Desk](r, "GET", "/episodes/"+episode, nil)
	assert.GreaterOrEqual(t, after.Version, answered)
	assert.LessOrEqual(t, after.Version, answered+1)
	assert.Len(t, after.Document.Markers, int(after.Version-desk.Version))
	for range after.Document.Markers {
		ask[work.ChangeEvent](r, "POST", "/episodes/"+episode+"/undo", nil)
	}
	undone := ask[episodes.Desk](r, "GET", "/episodes/"+episode, nil)
	assert.Equal(t, string(desk.Document.JSON()), string(undone.Document.JSON()), "undo goes back across the crash")

	// During an export.
	job = ask[server.Begun](r, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true}).Jobs[0].ID
	r.until(func() bool { return r.state(job) == "running" && len(halfMade(t, data)) > 0 })
	r.kill()
	r = serve(t, data, "--no-demo")
	r.until(func() bool { return r.state(job) == "done" })
	list := ask[[]handover.Mixdown](r, "GET", "/episodes/"+episode+"/mixdowns", nil)
	require.Len(t, list, 1)
	assert.Equal(t, 240*audio.Second, list[0].Loudness.Length)
	assert.Empty(t, halfMade(t, data))
	kept, err := filepath.Glob(filepath.Join(data, "originals", "mixdowns", "*"))
	require.NoError(t, err)
	assert.Len(t, kept, 1)

	// During an upload: the file was not answered for, and nothing of it is there.
	reader, writer := io.Pipe()
	go func() {
		_, _ = writer.Write(make([]byte, 1<<20))
		r.until(func() bool { return len(halfMade(t, data)) > 0 })
		r.kill()
		_ = writer.Close()
	}()
	_, err = http.Post(r.base+"/shows/"+show+"/sounds?file=lost.wav", "application/octet-stream", reader)
	require.Error(t, err)
	r = serve(t, data, "--no-demo")
	assert.Empty(t, halfMade(t, data))
	assert.Len(t, ask[[]library.ShowSound](r, "GET", "/shows/"+show+"/sounds", nil), 1)
}

func TestTheCommandLineSaysWhatASecondPairOfEarsWould(t *testing.T) {
	t.Parallel()
	dir := sample(t)
	check := func(arguments ...string) (string, int) {
		cmd := exec.Command(program, append([]string{"check"}, arguments...)...)
		out, err := cmd.Output()
		if err != nil {
			require.IsType(t, &exec.ExitError{}, err)
		}
		return string(out), cmd.ProcessState.ExitCode()
	}
	said, code := check(filepath.Join(dir, "session.json"))
	assert.Equal(t, []any{"Nothing to mention.\n", 0}, []any{said, code}, "the finished episode")
	rough := filepath.Join(dir, "rough-cut.json")
	said, code = check(rough, "--json")
	assert.Equal(t, 1, code, "something must be mended")
	var found []struct {
		Kind, Weight, Text string
		Fix                *struct{ Op json.RawMessage }
	}
	require.NoError(t, json.Unmarshal([]byte(said), &found))
	var kinds []string
	for _, f := range found {
		kinds = append(kinds, f.Kind)
		if f.Fix != nil {
			_, err := edit.Decode(f.Fix.Op)
			require.NoError(t, err, "the edit is one that can be made")
		}
	}
	assert.Equal(t, []string{"covered", "dead-air", "one-sided", "join", "apart", "covered"}, kinds, "exactly what was put in; credits do not stand in the document")

	// Other limits, and a sound that is missing.
	limits := filepath.Join(dir, "limits.json")
	require.NoError(t, os.WriteFile(limits, []byte(`{"apart": 9}`), 0o600))
	said, _ = check(rough, "--limits", limits)
	assert.NotContains(t, said, "softer than Presenter")
	require.NoError(t, os.WriteFile(limits, []byte(`{"apart": 99}`), 0o600))
	_, code = check(rough, "--limits", limits)
	assert.Equal(t, 1, code)
	var doc struct {
		Sounds map[string]struct{ Path string }
	}
	data, err := os.ReadFile(rough)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &doc))
	for _, s := range doc.Sounds {
		require.NoError(t, os.Remove(filepath.Join(dir, s.Path)))
		break
	}
	said, code = check(rough)
	assert.Equal(t, 1, code)
	assert.Contains(t, said, "is missing: its file cannot be read")
}

func TestTheCommandLineRendersTheSampleEpisodeAsLoudAsFFmpegSays(t *testing.T) {
	t.Parallel()
	dir := sample(t)
	runProgram := func(arguments ...string) string {
		out, err := exec.Command(program, arguments...).CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	mix := filepath.Join(dir, "mix.wav")
	runProgram("mix", filepath.Join(dir, "session.json"), "-o", mix)
	var ours struct{ Integrated, Range, TruePeak float64 }
	require.NoError(t, json.Unmarshal([]byte(runProgram("measure", "--json", mix)), &ours))
	_, log := testkit.RunFFmpeg(t, nil, "-i", mix, "-af", "ebur128=peak=true", "-f", "null", "-")
	theirs := func(pattern string) float64 {
		all := regexp.MustCompile(pattern).FindAllSubmatch(log, -1)
		require.NotEmpty(t, all)
		v, err := strconv.ParseFloat(string(all[len(all)-1][1]), 64)
		require.NoError(t, err)
		return v
	}
	// Source: ffmpeg's ebur128 filter.
	assert.InDelta(t, theirs(`I:\s+(-?[\d.]+) LUFS`), ours.Integrated, 0.1)
	assert.InDelta(t, theirs(`LRA:\s+(-?[\d.]+) LU\n`), ours.Range, 0.5)
	assert.InDelta(t, theirs(`Peak:\s+(-?[\d.]+) dBFS`), ours.TruePeak, 0.2)
	assert.InDelta(t, -16, ours.Integrated, 1, "the sample episode meets its target")
	assert.LessOrEqual(t, ours.TruePeak, -1.0)

	// A finished file, with its details; stems, and chapters.
	details := filepath.Join(dir, "details.json")
	require.NoError(t, os.WriteFile(details, []byte(`{"show": "Harbour Hours", "title": "The Last Fog Signal", "number": 12, "presenter": "Ada Quill", "date": "2026-11-30"}`), 0o600))
	said := runProgram("mix", filepath.Join(dir, "session.json"), "-o", filepath.Join(dir, "one.mp3"), "--target", "podcast-stereo", "--quality", "usual", "--details", details, "--to", "40")
	assert.Contains(t, said, "-16.0 LUFS")
	tags, err := exec.Command("ffprobe", "-v", "error", "-show_format", "-show_chapters", filepath.Join(dir, "one.mp3")).Output()
	require.NoError(t, err)
	assert.Contains(t, string(tags), "TAG:title=The Last Fog Signal")
	assert.Contains(t, string(tags), "TAG:title=Interview")
	runProgram("mix", filepath.Join(dir, "session.json"), "-o", filepath.Join(dir, "chapters"), "--chapters", "--format", "flac", "--to", "25")
	chapters, err := filepath.Glob(filepath.Join(dir, "chapters", "*.flac"))
	require.NoError(t, err)
	assert.Len(t, chapters, 2)
	runProgram("mix", filepath.Join(dir, "session.json"), "-o", filepath.Join(dir, "stems.zip"), "--stems", "--to", "5")
	for _, wrong := range [][]string{{"--target", "moon"}, {"--quality", "golden"}, {"--details", filepath.Join(dir, "session.json")}} {
		_, err := exec.Command(program, append([]string{"mix", filepath.Join(dir, "session.json"), "-o", filepath.Join(dir, "x.mp3")}, wrong...)...).CombinedOutput()
		require.Error(t, err, wrong)
		require.NoFileExists(t, filepath.Join(dir, "x.mp3"))
	}

	// A window and mono.
	part := filepath.Join(dir, "part.mp3")
	runProgram("mix", filepath.Join(dir, "session.json"), "-o", part, "--from", "10", "--to", "14", "--mono")
	assert.Equal(t, 4*audio.Second, testkit.ReadAudio(t, part, 1).Length())
	out, err := exec.Command(program, "mix", filepath.Join(dir, "session.json"), "-o", filepath.Join(dir, "a.txt")).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "end its name with .mp3")
	out, err = exec.Command(program, "measure", filepath.Join(dir, "session.json")).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "not a sound file")
}

func TestWhatTheCommandLineMakesOfTheSampleSeriesOfAServer(t *testing.T) {
	t.Parallel()
	r := serve(t, place(t))
	defer r.stop()
	r.until(func() bool { return ask[server.Health](r, "GET", "/health", nil).Making == "" })
	t.Run("the same bytes as the server", func(t *testing.T) { theSameBytes(t, r) })
	t.Run("a backup by one command that opens on another server as it was", func(t *testing.T) { aBackup(t, r) })
}

func theSameBytes(t *testing.T, r *running) {
	var show, episode string
	for _, s := range ask[[]named](r, "GET", "/shows", nil) {
		for _, e := range ask[[]struct{ ID, Title string }](r, "GET", "/shows/"+s.ID+"/episodes", nil) {
			if e.Title == "The Last Fog Signal" {
				show, episode = s.ID, e.ID
			}
		}
	}
	require.NotEmpty(t, episode)
	const until = 24 // seconds
	// On the command line artwork is a file that is scaled anew; so here it is left out.
	was := ask[details.Details](r, "GET", "/shows/"+show+"/details", nil)
	ask[any](r, "PATCH", "/shows/"+show+"/details", testkit.Revised(t, details.Details{Presenter: "Ada Quill", Language: "en", Keywords: []string{"fog", "harbour"}}))
	ask[any](r, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, details.Details{Date: "2026-11-30", Description: "Two voices,\none horn."}))
	sheet := ask[handover.Ahead](r, "GET", "/episodes/"+episode+fmt.Sprintf("/handover?files=mp3&to=%d", until*audio.Second), nil).Sheet
	require.NotEmpty(t, sheet.Chapters)
	dir := t.TempDir()
	said, err := json.Marshal(sheet)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "sheet.json"), said, 0o600))
	require.NoError(t, os.CopyFS(dir, os.DirFS(sample(t))))

	formats := []string{"mp3", "bwf"}
	var files []any
	for _, f := range formats {
		files = append(files, map[string]any{"format": f})
	}
	for _, job := range ask[server.Begun](r, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": files, "to": until * audio.Second}).Jobs {
		r.until(func() bool { return r.state(job.ID) == "done" })
	}
	made := map[string][]byte{}
	for _, m := range ask[[]handover.Mixdown](r, "GET", "/episodes/"+episode+"/mixdowns", nil) {
		answer, err := http.Get(r.base + "/mixdowns/" + m.ID + "/file")
		require.NoError(t, err)
		data, err := io.ReadAll(answer.Body)
		require.NoError(t, errors.Join(err, answer.Body.Close()))
		made[m.Format] = data
	}
	for _, f := range formats {
		path := filepath.Join(dir, "out")
		out, err := exec.Command(program, "mix", filepath.Join(dir, "session.json"), "-o", path, "--format", f, "--target", "session", "--details", filepath.Join(dir, "sheet.json"), "--to", fmt.Sprint(until)).CombinedOutput()
		require.NoError(t, err, string(out))
		ours, err := os.ReadFile(path)
		require.NoError(t, err)
		require.Greater(t, len(made[f]), 100_000, f)
		assert.True(t, bytes.Equal(ours, made[f]), "%s: %d bytes on the command line, %d on the server", f, len(ours), len(made[f]))
	}

	// With its artwork, from the archive of the episode alone.
	require.NotEmpty(t, was.Artwork)
	ask[any](r, "PATCH", "/shows/"+show+"/details", testkit.Revised(t, was))
	job := ask[server.Begun](r, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": files[:1], "to": until * audio.Second}).Jobs[0]
	r.until(func() bool { return r.state(job.ID) == "done" })
	fetch := func(path string) []byte {
		answer, err := http.Get(r.base + path)
		require.NoError(t, err)
		data, err := io.ReadAll(answer.Body)
		require.NoError(t, errors.Join(err, answer.Body.Close()))
		return data
	}
	kept := filepath.Join(dir, "archive.zip")
	require.NoError(t, os.WriteFile(kept, fetch("/episodes/"+episode+"/archive"), 0o600))
	out, err := exec.Command(program, "mix", kept, "-o", filepath.Join(dir, "archived.mp3"), "--target", "session", "--to", fmt.Sprint(until)).CombinedOutput()
	require.NoError(t, err, string(out))
	ours, err := os.ReadFile(filepath.Join(dir, "archived.mp3"))
	require.NoError(t, err)
	theirs := fetch("/mixdowns/" + job.ID + "/file")
	require.Greater(t, len(theirs), len(made["mp3"])+20_000, "with the artwork")
	assert.True(t, bytes.Equal(ours, theirs))
	out, err = exec.Command(program, "check", kept).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.NotContains(t, string(out), "icence", "what is known of the sounds is in the archive")
}

func aBackup(t *testing.T, one *running) {
	folder := filepath.Join(t.TempDir(), "kept")
	address := func(r *running) string { return strings.TrimSuffix(r.base, "/api") }
	command := func(arguments ...string) (string, error) {
		out, err := exec.Command(program, arguments...).CombinedOutput()
		return string(out), err
	}
	out, err := command("export", folder, "--server", address(one), "--show", "Nothing")
	require.Error(t, err)
	assert.Contains(t, out, `there is no episode to be kept of a show called "Nothing"`)
	for range 2 { // the second takes the place of the first
		out, err = command("export", folder, "--server", address(one))
		require.NoError(t, err, out)
	}
	kept, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	require.Len(t, kept, 5, "the finished episode and the rough cut, two layouts, what the show keeps, and nothing half-made")

	two := serve(t, place(t), "--no-demo")
	defer two.stop()
	out, err = command(append([]string{"import", "--server", address(two)}, kept...)...)
	require.NoError(t, err, out)
	documents := func(r *running) map[string]string {
		all := map[string]string{}
		for _, show := range ask[[]struct{ ID, Name string }](r, "GET", "/shows", nil) {
			all[show.Name] = string(ask[json.RawMessage](r, "GET", "/shows/"+show.ID+"/settings", nil))
			layouts := ask[[]struct{ ID, Title string }](r, "GET", "/shows/"+show.ID+"/layouts", nil)
			for _, e := range append(layouts, ask[[]struct{ ID, Title string }](r, "GET", "/shows/"+show.ID+"/episodes", nil)...) {
				all[show.Name+": "+e.Title] = string(ask[struct{ Document json.RawMessage }](r, "GET", "/episodes/"+e.ID, nil).Document)
			}
		}
		return all
	}
	assert.Len(t, documents(one), 5)
	assert.Equal(t, documents(one), documents(two))

	// Two episodes and two shows of one name are two files.
	double := ask[struct{ ID string }](two, "POST", "/shows", map[string]any{"name": "Twice"}).ID
	ask[any](two, "POST", "/shows", map[string]any{"name": "Twice"})
	for range 2 {
		ask[any](two, "POST", "/shows/"+double+"/episodes", map[string]any{"title": "The same", "number": 1})
	}
	twice := filepath.Join(t.TempDir(), "twice")
	out, err = command("export", twice, "--server", address(two), "--show", "Twice")
	require.NoError(t, err, out)
	archives, err := filepath.Glob(filepath.Join(twice, "*.zip"))
	require.NoError(t, err)
	assert.Len(t, archives, 2)
	settings, err := filepath.Glob(filepath.Join(twice, "*.show.json"))
	require.NoError(t, err)
	assert.Len(t, settings, 2)

	wrong := filepath.Join(t.TempDir(), "wrong.zip")
	require.NoError(t, os.WriteFile(wrong, []byte("PK"), 0o600))
	out, err = command("import", wrong, "--server", address(two))
	require.Error(t, err)
	assert.Contains(t, out, "no archive of an episode")
	_, err = command("export", folder, "--server", "http://127.0.0.1:1")
	require.Error(t, err)
}
