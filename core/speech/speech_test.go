package speech_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/speech"
	"ruvel/core/waveform"
	"ruvel/testkit"
)

const second = audio.Second

// said is a recording with a room at -52 dBFS in which words stand at the given seconds.
func said(length audio.Frames, words ...[2]float64) audio.PCM {
	p := testkit.Noise(1, 0.0025, length, 1)
	for i, w := range words {
		word := testkit.Noise(1, 0.25, audio.Seconds(w[1]-w[0]), uint64(i+2))
		for k, v := range word[0] {
			p[0][audio.Seconds(w[0])+audio.Frames(k)] += v
		}
	}
	return p
}

func byLevel(p audio.PCM) []speech.Phrase {
	var b waveform.Builder
	b.Write(p)
	return speech.ByLevel(b.Pyramid(), p.Length())
}

func TestPhrasesAreFoundToWithin60Milliseconds(t *testing.T) {
	got := byLevel(said(20*second, [2]float64{1, 3.5}, [2]float64{3.6, 5}, [2]float64{8, 9.2}, [2]float64{15, 19}))
	want := []speech.Phrase{{second, 5 * second}, {8 * second, audio.Seconds(9.2)}, {15 * second, 19 * second}}
	require.Len(t, got, len(want), "a lull of a tenth of a second is no pause")
	for i := range want {
		assert.LessOrEqual(t, got[i].From, want[i].From, "nothing of a first syllable is missed")
		assert.GreaterOrEqual(t, got[i].To, want[i].To)
		assert.InDelta(t, float64(want[i].From), float64(got[i].From), 0.06*audio.Rate)
		assert.InDelta(t, float64(want[i].To), float64(got[i].To), 0.06*audio.Rate)
	}
}

func TestAClickIsNoPhraseAndSoundWithoutARoomHasNone(t *testing.T) {
	assert.Len(t, byLevel(said(10*second, [2]float64{1, 3}, [2]float64{5, 5.02})), 1)
	assert.Empty(t, byLevel(testkit.Noise(1, 0.2, 5*second, 1)), "steady noise")
	assert.Empty(t, byLevel(audio.NewPCM(1, 5*second)), "silence")
	assert.Empty(t, byLevel(audio.NewPCM(1, 0)))
	gated := testkit.Join(testkit.Noise(1, 0.2, 2*second, 1), audio.NewPCM(1, 3*second), testkit.Noise(1, 0.2, 2*second, 2))
	assert.Len(t, byLevel(gated), 2, "a voice whose pauses are digital silence")
}
