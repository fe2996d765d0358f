package session_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

func withWay(w session.Way) session.Document {
	d := session.New()
	d.Tracks = append(d.Tracks, session.Track{ID: "t1", Name: "Music", Part: session.Music, Way: w, Envelope: []session.Point{}, Clips: map[string]session.Clip{}})
	return d
}

func TestAWayIsReadBackAndOneThatIsNotThereIsWrittenNowhere(t *testing.T) {
	usual := session.UsualWay()
	usual.On, usual.For = true, []string{"t7"}
	back, err := session.Parse(withWay(usual).JSON())
	require.NoError(t, err)
	assert.Equal(t, usual, back.Tracks[0].Way)
	assert.True(t, back.Tracks[0].MakesWay())
	assert.NotContains(t, string(withWay(session.Way{}).JSON()), "way", "a document of a version before is written as it was")
	// Nor in a change that adds the track.
	changes, err := json.Marshal(session.Diff(session.New(), withWay(session.Way{})))
	require.NoError(t, err)
	assert.Contains(t, string(changes), `"t1"`)
	assert.NotContains(t, string(changes), "way")
	voice := withWay(usual)
	voice.Tracks[0].Part = session.Voice
	require.NoError(t, voice.Validate())
	assert.False(t, voice.Tracks[0].MakesWay(), "a voice never does")
}

func TestAWayOutOfRangeIsRefused(t *testing.T) {
	for where, change := range map[string]func(w *session.Way){
		"lead": func(w *session.Way) { w.Lead = 30.1 }, "most": func(w *session.Way) { w.Most = -1 }, "drop": func(w *session.Way) { w.Drop = 49 },
		"down": func(w *session.Way) { w.Down = 19 }, "up": func(w *session.Way) { w.Up = 20001 }, "bridge": func(w *session.Way) { w.Bridge = -1 },
		"stay": func(w *session.Way) { w.Stay = 30001 }, "by": func(w *session.Way) { *w = session.Way{For: []string{"t1"}} }, "for": func(w *session.Way) { w.For = []string{"x"} },
		"before": func(w *session.Way) { w.Before = []session.Point{{At: 2}, {At: audio.Frames(1)}} },
	} {
		w := session.UsualWay()
		w.On = true
		change(&w)
		var p problem.Problem
		require.ErrorAs(t, withWay(w).Validate(), &p, where)
		assert.Equal(t, "tracks.0.way."+where, p.Where)
	}
}
