package server_test

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/lead"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// spokenOver is an episode with a voice from 6 s on, in phrases of two seconds, and music of 24 s; and the ids of the tracks.
func spokenOver(t *testing.T) (show, episode, voice, music string) {
	t.Helper()
	show, episode = newEpisode(t)
	imported(t, show, episode, "keeper", testkit.Spoken(12*audio.Second))
	imported(t, show, episode, "theme", testkit.Noise(2, 0.2, 24*audio.Second, 31))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	require.Len(t, d.Document.Tracks, 2)
	voice, music = d.Document.Tracks[0].ID, d.Document.Tracks[1].ID
	do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{
		map[string]any{"track": voice, "part": "voice"}, map[string]any{"track": music, "part": "music"},
	}})
	clip := d.Document.Tracks[0].ClipsInOrder()[0]
	theme := d.Document.Tracks[1].ClipsInOrder()[0]
	d = want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, d.Version, map[string]any{"type": "move-clips", "moves": []any{
		map[string]any{"clip": clip, "start": 6 * audio.Second}, map[string]any{"clip": theme, "start": 0},
	}})
	return show, episode, voice, music
}

// around is the stretch around the first word of that.
const around = "from=240000&to=432000"

func makeWay(t *testing.T, episode, track string, way session.Way) work.ChangeEvent {
	t.Helper()
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	return do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": track, "way": way}}})
}

// balanceOf waits until the lead has been measured.
func balanceOf(t *testing.T, episode string, version int64) (b balance.Balance) {
	t.Helper()
	require.Eventually(t, func() bool {
		want[balance.Measured](t, "GET", "/episodes/"+episode+"/loudness", nil)
		b = want[balance.Balance](t, "GET", fmt.Sprintf("/episodes/%s/balance?rev=%d", episode, version), nil)
		return b.Measured
	}, time.Minute, 20*time.Millisecond)
	return b
}

func TestMusicMakesWayForSpeechAsItIsToldAndHeard(t *testing.T) {
	_, episode, voice, music := spokenOver(t)
	before := want[balance.Balance](t, "GET", "/episodes/"+episode+"/balance", nil)
	assert.NotEmpty(t, before.Misses, "the music covers the voice")
	assert.Equal(t, music, before.Misses[0].Track)
	assert.Contains(t, before.Misses[0].Text, "covers the voice")
	assert.Empty(t, before.Ways)
	require.Len(t, before.Spoken, 1)
	require.NotEmpty(t, before.Spoken[0].Spans)
	plain := stream(t, episode, around)

	way := duck.Starts()[1].Way
	c := makeWay(t, episode, music, way)
	about := want[balance.Balance](t, "GET", fmt.Sprintf("/episodes/%s/balance?rev=%d", episode, c.Version), nil)
	b := balanceOf(t, episode, c.Version)
	assert.Empty(t, b.Misses)
	require.Len(t, b.Ways, 1)
	assert.Equal(t, []string{voice}, b.Speech[0].Voices)
	require.NotNil(t, b.Typical)
	assert.InDelta(t, 15, *b.Typical, 1, "as it is kept")
	assert.InDelta(t, *b.Typical, *about.Typical, 1, "estimated before it was measured")
	assert.Len(t, b.Long, len(b.Short))
	for i := 0; i+1 < len(b.Long); i += 2 {
		measured, estimated := int16(uint16(b.Long[i])|uint16(b.Long[i+1])<<8), int16(uint16(about.Long[i])|uint16(about.Long[i+1])<<8)
		require.InDelta(t, float64(measured), float64(estimated), 10, "within 1 LU, everywhere")
	}

	// It sounds so.
	heard := stream(t, episode, around)
	assert.Equal(t, plain[0][:1000], heard[0][:1000], "before the first word nothing has changed")
	assert.Less(t, testkit.RMS(heard[0][2*audio.Second:]), testkit.RMS(plain[0][2*audio.Second:])-0.3)
	staying := stream(t, episode, around+"&staying="+music)
	assert.Zero(t, testkit.MaxDifference(t, plain, staying), "heard as if it made no way")

	clip := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks[1].ClipsInOrder()[0]
	levels := want[struct{ MakingWay, Total float64 }](t, "GET", fmt.Sprintf("/episodes/%s/levels?clip=%s&at=%d", episode, clip, 7*audio.Second), nil)
	assert.InDelta(t, -float64(b.Ways[0].Drops[0]), levels.MakingWay, 0.01)
}

func TestTheWayThatIsMadeIsTurnedIntoPointsAndBack(t *testing.T) {
	_, episode, _, music := spokenOver(t)
	c := makeWay(t, episode, music, duck.Starts()[0].Way)
	by := stream(t, episode, around)
	lines := want[[]edit.WayLine](t, "GET", fmt.Sprintf("/episodes/%s/ways/lines?tracks=%s&rev=%d", episode, music, c.Version), nil)
	require.Len(t, lines, 1)
	require.NotEmpty(t, lines[0].Points)
	do(t, episode, c.Version, map[string]any{"type": "turn-ways", "lines": lines})
	assert.Less(t, testkit.MaxDifference(t, by, stream(t, episode, around)), 1e-5, "it sounds as before")
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	track := d.Document.Tracks[d.Document.FindTrack(music)]
	assert.False(t, track.Way.On)
	assert.Len(t, track.Envelope, len(lines[0].Points))
	code, _ := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version, "op": map[string]any{"type": "turn-ways", "lines": lines}})
	assert.Equal(t, "makes-no-way", code)
	do(t, episode, d.Version, map[string]any{"type": "take-ways-back", "tracks": []any{music}})
	assert.Less(t, testkit.MaxDifference(t, by, stream(t, episode, around)), 1e-9)
	code, _ = refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version + 1, "op": map[string]any{"type": "take-ways-back", "tracks": []any{music}}})
	assert.Equal(t, "not-turned", code)
}

func TestRoomIsMadeForSpeechInOneStep(t *testing.T) {
	_, episode, _, music := spokenOver(t)
	room := want[balance.Room](t, "GET", "/episodes/"+episode+"/room", nil)
	require.Len(t, room.Rows, 1)
	assert.Equal(t, music, room.Rows[0].Track)
	assert.NotEmpty(t, room.Now.Misses)
	assert.Empty(t, room.Then.Misses)
	assert.Greater(t, *room.Then.Lowest, *room.Now.Lowest+3)
	assert.Empty(t, want[balance.Room](t, "GET", "/episodes/"+episode+"/room?without="+music, nil).Rows)

	op := map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": music, "way": room.Rows[0].Way}}}
	text, err := json.Marshal(op)
	require.NoError(t, err)
	_, _, tried := call(t, "GET", fmt.Sprintf("/episodes/%s/try?from=0&to=%d&op=%s", episode, 10*audio.Second, url.QueryEscape(string(text))), nil)
	assert.Greater(t, len(tried), 10*48000*4, "it is heard before it is kept")
	c := do(t, episode, room.Version, op)
	assert.Empty(t, balanceOf(t, episode, c.Version).Misses)
	assert.Empty(t, want[balance.Room](t, "GET", "/episodes/"+episode+"/room", nil).Rows, "nothing is left to do")
	own := duck.Starts()[2].Way // which keeps more than is aimed at
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": music, "way": own}}})
	assert.Empty(t, want[balance.Room](t, "GET", "/episodes/"+episode+"/room", nil).Rows, "nor where it makes way enough already")
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.NotEmpty(t, want[balance.Balance](t, "GET", "/episodes/"+episode+"/balance", nil).Misses, "one step back")
}

func TestWhatIsAimedAtIsChosenAndSettingsOutOfRangeAreRefused(t *testing.T) {
	_, episode, _, music := spokenOver(t)
	leads := want[[]lead.Aim](t, "GET", "/leads", nil)
	require.Len(t, leads, 3)
	assert.Len(t, want[[]duck.Start](t, "GET", "/ways", nil), 3)
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	do(t, episode, d.Version, map[string]any{"type": "set-lead", "lead": "accessible"})
	assert.InDelta(t, 20, want[balance.Balance](t, "GET", "/episodes/"+episode+"/balance", nil).Target.Lead, 0)
	edits := func(op map[string]any) (string, string) {
		return refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version + 1, "op": op})
	}
	sound := d.Document.Tracks[0].Clips[d.Document.Tracks[0].ClipsInOrder()[0]].Sound
	usual := want[balance.Balance](t, "GET", "/episodes/"+episode+"/balance", nil).Spoken[0].Spans
	c := do(t, episode, d.Version+1, map[string]any{"type": "set-sensitivity", "sound": sound, "sensitivity": 6})
	found := want[balance.Balance](t, "GET", fmt.Sprintf("/episodes/%s/balance?rev=%d", episode, c.Version), nil).Spoken[0].Spans
	assert.Len(t, found, len(usual), "a clear voice is found with any sensitivity")
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil)
	d.Version += 2
	code, _ := edits(map[string]any{"type": "set-sensitivity", "sound": sound, "sensitivity": 13})
	assert.NotEmpty(t, code)
	code, _ = edits(map[string]any{"type": "set-sensitivity", "sound": testkit.ID(99), "sensitivity": 1})
	assert.Equal(t, "unknown-sound", code)
	code, _ = edits(map[string]any{"type": "set-lead", "lead": "enormous"})
	assert.Equal(t, "unknown-lead", code)
	set := func(change func(w *session.Way)) map[string]any {
		w := session.UsualWay()
		change(&w)
		return map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": music, "way": w}}}
	}
	for _, change := range []func(w *session.Way){
		func(w *session.Way) { w.Lead = 31 }, func(w *session.Way) { w.Most = -1 }, func(w *session.Way) { w.Down = 0 },
		func(w *session.Way) { w.By = "shouting" }, func(w *session.Way) { w.Up = 1e9 },
	} {
		edits(set(change))
	}
	code, _ = edits(set(func(w *session.Way) { w.For = []string{"t1", "t1"} }))
	assert.Equal(t, "bad-way", code)
}

func TestTheOutlineIsThatOfWhatWasMeasured(t *testing.T) {
	_, episode, _, music := spokenOver(t)
	c := makeWay(t, episode, music, duck.Starts()[1].Way)
	b := balanceOf(t, episode, c.Version)
	outline := want[struct{ Voice, Music, Effect []float64 }](t, "GET", "/episodes/"+episode+"/silhouette?columns=24", nil)
	require.Len(t, outline.Music, 24)
	assert.Less(t, outline.Music[7], outline.Music[1]/2, "the outline makes way as the sound does")
	assert.Zero(t, outline.Voice[1])
	assert.Greater(t, outline.Voice[7], 0.3)
	do(t, episode, c.Version, map[string]any{"type": "add-marker", "name": "Here", "at": 0})
	again := balanceOf(t, episode, c.Version+1)
	assert.Equal(t, b.Long, again.Long)
	assert.False(t, math.IsNaN(*again.Lowest))
}

func TestALeadThatWasMeasuredLongAgoIsPutAtHandAgain(t *testing.T) {
	show, episode, _, _ := spokenOver(t)
	first := balanceOf(t, episode, 1)
	doc, _, err := house.Store.Document(t.Context(), episode)
	require.NoError(t, err)
	for i := range 9 { // of more episodes than are at hand
		d := doc.Clone()
		d.Tracks[0].Fader = audio.DB(-i - 1)
		other, err := house.Store.AddEpisode(t.Context(), show, "Another", 0, d)
		require.NoError(t, err)
		balanceOf(t, other.ID, 1)
	}
	var again balance.Balance
	require.Eventually(t, func() bool { // without that anybody asks for the loudness
		again = want[balance.Balance](t, "GET", "/episodes/"+episode+"/balance", nil)
		return again.Measured
	}, time.Minute, 20*time.Millisecond)
	assert.Equal(t, first.Long, again.Long)
}
