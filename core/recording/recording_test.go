package recording_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/recording"
	"ruvel/testkit/law"
)

func fold(samples []float32, channels int, mono bool) audio.PCM {
	var s recording.Sides
	s.Look(samples, channels)
	return recording.NewFold(channels, mono, s).Apply(samples)
}

func TestTheSidesOfADeviceBecomeTheChannelsOfTheTake(t *testing.T) {
	both := []float32{0.5, 0.25, -0.5, 0.75}
	assert.Equal(t, audio.PCM{{0.5, -0.5}, {0.25, 0.75}}, fold(both, 2, false), "stereo stays as it came")
	assert.Equal(t, audio.PCM{{0.375, 0.125}}, fold(both, 2, true), "mono is the mean")
	assert.Equal(t, audio.PCM{{0.5, 0.25, -0.5, 0.75}}, fold(both, 1, true))
	assert.Equal(t, audio.PCM{{0.5, 0.25, -0.5, 0.75}}, fold(both, 1, false), "a mono device gives a mono take")
	assert.Equal(t, audio.PCM{{0.5, -0.5}}, fold([]float32{0.5, 0.001, -0.5, 0.001}, 2, true), "only the left side is connected")
	assert.Equal(t, audio.PCM{{0.5, -0.5}}, fold([]float32{0, 0.5, 0, -0.5}, 2, true), "only the right side is connected")
	assert.Equal(t, audio.PCM{{0, 0}}, fold(make([]float32, 4), 2, true), "silence")
	nan := float32(math.NaN())
	assert.Equal(t, audio.PCM{{1, 1}}, fold([]float32{nan, 1, float32(math.Inf(1)), 1}, 2, true), "a side without a number counts as not connected")
	assert.Equal(t, audio.PCM{{0.25, 0.5}}, fold([]float32{nan, 0.5, 0.5, 0.5}, 2, true))
	assert.Equal(t, audio.PCM{{0, 0.25}}, fold([]float32{nan, 0.25}, 1, true))
}

func TestEqualSidesFoldToMonoBitForBit(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		mono := rapid.SliceOfN(rapid.Float32Range(-1, 1), 1, 50).Draw(t, "samples")
		var both []float32
		for _, v := range mono {
			both = append(both, v, v)
		}
		out := fold(both, 2, true)
		for i, v := range mono {
			if out[0][i] != v {
				t.Fatalf("%v became %v", v, out[0][i])
			}
		}
	})
}

func TestTheHighestSampleIsTheLevel(t *testing.T) {
	var s recording.Sides
	assert.Equal(t, audio.Silence, s.Peak())
	s.Look([]float32{0.1, -0.5, 0.2, 0.25}, 2)
	s.Look([]float32{0.1}, 1)
	assert.InDelta(t, -6.02, float64(s.Peak()), 0.01)
	s.Look([]float32{float32(math.NaN()), float32(math.Inf(-1)), 0.2, float32(math.Inf(1))}, 2)
	assert.InDelta(t, -6.02, float64(s.Peak()), 0.01)
	assert.Equal(t, int64(3), s.Silenced(), "what is no number is counted and has no level")
	l := recording.Levels()
	assert.Less(t, l.Silent, l.TooLow)
	assert.Less(t, l.TooLow, l.Good)
	assert.Less(t, l.Good, l.Hot)
	assert.Less(t, l.Hot, l.Clipped)
}

func TestATakeGoesWhereItWasSpoken(t *testing.T) {
	for _, c := range []struct{ begun, late, start, offset audio.Frames }{
		{48000, 0, 48000, 0},
		{48000, 960, 47040, 0},
		{48000, -960, 48960, 0},
		{500, 960, 0, 460},
		{0, 0, 0, 0},
	} {
		start, offset := recording.Place(c.begun, c.late)
		assert.Equal(t, c.start, start, "%+v", c)
		assert.Equal(t, c.offset, offset, "%+v", c)
	}
	assert.Equal(t, 1, recording.Number(nil))
	assert.Equal(t, 8, recording.Number([]int{2, 7, 3}))
}
