package main_test

import (
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/testkit"
)

func TestNothingLiesAboutAfterAKillAndNobodyElseCanLookIn(t *testing.T) {
	data := filepath.Join(place(t), "data")
	outside := place(t) // in the place of the system's folder for temporary files
	require.NoError(t, os.Chmod(outside, 0o777))
	t.Setenv("TMPDIR", outside)
	for range 3 {
		r := serve(t, data, "--no-demo")
		show, episode := newEpisode(r)
		job := ask[named](r, "POST", "/shows/"+show+"/sounds?file=tide.flac&part=music&episode="+episode, noise(t, 20)).ID
		ask[any](r, "GET", "/shelf", nil)
		r.until(func() bool { return r.state(job) != "queued" })
		r.kill()
	}
	entries, err := os.ReadDir(outside)
	require.NoError(t, err)
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), "Test") || strings.HasPrefix(e.Name(), "go-") { // of this test itself
			continue
		}
		assert.Fail(t, "left behind", e.Name())
	}
	require.NoError(t, filepath.WalkDir(data, func(path string, d fs.DirEntry, err error) error {
		if err != nil { // the database, which is on its way to its end, tidies up
			return nil
		}
		info, err := d.Info()
		if err != nil {
			return nil
		}
		mode := info.Mode().Perm()
		switch {
		case path == data:
			assert.Contains(t, []fs.FileMode{0o700, 0o711}, mode, "the database's user may pass through")
		case d.IsDir():
			assert.Equal(t, fs.FileMode(0o700), mode, path)
		case info.Mode().IsRegular():
			assert.Zero(t, mode&0o077, path)
		}
		return nil
	}))
}

func TestARequestThatIsUnderWayIsFinishedWhenTheServerEnds(t *testing.T) {
	t.Parallel()
	data := filepath.Join(place(t), "data")
	r := serve(t, data, "--no-demo")
	show, _ := newEpisode(r)
	events, err := http.Get(r.base + "/events?episode=" + ask[[]named](r, "GET", "/shows/"+show+"/episodes", nil)[0].ID)
	require.NoError(t, err)
	defer events.Body.Close()
	body, writer := io.Pipe()
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.3, 48000, 1)))
	require.NoError(t, err)
	ended := make(chan error, 1)
	go func() {
		if _, err := writer.Write(file[:100_000]); err != nil {
			ended <- err
			return
		}
		r.until(func() bool { return len(halfMade(t, data)) > 0 }) // it is under way
		ended <- r.cmd.Process.Signal(syscall.SIGTERM)
		_, _ = io.Copy(io.Discard, events.Body) // the stream ends at once
		_, _ = writer.Write(file[100_000:])
		_ = writer.Close()
	}()
	answer, err := http.Post(r.base+"/shows/"+show+"/sounds?file=a.wav", "application/octet-stream", body)
	require.NoError(t, err)
	defer answer.Body.Close()
	out, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, answer.StatusCode, string(out))
	require.NoError(t, <-ended)
	done := make(chan error, 1)
	go func() { done <- r.cmd.Wait() }()
	select {
	case err := <-done:
		require.NoError(t, err, "it ends as it should")
	case <-time.After(time.Minute):
		require.Fail(t, "it does not end")
	}
}

func TestASecondStartOnTheSameFolderIsRefusedInOneSentence(t *testing.T) {
	t.Parallel()
	data := filepath.Join(place(t), "data")
	r := serve(t, data, "--no-demo")
	out, err := exec.Command(program, "serve", "--data", data, "--port", "0").CombinedOutput()
	require.Error(t, err)
	assert.Equal(t, fmt.Sprintf("ruvel: another Ruvel (process %d) is using the data folder %s; end that one first, or choose another folder with --data\n", r.cmd.Process.Pid, data), string(out))
}

func TestBackupsAreNotKeptWhereTheyWouldBeLostWithTheData(t *testing.T) {
	data := t.TempDir()
	link := filepath.Join(t.TempDir(), "link")
	require.NoError(t, os.Symlink(data, link))
	for folder, want := range map[string]string{
		"": "has no name", data: "lies in the folder for the data", filepath.Join(data, "deep", "down"): "lies in the folder for the data",
		filepath.Join(link, "kept"): "lies in the folder for the data",
	} {
		out, err := exec.Command(program, "serve", "--data", data, "--port", "0", "--backup", folder).CombinedOutput()
		require.Error(t, err, folder)
		assert.Contains(t, string(out), want)
	}
}
