package mix

import (
	"context"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/fade"
	"ruvel/core/session"
)

// Chunk is how much of a long render one core takes at a time.
const Chunk = 30 * audio.Second

// Renderer renders windows of one plan, block by block, without allocating. It is for one goroutine.
type Renderer struct {
	// Peaks, if it is not nil, is where the highest sample of each track of the document, after
	// its fader and pan, is kept: Render raises what stands there. It has a place for each track.
	Peaks []float32

	plan  *Plan
	bus   [3][audio.Block]float32 // mono clips of a track; left and right of its stereo clips
	gains [audio.Block]float32
	held  [][2]heldSpan // of each track of the plan, if one is treated
	ways  []heldWay     // and if one makes way
}

// NewRenderer makes a renderer for a plan.
func NewRenderer(p *Plan) *Renderer {
	p = p.heard()
	r := &Renderer{plan: p}
	if slices.ContainsFunc(p.tracks, func(t track) bool { return t.treated.on }) {
		r.held = make([][2]heldSpan, len(p.tracks))
	}
	if slices.ContainsFunc(p.tracks, func(t track) bool { return t.way != nil }) {
		r.ways = make([]heldWay, len(p.tracks))
	}
	return r
}

// Render fills dst, two planar channels, with the session from the frame given on.
// Beyond the session's ends there is silence. Sounds that cannot be read any more are
// an error, audio.ErrUnreadable; what is in dst then is of no use.
func (r *Renderer) Render(dst audio.PCM, from audio.Frames) error {
	return r.render([3]audio.PCM{dst, dst, dst}, from)
}

// RenderParts renders voices, music and effects each on its own; together they are what Render gives.
func (r *Renderer) RenderParts(dst [3]audio.PCM, from audio.Frames) error { return r.render(dst, from) }

func (r *Renderer) render(to [3]audio.PCM, from audio.Frames) error {
	dst := to[0]
	for at := audio.Frames(0); at < dst.Length(); {
		// Up to the next block in which other spans may be needed.
		end := dst.Length()
		if r.held != nil || r.ways != nil {
			end = min(at+audio.Block, end)
		}
		if r.held != nil {
			if err := r.prepare(from+at, end-at); err != nil {
				return err
			}
		}
		if r.ways != nil {
			if err := r.makeWay(from + at); err != nil {
				return err
			}
		}
		if err := r.blocks(to, at, end, from+at); err != nil {
			return err
		}
		at = end
	}
	return nil
}

func (r *Renderer) blocks(to [3]audio.PCM, begin, end, from audio.Frames) error {
	return audio.Guard(func() {
		for at := begin; at < end; at += audio.Block {
			r.block(to, at, min(audio.Block, end-at), from+at-begin)
		}
	})
}

// block renders so many frames to one of three places, by their part, which may be one and the same.
func (r *Renderer) block(to [3]audio.PCM, at, n, from audio.Frames) {
	for _, dst := range to {
		for c := range dst {
			clear(dst[c][at : at+n])
		}
	}
	for i := range r.plan.tracks {
		t := &r.plan.tracks[i]
		if mono, stereo := r.source(i, from, n); mono || stereo {
			r.place(i, to[t.part], at, n, from, mono, stereo)
			if r.Peaks != nil {
				r.Peaks[t.row] = max(r.Peaks[t.row], r.peak(i, from, n, mono, stereo))
			}
		}
	}
}

// partOf is where a part is rendered.
var partOf = map[session.Part]int{session.Voice: 0, session.Music: 1, session.Effect: 2}

// source puts what a track sounds like before its own gains on the buses, and says on which there is any.
func (r *Renderer) source(i int, from, n audio.Frames) (mono, stereo bool) {
	if t := &r.plan.tracks[i]; !t.treated.on {
		return r.sum(t, from, n)
	}
	return r.lay(i, from, n)
}

// sum lays the clips of a track that sound in the block on the buses, each on the one for
// its channels, and says on which there are any. What one clip is never changes how
// another sounds.
func (r *Renderer) sum(t *track, from, n audio.Frames) (mono, stereo bool) {
	clips := t.between(from, from+n)
	for i := range clips {
		c := &clips[i]
		start, end := max(c.Start, from), min(c.End(), from+n)
		if start >= end || c.gain == 0 {
			continue
		}
		switch {
		case len(c.source) == 1 && !mono:
			mono = true
			clear(r.bus[0][:n])
		case len(c.source) == 2 && !stereo:
			stereo = true
			clear(r.bus[1][:n])
			clear(r.bus[2][:n])
		}
		r.add(c, start, end, start-from)
	}
	return mono, stereo
}

// add puts the session frames start to end of a clip on its bus, at a place in the block.
func (r *Renderer) add(c *clip, start, end, place audio.Frames) {
	n := end - start
	own := start - c.Start
	bus := r.bus[:1]
	if len(c.source) == 2 {
		bus = r.bus[1:]
	}
	constant, flat := c.envelope.Constant(own+c.Offset, own+c.Offset+n)
	faded := c.fades && fade.Touches(c.Clip, own, own+n)
	crossed := c.crosses && fade.Touches(c.crossing, own, own+n)
	hushed := fade.Hushes(c.Hushed, own+c.Offset, own+c.Offset+n)
	if flat && !faded && !crossed && !hushed {
		g := c.gain * float32(constant)
		for channel := range c.source {
			addScaled(bus[channel][place:place+n], c.source[channel][own:own+n], g)
		}
		return
	}
	gains := r.gains[:n]
	for i := range gains {
		gains[i] = c.gain
	}
	c.envelope.Multiply(gains, own+c.Offset)
	fade.Multiply(gains, c.Clip, own)
	if crossed {
		fade.Multiply(gains, c.crossing, own)
	}
	if hushed {
		fade.MultiplyHush(gains, c.Hushed, own+c.Offset)
	}
	for channel := range c.source {
		addProduct(bus[channel][place:place+n], c.source[channel][own:own+n], gains)
	}
}

// place puts the buses through the track's own gains and onto the output.
func (r *Renderer) place(i int, dst audio.PCM, at, n, from audio.Frames, mono, stereo bool) {
	t := &r.plan.tracks[i]
	g, flat := r.constant(i, from, n)
	gains := r.gains[:n]
	if !flat {
		for i := range gains {
			gains[i] = t.fader
		}
		t.envelope.Multiply(gains, from)
		if t.way != nil {
			r.ways[i].curve.Multiply(gains, from)
		}
	}
	for channel := range dst {
		out := dst[channel][at : at+n]
		if mono {
			if flat {
				addScaled(out, r.bus[0][:n], g*t.mono[channel])
			} else {
				addScaledProduct(out, r.bus[0][:n], gains, t.mono[channel])
			}
		}
		if stereo {
			if flat {
				addScaled(out, r.bus[1+channel][:n], g*t.stereo[channel])
			} else {
				addScaledProduct(out, r.bus[1+channel][:n], gains, t.stereo[channel])
			}
		}
	}
}

// constant is the gain of the fader and the lines of a track in a block, if it is one. It is
// multiplied as it is where it moves, so that it makes no difference in which block a frame lies.
func (r *Renderer) constant(i int, from, n audio.Frames) (gain float32, flat bool) {
	t := &r.plan.tracks[i]
	line, flat := t.envelope.Constant(from, from+n)
	gain = t.fader * float32(line)
	if flat && t.way != nil {
		way, still := r.ways[i].curve.Constant(from, from+n)
		gain, flat = gain*float32(way), still
	}
	return gain, flat
}

// peak is the highest sample of what place has put on the output, or of its two kinds of
// clips the higher one.
func (r *Renderer) peak(i int, from, n audio.Frames, mono, stereo bool) (high float32) {
	t := &r.plan.tracks[i]
	line, flat := r.constant(i, from, n)
	raise := func(bus []float32, pan float32) {
		for i, v := range bus[:n] {
			g := line
			if !flat {
				g = r.gains[i]
			}
			high = max(high, v*g*pan, -v*g*pan)
		}
	}
	if mono {
		raise(r.bus[0][:], max(t.mono[0], t.mono[1]))
	}
	if stereo {
		raise(r.bus[1][:], t.stereo[0])
		raise(r.bus[2][:], t.stereo[1])
	}
	return high
}

func addScaled(dst, src []float32, g float32) {
	src = src[:len(dst)]
	for i := range dst {
		dst[i] += float32(src[i] * g)
	}
}

func addProduct(dst, src, gains []float32) {
	src, gains = src[:len(dst)], gains[:len(dst)]
	for i := range dst {
		dst[i] += float32(src[i] * gains[i])
	}
}

func addScaledProduct(dst, src, gains []float32, g float32) {
	src, gains = src[:len(dst)], gains[:len(dst)]
	for i := range dst {
		dst[i] += float32(src[i] * (gains[i] * g))
	}
}

// Each renders the frames from (included) to (excluded) on all cores and hands them
// to sink piece by piece in order, two planar channels that are valid only during the
// call. It stops early when the context ends, sink returns an error, or a sound cannot
// be read any more.
func (p *Plan) Each(ctx context.Context, from, to audio.Frames, sink func(audio.PCM) error) error {
	workers := runtime.GOMAXPROCS(0)
	buffers := make(chan audio.PCM, workers+1)
	for range workers + 1 {
		buffers <- audio.NewPCM(2, min(Chunk, max(0, to-from)))
	}
	g, ctx := errgroup.WithContext(ctx)
	pieces := make(chan chan audio.PCM, workers)
	g.Go(func() error {
		defer close(pieces)
		for at := from; at < to; at += Chunk {
			var buffer audio.PCM
			select {
			case buffer = <-buffers:
			case <-ctx.Done():
				return ctx.Err()
			}
			done := make(chan audio.PCM, 1)
			n := min(Chunk, to-at)
			g.Go(func() error {
				piece := buffer.Slice(0, n)
				if err := NewRenderer(p).Render(piece, at); err != nil {
					return err
				}
				done <- piece
				return nil
			})
			select {
			case pieces <- done:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	g.Go(func() error {
		for done := range pieces {
			var piece audio.PCM
			select {
			case piece = <-done:
			case <-ctx.Done():
				return ctx.Err()
			}
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := sink(piece); err != nil {
				return err
			}
			buffers <- audio.PCM{piece[0][:cap(piece[0])], piece[1][:cap(piece[1])]}
		}
		return nil
	})
	return g.Wait()
}
