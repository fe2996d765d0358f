package mix_test

import (
	"math"
	"testing"

	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

// What follows is a renderer written from docs/session.md alone, frame by frame, without
// anything of core/envelope, fade, pan or mix.

func gainOf(db float64) float64 {
	if db <= -120 {
		return 0
	}
	return math.Pow(10, db/20)
}

func shapeOf(shape session.Shape, t float64) float64 {
	t = math.Max(0, math.Min(1, t))
	switch shape {
	case "equal-power":
		return math.Sin(math.Pi * t / 2)
	case "smooth":
		return (1 - math.Cos(math.Pi*t)) / 2
	case "exponential":
		return (math.Pow(10, 3*t) - 1) / 999
	}
	return t
}

func fadeOf(f session.Fade, frames audio.Frames) float64 {
	if f.Length == 0 {
		return 1
	}
	return shapeOf(f.Shape, float64(frames+f.Past)/float64(f.Length))
}

func lineOf(points []session.Point, frame audio.Frames) float64 {
	if len(points) == 0 {
		return 1
	}
	if first := points[0]; frame <= first.At {
		return gainOf(float64(first.Level))
	}
	if last := points[len(points)-1]; frame >= last.At {
		return gainOf(float64(last.Level))
	}
	i := 1
	for frame >= points[i].At {
		i++
	}
	h := func(level float64) float64 {
		if level >= -60 {
			return level
		}
		return -120 + 60*gainOf(level)/0.001
	}
	a, b := points[i-1], points[i]
	u := float64(frame-a.At) / float64(b.At-a.At)
	x := h(float64(a.Level)) + (h(float64(b.Level))-h(float64(a.Level)))*(u+a.Bend*(u*u-u))
	switch {
	case x >= -60:
		return math.Pow(10, x/20)
	case x > -120:
		return 0.001 * (x + 120) / 60
	}
	return 0
}

func panOf(channels int, p float64) (l, r float64) {
	switch {
	case channels == 1:
		return math.Cos((p + 1) * math.Pi / 4), math.Sin((p + 1) * math.Pi / 4)
	case p >= 0:
		return math.Cos(p * math.Pi / 2), 1
	}
	return 1, math.Cos(-p * math.Pi / 2)
}

// crossOf is the gain of a clip's crossings at its frame i.
func crossOf(t session.Track, id string, i audio.Frames) float64 {
	shape := func(law session.Law, t float64) float64 {
		if law == "equal-power" {
			return math.Sin(math.Pi * t / 2)
		}
		return t
	}
	g := 1.0
	for in, b := range t.Clips {
		if b.Crossing == "" {
			continue
		}
		out := ""
		for k, a := range t.Clips {
			if a.Start < b.Start && a.Start+a.Length > b.Start && a.Start+a.Length < b.Start+b.Length {
				out = k // of which there is one where no more than two clips overlap
			}
		}
		if out == "" {
			continue
		}
		end := t.Clips[out].Start + t.Clips[out].Length
		n := t.Clips[id].Start + i
		at := float64(n-b.Start) / float64(end-b.Start)
		switch {
		case n < b.Start || n >= end:
		case id == in:
			g *= shape(b.Crossing, at)
		case id == out:
			g *= shape(b.Crossing, 1-at)
		}
	}
	return g
}

// hushOf is what silenced stretches leave at a frame of the sound.
func hushOf(spans []session.Span, frame audio.Frames) float64 {
	for _, s := range spans {
		if frame >= s.From && frame < s.To {
			edge := math.Min(240, math.Floor(float64(s.To-s.From)/2))
			into := math.Min(float64(frame-s.From), float64(s.To-1-frame)) + 1
			return math.Max(0, 1-into/(edge+1))
		}
	}
	return 1
}

func reference(d session.Document, length audio.Frames) (left, right []float64) {
	left, right = make([]float64, length), make([]float64, length)
	soloed := false
	for _, t := range d.Tracks {
		soloed = soloed || t.Solo
	}
	for _, t := range d.Tracks {
		if t.Mute || (soloed && !t.Solo) {
			continue
		}
		for id, c := range t.Clips {
			if c.Silent {
				continue
			}
			source := library[c.Sound]
			l, r := panOf(len(source), t.Pan)
			for i := range c.Length {
				n := c.Start + i
				if n >= length {
					break
				}
				g := gainOf(float64(c.Gain)) * fadeOf(c.FadeIn, i) * fadeOf(c.FadeOut, c.Length-i) *
					crossOf(t, id, i) * hushOf(c.Hushed, c.Offset+i) * lineOf(c.Envelope, c.Offset+i) * lineOf(t.Envelope, n) * gainOf(float64(t.Fader))
				left[n] += float64(source[0][c.Offset+i]) * g * l
				right[n] += float64(source[len(source)-1][c.Offset+i]) * g * r
			}
		}
	}
	return left, right
}

func TestARendererWrittenFromTheDescriptionSoundsTheSame(t *testing.T) {
	// Source: docs/session.md.
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		const length = 60000
		left, right := reference(doc, length)
		got := render(t, doc, 0, length)
		for channel, want := range [][]float64{left, right} {
			for n, v := range want {
				if d := math.Abs(v - float64(got[channel][n])); d > 1e-6+1e-5*math.Abs(v) {
					t.Fatalf("frame %d of channel %d: %v by the description, %v by the engine", n, channel, v, got[channel][n])
				}
			}
		}
	})
}
