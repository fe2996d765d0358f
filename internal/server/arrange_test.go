package server_test

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/arrange"
	"ruvel/internal/episodes"
	"ruvel/internal/server"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// withPauses is an episode with a voice of 12 s that pauses from 4 to 7 s, and gives its clip.
func withPauses(t *testing.T) (show, episode, clip string, pcm audio.PCM, version int64) {
	t.Helper()
	show, episode = newEpisode(t)
	pcm = testkit.Noise(1, 0.0025, 12*audio.Second, 1)
	for k, words := range [][2]audio.Frames{{0, 4 * audio.Second}, {7 * audio.Second, 12 * audio.Second}} {
		for i, v := range testkit.Voice(0.3, uint64(k), words[1]-words[0])[0] {
			pcm[0][words[0]+audio.Frames(i)] += v
		}
	}
	imported(t, show, episode, "voice", pcm)
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	require.Len(t, desk.Document.Tracks, 1)
	track := desk.Document.Tracks[0]
	if track.Part != session.Voice {
		do(t, episode, desk.Version, map[string]any{"type": "set-tracks", "tracks": []map[string]any{{"track": track.ID, "part": "voice"}}})
		desk = want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	}
	for id := range track.Clips {
		clip = id
	}
	return show, episode, clip, pcm, desk.Version
}

func TestPausesAreFoundTriedAndTightened(t *testing.T) {
	_, episode, _, _, version := withPauses(t)
	start := 1 * audio.Second // where an import is placed by the tests
	found := want[arrange.Pauses](t, "GET", "/episodes/"+episode+"/pauses", nil)
	require.Len(t, found.Pauses, 1)
	p := found.Pauses[0]
	assert.InDelta(t, float64(start+4*audio.Second), float64(p.From), 0.08*audio.Rate)
	assert.InDelta(t, float64(start+7*audio.Second), float64(p.To), 0.08*audio.Rate)
	assert.Equal(t, audio.Second/2, p.To-p.From-(p.CutTo-p.CutFrom), "half a second is left")

	op := map[string]any{"type": "tighten-pauses", "cuts": []map[string]any{{"from": p.CutFrom, "to": p.CutTo}}}
	text, err := json.Marshal(op)
	require.NoError(t, err)
	from, to := p.CutFrom-audio.Second, p.CutFrom+audio.Second
	status, header, tried := call(t, "GET", fmt.Sprintf("/episodes/%s/try?from=%d&to=%d&op=%s", episode, from, to, url.QueryEscape(string(text))), nil)
	require.Equal(t, 200, status, string(tried))
	assert.Equal(t, "audio/wav", header.Get("Content-Type"))
	assert.Equal(t, version, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version, "trying changes nothing")
	do(t, episode, version, op)
	after := stream(t, episode, fmt.Sprintf("from=%d&to=%d", from, to))
	back := testkit.ReadAudio(t, testkit.WriteFile(t, "tried.wav", tried), 2)
	assert.Less(t, testkit.MaxDifference(t, after, back), 2.0/32768, "what was heard before is what it became")
	assert.Empty(t, want[arrange.Pauses](t, "GET", "/episodes/"+episode+"/pauses", nil).Pauses)
	code, _ := refused(t, 422, "GET", "/episodes/"+episode+"/pauses?longer=100&to=48000", nil)
	assert.Equal(t, "bad-pauses", code)
	code, _ = refused(t, 422, "GET", fmt.Sprintf("/episodes/%s/try?from=0&to=%d&op=%s", episode, 61*audio.Second, url.QueryEscape(string(text))), nil)
	assert.Equal(t, "bad-range", code)
	code, _ = refused(t, 422, "GET", "/episodes/"+episode+"/try?from=0&to=100&op=%7B", nil)
	assert.Equal(t, "bad-edit", code)
}

func TestAJoinIsMadeWhereTheRecordingItselfIsQuietest(t *testing.T) {
	_, episode, _, pcm, version := withPauses(t)
	// 3 ms beside the cut there is a lull on both sides of what goes.
	at := 3 * audio.Second
	change := do(t, episode, version, map[string]any{
		"type": "remove-ranges", "ranges": []map[string]any{{"from": at, "to": at + audio.Second}}, "close": "track",
	})
	require.NotEmpty(t, change.Glance.Crossings)
	x := change.Glance.Crossings[0]
	middle := (x.From + x.To) / 2
	power := func(around audio.Frames) (sum float64) { // of both sides, 10 ms around a join
		for _, shift := range []audio.Frames{0, audio.Second} {
			for i := range edit.JoinLength {
				v := float64(pcm[0][around-audio.Second+shift-edit.JoinLength/2+i])
				sum += v * v
			}
		}
		return sum
	}
	least := math.Inf(1)
	for off := -audio.Frames(192); off <= 192; off++ {
		least = min(least, power(at+off))
	}
	assert.InDelta(t, least, power(middle), 1e-6, "by trying every place within 4 ms")
}

func TestAFragmentIsPastedIntoAnEpisodeOfAnotherShow(t *testing.T) {
	_, episode, clip, pcm, _ := withPauses(t)
	f := want[edit.Fragment](t, "POST", "/episodes/"+episode+"/fragments", map[string]any{
		"clips": []string{clip}, "range": map[string]any{"from": 2 * audio.Second, "to": 4 * audio.Second},
	})
	require.Len(t, f.Rows, 1)
	_, other := newEpisode(t)
	do(t, other, 1, map[string]any{"type": "paste-clips", "at": 48000, "length": f.Length, "rows": f.Rows})
	heard := stream(t, other, "from=0")
	require.Equal(t, 3*audio.Second, heard.Length())
	assert.InDelta(t, pcm[0][audio.Second+1000]*math.Sqrt2/2, heard[0][audio.Second+1000], 1e-4)
	code, _ := refused(t, 422, "POST", "/episodes/"+episode+"/fragments", map[string]any{"clips": []string{"c999"}})
	assert.Equal(t, "nothing-there", code)
	f.Rows[0].Clips[0].Sound = testkit.ID(7)
	code, _ = refused(t, 422, "POST", "/episodes/"+other+"/edits", map[string]any{"base": 2, "op": map[string]any{"type": "paste-clips", "at": 0, "rows": f.Rows, "length": 1}})
	assert.Equal(t, "unknown-sound", code)
}

func TestTheHistoryIsWalkedAndVersionsAreNamed(t *testing.T) {
	_, episode := newEpisode(t)
	for base := int64(1); base <= 3; base++ {
		do(t, episode, base, map[string]any{"type": "add-track", "part": "voice"})
	}
	past := want[server.Past](t, "GET", "/episodes/"+episode+"/history", nil)
	require.Len(t, past.Steps, 3)
	assert.Equal(t, "Add the track “Voice 3”", past.Steps[0].Name)
	v := want[store.NamedVersion](t, "POST", "/episodes/"+episode+"/versions", map[string]any{"name": "Three voices"})
	change := want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/history/1", nil)
	assert.Equal(t, "Add the track “Voice 2”", change.Redo)
	assert.Len(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks, 1)
	assert.Len(t, want[[]store.NamedVersion](t, "GET", "/episodes/"+episode+"/versions", nil), 1)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/versions/"+v.ID+"/return", nil)
	assert.Len(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks, 3)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Len(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks, 1)
	code, _ := refused(t, 404, "POST", "/episodes/"+episode+"/history/99", nil)
	assert.Equal(t, "unknown-step", code)
	want[any](t, "DELETE", "/episodes/"+episode+"/versions/"+v.ID, nil)
	refused(t, 404, "POST", "/episodes/"+episode+"/versions/"+v.ID+"/return", nil)
}
