package main_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/library"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

var program string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "ruvel-program")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "ruvel")
	if out, err := exec.Command("go", "build", "-o", program, ".").CombinedOutput(); err != nil {
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
	desk := ask[server.Desk](r, "GET", "/episodes/"+episode, nil)
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
	after := ask[server.Desk](r, "GET", "/episodes/"+episode, nil)
	assert.GreaterOrEqual(t, after.Version, answered)
	assert.LessOrEqual(t, after.Version, answered+1)
	assert.Len(t, after.Document.Markers, int(after.Version-desk.Version))
	for range after.Document.Markers {
		ask[work.ChangeEvent](r, "POST", "/episodes/"+episode+"/undo", nil)
	}
	undone := ask[server.Desk](r, "GET", "/episodes/"+episode, nil)
	assert.Equal(t, string(desk.Document.JSON()), string(undone.Document.JSON()), "undo goes back across the crash")

	// During an export.
	job = ask[work.JobEvent](r, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"format": "mp3", "channels": 2}).ID
	r.until(func() bool { return r.state(job) == "running" && len(halfMade(t, data)) > 0 })
	r.kill()
	r = serve(t, data, "--no-demo")
	r.until(func() bool { return r.state(job) == "done" })
	list := ask[[]server.Mixdown](r, "GET", "/episodes/"+episode+"/mixdowns", nil)
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

func TestTheCommandLineRendersTheSampleEpisodeAsLoudAsFFmpegSays(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	runProgram := func(arguments ...string) string {
		out, err := exec.Command(program, arguments...).CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	runProgram("demo", dir)
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

	// A window and mono.
	part := filepath.Join(dir, "part.mp3")
	runProgram("mix", filepath.Join(dir, "session.json"), "-o", part, "--from", "10", "--to", "14", "--mono")
	assert.Equal(t, 4*audio.Second, testkit.ReadAudio(t, part, 1).Length())
	out, err := exec.Command(program, "mix", filepath.Join(dir, "session.json"), "-o", filepath.Join(dir, "a.txt")).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "name the output .wav or .mp3")
	out, err = exec.Command(program, "measure", filepath.Join(dir, "session.json")).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "not a sound file")
}
