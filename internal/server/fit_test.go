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
	"ruvel/internal/arrange"
	"ruvel/internal/episodes"
	"ruvel/internal/work"
	"ruvel/testkit"
)

func TestAPieceOfMusicIsFittedToALengthAndHeardBefore(t *testing.T) {
	show, episode := newEpisode(t)
	job := want[work.JobEvent](t, "POST", "/shows/"+show+"/shelf/morning-boats", map[string]any{"episode": episode, "start": 48000})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	var clip string
	for id := range desk.Document.Tracks[0].Clips {
		clip = id
	}
	until := audio.Second + audio.Seconds(74.4) // half as long again
	fits := want[arrange.Fits](t, "GET", fmt.Sprintf("/episodes/%s/fit?clip=%s&until=%d", episode, clip, until), nil)
	assert.InDelta(t, 104, fits.Tempo, 0.3, "its tempo in the collection")
	assert.Equal(t, 4, fits.Bar)
	assert.Equal(t, audio.Second, fits.Start)
	require.Len(t, fits.Ways, 2)
	for _, w := range fits.Ways {
		assert.InDelta(t, 74.4, w.Length.Seconds(), 0.05)
		assert.NotEmpty(t, w.Joins)
		assert.False(t, w.Used)
	}
	// What is heard before is what is heard afterwards.
	op, err := json.Marshal(fits.Ways[0].Op)
	require.NoError(t, err)
	join := fits.Ways[0].Joins[0]
	_, _, tried := call(t, "GET", fmt.Sprintf("/episodes/%s/try?op=%s&from=%d&to=%d", episode, url.QueryEscape(string(op)), join-audio.Second, join+audio.Second), nil)
	change := want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": desk.Version, "op": fits.Ways[0].Op})
	assert.Positive(t, change.Version)
	before := wavSamples(tried)
	after := stream(t, episode, fmt.Sprintf("from=%d&to=%d&rev=%d", join-audio.Second, join+audio.Second, change.Version))
	assert.Less(t, testkit.MaxDifference(t, before, after), 1e-4)
	// The second before the join and the one after it are as loud as bars of the piece are beside each other.
	x := after[0]
	assert.InDelta(t, testkit.RMS(x[:audio.Second]), testkit.RMS(x[audio.Second:]), 4)
	worst := 0.0
	for i := 1; i < len(x); i++ {
		worst = math.Max(worst, math.Abs(float64(x[i]-x[i-1])))
	}
	assert.Less(t, worst, 0.5, "no click")

	fits = want[arrange.Fits](t, "GET", fmt.Sprintf("/episodes/%s/fit?clip=%s&until=%d", episode, clip, until), nil)
	assert.True(t, fits.Ways[0].Used, "it is so now")
	want[any](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Len(t, clips(t, episode), 1)

	code, detail := refused(t, 422, "GET", fmt.Sprintf("/episodes/%s/fit?clip=%s&until=%d", episode, clip, 2*audio.Second), nil)
	assert.Equal(t, "too-short", code)
	assert.Contains(t, detail, "its own ending")
	code, _ = refused(t, 422, "GET", fmt.Sprintf("/episodes/%s/fit?clip=%s&until=%d", episode, "c999", until), nil)
	assert.Equal(t, "unknown-clip", code)
}

// wavSamples are those of a 16-bit WAV file in stereo with the usual head.
func wavSamples(data []byte) audio.PCM {
	data = data[44:]
	out := audio.NewPCM(2, audio.Frames(len(data)/4))
	for i := range out[0] {
		for c := range out {
			at := 4*i + 2*c
			out[c][i] = float32(int16(uint16(data[at])|uint16(data[at+1])<<8)) / 32768
		}
	}
	return out
}
