package envelope_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

func level(c envelope.Curve, at audio.Frames) float64 { return float64(audio.Level(c.GainAt(at))) }

func TestALineIsStraightInDBAndConstantOutsideItsPoints(t *testing.T) {
	// Source: "halfway from 0 to -28 dB the gain is -14 dB", by the definition of the line.
	c := envelope.New([]session.Point{{At: 1000, Level: 0}, {At: 3000, Level: -28}})
	for at, want := range map[audio.Frames]float64{0: 0, 1000: 0, 1500: -7, 2000: -14, 3000: -28, 90000: -28} {
		assert.InDelta(t, want, level(c, at), 1e-9, "frame %d", at)
	}
}

func TestWithoutPointsNothingChanges(t *testing.T) {
	for _, c := range []envelope.Curve{envelope.New(nil), envelope.New([]session.Point{})} {
		g, ok := c.Constant(0, 1e9)
		assert.True(t, ok)
		assert.InDelta(t, 1, g, 0)
	}
}

func TestBelowMinusSixtyALineGoesStraightInAmplitudeToSilence(t *testing.T) {
	c := envelope.New([]session.Point{{At: 0, Level: -60}, {At: 1000, Level: audio.Silence}})
	for at, want := range map[audio.Frames]float64{0: 0.001, 250: 0.00075, 500: 0.0005, 999: 0.000001, 1000: 0} {
		assert.InDelta(t, want, c.GainAt(at), 1e-9, "frame %d", at)
	}
	low := envelope.New([]session.Point{{At: 0, Level: -80}, {At: 10, Level: -80}})
	assert.InDelta(t, -80, level(low, 5), 1e-9, "a level typed below the bend is kept exactly")
}

func TestALineFromFullToSilencePassesTheBendWithoutAStep(t *testing.T) {
	c := envelope.New([]session.Point{{At: 0, Level: 0}, {At: 4800, Level: audio.Silence}})
	previous := c.GainAt(0)
	for at := audio.Frames(1); at <= 4800; at++ {
		g := c.GainAt(at)
		require.Less(t, g, previous, "frame %d", at)
		require.Less(t, previous-g, 0.004, "frame %d", at)
		previous = g
	}
}

func TestMultiplyingAWindowGivesTheGainOfEachFrameWhereverTheWindowBegins(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		var points []session.Point
		at := audio.Frames(-1)
		for range rapid.IntRange(0, 6).Draw(t, "points") {
			at += 1 + audio.Frames(rapid.IntRange(0, 700).Draw(t, "gap"))
			points = append(points, session.Point{At: at, Level: audio.DB(rapid.Float64Range(-120, 12).Draw(t, "level"))})
		}
		c := envelope.New(points)
		whole := ones(4000)
		c.Multiply(whole, 0)
		for i, g := range whole {
			if d := float64(g) - c.GainAt(audio.Frames(i)); d > 1e-6*c.GainAt(audio.Frames(i))+1e-12 || d < -1e-6*c.GainAt(audio.Frames(i))-1e-12 {
				t.Fatalf("frame %d: %v instead of %v", i, g, c.GainAt(audio.Frames(i)))
			}
		}
		from := rapid.IntRange(0, 3990).Draw(t, "from")
		window := ones(rapid.IntRange(1, 4000-from).Draw(t, "length"))
		c.Multiply(window, audio.Frames(from))
		for i := range window {
			if window[i] != whole[from+i] {
				t.Fatalf("frame %d differs when the window begins at %d", from+i, from)
			}
		}
	})
}

func ones(n int) []float32 {
	out := make([]float32, n)
	for i := range out {
		out[i] = 1
	}
	return out
}

func BenchmarkARampOverABlock(b *testing.B) {
	c := envelope.New([]session.Point{{At: 0, Level: 0}, {At: 1e7, Level: -28}})
	gains := ones(audio.Block)
	for i := 0; b.Loop(); i++ {
		c.Multiply(gains, audio.Frames(i%1000)*audio.Block)
		if i%100 == 0 {
			copy(gains, ones(audio.Block))
		}
	}
	b.SetBytes(4 * audio.Block)
}
