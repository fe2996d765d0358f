package mix

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/treat"
)

// Cell is what a treatment does in a short stretch of a track, and to what.
type Cell struct {
	Gate, Expander, Compressor, Limiter Hundredths // dB by which each changes the level
	Level                               Hundredths // dBFS in the last 10 ms before the treatment, of the louder channel
	In, Out                             Hundredths // dBFS, the highest sample before it and after it
	Gated                               Gated
}

// Hundredths are hundredths of a dB.
type Hundredths int16

// Gated is what a gate does in a cell, at its most open.
type Gated uint8

// What a gate does. Unknown is a cell that has not been computed.
const (
	NoGate Gated = iota
	GateClosed
	GateHolds
	GateOpen
	Unknown Gated = 255
)

var gated = [...]Gated{treat.Closed: GateClosed, treat.Open: GateOpen, treat.Holding: GateHolds}

// The lengths of a cell, in frames: a step of the treatment, and what is kept of a span.
const (
	CellStep = audio.Frames(treat.Step)
	cell     = 10 * CellStep
)

// nothing is a cell in which nothing sounds.
var nothing = Cell{Level: 100 * Hundredths(audio.Silence), In: 100 * Hundredths(audio.Silence), Out: 100 * Hundredths(audio.Silence)}

// CellLengths are those from the finest to the coarsest. All divide a span.
var CellLengths = []audio.Frames{CellStep, cell, 10 * cell, 100 * cell}

// course is what happens in a span, in cells of 160 frames; none of them if nothing sounds.
type course []Cell

func (c course) bytes() int { return entry + 16*len(c) }

// before begins a course with what a span is before its treatment.
func before(linked audio.PCM, begin audio.Frames) course {
	out := make(course, spanLength/cell)
	const looked = 3 // cells are 10 ms
	for c, channel := range linked {
		var energies [looked]float64
		for k := -looked + 1; k < len(out); k++ {
			from := begin + audio.Frames(k)*cell
			if from < 0 {
				continue
			}
			energies[(k+looked)%looked] = energyOf(channel[from : from+cell])
			if k < 0 {
				continue
			}
			level := hundredths(10 * math.Log10((energies[0]+energies[1]+energies[2])/(looked*float64(cell))))
			if c == 0 || level > out[k].Level {
				out[k].Level = level
			}
			if high := levelOf(channel[from : from+cell]); c == 0 || high > out[k].In {
				out[k].In = high
			}
		}
	}
	return out
}

// after completes it with what the treatment has made of it.
func (c course) after(linked audio.PCM, begin audio.Frames, trace treat.Trace) {
	const steps = int(cell / CellStep)
	for k := range c {
		from := begin + audio.Frames(k)*cell
		out := Hundredths(math.MinInt16)
		for _, channel := range linked {
			out = max(out, levelOf(channel[from:from+cell]))
		}
		c[k].Out = out
		c[k].Gate, c[k].Expander = mean(trace.Gate, k*steps, steps), mean(trace.Expander, k*steps, steps)
		c[k].Compressor, c[k].Limiter = mean(trace.Compressor, k*steps, steps), mean(trace.Limiter, k*steps, steps)
		if trace.States != nil {
			for _, s := range trace.States[k*steps : (k+1)*steps] {
				c[k].Gated = max(c[k].Gated, gated[s])
			}
		}
	}
}

// energyOf is the sum of squares of a number of samples that is a multiple of four.
func energyOf(samples []float32) float64 {
	var a, b, c, d float32
	for i := 0; i < len(samples)-3; i += 4 {
		four := samples[i : i+4 : i+4]
		a, b, c, d = a+four[0]*four[0], b+four[1]*four[1], c+four[2]*four[2], d+four[3]*four[3]
	}
	return float64(a+b) + float64(c+d)
}

// levelOf is that of the highest sample.
func levelOf(samples []float32) Hundredths {
	return hundredths(float64(audio.Level(float64(audio.PeakOf(samples)))))
}

// hundredths never go below silence, and are no more than can be said.
func hundredths(db float64) Hundredths {
	if !(db > float64(audio.Silence)) {
		return 100 * Hundredths(audio.Silence)
	}
	return Hundredths(math.Round(100 * min(db, 300)))
}

func mean(gains treat.Gains, from, n int) Hundredths {
	if gains == nil {
		return 0
	}
	var sum float64
	for _, g := range gains[from : from+n] {
		sum += float64(g)
	}
	return Hundredths(math.Round(100 * sum / float64(n)))
}

// join is a cell that stands for several.
func join(cells []Cell) Cell {
	var gate, expander, compressor, limiter, power float64
	out := Cell{In: math.MinInt16, Out: math.MinInt16}
	for _, c := range cells {
		gate, expander = gate+float64(c.Gate), expander+float64(c.Expander)
		compressor, limiter = compressor+float64(c.Compressor), limiter+float64(c.Limiter)
		power += math.Exp(float64(c.Level) * math.Ln10 / 1000)
		out.In, out.Out, out.Gated = max(out.In, c.In), max(out.Out, c.Out), max(out.Gated, c.Gated)
	}
	n := float64(len(cells))
	round := func(v float64) Hundredths { return Hundredths(math.Round(v / n)) }
	out.Gate, out.Expander, out.Compressor, out.Limiter = round(gate), round(expander), round(compressor), round(limiter)
	out.Level = hundredths(10 * math.Log10(power/n))
	return out
}

// Course is what the treatment of a track does in so many cells of a length from a frame on,
// both multiples of that length, which is one of CellLengths. Cells of a step say what the
// engine applies at their first frame, longer ones are means. What is not known already is
// computed as long as more says so; the rest is Unknown. Where nothing sounds nothing is done.
func (p *Plan) Course(trackID string, from, length audio.Frames, count int, more func() bool) ([]Cell, error) {
	out := make([]Cell, count)
	for i := range out {
		out[i] = nothing
	}
	t := p.find(trackID)
	for k := 0; k < count; {
		at := from + audio.Frames(k)*length
		n := int64(at / spanLength)
		first := int(at % spanLength / length)
		take := min(count-k, int(spanLength/length)-first)
		if t != nil && t.treated.on {
			if err := p.inTurn(func() { p.cells(t, n, first, length, out[k:k+take], more) }); err != nil {
				return nil, err
			}
		}
		k += take
	}
	return out, nil
}

// Holds says whether the plan knows the sound of a track: one that cannot be heard and is not
// treated is left out.
func (p *Plan) Holds(trackID string) bool { return p.find(trackID) != nil }

func (p *Plan) find(trackID string) *track {
	for _, t := range p.all() {
		if t.ID == trackID {
			return t
		}
	}
	return nil
}

// cells fills cells of a span, from one of them on.
func (p *Plan) cells(t *track, n int64, first int, length audio.Frames, out []Cell, more func() bool) {
	of, there := p.keyed(t, n, false)
	if !there && more() {
		of, there = p.key(t, n), true
	}
	if !there || !p.spans.courses.has(of) && !more() {
		for i := range out {
			out[i] = Cell{Gated: Unknown}
		}
		return
	}
	all := p.spans.courses.get(of, func() course { return p.span(t, n).course })
	if len(all) == 0 {
		return
	}
	if length > CellStep {
		each := int(length / cell)
		for i := range out {
			out[i] = join(all[(first+i)*each : (first+i+1)*each])
		}
		return
	}
	s := p.span(t, n)
	for i := range out {
		step := first + i
		out[i] = all[step/int(cell/CellStep)]
		trace := s.trace
		out[i].Gate, out[i].Expander = mean(trace.Gate, step, 1), mean(trace.Expander, step, 1)
		out[i].Compressor, out[i].Limiter = mean(trace.Compressor, step, 1), mean(trace.Limiter, step, 1)
		if trace.States != nil {
			out[i].Gated = gated[trace.States[step]]
		}
	}
}
