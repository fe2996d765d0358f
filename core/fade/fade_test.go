package fade_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/fade"
	"ruvel/core/session"
	"ruvel/testkit"
)

func clip(length, in, out audio.Frames, shape session.Shape) session.Clip {
	return session.Clip{Length: length, FadeIn: session.Fade{Length: in, Shape: shape}, FadeOut: session.Fade{Length: out, Shape: shape}}
}

func TestFadesEqualThoseOfFFmpegSampleBySample(t *testing.T) {
	// Source: ffmpeg's afade filter, curves tri, qsin and hsin, on a constant signal.
	const length, n = 9600, 4000
	for shape, curve := range map[session.Shape]string{session.Linear: "tri", session.EqualPower: "qsin", session.Smooth: "hsin"} {
		t.Run(string(shape), func(t *testing.T) {
			filter := fmt.Sprintf("afade=t=in:ss=0:ns=%d:curve=%s,afade=t=out:ss=%d:ns=%d:curve=%s", n, curve, length-n, n, curve)
			out, _ := testkit.RunFFmpeg(t, testkit.Interleave(testkit.Constant(1, 1, length)),
				append(testkit.RawInput("1"), "-af", filter, "-f", "f32le", "pipe:1")...)
			theirs := testkit.Planar(out, 1)
			ours := testkit.Constant(1, 1, length)
			fade.Multiply(ours[0], clip(length, n, n, shape), 0)
			assert.Less(t, testkit.MaxDifference(t, ours, theirs), 1e-4)
		})
	}
}

func TestTheShapesPassThroughTheirStatedLevels(t *testing.T) {
	// Source: the formulas in the doc comment of Gain.
	for _, c := range []struct {
		shape session.Shape
		t     float64
		db    float64
	}{
		{session.Linear, 0.5, -6.02},
		{session.EqualPower, 0.5, -3.01},
		{session.Smooth, 0.5, -6.02},
		{session.Exponential, 0.5, -30.27},
		{session.Exponential, 0.9, -6.01},
	} {
		assert.InDelta(t, c.db, float64(audio.Level(fade.Gain(c.shape, c.t))), 0.01, "%s at %v", c.shape, c.t)
	}
	for _, shape := range []session.Shape{session.Linear, session.EqualPower, session.Smooth, session.Exponential} {
		assert.Zero(t, fade.Gain(shape, 0))
		assert.InDelta(t, 1, fade.Gain(shape, 1), 0)
		for i := 1; i <= 1000; i++ {
			require.Greater(t, fade.Gain(shape, float64(i)/1000), fade.Gain(shape, float64(i-1)/1000), "%s rises", shape)
		}
	}
}

func TestAFadeCutInTwoGoesOnWhereItWasCut(t *testing.T) {
	whole := testkit.Constant(1, 1, 1000)
	c := clip(1000, 600, 700, session.Smooth)
	fade.Multiply(whole[0], c, 0)
	for _, cut := range []audio.Frames{1, 299, 450, 600, 999} {
		left, right := c, c
		left.Length, left.FadeOut.Past = cut, 1000-cut
		right.Length, right.FadeIn.Past = 1000-cut, min(cut, 600)
		halves := testkit.Constant(1, 1, 1000)
		fade.Multiply(halves[0][:cut], left, 0)
		fade.Multiply(halves[0][cut:], right, 0)
		assert.Zero(t, testkit.MaxDifference(t, whole, halves), "cut at %d", cut)
	}
}

func TestTouchesIsTrueExactlyWhereAFadeChangesAGain(t *testing.T) {
	c := clip(500, 100, 80, session.Linear)
	for at := audio.Frames(0); at < 500; at++ {
		g := []float32{1}
		fade.Multiply(g, c, at)
		assert.Equal(t, g[0] != 1, fade.Touches(c, at, at+1), "frame %d", at)
	}
}
