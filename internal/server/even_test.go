package server_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/testkit"
)

func TestVoicesAreBroughtToTheSameLoudness(t *testing.T) {
	show, episode := newEpisode(t)
	noise := func(loud float64, seed uint64) audio.PCM { return testkit.Noise(1, loud, 8*audio.Second, seed) }
	imported(t, show, episode, "keeper", noise(0.4, 1))
	imported(t, show, episode, "presenter", noise(0.1, 2))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	require.Len(t, d.Document.Tracks, 2)
	found := want[balance.Evening](t, "GET", "/episodes/"+episode+"/evening", nil)
	require.Len(t, found.Rows, 2)
	assert.Equal(t, d.Version, found.Version)
	assert.Equal(t, audio.DB(-1), found.Ceiling)
	assert.InDelta(t, 12.04, found.Rows[0].Now-found.Rows[1].Now, 0.1, "a quarter of the amplitude")
	assert.InDelta(t, (found.Rows[0].Now+found.Rows[1].Now)/2, found.Target, 1e-9)
	assert.Equal(t, []string{"Voice 1", "Voice 2"}, []string{found.Rows[0].Track, found.Rows[1].Track})
	clips := []any{}
	for _, r := range found.Rows {
		for clip, gain := range r.Gains {
			clips = append(clips, map[string]any{"clip": clip, "gain": gain})
		}
	}
	do(t, episode, d.Version, map[string]any{"type": "set-clips", "clips": clips})
	again := want[balance.Evening](t, "GET", "/episodes/"+episode+"/evening?of=tracks", nil)
	require.Len(t, again.Rows, 2)
	for i, r := range again.Rows {
		assert.InDelta(t, found.Target, r.Now, 0.05)
		assert.InDelta(t, 0, float64(r.Change), 0.05)
		assert.Equal(t, d.Document.Tracks[i].Name, r.Name)
	}
	// What is heard says the same: one voice after the other, alone.
	for i := range d.Document.Tracks {
		d = want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
		other := d.Document.Tracks[1-i].ID
		do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{
			map[string]any{"track": other, "mute": true}, map[string]any{"track": d.Document.Tracks[i].ID, "mute": false},
		}})
		assert.InDelta(t, found.Target, loudness.Measure(stream(t, episode, "from=0")).Integrated, 0.1)
	}

	peaks := want[balance.Evening](t, "GET", "/episodes/"+episode+"/evening?by=peak&to=-3", nil)
	assert.InDelta(t, -3, peaks.Rows[0].Then, 1e-9)
	one := want[balance.Evening](t, "GET", "/episodes/"+episode+"/evening?clips="+d.Document.Tracks[0].ClipsInOrder()[0], nil)
	assert.Len(t, one.Rows, 1)
	assert.Empty(t, want[balance.Evening](t, "GET", "/episodes/"+episode+"/evening?clips=c99", nil).Rows)
	refused(t, 422, "GET", "/episodes/"+episode+"/evening?to=7", nil)
	refused(t, 422, "GET", "/episodes/"+episode+"/evening?of=cats", nil)
}
