package server_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/episodes"
	"ruvel/internal/library"
	"ruvel/internal/running"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// answerTo sends bytes to the server and gives what it answers.
func answerTo(t *testing.T, lines ...string) *http.Response {
	t.Helper()
	c, err := net.Dial("tcp", strings.TrimPrefix(house.Address, "http://"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	_, err = io.WriteString(c, strings.Join(lines, "\r\n")+"\r\n\r\n")
	require.NoError(t, err)
	r, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(t, err)
	return r
}

// saidOf reads a problem.
func saidOf(t *testing.T, r *http.Response) (code, detail string) {
	t.Helper()
	assert.Equal(t, "application/problem+json", r.Header.Get("Content-Type"))
	var p struct{ Code, Detail string }
	require.NoError(t, json.NewDecoder(r.Body).Decode(&p))
	require.NoError(t, r.Body.Close())
	return p.Code, p.Detail
}

func TestANameThatIsNotOursGetsNothing(t *testing.T) {
	port := house.Address[strings.LastIndexByte(house.Address, ':'):]
	for host, there := range map[string]bool{
		"127.0.0.1" + port: true, "localhost" + port: true, "LOCALHOST." + port: true, "[::1]" + port: true, "127.8.9.1": true, "[::ffff:127.0.0.1]": true,
		"desk.harbour.example": true, "Desk.Harbour.Example:8443": true,
		"rebound.example" + port: false, "127.0.0.1.rebound.example": false, "localhost.rebound.example": false, "192.168.1.5" + port: false, "0.0.0.0" + port: false,
		"notlocalhost": false, "desk.harbour.example.rebound.example": false, "": false, strings.Repeat("long.", 400) + "example": false,
	} {
		for _, path := range []string{"/api/shows", "/", "/api/episodes/01890000-0000-7000-8000-000000000000/events", "/assets/none.js"} {
			r := answerTo(t, "GET "+path+" HTTP/1.1", "Host: "+host, "Connection: close")
			if there {
				assert.NotEqual(t, http.StatusMisdirectedRequest, r.StatusCode, host)
				continue
			}
			require.Equal(t, http.StatusMisdirectedRequest, r.StatusCode, "%s of %q", path, host)
			code, detail := saidOf(t, r)
			assert.Equal(t, "unknown-name", code)
			assert.Less(t, len(detail), 300)
		}
	}
	r := answerTo(t, "GET /api/shows HTTP/1.1", "Host: localhost", "Connection: close")
	assert.Equal(t, "same-origin", r.Header.Get("Cross-Origin-Resource-Policy"))
}

func TestARefusedPageAndAWrongMethodAreProblemsInWords(t *testing.T) {
	code, detail := refused(t, 403, "DELETE", "/shows/x", nil, "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, "foreign-page", code)
	assert.NotEmpty(t, detail)
	for method, path := range map[string]string{"PUT": "/api/shows", "DELETE": "/", "POST": "/episodes/1", "BREW": "/api/shows"} {
		request, err := http.NewRequest(method, house.Address+path, nil)
		require.NoError(t, err)
		r, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		assert.Equal(t, http.StatusMethodNotAllowed, r.StatusCode, "%s %s", method, path)
		code, _ := saidOf(t, r)
		assert.Equal(t, "wrong-method", code)
	}
}

func TestABodyThatStopsComingIsCutOffAndOneThatComesSlowlyIsNot(t *testing.T) {
	t.Parallel()
	c, err := net.Dial("tcp", strings.TrimPrefix(house.Address, "http://"))
	require.NoError(t, err)
	defer c.Close()
	_, err = io.WriteString(c, "POST /api/shows HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 40\r\n\r\n{\"name\":")
	require.NoError(t, err)
	require.NoError(t, c.SetReadDeadline(time.Now().Add(patience)))
	_, err = io.ReadAll(c) // until the server ends the connection
	require.NoError(t, err)

	body := `{"name": "` + strings.Repeat("Slow but sure ", 8) + `"}`
	slow, writer := io.Pipe()
	go func() {
		for _, b := range []byte(body) {
			time.Sleep(30 * time.Millisecond) // together longer than a stop may last; each far less
			_, _ = writer.Write([]byte{b})
		}
		_ = writer.Close()
	}()
	r, err := http.Post(base+"/shows", "application/json", slow)
	require.NoError(t, err)
	defer r.Body.Close()
	assert.Less(t, r.StatusCode, 300)
}

func TestASecondHouseOnTheSameFolderIsRefusedInASentence(t *testing.T) {
	_, err := running.Start(t.Context(), running.Settings{Data: house.Data})
	require.ErrorContains(t, err, "another Ruvel (process ")
	require.ErrorContains(t, err, "end that one first, or choose another folder with --data")
	assert.NotContains(t, err.Error(), "\n")
	assert.NotEmpty(t, fmt.Sprint(want[[]any](t, "GET", "/shows", nil)), "and the first one goes on")
}

// fill makes the disk look full, or not.
func fill(t *testing.T) (room func()) {
	t.Helper()
	house.Space.Keep(math.MaxInt64 / 2)
	room = func() { house.Space.Keep(0) }
	t.Cleanup(room)
	return room
}

func TestAFullDiskRefusesWhatWritesInATrueSentenceAndEverythingGoesOnAfterwards(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, audio.Second, 6))
	mixdown := want[server.Begun](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "wav-16", "channels": 2}}, "asItIs": true, "overrule": true}).Jobs[0]
	require.Equal(t, "done", string(ended(t, mixdown.ID).State))
	file, err := os.ReadFile(testkit.WriteWAV(t, "b.wav", testkit.Noise(1, 0.25, audio.Second, 8)))
	require.NoError(t, err)
	before := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)

	room := fill(t)
	h := want[server.Health](t, "GET", "/health", nil)
	assert.Less(t, h.Free, h.Kept, "who watches over it sees why")
	for path, body := range map[string]any{
		"/episodes/" + episode + "/edits":       map[string]any{"base": before.Version, "op": map[string]any{"type": "add-marker", "at": 0, "name": "x"}},
		"/episodes/" + episode + "/undo":        nil,
		"/episodes/" + episode + "/mixdowns":    map[string]any{"files": []any{map[string]any{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true},
		"/shows/" + show + "/sounds?file=b.wav": file,
		"/shows":                                map[string]any{"name": "Another"},
	} {
		code, detail := refused(t, 507, "POST", path, body)
		assert.Equal(t, "disk-full", code, path)
		assert.Contains(t, detail, "so this was not kept")
	}
	code, _ := refused(t, 507, "PATCH", "/episodes/"+episode+"/script", map[string]any{"base": 0, "text": "Two blasts."})
	assert.Equal(t, "disk-full", code)
	assert.Equal(t, before, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil), "what was kept is there, as it was")
	want[any](t, "DELETE", "/mixdowns/"+mixdown.ID, nil) // which makes room
	room()
	do(t, episode, before.Version, map[string]any{"type": "add-marker", "at": 0, "name": "x"})
	job := want[work.JobEvent](t, "POST", "/shows/"+show+"/sounds?file=b.wav", file)
	assert.Equal(t, "done", string(ended(t, job.ID).State))
}

func TestAnImportWaitsForRoomAndThenGoesOn(t *testing.T) {
	show, episode := newEpisode(t)
	file, err := os.ReadFile(testkit.WriteWAV(t, "b.wav", testkit.Noise(2, 0.25, 20*audio.Second, 9)))
	require.NoError(t, err)
	id, _, err := house.Sounds.Put(t.Context(), bytes.NewReader(file))
	require.NoError(t, err)
	events := follow(t, episode)
	room := fill(t)
	job, err := house.Worker.Submit(t.Context(), work.Import, show, &episode, "b.wav", work.ImportArguments{Sound: id, File: "b.wav"})
	require.NoError(t, err)
	next(t, events, func(e work.Event) bool {
		return e.Job != nil && e.Job.State == "queued" && e.Job.Problem != nil && e.Job.Problem.Code == "disk-full"
	})
	room()
	assert.Equal(t, "done", string(ended(t, job.ID).State))
	assert.Len(t, want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil), 1)
}

func TestWhileTheDatabaseIsStartedAgainRequestsSaySoAndNoEditIsLost(t *testing.T) {
	_, episode := newEpisode(t)
	version, marks, away := int64(1), 0, 0
	for kill := range 3 {
		for range 10 {
			gesture := fmt.Sprintf("mark %d", marks)
			if marks%10 == 4 {
				require.Eventually(t, func() bool { return syscall.Kill(house.DatabaseProcess(), syscall.SIGKILL) == nil }, patience, tick)
			}
			require.Eventually(t, func() bool {
				body := map[string]any{"base": version, "gesture": gesture, "again": true, "op": map[string]any{"type": "add-marker", "at": marks, "name": gesture}}
				status, header, out := call(t, "POST", "/episodes/"+episode+"/edits", body)
				switch status {
				case 200:
					var c work.ChangeEvent
					require.NoError(t, json.Unmarshal(out, &c))
					version = c.Version
					return true
				case 409: // it was done, and its answer was lost; the next try is told so
					version++
				case 503:
					away++
					assert.NotEmpty(t, header.Get("Retry-After"))
					assert.Contains(t, string(out), "database")
				default:
					require.Fail(t, "neither kept nor put off", "%d %s", status, out)
				}
				return false
			}, patience, 5*tick)
			marks++
		}
		t.Logf("after %d kills %d answers were that it comes back", kill+1, away)
	}
	assert.Positive(t, away)
	doc := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document
	require.Len(t, doc.Markers, marks, "each is there once")
}

func TestHundredsOfListenersDelayNobodyElse(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 10*audio.Second, 6))
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	client := &http.Client{Transport: &http.Transport{MaxConnsPerHost: 0}}
	var begun, refused atomic.Int32
	var all sync.WaitGroup
	for range 500 {
		all.Go(func() {
			r, err := http.NewRequestWithContext(ctx, "GET", base+"/episodes/"+episode+"/listen?from=0&loop=true&to=480000", nil)
			if !assert.NoError(t, err) {
				return
			}
			answer, err := client.Do(r)
			if err != nil {
				return
			}
			defer answer.Body.Close()
			if answer.StatusCode == 503 {
				refused.Add(1)
				return
			}
			begun.Add(1)
			_, _ = io.Copy(io.Discard, answer.Body)
		})
	}
	require.Eventually(t, func() bool { return begun.Load()+refused.Load() == 500 }, patience, tick)
	assert.LessOrEqual(t, begun.Load(), int32(64))
	var took []time.Duration
	for range 30 {
		from := time.Now()
		want[any](t, "GET", "/shows", nil)
		took = append(took, time.Since(from))
	}
	slices.Sort(took)
	t.Logf("%d listen, %d were refused; the list of shows took %v at the median, %v at most", begun.Load(), refused.Load(), took[15], took[29])
	assert.Less(t, took[15], 2*time.Second)
	stop()
	all.Wait()
	require.Eventually(t, func() bool { return want[server.Health](t, "GET", "/health", nil).Listeners == 0 }, patience, tick)
}
