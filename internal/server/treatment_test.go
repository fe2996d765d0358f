package server_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

func TestATreatedTrackIsHeardAsItIsDeliveredAndTheTreatmentIsAStepOfTheHistory(t *testing.T) {
	show, episode := newEpisode(t)
	tone := testkit.Join(testkit.Sine(1, 300, -40, 0, 4*audio.Second), testkit.Sine(1, 300, -6, 0, 10*audio.Second))
	imported(t, show, episode, "keeper", tone)
	before := stream(t, episode, "from=48000")
	d := want[server.Desk](t, "GET", "/episodes/"+episode, nil)
	treatment := session.Usual()
	treatment.Compressor = session.Compressor{On: true, Threshold: -20, Ratio: 4, Attack: 2, Release: 100, Detector: session.Peaks}
	set := func(treatment session.Treatment) map[string]any {
		return map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": d.Document.Tracks[0].ID, "treatment": treatment}}}
	}
	do(t, episode, d.Version, set(treatment))
	after := stream(t, episode, "from=48000")
	level := func(pcm audio.PCM, from, to float64) float64 {
		return testkit.RMS(pcm[0][int(from*audio.Rate):int(to*audio.Rate)])
	}
	assert.InDelta(t, 0, level(after, 1, 3)-level(before, 1, 3), 0.01, "what lies under the threshold stays")
	assert.InDelta(t, -14*3.0/4, level(after, 6, 12)-level(before, 6, 12), 0.05, "14 dB over it become a quarter of that")
	window := stream(t, episode, "from=528000&to=720000")
	assert.Zero(t, testkit.MaxDifference(t, after.Slice(480000, 672000), window), "over a boundary, wherever it begins")
	job := want[work.JobEvent](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"format": "wav-32f", "channels": 2, "from": 48000})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	list := want[[]server.Mixdown](t, "GET", "/episodes/"+episode+"/mixdowns", nil)
	_, _, file := call(t, "GET", "/mixdowns/"+list[0].ID+"/file", nil)
	mixed := testkit.ReadAudio(t, testkit.WriteFile(t, "mix.wav", file), 2)
	assert.Zero(t, testkit.MaxDifference(t, after, mixed), "what is heard is what is delivered")
	refused(t, 422, "GET", "/episodes/"+episode+"/loudness/estimate", nil)

	treatment.Gate.Close = treatment.Gate.Open + 6
	code, detail := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version + 1, "op": set(treatment)})
	assert.Equal(t, "thresholds-crossed", code)
	assert.Contains(t, detail, "at a higher level than the one at which it opens")
	require.Equal(t, "Treatment of “Voice 1”", want[server.Desk](t, "GET", "/episodes/"+episode, nil).Undo)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Zero(t, testkit.MaxDifference(t, before, stream(t, episode, "from=48000")))
}
