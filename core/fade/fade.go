// Package fade computes the gain of a rise at a clip's beginning and of a fall at its
// end. A fade of N frames has the gain shape(i/N) at its frame i, so a rise begins at
// exactly 0 and a fall ends one step above it, as in ffmpeg's afade.
package fade

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Gain is the amplitude of a shape at t from 0 (silent) to 1 (full).
//
//	linear       t
//	equal-power  sin(pi t / 2)
//	smooth       (1 - cos(pi t)) / 2
//	exponential  (10^(3t) - 1) / (10^3 - 1): 60 (t - 1) dB, bent at the foot to reach zero
func Gain(shape session.Shape, t float64) float64 {
	switch {
	case t <= 0:
		return 0
	case t >= 1:
		return 1
	}
	switch shape {
	case session.EqualPower:
		return math.Sin(math.Pi / 2 * t)
	case session.Smooth:
		return (1 - math.Cos(math.Pi*t)) / 2
	case session.Exponential:
		return math.Expm1(3*math.Ln10*t) / 999
	default:
		return t
	}
}

// In is the gain of a rise at a frame counted from the clip's start.
func In(f session.Fade, at audio.Frames) float64 {
	if f.Length == 0 {
		return 1
	}
	return Gain(f.Shape, float64(at+f.Past)/float64(f.Length))
}

// Out is the gain of a fall at a frame counted from the clip's start, for a clip of the given length.
func Out(f session.Fade, at, length audio.Frames) float64 {
	if f.Length == 0 {
		return 1
	}
	return Gain(f.Shape, float64(length-at+f.Past)/float64(f.Length))
}

// Touches says whether the frames from (included) to (excluded) of a clip are changed by its fades.
func Touches(c session.Clip, from, to audio.Frames) bool {
	return from+c.FadeIn.Past < c.FadeIn.Length || c.Length-to+1+c.FadeOut.Past < c.FadeOut.Length
}

// Multiply scales gains by both fades of a clip; the first gain belongs to the frame from, counted from the clip's start.
func Multiply(gains []float32, c session.Clip, from audio.Frames) {
	for i := range gains[:clamp(c.FadeIn.Length-c.FadeIn.Past-from, len(gains))] {
		gains[i] *= float32(In(c.FadeIn, from+audio.Frames(i)))
	}
	first := clamp(c.Length+c.FadeOut.Past-c.FadeOut.Length-from, len(gains))
	for i := first; i < len(gains) && c.FadeOut.Length > 0; i++ {
		gains[i] *= float32(Out(c.FadeOut, from+audio.Frames(i), c.Length))
	}
}

func clamp(n audio.Frames, high int) int { return int(max(0, min(n, audio.Frames(high)))) }
