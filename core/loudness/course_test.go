package loudness_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// powersOf are the powers per whole 100 ms of a sound, both channels together.
func powersOf(pcm audio.PCM) (out []float64) {
	for k := range pcm.Length() / loudness.Hop {
		var sum float64
		for _, channel := range loudness.Powers(pcm) {
			sum += float64(channel[k])
		}
		out = append(out, sum)
	}
	return out
}

func TestTheCourseOfLoudnessIsThatOfAMeterThatListensAlong(t *testing.T) {
	pcm := testkit.Join(testkit.Noise(2, 0.02, 3*audio.Second, 1), testkit.Noise(2, 0.4, 4*audio.Second, 2), testkit.Noise(2, 0.0001, 4*audio.Second, 3))
	c := loudness.Along(powersOf(pcm))
	m := loudness.NewMeter(2)
	for k := range c.Momentary {
		m.Write(pcm.Slice(audio.Frames(k)*loudness.Hop, audio.Frames(k+1)*loudness.Hop))
		assert.InDelta(t, m.Momentary(), c.Momentary[k], 1e-3, "momentary at %d", k)
		assert.InDelta(t, m.ShortTerm(), c.ShortTerm[k], 1e-3, "short-term at %d", k)
		if (k+1)%10 == 0 {
			assert.InDelta(t, m.Result().Integrated, c.SoFar[k/10], 1e-3, "so far at %d", k)
		}
	}
	low, high := loudness.RangeOf(powersOf(pcm))
	assert.InDelta(t, m.Result().Range, high-low, 1e-3)
}

func TestWhateverThePowersTheCourseEndsWithTheLoudnessOfAll(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		n := 10 * rapid.IntRange(1, 30).Draw(t, "seconds")
		powers := make([]float64, n)
		for i := range powers {
			powers[i] = math.Pow(10, rapid.Float64Range(-12, 0).Draw(t, "power"))
		}
		c := loudness.Along(powers)
		assert.Len(t, c.Momentary, n)
		assert.Len(t, c.SoFar, n/10)
		assert.InDelta(t, loudness.Sum(powers, audio.Frames(n)*loudness.Hop).Integrated, c.SoFar[len(c.SoFar)-1], 1e-6)
	})
	assert.Empty(t, loudness.Along(nil).SoFar)
}
