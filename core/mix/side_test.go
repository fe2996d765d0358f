package mix_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/testkit"
)

// One side of a recording in stereo is heard as a recording in mono of it would be, in its plan as well.
func TestOneSideOfARecordingIsHeardAsARecordingOfItAlone(t *testing.T) {
	both := testkit.Noise(2, 0.3, 8*audio.Second, 5)
	for side, channel := range map[session.Side]int{session.LeftSide: 0, session.RightSide: 1} {
		library := map[string]audio.PCM{testkit.ID(0): both, testkit.ID(1): both[channel : channel+1]}
		source := knownOf(library, map[string][]speech.Phrase{})
		of := func(sound string, facts session.Sound) *mix.Plan {
			d := session.New()
			d.Sounds[sound] = facts
			d.Tracks = []session.Track{{ID: "t1", Name: "Voice", Part: session.Voice, Pan: -0.3, Clips: map[string]session.Clip{
				"c1": {Name: "C", Sound: sound, Start: 4800, Offset: 9600, Length: 6 * audio.Second, FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear}},
			}}}
			require.NoError(t, d.Validate())
			plan, err := mix.CompileFrom(d, source, nil)
			require.NoError(t, err)
			return plan
		}
		one := of(testkit.ID(0), session.Sound{Channels: 2, Length: both.Length(), Side: side})
		alone := of(testkit.ID(1), session.Sound{Channels: 1, Length: both.Length()})
		assert.Equal(t, rendered(t, alone), rendered(t, one), side)
		a, err := alone.Balance()
		require.NoError(t, err)
		b, err := one.Balance()
		require.NoError(t, err)
		assert.Equal(t, a.Voices, b.Voices, side)
		whole := of(testkit.ID(0), session.Sound{Channels: 2, Length: both.Length()})
		x, err := whole.FactsKey(0)
		require.NoError(t, err)
		y, err := one.FactsKey(0)
		require.NoError(t, err)
		assert.NotEqual(t, x, y, "what was measured of both sides is not that of one")
	}
}

// The true peaks per 100 ms are, as a whole, the true peak that a meter finds (BS.1770-4, annex 2).
func TestTheTruePeaksOfAllTenthsAreThatOfTheWhole(t *testing.T) {
	d := makingWay(2*audio.Second, session.Way{})
	plan := compiled(t, d)
	m, err := plan.Measure(t.Context())
	require.NoError(t, err)
	assert.Len(t, m.True, int((plan.Length()+loudness.Hop-1)/loudness.Hop))
	var most float32
	for _, v := range m.True {
		most = max(most, v)
	}
	whole := loudness.Measure(rendered(t, plan))
	assert.InDelta(t, whole.TruePeak, float64(audio.Level(float64(most))), 0.01)
	assert.InDelta(t, whole.TruePeak, m.Loudness.TruePeak, 0.01)
}
