package main_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// soak is a server that is used and killed for a while. RUVEL_SOAK says for how long, such as 10m.
type soak struct {
	t     *testing.T
	data  string
	log   *os.File
	port  int
	over  time.Time
	base  string
	mu    sync.Mutex // over what follows
	cmd   *exec.Cmd
	kills map[string]int
}

// start starts the server, always at the same address.
func (s *soak) start() {
	cmd := exec.Command(program, "serve", "--data", s.data, "--no-demo", "--port", strconv.Itoa(s.port))
	out, err := cmd.StdoutPipe()
	require.NoError(s.t, err)
	cmd.Stderr = s.log
	require.NoError(s.t, cmd.Start())
	said := make([]byte, 200)
	n, err := out.Read(said)
	require.NoError(s.t, err, "the server starts again after whatever ended it; %s", s.log.Name())
	address := strings.TrimSpace(strings.TrimPrefix(string(said[:n]), "Ruvel is ready: "))
	s.base, s.cmd = address+"/api", cmd
	go func() { _, _ = io.Copy(io.Discard, out) }()
}

// request sends a request once and gives the status, or 0 if there was no whole answer.
func (s *soak) request(method, path string, body []byte) (int, []byte) {
	r, err := http.NewRequest(method, s.base+path, bytes.NewReader(body))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return 0, nil
	}
	defer answer.Body.Close()
	out, err := io.ReadAll(answer.Body)
	if err != nil {
		return 0, nil
	}
	return answer.StatusCode, out
}

// insist sends a request that may be sent again until it is answered.
func (s *soak) insist(method, path string, body any) []byte {
	data, err := json.Marshal(body)
	require.NoError(s.t, err)
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(20 * time.Millisecond) {
		status, out := s.request(method, path, data)
		if status >= 200 && status < 300 {
			return out
		}
		if status != 0 && status != http.StatusServiceUnavailable && status != http.StatusConflict {
			require.Fail(s.t, "neither done nor put off", "%s %s: %d %s", method, path, status, out)
		}
		require.True(s.t, time.Now().Before(deadline), "%s %s is not answered any more; %s", method, path, s.log.Name())
	}
}

func insisted[T any](s *soak, method, path string, body any) (v T) {
	require.NoError(s.t, json.Unmarshal(s.insist(method, path, body), &v))
	return v
}

// edit marks an episode again and again, and gives how many marks were acknowledged.
func (s *soak) edit(episode string) (marks int) {
	version := int64(1)
	const most = 1500 // a session holds 2000
	pause := time.Until(s.over) / most
	for ; time.Now().Before(s.over); marks++ {
		name := fmt.Sprintf("mark %d", marks)
		for done := false; !done; {
			body, err := json.Marshal(map[string]any{"base": version, "gesture": name, "again": true, "op": map[string]any{"type": "add-marker", "at": marks, "name": name}})
			require.NoError(s.t, err)
			status, out := s.request("POST", "/episodes/"+episode+"/edits", body)
			var answer struct{ Version, Current int64 }
			switch status {
			case http.StatusOK:
				require.NoError(s.t, json.Unmarshal(out, &answer))
				version, done = answer.Version, true
				time.Sleep(pause)
			case http.StatusConflict:
				require.NoError(s.t, json.Unmarshal(out, &answer))
				version = answer.Current
			case 0, http.StatusServiceUnavailable:
				time.Sleep(20 * time.Millisecond) // before it is tried again; no result depends on it
			default:
				require.Fail(s.t, "an edit was refused", "%d %s", status, out)
			}
		}
	}
	return marks
}

// inHand is how many jobs of a kind may wait at a time.
const inHand = 10

// ended waits until a job has ended or the soak is over.
func (s *soak) ended(id string) {
	for time.Now().Before(s.over) {
		var job work.JobEvent
		if status, out := s.request("GET", "/jobs/"+id, nil); status == http.StatusOK && json.Unmarshal(out, &job) == nil && job.State.Final() {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// submit sends something that becomes a job, again and again, and gives the jobs that were
// acknowledged and how many requests were left without an answer.
func (s *soak) submit(request func(n int) (path string, body []byte)) (jobs []string, unknown int) {
	for n := 0; time.Now().Before(s.over); n++ {
		path, body := request(n)
		status, out := s.request("POST", path, body)
		switch {
		case status >= 200 && status < 300:
			var job struct {
				ID   string
				Jobs []struct{ ID string } // of what is begun together
			}
			require.NoError(s.t, json.Unmarshal(out, &job))
			for _, one := range job.Jobs {
				job.ID = one.ID
			}
			jobs = append(jobs, job.ID)
		case status == 0:
			unknown++
		case status != http.StatusServiceUnavailable:
			require.Fail(s.t, "a job was refused", "%d %s", status, out)
		}
		if len(jobs) > inHand { // so that there are not thousands of them to be waited for in the end
			s.ended(jobs[len(jobs)-1-inHand])
		}
		time.Sleep(300 * time.Millisecond)
	}
	return jobs, unknown
}

// listen listens to bits of an episode.
func (s *soak) listen(episode string) {
	for time.Now().Before(s.over) {
		r, err := http.Get(s.base + "/episodes/" + episode + "/listen?from=0")
		if err == nil {
			_, _ = io.CopyN(io.Discard, r.Body, 200_000)
			_ = r.Body.Close()
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// kill ends the database or the server at some moment or other.
func (s *soak) kill() {
	for time.Now().Before(s.over) {
		time.Sleep(time.Duration(1000+rand.IntN(5000)) * time.Millisecond)
		s.mu.Lock()
		if rand.IntN(2) == 0 {
			_ = s.cmd.Process.Kill()
			_ = s.cmd.Wait()
			s.start()
			s.kills["server"]++
		} else if pid, err := os.ReadFile(filepath.Join(s.data, "database", "run", "pid")); err == nil {
			if n, err := strconv.Atoi(strings.TrimSpace(string(pid))); err == nil && syscall.Kill(n, syscall.SIGKILL) == nil {
				s.kills["database"]++
			}
		}
		s.mu.Unlock()
	}
}

func TestNothingIsLostOrLeaksHoweverOftenSomethingIsKilled(t *testing.T) {
	t.Parallel()
	length := 30 * time.Second
	if v := os.Getenv("RUVEL_SOAK"); v != "" {
		var err error
		length, err = time.ParseDuration(v)
		require.NoError(t, err)
	}
	log, err := os.CreateTemp("", "ruvel-soak-log")
	require.NoError(t, err)
	s := &soak{t: t, data: filepath.Join(place(t), "data"), log: log, port: testkit.Port(t), over: time.Now().Add(length), kills: map[string]int{}}
	s.start()
	t.Cleanup(func() {
		_ = s.cmd.Process.Signal(syscall.SIGINT)
		_ = s.cmd.Wait()
		if !t.Failed() {
			_ = os.Remove(log.Name())
		}
	})
	show := insisted[named](s, "POST", "/shows", map[string]any{"name": "Harbour Hours"}).ID
	episode := func() string {
		return insisted[named](s, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "Fog"}).ID
	}
	edited, more, heard := episode(), episode(), episode()
	wav, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(2, 0.3, 2*audio.Second, 1)))
	require.NoError(t, err)
	status, out := s.request("POST", "/shows/"+show+"/sounds?file=first.wav&part=music&episode="+heard, wav) // so that there is something to mix down
	require.Equal(t, 200, status, string(out))
	var track string
	require.Eventually(t, func() bool {
		doc := insisted[episodes.Desk](s, "GET", "/episodes/"+heard, nil).Document
		if clipsOf(doc) == 1 {
			track = doc.Tracks[0].ID
		}
		return track != ""
	}, time.Minute, 10*time.Millisecond)
	file := func(n int) (string, []byte) { // each has another last sample, and so is another sound
		out := bytes.Clone(wav)
		copy(out[len(out)-4:], fmt.Sprintf("%04d", n%10000))
		return fmt.Sprintf("/shows/%s/sounds?file=a.wav&part=music&episode=%s&track=%s&start=%d", show, heard, track, 4*(n+1)*audio.Rate), out
	}
	mix := func(int) (string, []byte) {
		return "/episodes/" + heard + "/mixdowns", []byte(`{"files":[{"format":"wav-16"}],"asItIs":true,"overrule":true,"to":96000}`)
	}
	s.over = time.Now().Add(length)

	var g sync.WaitGroup
	var marks, moreMarks, unknown, unknownMixes int
	var imports, mixes []string
	g.Go(func() { marks = s.edit(edited) })
	g.Go(func() { moreMarks = s.edit(more) })
	g.Go(func() { imports, unknown = s.submit(file) })
	g.Go(func() { mixes, unknownMixes = s.submit(mix) })
	g.Go(func() { s.listen(heard) })
	g.Go(s.kill)
	g.Wait()
	t.Logf("%v; %d and %d edits, %d imports and %d mixdowns were acknowledged, %d and %d requests had no answer; killed: %v",
		length, marks, moreMarks, len(imports), len(mixes), unknown, unknownMixes, s.kills)
	s.nothingIsLost(show, map[string]int{edited: marks, more: moreMarks}, heard, imports, mixes, unknown, unknownMixes)
	s.nothingLeaks(show, heard)
}

// came waits for jobs to end and gives those that came to what they were to be, which is all: a kill of the server is no fault of theirs.
func (s *soak) came(jobs []string) (done []string) {
	for _, id := range jobs {
		var job work.JobEvent
		require.Eventually(s.t, func() bool {
			job = insisted[work.JobEvent](s, "GET", "/jobs/"+id, nil)
			return job.State.Final()
		}, 2*time.Minute, 20*time.Millisecond, "job %s; %s", id, s.log.Name())
		if assert.Equal(s.t, "done", string(job.State), "%+v", job.Problem) {
			done = append(done, id)
		}
	}
	return done
}

func (s *soak) nothingIsLost(show string, marks map[string]int, heard string, imports, mixes []string, unknown, unknownMixes int) {
	imports, mixes = s.came(imports), s.came(mixes)
	require.Eventually(s.t, func() bool { // those whose requests had no answer
		return len(insisted[[]work.JobEvent](s, "GET", "/shows/"+show+"/jobs", nil)) == 0
	}, 2*time.Minute, 50*time.Millisecond)
	for episode, want := range marks {
		doc := insisted[episodes.Desk](s, "GET", "/episodes/"+episode, nil).Document
		there := map[string]int{}
		for _, m := range doc.Markers {
			there[m.Name]++
		}
		for n := range want {
			require.Equal(s.t, 1, there[fmt.Sprintf("mark %d", n)], "an acknowledged edit is there once")
		}
	}
	doc := insisted[episodes.Desk](s, "GET", "/episodes/"+heard, nil).Document
	clips := clipsOf(doc) - 1
	// A database that is killed after it kept a job and before it said so is answered with
	// "does not answer", if it does not come back soon: such a job was not acknowledged, and is done.
	unknown, unknownMixes = unknown+s.kills["database"], unknownMixes+s.kills["database"]
	assert.GreaterOrEqual(s.t, clips, len(imports))
	assert.LessOrEqual(s.t, clips, len(imports)+unknown, "none is placed twice")
	files := insisted[[]handover.Mixdown](s, "GET", "/episodes/"+heard+"/mixdowns", nil)
	assert.GreaterOrEqual(s.t, len(files), len(mixes))
	assert.LessOrEqual(s.t, len(files), len(mixes)+unknownMixes)
	for _, m := range files {
		status, _ := s.request("GET", "/mixdowns/"+m.ID+"/file", nil)
		assert.Equal(s.t, 200, status)
	}
}

func clipsOf(doc session.Document) (n int) {
	for _, t := range doc.Tracks {
		n += len(t.Clips)
	}
	return n
}

func (s *soak) nothingLeaks(show, heard string) {
	sounds := insisted[[]library.ShowSound](s, "GET", "/shows/"+show+"/sounds", nil)
	files := insisted[[]handover.Mixdown](s, "GET", "/episodes/"+heard+"/mixdowns", nil)
	var originals, mixdowns, broken, left int
	require.NoError(s.t, filepath.WalkDir(s.data, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return nil
		}
		switch name, _ := filepath.Rel(s.data, path); {
		case strings.HasPrefix(name, "originals/") && strings.HasSuffix(name, ".tmp"): // half written when it was killed; swept after a day
			broken++
		case strings.HasPrefix(name, "originals/mixdowns/"):
			mixdowns++
		case strings.HasPrefix(name, "originals/"):
			originals++
		case strings.HasPrefix(name, "uploads/"), strings.HasPrefix(name, "takes/"), strings.HasPrefix(name, "scratch/"), strings.Contains(name, ".part"):
			left++
		}
		return nil
	}))
	assert.Zero(s.t, left, "nothing is left half made")
	assert.LessOrEqual(s.t, broken, 3*s.kills["server"]) // no more at a time were being written
	assert.Equal(s.t, len(files), mixdowns)
	assert.GreaterOrEqual(s.t, originals, len(sounds))
	assert.LessOrEqual(s.t, originals, len(sounds)+s.kills["server"]+s.kills["database"]+1, "besides those whose requests broke off, which are swept")
	pid := s.cmd.Process.Pid
	require.Eventually(s.t, func() bool {
		http.DefaultClient.CloseIdleConnections()
		all, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
		return err == nil && len(all) < 80
	}, time.Minute, 100*time.Millisecond, "descriptors")
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(s.t, err)
	_, rss, _ := strings.Cut(string(status), "VmRSS:")
	kilobytes, err := strconv.Atoi(strings.Fields(rss)[0])
	require.NoError(s.t, err)
	s.t.Logf("the server has %d MB in memory", kilobytes>>10)
	assert.Less(s.t, kilobytes, 700<<10)
}
