package server_test

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/library"
	"ruvel/internal/takes"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// voiceTrack adds a voice track to an episode and gives its id.
func voiceTrack(t *testing.T, episode string) string {
	t.Helper()
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, desk.Version, map[string]any{"type": "add-track", "part": "voice", "name": "Presenter"})
	return want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks[0].ID
}

// spoken records a sound as a take, in chunks of half a second, and gives the take's id.
func spoken(t *testing.T, episode string, begin map[string]any, pcm audio.PCM) string {
	t.Helper()
	begin["channels"] = len(pcm)
	take := want[takes.TakeStatus](t, "POST", "/episodes/"+episode+"/takes", begin)
	half := audio.Frames(take.Rate / 2)
	for seq, at := 0, audio.Frames(0); at < pcm.Length(); seq, at = seq+1, at+half {
		want[any](t, "POST", fmt.Sprintf("/takes/%s/%d", take.ID, seq), testkit.Interleave(pcm.Slice(at, min(at+half, pcm.Length()))))
	}
	return take.ID
}

func finished(t *testing.T, take string, body map[string]any) work.JobEvent {
	t.Helper()
	job := ended(t, want[work.JobEvent](t, "POST", "/takes/"+take+"/finish", body).ID)
	require.Equal(t, "done", string(job.State), "%+v", job.Problem)
	return job
}

func takesOf(t *testing.T, episode string) map[string]takes.TakeStatus {
	t.Helper()
	out := map[string]takes.TakeStatus{}
	for _, v := range want[[]takes.TakeStatus](t, "GET", "/episodes/"+episode+"/takes", nil) {
		out[v.ID] = v
	}
	return out
}

func clips(t *testing.T, episode string) (out []session.Clip) {
	t.Helper()
	for _, tr := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks {
		for _, id := range tr.ClipsInOrder() {
			out = append(out, tr.Clips[id])
		}
	}
	return out
}

func TestATakeBecomesASoundAtItsPlaceSampleForSample(t *testing.T) {
	_, episode := newEpisode(t)
	track := voiceTrack(t, episode)
	mono := testkit.Noise(1, 0.3, 2*audio.Second+777, 4)
	stereo := audio.PCM{mono[0], mono[0]} // as a device with two sides hears one microphone
	take := spoken(t, episode, map[string]any{"track": track, "begins": 96000, "late": 960, "rate": 48000, "mono": true, "device": "Quay microphone"}, stereo)
	going := takesOf(t, episode)[take]
	assert.Equal(t, []any{"recording", true, 5, mono.Length()}, []any{string(going.State), going.Live, going.Chunks, going.Length})
	finished(t, take, map[string]any{"chunks": 5})

	v := takesOf(t, episode)[take]
	assert.Equal(t, "kept", string(v.State))
	assert.InDelta(t, -10.46, float64(v.Peak), 0.1, "noise up to 0.3")
	all := clips(t, episode)
	require.Len(t, all, 1)
	assert.Equal(t, []any{"Presenter, take 1", audio.Frames(96000 - 960), mono.Length()}, []any{all[0].Name, all[0].Start, all[0].Length})
	kept, err := os.ReadFile(filepath.Join(data, "originals", v.Sound))
	require.NoError(t, err)
	assert.Zero(t, testkit.MaxDifference(t, mono, testkit.ReadAudio(t, testkit.WriteFile(t, "take.wav", kept), 1)))
	left, err := filepath.Glob(filepath.Join(data, "takes", take))
	require.NoError(t, err)
	assert.Empty(t, left, "the chunks are not needed any more")
	code, _ := refused(t, 409, "POST", "/takes/"+take+"/5", testkit.Interleave(mono.Slice(0, 100)))
	assert.Equal(t, "take-closed", code)
}

func TestTakesOfOnePlaceAreSwappedDiscardedAndTakenBack(t *testing.T) {
	show, episode := newEpisode(t)
	track := voiceTrack(t, episode)
	begin := func() map[string]any {
		return map[string]any{"track": track, "begins": 48000, "rate": 44100, "device": "Quay microphone"}
	}
	first := spoken(t, episode, begin(), testkit.Noise(1, 0.2, 3*44100, 1))
	finished(t, first, map[string]any{})
	second := spoken(t, episode, begin(), testkit.Noise(1, 0.2, 2*44100, 2))
	finished(t, second, map[string]any{})
	all := clips(t, episode)
	require.Len(t, all, 1, "the second takes the place of the first")
	assert.Equal(t, "Presenter, take 2", all[0].Name)
	assert.Equal(t, 2*audio.Second, all[0].Length)

	// Back to the first, in the clip that is there and with what was done to it.
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	clip := desk.Document.Tracks[0].ClipsInOrder()[0]
	do(t, episode, desk.Version, map[string]any{"type": "set-clips", "clips": []any{map[string]any{"clip": clip, "gain": -2}}})
	want[any](t, "POST", "/takes/"+first+"/use", map[string]any{"clip": clip})
	all = clips(t, episode)
	assert.Equal(t, []any{"Presenter, take 1", audio.DB(-2), 3 * audio.Second}, []any{all[0].Name, all[0].Gain, all[0].Length})

	// Discarded it is out of the session, and comes back where it was.
	code, _ := refused(t, 409, "DELETE", "/takes/"+first, nil)
	assert.Equal(t, "take-in-use", code)
	want[any](t, "POST", "/takes/"+first+"/discard", nil)
	assert.Empty(t, clips(t, episode))
	want[any](t, "POST", "/takes/"+first+"/use", map[string]any{})
	all = clips(t, episode)
	require.Len(t, all, 1)
	assert.Equal(t, audio.Second, all[0].Start)

	// A third one is discarded while it is recorded: it becomes a sound all the same.
	third := spoken(t, episode, begin(), testkit.Noise(1, 0.2, 44100, 3))
	want[any](t, "POST", "/takes/"+third+"/discard", nil)
	require.Eventually(t, func() bool { return takesOf(t, episode)[third].State == "discarded" }, patience, tick)
	assert.Len(t, clips(t, episode), 1)
	assert.Equal(t, 3, takesOf(t, episode)[third].Number)
	refused(t, 409, "POST", "/takes/"+third+"/finish", map[string]any{})
	sound := takesOf(t, episode)[third].Sound
	want[any](t, "DELETE", "/takes/"+third, nil)
	assert.NotContains(t, takesOf(t, episode), third)
	for _, s := range want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil) {
		assert.NotEqual(t, sound, s.ID, "deleted for good")
	}
}

func TestARecordingIsCheckedChunkByChunk(t *testing.T) {
	_, episode := newEpisode(t)
	track := voiceTrack(t, episode)
	for name, body := range map[string]map[string]any{
		"no such track":  {"track": "t99", "begins": 0, "rate": 48000, "channels": 1},
		"before zero":    {"track": track, "begins": -1, "rate": 48000, "channels": 1},
		"too fast":       {"track": track, "begins": 0, "rate": 400000, "channels": 1},
		"too many sides": {"track": track, "begins": 0, "rate": 48000, "channels": 3},
		"too far out":    {"track": track, "begins": session.MaxLength, "rate": 48000, "channels": 1},
	} {
		status, _, _ := call(t, "POST", "/episodes/"+episode+"/takes", body)
		assert.Equal(t, 422, status, name)
	}
	take := want[takes.TakeStatus](t, "POST", "/episodes/"+episode+"/takes", map[string]any{"track": track, "begins": 0, "rate": 48000, "channels": 2}).ID
	second := testkit.Interleave(testkit.Noise(2, 0.1, audio.Second, 1))
	for name, c := range map[string]struct {
		seq    int
		body   []byte
		status int
		code   string
	}{
		"longer than a second": {0, append(append([]byte{}, second...), second[:8]...), 422, "bad-chunk"},
		"half a frame":         {0, second[:4], 422, "bad-chunk"},
		"a gap":                {3, second, 409, "chunk-missing"},
	} {
		code, _ := refused(t, c.status, "POST", fmt.Sprintf("/takes/%s/%d", take, c.seq), c.body)
		assert.Equal(t, c.code, code, name)
	}
	want[any](t, "POST", "/takes/"+take+"/0", second)
	want[any](t, "POST", "/takes/"+take+"/0", second) // again
	code, _ := refused(t, 409, "POST", "/takes/"+take+"/finish", map[string]any{"chunks": 2})
	assert.Equal(t, "chunk-missing", code, "not all that were recorded have arrived")
	finished(t, take, map[string]any{"chunks": 1})
	assert.Equal(t, audio.Second, clips(t, episode)[0].Length)

	// One that never had a chunk leaves nothing.
	empty := want[takes.TakeStatus](t, "POST", "/episodes/"+episode+"/takes", map[string]any{"track": track, "begins": 0, "rate": 48000, "channels": 1}).ID
	code, _ = refused(t, 422, "POST", "/takes/"+empty+"/finish", map[string]any{})
	assert.Equal(t, "empty-take", code)
	assert.NotContains(t, takesOf(t, episode), empty)
}

func TestARemovedEpisodeTakesItsUnfinishedRecordingsAlong(t *testing.T) {
	_, episode := newEpisode(t)
	take := spoken(t, episode, map[string]any{"track": voiceTrack(t, episode), "begins": 0, "rate": 48000}, testkit.Noise(1, 0.1, 48000, 1))
	require.DirExists(t, filepath.Join(data, "takes", take))
	want[any](t, "DELETE", "/episodes/"+episode, nil)
	assert.NoDirExists(t, filepath.Join(data, "takes", take))
}

func TestATrackThatIsGoneIsReplacedByAnother(t *testing.T) {
	_, episode := newEpisode(t)
	track := voiceTrack(t, episode)
	take := spoken(t, episode, map[string]any{"track": track, "begins": 4800, "rate": 48000}, testkit.Noise(1, 0.1, 48000, 1))
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, desk.Version, map[string]any{"type": "remove-tracks", "tracks": []string{track}})
	finished(t, take, map[string]any{})
	all := clips(t, episode)
	require.Len(t, all, 1)
	assert.Equal(t, "Voice, take 1", all[0].Name)
	assert.Equal(t, audio.Frames(4800), all[0].Start)
}

func TestWhileATrackIsRecordedOntoItIsLeftOutOfWhatIsHeard(t *testing.T) {
	_, episode := newEpisode(t)
	track := voiceTrack(t, episode)
	finished(t, spoken(t, episode, map[string]any{"track": track, "begins": 0, "rate": 48000}, testkit.Noise(1, 0.1, 96000, 1)), map[string]any{})
	assert.Positive(t, stream(t, episode, "from=0&to=48000").Peak())
	assert.Zero(t, stream(t, episode, "from=0&to=48000&without="+track).Peak())
}

func TestALongTakeIsKeptInBoundedMemory(t *testing.T) {
	const minutes, rate = 25, 8000
	_, episode := newEpisode(t)
	take := want[takes.TakeStatus](t, "POST", "/episodes/"+episode+"/takes", map[string]any{"track": voiceTrack(t, episode), "begins": 0, "rate": rate, "channels": 1}).ID
	second := testkit.Interleave(testkit.Noise(1, 0.1, rate, 1))
	var before, now runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	most := uint64(0)
	for seq := range minutes * 60 {
		if seq < 10 { // the rest comes the same way, without the network
			want[any](t, "POST", fmt.Sprintf("/takes/%s/%d", take, seq), second)
		} else {
			require.NoError(t, house.Worker.Chunks.Put(t.Context(), take, seq, second))
		}
		if seq%100 == 0 {
			runtime.ReadMemStats(&now)
			most = max(most, now.HeapInuse)
		}
	}
	job := want[work.JobEvent](t, "POST", "/takes/"+take+"/finish", map[string]any{"chunks": minutes * 60}).ID
	for !want[work.JobEvent](t, "GET", "/jobs/"+job, nil).State.Final() {
		runtime.ReadMemStats(&now)
		most = max(most, now.HeapInuse)
	}
	require.Equal(t, "done", string(ended(t, job).State))
	assert.Equal(t, minutes*60*audio.Second, clips(t, episode)[0].Length)
	t.Logf("a take of %d minutes takes %d MB of memory", minutes, (most-min(most, before.HeapInuse))>>20)
	// Its samples at 48 kHz would take 290 MB; what other tests have left to be collected counts, too.
	assert.Less(t, most, before.HeapInuse+150<<20)
}
