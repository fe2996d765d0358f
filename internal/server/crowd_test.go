package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/script"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/internal/publish"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// broughtUp has an episode with a treated voice and music that makes way for it, and the ids of both tracks.
func broughtUp(t *testing.T, length audio.Frames) (episode, voice, music string) {
	t.Helper()
	show, episode := newEpisode(t)
	said := audio.NewPCM(1, 0)
	for said.Length() < length { // with pauses so long that each sentence is made way for by itself
		said = testkit.Join(said, testkit.Spoken(2*audio.Second), testkit.Noise(1, 0.002, 4*audio.Second, 1))
	}
	imported(t, show, episode, "keeper", said.Slice(0, length))
	imported(t, show, episode, "tide", testkit.Noise(2, 0.1, length, 3))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	for _, track := range d.Document.Tracks {
		if track.Part == session.Voice {
			voice = track.ID
		} else {
			music = track.ID
		}
	}
	way := session.UsualWay()
	way.On = true
	do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{
		map[string]any{"track": voice, "treatment": compressing()},
		map[string]any{"track": music, "way": way},
	}})
	return episode, voice, music
}

// opened begins a request and gives its answer, once its head has come, and what leaves it.
func opened(t testing.TB, path string) (<-chan *http.Response, context.CancelFunc) {
	t.Helper()
	ctx, leave := context.WithCancel(t.Context())
	r, err := http.NewRequestWithContext(ctx, "GET", base+path, nil)
	require.NoError(t, err)
	came := make(chan *http.Response, 1)
	go func() {
		if answer, err := http.DefaultClient.Do(r); err == nil {
			came <- answer
		}
	}()
	return came, leave
}

func TestWhoeverListensWithoutTreatmentHoldsUpNoOtherListener(t *testing.T) {
	episode, voice, music := broughtUp(t, 40*audio.Second)
	b := want[balance.Balance](t, "GET", "/episodes/"+episode+"/balance", nil)
	require.Greater(t, len(b.Speech[0].Stretches), 4, "each sentence by itself")
	rounds := 3
	if testing.Short() { // as with the race detector
		rounds = 1
	}
	for round := range rounds {
		d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
		do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": music, "fader": -1 - round}, map[string]any{"track": voice, "fader": -round}}})
		var leave []context.CancelFunc
		var others []<-chan *http.Response
		for i := range 3 {
			for _, query := range []string{fmt.Sprintf("from=%d&untreated=%s", i*576000, voice), fmt.Sprintf("from=%d", 288000+i*576000)} {
				came, left := opened(t, "/episodes/"+episode+"/listen?"+query)
				leave = append(leave, left)
				others = append(others, came)
			}
		}
		came, left := opened(t, "/episodes/"+episode+"/listen?from=48000")
		for _, came := range append(others, came) {
			select {
			case answer := <-came:
				require.Equal(t, http.StatusOK, answer.StatusCode)
				_, err := io.ReadFull(answer.Body, make([]byte, 600<<10)) // more than is sent at once
				assert.NoError(t, err)
				_ = answer.Body.Close()
			case <-time.After(patience):
				require.Fail(t, "a listener hears nothing")
			}
		}
		left()
		for _, l := range leave {
			l()
		}
	}
}

// edited carries an operation out.
func edited(t testing.TB, episode string, version int64, op edit.Op) work.ChangeEvent {
	t.Helper()
	return want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": version, "op": json.RawMessage(edit.Encode(op))})
}

// crowded is an episode of so many clips of a voice.
func crowded(t *testing.T, clips int) (show, episode string) {
	t.Helper()
	show, episode = newEpisode(t)
	sound := imported(t, show, episode, "keeper", testkit.Spoken(12*audio.Second))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	track := d.Document.Tracks[0]
	row := edit.Row{Name: track.Name, Part: session.Voice}
	none := session.Fade{Shape: session.Linear}
	for i := range clips - 1 {
		at := audio.Frames(i) * 40000
		row.Clips = append(row.Clips, session.Clip{Name: fmt.Sprintf("Clip %d", i), Sound: sound, Start: at, Offset: at % 480000, Length: 36000, FadeIn: none, FadeOut: none, Envelope: []session.Point{}})
	}
	edited(t, episode, d.Version, edit.PasteClips{Fragment: edit.Fragment{Length: audio.Frames(clips) * 40000, Rows: []edit.Row{row}}, At: 960000, Track: track.ID})
	t.Cleanup(func() { // with what is being measured of it, which others would wait for
		r, err := http.NewRequest("DELETE", base+"/episodes/"+episode, nil)
		require.NoError(t, err)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		_ = answer.Body.Close()
	})
	return show, episode
}

func TestRequestsThatNobodyWaitsForHoldUpNobody(t *testing.T) {
	many := 5000
	if testing.Short() { // as with the race detector
		many = 1000
	}
	_, busy := crowded(t, many)
	_, quiet := crowded(t, 20)
	d := want[episodes.Desk](t, "GET", "/episodes/"+busy, nil)
	require.Len(t, d.Document.Tracks[0].Clips, many)
	clip := d.Document.Tracks[0].ClipsInOrder()[0]
	paths := []string{"/fit?clip=" + clip + "&until=%d", "/evening?clips=" + clip + ",x%d", "/evening?to=-%d", "/findings?loopTo=%d", "/balance?x=%d"}
	for _, path := range paths { // and how long one takes by itself
		begun := time.Now()
		call(t, "GET", "/episodes/"+busy+fmt.Sprintf(path, 7), nil)
		t.Logf("%s: %v", path, time.Since(begun))
	}
	var gone sync.WaitGroup
	for i := range 500 {
		gone.Go(func() {
			ctx, leave := context.WithTimeout(t.Context(), 150*time.Millisecond)
			defer leave()
			r, err := http.NewRequestWithContext(ctx, "GET", base+"/episodes/"+busy+fmt.Sprintf(paths[i%len(paths)], 10+i), nil)
			assert.NoError(t, err)
			if answer, err := http.DefaultClient.Do(r); err == nil {
				_ = answer.Body.Close()
			}
		})
	}
	begun := time.Now()
	for _, path := range []string{"/findings", "/balance", "/evening"} {
		want[map[string]any](t, "GET", "/episodes/"+quiet+path, nil)
	}
	assert.Less(t, time.Since(begun), patience/3, "another episode is answered meanwhile")
	gone.Wait()
	begun = time.Now()
	for _, path := range []string{"/findings", "/balance", "/evening"} {
		want[map[string]any](t, "GET", "/episodes/"+quiet+path+"?"+strings.Repeat("x", 3), nil)
	}
	assert.Less(t, time.Since(begun), 5*time.Second, "and nothing of what was dropped goes on")
}

// published has a show with so many episodes in its feed, each with a transcript of so many bytes, and gives the path of its feed.
func published(t *testing.T, episodes, transcript int) string {
	t.Helper()
	show, _ := newEpisode(t)
	text := strings.Repeat("Two long blasts, and a pause. ", 30)
	var parts []script.Part
	for n := 0; n < transcript; n += len(text) {
		parts = append(parts, script.Part{Kind: script.Spoken, Text: text})
	}
	for range episodes {
		e, err := house.Store.AddEpisode(t.Context(), show, "The Last Fog Signal", 0, session.New())
		require.NoError(t, err)
		m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 1, Format: "mp3", File: "fog.mp3", Bytes: 9}
		require.NoError(t, house.Store.AddMixdown(t.Context(), m, session.New()))
		require.NoError(t, house.Bucket.WriteAll(t.Context(), work.MixdownKey(m), []byte("no sound."), nil))
		page := store.Page{File: m.File, Bytes: m.Bytes, Type: "audio/mpeg", Transcript: parts}
		page.Sheet.Title = e.Title
		require.NoError(t, house.Store.Publish(t.Context(), store.Publication{Episode: e.ID, Show: show, GUID: store.NewID(), Mixdown: &m.ID, Page: store.JSON[store.Page]{Of: page}, Published: time.Now().Add(-time.Hour)}))
	}
	return want[publish.FeedView](t, "GET", "/shows/"+show+"/feed", nil).Path
}

func TestAFeedOfLongTranscriptsIsReadByManyAtOnce(t *testing.T) {
	path := published(t, 20, 1<<20)
	read, _ := heardOf(t, path)
	require.Len(t, read.Items, 20)
	item := strings.TrimPrefix(read.Items[0].Link, strings.TrimSuffix(base, "/api"))
	_, html := visit(t, "GET", item+"/transcript.html", nil)
	assert.Greater(t, len(html), 1<<20, "the transcript is there for whoever asks for it")
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	begun := time.Now()
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			ask := path
			if i%2 > 0 {
				ask = item + "/sound.mp3"
			}
			answer, _ := visit(t, "GET", ask, nil, "Range", "bytes=0-3")
			assert.Less(t, answer.StatusCode, 300)
		})
	}
	all.Wait()
	runtime.ReadMemStats(&after)
	assert.Less(t, time.Since(begun), 5*time.Second)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(60<<20), "nothing that is not answered is read")
}

func TestATryThatNobodyReadsEnds(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.2, 40*audio.Second, 6))
	op := url.QueryEscape(`{"type":"add-marker","at":0,"name":"x"}`)
	path := fmt.Sprintf("/episodes/%s/try?from=0&to=%d&op=%s", episode, 60*audio.Second, op)
	want := func() int {
		status, _, _ := call(t, "GET", path, nil)
		return status
	}
	require.Equal(t, 200, want())
	var before, during runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var mute []net.Conn
	t.Cleanup(func() {
		for _, c := range mute {
			_ = c.Close()
		}
	})
	ask := func(times int) {
		for range times {
			c, err := net.Dial("tcp", strings.TrimPrefix(house.Address, "http://"))
			require.NoError(t, err)
			mute = append(mute, c)
			require.NoError(t, c.(*net.TCPConn).SetReadBuffer(4096))
			_, err = io.WriteString(c, "GET /api"+path+" HTTP/1.1\r\nHost: localhost\r\n\r\n")
			require.NoError(t, err)
		}
	}
	// Those before may have been cut off by the time that a busy machine gets to one that reads.
	deadline := time.Now().Add(patience)
	for ask(60); want() != http.StatusServiceUnavailable; ask(20) {
		require.True(t, time.Now().Before(deadline), "there are no more than so many")
	}
	runtime.GC()
	runtime.ReadMemStats(&during)
	assert.Less(t, int64(during.HeapAlloc)-int64(before.HeapAlloc), int64(100<<20), "of what nobody reads there is nothing")
	require.Eventually(t, func() bool { return want() == 200 }, 40*time.Second, 50*time.Millisecond, "and who does not read makes room")
}

// A request that is broken off gives its plan back, and with it the recordings that are mapped for it.
func TestAPlanIsGivenBackHoweverACheckEnds(t *testing.T) {
	_, episode := crowded(t, 200)
	for range 40 {
		ctx, leave := context.WithTimeout(t.Context(), 3*time.Millisecond)
		r, err := http.NewRequestWithContext(ctx, "GET", base+"/episodes/"+episode+"/findings", nil)
		require.NoError(t, err)
		if answer, err := http.DefaultClient.Do(r); err == nil {
			_ = answer.Body.Close()
		}
		leave()
		d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
		edited(t, episode, d.Version, edit.AddMarker{Name: "x"})
	}
	require.Eventually(t, func() bool {
		house.Plans.ForgetIdle()
		return house.Sounds.Mapped() == 0
	}, patience, tick, "nothing keeps recordings mapped")
}
