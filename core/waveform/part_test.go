package waveform_test

import (
	"bytes"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/waveform"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestAPartOfALevelIsReadAsTheWholeWouldBe(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		p := build(testkit.Noise(1, 0.9, audio.Frames(rapid.IntRange(0, 60000).Draw(t, "length")), rapid.Uint64().Draw(t, "seed")), 4096)
		data, err := p.MarshalBinary()
		require.NoError(t, err)
		level := rapid.IntRange(0, waveform.Levels-1).Draw(t, "level")
		first, count := rapid.IntRange(0, 1200).Draw(t, "first"), rapid.IntRange(0, 1200).Draw(t, "count")
		got, err := waveform.ReadPeaks(bytes.NewReader(data), level, first, count)
		require.NoError(t, err)
		all := p.Levels[level]
		first = min(first, len(all))
		assert.Equal(t, append([]waveform.Peak{}, all[first:min(len(all), first+count)]...), got)
	})
}

func TestRunsOfAFewFramesAreThoseOfTheSamplesAndJoinToCoarserOnes(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		pcm := testkit.Noise(2, 0.9, audio.Frames(rapid.IntRange(1, 3000).Draw(t, "length")), rapid.Uint64().Draw(t, "seed"))
		from := audio.Frames(16 * rapid.IntRange(0, 250).Draw(t, "from"))
		count := rapid.IntRange(1, 100).Draw(t, "count")
		single := waveform.Fine(pcm, from, 16*count, 1)
		want := max(0, min(16*count, int(pcm.Length()-from)))
		require.Len(t, single, want)
		for i, k := range single {
			low, high := min(pcm[0][int(from)+i], pcm[1][int(from)+i]), max(pcm[0][int(from)+i], pcm[1][int(from)+i])
			assert.InDelta(t, low*math.MaxInt16, k.Low, 1)
			assert.InDelta(t, high*math.MaxInt16, k.High, 1)
		}
		for i, k := range waveform.Fine(pcm, from, count, 16) {
			run := single[16*i : min(16*i+16, len(single))]
			low, high := run[0].Low, run[0].High
			for _, one := range run {
				low, high = min(low, one.Low), max(high, one.High)
			}
			assert.Equal(t, waveform.Peak{Low: low, High: high}, k)
		}
	})
}

func FuzzReadingAPartOfPeaks(f *testing.F) {
	data, _ := build(testkit.Noise(1, 1, 1000, 5), 64).MarshalBinary()
	f.Add(data, 2, 3, 10)
	f.Add([]byte("RVPK0001\xff\xff\xff\xff"), 6, 1<<40, 16384)
	f.Fuzz(func(t *testing.T, data []byte, level, first, count int) {
		level, first, count = min(max(0, level), waveform.Levels-1), max(0, first), min(max(0, count), 16384)
		peaks, err := waveform.ReadPeaks(bytes.NewReader(data), level, first, count)
		if err != nil {
			require.ErrorIs(t, err, waveform.ErrMalformed)
		}
		require.LessOrEqual(t, len(peaks), count)
	})
}
