// Package envelope computes the gain of a level line: lines in dB between points, straight
// or bent, constant before the first and after the last. Below -60 dB a line goes on
// straight in amplitude instead, so that it reaches true silence. Without points the
// gain is 1.
package envelope

import (
	"math"
	"sort"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// knee is the level below which a line is straight in amplitude.
const knee = -60

var kneeGain = audio.DB(knee).Gain()

// step is how many frames share one exponential: the frames between follow by a
// table of powers, exact to rounding and the same whichever window is asked for.
const step = 16

// Curve is a level line ready to be evaluated. The zero Curve is a gain of 1.
type Curve struct {
	segments []segment
	before   float64 // gain up to the first point
	after    float64 // gain from the last point on
	first    audio.Frames
	last     audio.Frames
}

// segment is one line, x0 + dx*j + q*j*j for frame j after from, on the height scale below.
// With u from 0 to 1 between its points and a bend b, that is u + b (u² - u) of the way.
type segment struct {
	from, to audio.Frames
	x0, dx   float64
	q        float64
	powers   [step]float64 // gain ratio after 0..step-1 frames where the line is straight in dB
}

// height maps a level to the scale on which lines are straight: dB down to the knee,
// then amplitude, with silence as far below the knee as the knee is below 0 dB.
func height(level audio.DB) float64 {
	if level >= knee {
		return float64(level)
	}
	return 2*knee - knee*level.Gain()/kneeGain
}

func gainAtHeight(x float64) float64 {
	switch {
	case x >= knee:
		return math.Pow(10, x/20)
	case x <= 2*knee:
		return 0
	}
	return kneeGain * (x - 2*knee) / -knee
}

// New compiles points, which must be in order of time.
func New(points []session.Point) Curve {
	if len(points) == 0 {
		return Curve{before: 1, after: 1, first: math.MaxInt64, last: math.MaxInt64}
	}
	end := points[len(points)-1]
	c := Curve{before: points[0].Level.Gain(), after: end.Level.Gain(), first: points[0].At, last: end.At}
	for i := 1; i < len(points); i++ {
		a, b := points[i-1], points[i]
		s := segment{from: a.At, to: b.At, x0: height(a.Level)}
		way, frames := height(b.Level)-s.x0, float64(b.At-a.At)
		s.dx = way * (1 - a.Bend) / frames
		s.q = way * a.Bend / frames / frames
		for k := range s.powers {
			s.powers[k] = math.Pow(10, s.dx*float64(k)/20)
		}
		c.segments = append(c.segments, s)
	}
	return c
}

// GainAt is the gain at one frame.
func (c Curve) GainAt(at audio.Frames) float64 {
	if g, ok := c.Constant(at, at+1); ok {
		return g
	}
	s := &c.segments[c.find(at)]
	return gainAtHeight(s.height(at - s.from))
}

// Constant reports the gain of the frames from (included) to (excluded) where one
// value holds for all of them: before the points, after them, or within a flat line.
func (c Curve) Constant(from, to audio.Frames) (gain float64, ok bool) {
	switch {
	case to <= c.first:
		return c.before, true
	case from >= c.last:
		return c.after, true
	case from < c.first:
		return 0, false
	}
	s := &c.segments[c.find(from)]
	return gainAtHeight(s.x0), s.dx == 0 && s.q == 0 && to <= s.to
}

func (s *segment) height(j audio.Frames) float64 {
	u := float64(j)
	return s.x0 + s.dx*u + s.q*u*u
}

// find is the index of the segment that holds a frame between the first and the last point.
func (c Curve) find(at audio.Frames) int {
	return sort.Search(len(c.segments), func(i int) bool { return c.segments[i].to > at })
}

// Multiply scales gains, of which the first belongs to the frame from.
func (c Curve) Multiply(gains []float32, from audio.Frames) {
	if g, ok := c.Constant(from, from+audio.Frames(len(gains))); ok {
		scale(gains, g)
		return
	}
	at, end := from, from+audio.Frames(len(gains))
	if at < c.first {
		n := min(c.first, end) - at
		scale(gains[:n], c.before)
		at += n
	}
	for at < end {
		if at >= c.last {
			scale(gains[at-from:], c.after)
			return
		}
		s := &c.segments[c.find(at)]
		n := min(s.to, end) - at
		s.multiply(gains[at-from:at-from+n], at-s.from)
		at += n
	}
}

// multiply scales gains, of which the first belongs to frame j of the segment.
func (s *segment) multiply(gains []float32, j audio.Frames) {
	switch {
	case s.q != 0:
		for i := range gains {
			gains[i] *= float32(gainAtHeight(s.height(j + audio.Frames(i))))
		}
		return
	case s.dx == 0:
		scale(gains, gainAtHeight(s.x0))
		return
	}
	for i := 0; i < len(gains); {
		k := int(j) % step
		base := j - audio.Frames(k)
		n := min(step-k, len(gains)-i)
		x := s.x0 + s.dx*float64(base)
		end := x + s.dx*(step-1)
		if x >= knee && end >= knee {
			g := math.Exp2(x * (math.Log2E * math.Ln10 / 20))
			for _, p := range s.powers[k : k+n] {
				gains[i] *= float32(g * p)
				i++
			}
		} else {
			for m := range n {
				gains[i] *= float32(gainAtHeight(s.x0 + s.dx*float64(base+audio.Frames(k+m))))
				i++
			}
		}
		j += audio.Frames(n)
	}
}

func scale(gains []float32, g float64) {
	if g == 1 {
		return
	}
	f := float32(g)
	for i := range gains {
		gains[i] *= f
	}
}
