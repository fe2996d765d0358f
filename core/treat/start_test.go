package treat_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// anySpread is that of a voice whose room, quietest words and ordinary speech follow each other upwards.
func anySpread(t *rapid.T) treat.Spread {
	db := func(name string, low, high float64) audio.DB {
		return audio.DB(rapid.Float64Range(low, high).Draw(t, name))
	}
	floor := db("floor", -90, -10)
	quiet := db("quiet", float64(floor), 0)
	ordinary := db("ordinary", float64(quiet), 0)
	h := treat.Histogram{Lowest: -90, Bins: make([]float64, 90), Floor: floor, Quiet: quiet, Ordinary: ordinary, Loud: 0}
	return treat.Spread{Levels: h, Peaks: h}
}

func TestWhateverTheVoiceASuggestionIsValidAndKeepsItsPromises(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		spread := anySpread(t)
		start := rapid.SampledFrom(treat.Starts()).Draw(t, "start")
		laid, why := start.Lay(spread)
		if rapid.Bool().Draw(t, "suggest") {
			laid, why = treat.Suggest(session.Treatment{}, spread)
		}
		d := session.New()
		d.Tracks = append(d.Tracks, session.Track{ID: "t1", Name: "Voice", Part: session.Voice, Envelope: []session.Point{}, Clips: map[string]session.Clip{}, Treatment: laid})
		d.Next = 2
		require.NoError(t, d.Validate())
		assert.NotEmpty(t, why)
		if laid.Gate.On {
			assert.LessOrEqual(t, laid.Gate.Open, spread.Peaks.Quiet-5.5, "no word is cut off")
			assert.GreaterOrEqual(t, float64(laid.Gate.Open), max(-80, float64(spread.Peaks.Floor)+5.5), "the room does not open it")
		}
		reduced := -treat.Compressed(laid.Compressor, float64(laid.Compressor.Speech))
		if laid.Compressor.Threshold > -60 { // which is as far down as it goes
			assert.InDelta(t, 4.5, reduced, 1.8, "3 to 6 dB, and half a dB of rounding")
		}
		assert.InDelta(t, reduced, treat.MakeUp(laid.Compressor), 1e-9)
	})
}

func TestEveryStartHasItsNameAndIsUsableAsItIs(t *testing.T) {
	keys := map[string]bool{}
	for _, s := range treat.Starts() {
		assert.False(t, keys[s.Key], s.Key)
		keys[s.Key] = true
		assert.NotEmpty(t, s.Name)
		assert.NotEmpty(t, s.For)
		assert.False(t, s.Treatment.Off())
		unlaid, why := s.Lay(treat.Spread{})
		assert.Equal(t, s.Treatment, unlaid, "without a voice the thresholds stay")
		assert.Contains(t, why, "Nobody")
	}
	assert.Len(t, keys, 4)
}

func TestARoomThatIsAsLoudAsTheWordsGetsNoGate(t *testing.T) {
	h := treat.Histogram{Bins: []float64{1}, Floor: -32, Quiet: -25, Ordinary: -18}
	laid, why := treat.Suggest(session.Treatment{}, treat.Spread{Levels: h, Peaks: h})
	assert.False(t, laid.Gate.On)
	assert.True(t, laid.Compressor.On)
	assert.Contains(t, why, "only 7 dB below the quietest words")
}

func TestOfSilenceAndOfNoiseAloneNoSpreadIsMadeUp(t *testing.T) {
	for name, pcm := range map[string]audio.PCM{
		"nothing": audio.NewPCM(1, 0), "silence": audio.NewPCM(2, 10*audio.Second), "a room": testkit.Noise(1, 0.01, 10*audio.Second, 1),
	} {
		var looks treat.Looks
		looks.Add(pcm, session.LowCut{On: true, Corner: 80}, nil)
		assert.Empty(t, looks.Spread().Levels.Bins, name)
	}
}

func TestAutomaticMakeUpGivesSteadySpeechItsLevelBack(t *testing.T) {
	c := session.Usual().Compressor
	c.On, c.Auto, c.Speech, c.Threshold, c.Ratio = true, true, -20, -32, 4
	pcm := testkit.Sine(1, 500, -20+3.0103, 0, 5*audio.Second)
	treat.Apply(session.Treatment{Compressor: c}, pcm)
	assert.InDelta(t, -20, testkit.RMS(pcm[0][3*audio.Second:]), 0.05)
}
