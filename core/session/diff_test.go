package session_test

import (
	"encoding/json"
	"math"
	"testing"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/testkit"
)

func TestADiffAppliedByAnotherProgramMakesTheOtherDocument(t *testing.T) {
	// Source: RFC 6902, as carried out by github.com/evanphx/json-patch.
	rapid.Check(t, func(t *rapid.T) {
		a := library.Session(t)
		b := a.Clone()
		switch rapid.IntRange(0, 4).Draw(t, "kind") {
		case 0:
			b = library.Session(t)
		case 1:
			b.Tracks = b.Tracks[1:]
		case 2:
			b.Tracks = append(b.Tracks, session.Track{ID: "t900", Name: "New", Part: session.Music})
		case 3:
			b.Markers["m900"] = session.Marker{Name: "Here"}
			b.Tracks[0].Mute = !b.Tracks[0].Mute
		case 4:
			for id, c := range b.Tracks[0].Clips {
				c.FadeIn.Past, c.Gain = 0, 0
				b.Tracks[0].Clips[id] = c
			}
		}
		raw, err := json.Marshal(session.Diff(a, b))
		require.NoError(t, err)
		patch, err := jsonpatch.DecodePatch(raw)
		require.NoError(t, err)
		got, err := patch.Apply(a.JSON())
		require.NoError(t, err, string(raw))
		d, err := session.Parse(got)
		require.NoError(t, err)
		require.Equal(t, string(b.JSON()), string(d.JSON()), string(raw))
	})
}

func TestADiffNamesOnlyWhatChanged(t *testing.T) {
	a := valid()
	b := a.Clone()
	c := b.Tracks[0].Clips["c2"]
	c.Start = 77
	b.Tracks[0].Clips["c2"] = c
	assert.Equal(t, []session.Change{{Op: "replace", Path: "/tracks/0/clips/c2/start", Value: c.Start}}, session.Diff(a, b))
	assert.Empty(t, session.Diff(a, a.Clone()))
}

func TestNegativeZerosAreWrittenAsZeros(t *testing.T) {
	minus := math.Copysign(0, -1)
	d := session.New()
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 9}
	d.Tracks = []session.Track{{
		ID: "t1", Name: "A", Part: session.Voice, Fader: audio.DB(minus), Pan: minus, Envelope: []session.Point{{Level: audio.DB(minus)}},
		Clips: map[string]session.Clip{"c2": {
			Name: "B", Sound: testkit.ID(0), Length: 1, Gain: audio.DB(minus), Envelope: []session.Point{{Level: audio.DB(minus)}},
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
		}},
	}}
	assert.Contains(t, string(d.JSON()), "-0")
	parsed, err := session.Parse(d.JSON())
	require.NoError(t, err)
	assert.NotContains(t, string(parsed.JSON()), "-0")
}
