package glance_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/glance"
	"ruvel/core/session"
	"ruvel/testkit"
)

func clip(sound int, start, length audio.Frames) session.Clip {
	return session.Clip{Sound: testkit.ID(sound), Start: start, Length: length}
}

func TestWhatFollowsFromADocument(t *testing.T) {
	d := session.New()
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 9000}
	d.Sounds[testkit.ID(1)] = session.Sound{Channels: 2, Length: 9000}
	d.Tracks = []session.Track{
		{ID: "t1", Part: session.Voice, Solo: true, Clips: map[string]session.Clip{"c1": clip(0, 1000, 400)}},
		{ID: "t2", Part: session.Music, Clips: map[string]session.Clip{"c2": clip(1, 0, 3000), "c3": clip(0, 4000, 10)}},
		{ID: "t3", Part: session.Effect, Solo: true, Mute: true, Clips: map[string]session.Clip{"c4": clip(1, 5000, 1000)}},
		{ID: "t4", Part: session.Effect},
	}
	d.Markers = map[string]session.Marker{
		"m1": {At: 1000, Length: 1000}, "m2": {At: 0, Length: 2000}, "m3": {At: 5000, Length: 100}, "m4": {At: 7}, "m5": {At: 8000, Length: 10},
		"m6": {At: 2000, Length: 100, Fills: "t1"}, "m7": {At: 900, Length: 200, Fills: "t1"}, // the one is empty, in the other a clip begins
	}
	assert.Equal(t, glance.Glance{
		Length: 6000,
		Tracks: []glance.TrackState{{"t1", true, 1}, {"t2", false, 2}, {"t3", false, 2}, {"t4", false, 0}},
		Order: []glance.Stretch{
			{"m2", session.Music}, // the voice is in a fifth of it
			{"m1", session.Voice}, // and in two fifths of this, beside the music
			{"m3", session.Effect},
			{"m5", session.Music}, // nothing is in it
		},
		Crossings: []session.Crossing{},
		Empty:     []string{"m6"},
	}, glance.Of(d))
	assert.Equal(t, glance.Glance{Tracks: []glance.TrackState{}, Order: []glance.Stretch{}, Crossings: []session.Crossing{}, Empty: []string{}}, glance.Of(session.New()))
}
