package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// broughtUp has an episode with a treated voice and music that makes way for it, and the ids of both tracks.
func broughtUp(t *testing.T, length audio.Frames) (episode, voice, music string) {
	t.Helper()
	show, episode := newEpisode(t)
	said := audio.NewPCM(1, 0)
	for said.Length() < length { // with pauses so long that each sentence is made way for by itself
		said = testkit.Join(said, speaks(2*audio.Second), testkit.Noise(1, 0.002, 4*audio.Second, 1))
	}
	imported(t, show, episode, "keeper", said.Slice(0, length))
	imported(t, show, episode, "tide", testkit.Noise(2, 0.1, length, 3))
	d := want[server.Desk](t, "GET", "/episodes/"+episode, nil)
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
	b := want[server.Balance](t, "GET", "/episodes/"+episode+"/balance", nil)
	require.Greater(t, len(b.Speech[0].Stretches), 4, "each sentence by itself")
	for round := range 3 {
		d := want[server.Desk](t, "GET", "/episodes/"+episode, nil)
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
			case <-time.After(20 * time.Second):
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
	sound := imported(t, show, episode, "keeper", speaks(12*audio.Second))
	d := want[server.Desk](t, "GET", "/episodes/"+episode, nil)
	track := d.Document.Tracks[0]
	row := edit.Row{Name: track.Name, Part: session.Voice}
	none := session.Fade{Shape: session.Linear}
	for i := range clips - 1 {
		at := audio.Frames(i) * 40000
		row.Clips = append(row.Clips, session.Clip{Name: fmt.Sprintf("Clip %d", i), Sound: sound, Start: at, Offset: at % 480000, Length: 36000, FadeIn: none, FadeOut: none, Envelope: []session.Point{}})
	}
	edited(t, episode, d.Version, edit.PasteClips{Fragment: edit.Fragment{Length: audio.Frames(clips) * 40000, Rows: []edit.Row{row}}, At: 960000, Track: track.ID})
	return show, episode
}

func TestRequestsThatNobodyWaitsForHoldUpNobody(t *testing.T) {
	_, busy := crowded(t, 5000)
	_, quiet := crowded(t, 20)
	d := want[server.Desk](t, "GET", "/episodes/"+busy, nil)
	require.Len(t, d.Document.Tracks[0].Clips, 5000)
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
	assert.Less(t, time.Since(begun), 15*time.Second, "another episode is answered meanwhile")
	gone.Wait()
	begun = time.Now()
	for _, path := range []string{"/findings", "/balance", "/evening"} {
		want[map[string]any](t, "GET", "/episodes/"+quiet+path+"?"+strings.Repeat("x", 3), nil)
	}
	assert.Less(t, time.Since(begun), 5*time.Second, "and nothing of what was dropped goes on")
}
