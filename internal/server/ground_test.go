package server_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// follow listens to an episode's events until the test ends.
func follow(t *testing.T, episode string) <-chan work.Event {
	t.Helper()
	r, err := http.Get(base + "/events?episode=" + episode)
	require.NoError(t, err)
	t.Cleanup(func() { _ = r.Body.Close() })
	lines := bufio.NewScanner(r.Body)
	lines.Buffer(nil, 8<<20)
	for lines.Scan() && !strings.Contains(lines.Text(), `"version"`) { // the first beat: from now on everything is told
	}
	events := make(chan work.Event, 100)
	go func() {
		defer close(events)
		for lines.Scan() {
			if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				var e work.Event
				if json.Unmarshal([]byte(data), &e) == nil {
					events <- e
				}
			}
		}
	}()
	return events
}

// next gives the next event that meets a condition.
func next(t *testing.T, events <-chan work.Event, condition func(work.Event) bool) work.Event {
	t.Helper()
	deadline := time.After(patience)
	for {
		select {
		case e, more := <-events:
			require.True(t, more, "the events have ended")
			if condition(e) {
				return e
			}
		case <-deadline:
			require.Fail(t, "no such event came")
		}
	}
}

func TestAWholeShowIsMeasuredInTheBackgroundOnceForAllWhoAsk(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Noise(2, 0.25, 30*audio.Second, 6)
	imported(t, show, episode, "theme", pcm)
	events := follow(t, episode)
	clip := firstClip(t, episode)
	// A quarter of an hour of it.
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	for i := 1; i < 30; i++ {
		version = do(t, episode, version, map[string]any{"type": "copy-clips", "clips": []string{clip}, "start": i * 30 * audio.Rate}).Version
	}
	begun := time.Now()
	var g sync.WaitGroup
	for range 30 {
		g.Go(func() {
			m := want[balance.Measured](t, "GET", "/episodes/"+episode+"/loudness", nil)
			assert.True(t, m.Measuring || m.Version == version)
		})
	}
	g.Wait()
	asked := time.Since(begun)
	e := next(t, events, func(e work.Event) bool { return e.Loudness != nil })
	t.Logf("thirty were answered in %v, the show was measured after %v", asked, time.Since(begun))
	assert.Equal(t, version, e.Loudness.Version)
	m := want[balance.Measured](t, "GET", "/episodes/"+episode+"/loudness", nil)
	require.False(t, m.Measuring)
	assert.Equal(t, 900*audio.Second, m.Loudness.Length)
	assert.NotEmpty(t, m.Verdict.Text)

	// A measurement that has become outdated is given up, and the latest version wins.
	gain := func(db float64) int64 {
		version = do(t, episode, version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": "t1", "fader": db}}}).Version
		want[balance.Measured](t, "GET", "/episodes/"+episode+"/loudness", nil)
		return version
	}
	for db := -1.0; db >= -6; db-- {
		gain(db)
	}
	e = next(t, events, func(e work.Event) bool { return e.Loudness != nil && e.Loudness.Version == version })
	require.NotNil(t, e.Loudness)
	after := want[balance.Measured](t, "GET", "/episodes/"+episode+"/loudness", nil)
	assert.InDelta(t, m.Loudness.Integrated-6, after.Loudness.Integrated, 0.01)
}

// firstClip is the id of some clip of an episode.
func firstClip(t *testing.T, episode string) string {
	t.Helper()
	for _, tr := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks {
		for _, id := range tr.ClipsInOrder() {
			return id
		}
	}
	require.Fail(t, "there is no clip")
	return ""
}

// raw opens a connection and sends a request whose answer is not read.
func raw(t *testing.T, path string) net.Conn {
	t.Helper()
	host := strings.TrimPrefix(strings.TrimSuffix(base, "/api"), "http://")
	c, err := net.Dial("tcp", host)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	require.NoError(t, c.(*net.TCPConn).SetReadBuffer(4096))
	_, err = fmt.Fprintf(c, "GET /api%s HTTP/1.1\r\nHost: %s\r\n\r\n", path, host)
	require.NoError(t, err)
	return c
}

func TestAListenerThatDoesNotReadIsCutOff(t *testing.T) {
	t.Parallel()
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 16*audio.Second, 6))
	require.Eventually(t, func() bool { return house.Sounds.Mapped() == 0 }, patience, tick)
	c := raw(t, "/episodes/"+episode+"/listen?loop=true&to=480000")
	require.Eventually(t, func() bool { return house.Sounds.Mapped() > 0 }, patience, tick)
	begun := time.Now()
	// The stream holds the working copy until it is cut off.
	require.Eventually(t, func() bool { return house.Sounds.Mapped() == 0 }, patience, tick)
	t.Logf("cut off after %v", time.Since(begun))
	_ = c.Close()
}

func TestAWindowThatDoesNotReadItsEventsIsCutOff(t *testing.T) {
	t.Parallel()
	_, episode := newEpisode(t)
	before := house.Queue.Listeners()
	raw(t, "/events?episode="+episode)
	require.Eventually(t, func() bool { return house.Queue.Listeners() > before }, patience, tick)
	loud := fmt.Appendf(nil, `{"script":{"show":%q}}`, strings.Repeat("x", 1<<19))
	begun := time.Now()
	require.Eventually(t, func() bool {
		_ = house.Queue.Tell(work.EpisodeSubject(episode), loud)
		return house.Queue.Listeners() == before
	}, patience, 10*tick)
	t.Logf("cut off after %v", time.Since(begun))
}

func TestACopyThatIsCutShortUnderAListenerEndsThatRequestAndNotTheServer(t *testing.T) {
	show, episode := newEpisode(t)
	pcm := testkit.Noise(2, 0.25, 16*audio.Second, 61)
	sound := imported(t, show, episode, "theme", pcm)
	r, err := http.Get(base + "/episodes/" + episode + "/listen?from=48000")
	require.NoError(t, err)
	defer r.Body.Close()
	_, err = io.ReadFull(r.Body, make([]byte, 1000))
	require.NoError(t, err)
	require.NoError(t, os.Truncate(filepath.Join(data, "cache", sound, "channel-1.f32"), 4096))
	_, err = io.Copy(io.Discard, r.Body)
	require.Error(t, err, "the stream breaks off")
	// The next listener, the next file and the next picture have a copy made anew.
	assert.Zero(t, testkit.MaxDifference(t, pcm.Slice(0, audio.Second), stream(t, episode, "from=48000&to=96000")))
	status, _, _ := call(t, "GET", "/sounds/"+sound+"/audio", nil)
	assert.Equal(t, 200, status)
	// As has one who asks while nobody reads.
	require.Eventually(t, func() bool { return house.Sounds.Mapped() == 0 }, patience, tick)
	require.NoError(t, os.Truncate(filepath.Join(data, "cache", sound, "channel-0.f32"), 0))
	assert.Zero(t, testkit.MaxDifference(t, pcm.Slice(0, audio.Second), stream(t, episode, "from=48000&to=96000")))
}

// inUse is what this process has open: descriptors, and mappings of working copies.
func inUse(t *testing.T) (descriptors, mappings int) {
	t.Helper()
	open, err := os.ReadDir("/proc/self/fd")
	require.NoError(t, err)
	maps, err := os.ReadFile("/proc/self/maps")
	require.NoError(t, err)
	return len(open), strings.Count(string(maps), filepath.Join(data, "cache"))
}

func TestAfterAHundredEpisodesWereOpenedAndClosedEverythingIsBackWhereItWas(t *testing.T) {
	show, episode := newEpisode(t)
	sound := imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 16*audio.Second, 62))
	visit := func(n int) {
		e := want[episodes.Episode](t, "POST", "/shows/"+show+"/episodes", map[string]any{"title": fmt.Sprintf("Episode %d", n)})
		do(t, e.ID, 1, map[string]any{"type": "insert-clip", "sound": sound, "start": 0, "part": "music"})
		events, err := http.Get(base + "/events?episode=" + e.ID)
		require.NoError(t, err)
		stream(t, e.ID, "from=0", 3)
		want[balance.Measured](t, "GET", "/episodes/"+e.ID+"/loudness", nil)
		call(t, "GET", "/sounds/"+sound+"/peaks/2", nil)
		_, _ = io.CopyN(io.Discard, events.Body, 10)
		require.NoError(t, events.Body.Close())
		http.DefaultClient.CloseIdleConnections()
	}
	settled := func() (descriptors, mappings int, heap uint64) {
		require.Eventually(t, func() bool { return house.Sounds.Mapped() == 0 }, patience, tick)
		http.DefaultClient.CloseIdleConnections()
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		descriptors, mappings = inUse(t)
		return descriptors, mappings, m.HeapInuse
	}
	for n := range 10 { // what is kept once is kept
		visit(n)
	}
	descriptors, mappings, heap := settled()
	assert.Zero(t, mappings)
	for n := range 100 {
		visit(10 + n)
	}
	var d, mm int
	var h uint64
	assert.Eventually(t, func() bool {
		d, mm, h = settled()
		return d <= descriptors+3 && mm == 0 // a descriptor or two are the database's and the clock's
	}, patience, 100*tick)
	t.Logf("descriptors %d, then %d; mappings %d, then %d; heap %d MB, then %d MB", descriptors, d, mappings, mm, heap>>20, h>>20)
	assert.Less(t, int64(h)-int64(heap), int64(16<<20))
}

func TestDeletingASoundFreesItsDiskAtOnce(t *testing.T) {
	show, episode := newEpisode(t)
	sound := imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 16*audio.Second, 63))
	house.Plans.Idle = time.Hour // a plan that nobody renders must not keep it
	defer func() { house.Plans.Idle = 50 * time.Millisecond }()
	stream(t, episode, "from=0", 3)
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	do(t, episode, version, map[string]any{"type": "remove-clips", "clips": []string{firstClip(t, episode)}})
	require.Eventually(t, func() bool {
		want[any](t, "GET", "/episodes/"+episode, nil)
		status, _, _ := call(t, "DELETE", "/shows/"+show+"/sounds/"+sound, nil)
		return status < 300 || status == 404
	}, patience, tick)
	require.Eventually(t, func() bool {
		maps, err := os.ReadFile("/proc/self/maps")
		return err == nil && !strings.Contains(string(maps), sound)
	}, 5*time.Second, tick, "nothing of it is mapped")
	_, err := os.Stat(filepath.Join(data, "cache", sound))
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestAnEditSentAgainBecauseItsAnswerWasLostIsDoneOnce(t *testing.T) {
	_, episode := newEpisode(t)
	edit := map[string]any{"base": 1, "gesture": "lost-1", "again": true, "op": map[string]any{"type": "add-track", "part": "voice"}}
	c := want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", edit)
	assert.Equal(t, int64(2), c.Version)
	c = want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", edit)
	assert.Equal(t, int64(2), c.Version)
	assert.Len(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks, 1)
}

func TestAPointIsNamedByItsTimeAndNothingElseIsMet(t *testing.T) {
	_, episode := newEpisode(t)
	do(t, episode, 1, map[string]any{"type": "add-track", "part": "music"})
	line := func(at int) map[string]any { return map[string]any{"track": "t1", "at": at, "level": -6} }
	do(t, episode, 2, map[string]any{"type": "add-points", "points": []any{line(100), line(200), line(300)}})
	remove := map[string]any{"base": 3, "op": map[string]any{"type": "remove-points", "points": []any{map[string]any{"track": "t1", "at": 200}}}}
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", remove)
	remove["base"] = 4 // as a window sends it again on the version that the conflict names
	code, message := refused(t, 422, "POST", "/episodes/"+episode+"/edits", remove)
	assert.Equal(t, "unknown-point", code)
	assert.Equal(t, "That point is not on the level line any more.", message)
	assert.Equal(t, []session.Point{{At: 100, Level: -6}, {At: 300, Level: -6}}, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks[0].Envelope)
}

func TestALargeEditIsRefusedAtOnceWithASentence(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(1, 0.25, 16*audio.Second, 64))
	clip := firstClip(t, episode)
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	var points []any
	for at := range 1000 {
		points = append(points, map[string]any{"clip": clip, "at": at * 100, "level": -1})
	}
	events := follow(t, episode)
	version = do(t, episode, version, map[string]any{"type": "add-points", "points": points}).Version
	// The same id many times is one clip.
	c := do(t, episode, version, map[string]any{"type": "copy-clips", "clips": bytesRepeat(clip, 4900), "start": 20 * audio.Second})
	assert.Less(t, len(c.Patch), 60000)
	version = c.Version
	all := []string{}
	for range 6 {
		all = all[:0]
		doc := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document
		for _, tr := range doc.Tracks {
			all = append(all, tr.ClipsInOrder()...)
		}
		version = do(t, episode, version, map[string]any{"type": "copy-clips", "clips": all, "start": doc.Length()}).Version
	}
	// A patch that is too large for a message is not told; the window is told to ask.
	large := next(t, events, func(e work.Event) bool { return e.Change != nil && e.Change.Version == version })
	assert.Empty(t, large.Change.Patch)
	all = all[:0]
	for _, tr := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks {
		all = append(all, tr.ClipsInOrder()...)
	}
	begun := time.Now()
	code, message := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": version, "op": map[string]any{"type": "copy-clips", "clips": all, "start": 0}})
	t.Logf("refused after %v", time.Since(begun))
	assert.Equal(t, "too-many-points", code)
	assert.Contains(t, message, "A session holds at most 200000 points")
}

func bytesRepeat(s string, n int) (out []string) {
	for range n {
		out = append(out, s)
	}
	return out
}

func TestTheRemovalOfAnEpisodeIsToldToItsWindows(t *testing.T) {
	_, episode := newEpisode(t)
	events := follow(t, episode)
	want[any](t, "DELETE", "/episodes/"+episode, nil)
	next(t, events, func(e work.Event) bool { return e.Removed != nil })
	// A window that asks later is told so at once, and its stream stays: one that ended would be asked for again.
	late, err := http.Get(base + "/events?episode=" + episode)
	require.NoError(t, err)
	defer late.Body.Close()
	line, err := bufio.NewReader(late.Body).ReadString('\n')
	require.NoError(t, err)
	assert.Contains(t, line, `"removed"`)
}

func TestADeskComesWithWhatFollowsFromItsDocument(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 16*audio.Second, 65))
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	assert.Equal(t, 17*audio.Second, desk.Glance.Length)
	require.Len(t, desk.Glance.Tracks, 1)
	assert.Equal(t, 2, desk.Glance.Tracks[0].Channels)
	c := do(t, episode, desk.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": desk.Document.Tracks[0].ID, "mute": true}}})
	assert.False(t, c.Glance.Tracks[0].Heard)
	assert.True(t, bytes.Contains(c.Patch, []byte("mute")))
}
