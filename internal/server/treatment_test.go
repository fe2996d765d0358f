package server_test

import (
	"math"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/server"
	"ruvel/internal/work"
	"ruvel/testkit"
)

func TestATreatedTrackIsHeardAsItIsDeliveredAndTheTreatmentIsAStepOfTheHistory(t *testing.T) {
	show, episode := newEpisode(t)
	tone := testkit.Join(testkit.Sine(1, 300, -40, 0, 4*audio.Second), testkit.Sine(1, 300, -6, 0, 10*audio.Second))
	imported(t, show, episode, "keeper", tone)
	before := stream(t, episode, "from=48000")
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
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
	job := want[server.Begun](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "wav-32f", "channels": 2}}, "asItIs": true, "overrule": true, "from": 48000}).Jobs[0]
	require.Equal(t, "done", string(ended(t, job.ID).State))
	list := want[[]handover.Mixdown](t, "GET", "/episodes/"+episode+"/mixdowns", nil)
	_, _, file := call(t, "GET", "/mixdowns/"+list[0].ID+"/file", nil)
	mixed := testkit.ReadAudio(t, testkit.WriteFile(t, "mix.wav", file), 2)
	assert.Zero(t, testkit.MaxDifference(t, after, mixed), "what is heard is what is delivered")
	about := want[balance.Estimated](t, "GET", "/episodes/"+episode+"/loudness/estimate", nil)
	assert.InDelta(t, list[0].Loudness.Integrated, about.Integrated, 0.1, "it is known before it is measured")

	treatment.Gate.Close = treatment.Gate.Open + 6
	code, detail := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version + 1, "op": set(treatment)})
	assert.Equal(t, "thresholds-crossed", code)
	assert.Contains(t, detail, "at a higher level than the one at which it opens")
	require.Equal(t, "Treatment of “Voice 1”", want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Undo)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Zero(t, testkit.MaxDifference(t, before, stream(t, episode, "from=48000")))
}

func compressing() session.Treatment {
	t := session.Usual()
	t.Compressor = session.Compressor{On: true, Threshold: -30, Ratio: 4, Attack: 2, Release: 100, MakeUp: 6, Detector: session.Level}
	return t
}

// treatedEpisode is an episode with one voice that is treated, and the id of its track.
func treatedEpisode(t *testing.T, treatment session.Treatment) (show, episode, track string, pcm audio.PCM) {
	t.Helper()
	show, episode = newEpisode(t)
	pcm = testkit.Spoken(12 * audio.Second)
	imported(t, show, episode, "keeper", pcm)
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	track = d.Document.Tracks[0].ID
	do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": track, "treatment": treatment}}})
	return show, episode, track, pcm
}

func TestTheCourseOfATreatmentIsThatOfTheFile(t *testing.T) {
	_, episode, track, pcm := treatedEpisode(t, compressing())
	at := "/episodes/" + episode + "/tracks/" + track + "/course?"
	heard := stream(t, episode, "from=48000&to=528000")
	var cells []int16
	require.Eventually(t, func() bool { // it is computed bit by bit
		status, _, data := call(t, "GET", at+"from=48000&length=1600&count=200", nil)
		if !assert.Equal(t, 200, status, "%s", data) {
			return true
		}
		cells = make([]int16, len(data)/2)
		for i := range cells {
			cells[i] = int16(data[2*i]) | int16(data[2*i+1])<<8
		}
		for k := range 200 {
			if cells[8*k+7] == 255 {
				return false
			}
		}
		return true
	}, 30*time.Second, 10*time.Millisecond)
	reduced := 0
	for k := 1; k < 200; k++ {
		from := audio.Frames(k) * 1600
		high := func(p audio.PCM, gain float64) float64 {
			return float64(audio.Level(gain * float64(p.Slice(from, from+1600).Peak())))
		}
		in, out := high(pcm, 1), high(heard, math.Sqrt2)
		assert.InDelta(t, in, float64(cells[8*k+5])/100, 0.02)
		if (from+48000)%(10*audio.Second) > 0 { // where spans are crossed over
			assert.InDelta(t, out, float64(cells[8*k+6])/100, 0.02)
		}
		if cells[8*k+2] < -100 {
			reduced++
		}
	}
	assert.Greater(t, reduced, 50)
	refused(t, 422, "GET", at+"from=17&length=16", nil)
	refused(t, 422, "GET", at+"length=17", nil)
	_, _, none := call(t, "GET", "/episodes/"+episode+"/tracks/t99/course?count=2", nil)
	assert.Equal(t, make([]byte, 8), none[:8], "of no track nothing is done")
	assert.Len(t, none, 32)
}

func TestAVoiceIsDescribedAndTreatmentsAreLaidForIt(t *testing.T) {
	_, episode, track, _ := treatedEpisode(t, compressing())
	v := want[balance.Voice](t, "GET", "/episodes/"+episode+"/tracks/"+track+"/voice", nil)
	assert.InDelta(t, -54, float64(v.Spread.Peaks.Floor), 2)
	assert.Greater(t, v.Spread.Levels.Ordinary, audio.DB(-25))
	require.Len(t, v.Starts, 4)
	assert.Equal(t, "narration", v.Starts[0].Key)
	assert.Contains(t, v.Suggested.Why, "The gate opens at")
	assert.Equal(t, 4.0, v.Suggested.Treatment.Compressor.Ratio, "what it has already stays")
	assert.Greater(t, v.With-v.Without, -6.0)
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": track, "treatment": v.Starts[1].Treatment}}})
	// A muted track is known as well, treated or not.
	muted := map[string]any{"track": track, "mute": true, "treatment": session.Treatment{}}
	do(t, episode, d.Version+1, map[string]any{"type": "set-tracks", "tracks": []any{muted}})
	assert.Equal(t, v.Spread, want[balance.Voice](t, "GET", "/episodes/"+episode+"/tracks/"+track+"/voice", nil).Spread)
	code, _ := refused(t, 422, "GET", "/episodes/"+episode+"/tracks/t99/voice", nil)
	assert.Equal(t, "unknown-track", code)
}

func TestWithoutItsTreatmentATrackIsHeardAsLoudAsWithIt(t *testing.T) {
	_, episode, track, pcm := treatedEpisode(t, compressing())
	v := want[balance.Voice](t, "GET", "/episodes/"+episode+"/tracks/"+track+"/voice", nil)
	bare := stream(t, episode, "from=48000&to=336000&untreated="+track)
	gain := math.Pow(10, (v.With-v.Without)/20) * math.Sqrt2 / 2
	for i := 0; i < len(bare[0]); i += 501 {
		require.InDelta(t, float64(pcm[0][i])*gain, float64(bare[0][i]), 1e-5)
	}
	with := stream(t, episode, "from=48000&to=336000")
	assert.InDelta(t, loudness.Measure(with).Integrated, loudness.Measure(bare).Integrated, 0.15)
	assert.Zero(t, testkit.MaxDifference(t, with.Slice(0, audio.Second), stream(t, episode, "from=48000&to=96000&untreated=t99")))
}

func TestAShowKeepsTreatmentsUnderTheirNames(t *testing.T) {
	show, _ := newEpisode(t)
	at := "/shows/" + show + "/treatments"
	keep := func(name string, treatment session.Treatment) server.KeptTreatment {
		return want[server.KeptTreatment](t, "POST", at, map[string]any{"name": name, "treatment": treatment})
	}
	first := keep("  Keeper at the window ", compressing())
	assert.Equal(t, "Keeper at the window", first.Name)
	keep("A phone", session.Usual())
	changed := compressing()
	changed.Compressor.Ratio = 3
	assert.Equal(t, first.ID, keep("Keeper at the window", changed).ID, "the same name is the same treatment")
	all := want[[]server.KeptTreatment](t, "GET", at, nil)
	require.Len(t, all, 2)
	assert.Equal(t, "A phone", all[0].Name)
	assert.Equal(t, changed, all[1].Treatment)
	crossed := session.Usual()
	crossed.Gate.Close = crossed.Gate.Open + 1
	code, _ := refused(t, 422, "POST", at, map[string]any{"name": "Odd", "treatment": crossed})
	assert.Equal(t, "thresholds-crossed", code)
	refused(t, 422, "POST", at, map[string]any{"name": " ", "treatment": changed})
	want[any](t, "DELETE", at+"/"+first.ID, nil)
	refused(t, 404, "DELETE", at+"/"+first.ID, nil)
	other, _ := newEpisode(t)
	refused(t, 404, "DELETE", "/shows/"+other+"/treatments/"+all[0].ID, nil)
	assert.Len(t, want[[]server.KeptTreatment](t, "GET", at, nil), 1)
	assert.Empty(t, want[[]server.KeptTreatment](t, "GET", "/shows/"+other+"/treatments", nil))
}

func TestClipsBecomeASoundInTheirPlace(t *testing.T) {
	show, episode, track, _ := treatedEpisode(t, compressing())
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	clips := d.Document.Tracks[0].ClipsInOrder()
	before := stream(t, episode, "from=48000&to=240000")
	at := "/episodes/" + episode + "/renderings"
	job := want[work.JobEvent](t, "POST", at, map[string]any{"clips": clips, "name": "Keeper, treated", "treatment": true, "lines": true, "place": true})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	after := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	require.Len(t, after.Document.Tracks, 2)
	assert.Equal(t, "Keeper, treated", after.Document.Tracks[0].Name)
	assert.Equal(t, track, after.Document.Tracks[1].ID)
	assert.Equal(t, "Render to “Keeper, treated”", after.Undo)
	assert.Less(t, testkit.MaxDifference(t, before, stream(t, episode, "from=48000&to=240000")), 1e-5)
	sounds := want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil)
	require.Len(t, sounds, 2)
	i := slices.IndexFunc(sounds, func(s library.ShowSound) bool { return s.Name == "Keeper, treated" })
	require.GreaterOrEqual(t, i, 0)
	assert.Equal(t, 1, sounds[i].Channels)
	assert.Contains(t, sounds[i].Notes, "treated, with level lines")

	job = want[work.JobEvent](t, "POST", at, map[string]any{"clips": clips, "name": "Keeper, dry", "treatment": false, "lines": false, "place": false})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	assert.Equal(t, after.Version, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version, "it is only a sound")
	code, _ := refused(t, 422, "POST", at, map[string]any{"clips": []string{"c99"}, "name": "None", "treatment": true, "lines": true, "place": true})
	assert.Equal(t, "unknown-clip", code)
}
