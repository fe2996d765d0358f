package mix

import (
	"context"
	"runtime"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/fade"
)

// Chunk is how much of a long render one core takes at a time.
const Chunk = 30 * audio.Second

// Renderer renders windows of one plan, block by block, without allocating. It is for one goroutine.
type Renderer struct {
	plan  *Plan
	bus   [2][audio.Block]float32
	gains [audio.Block]float32
}

// NewRenderer makes a renderer for a plan.
func NewRenderer(p *Plan) *Renderer { return &Renderer{plan: p} }

// Render fills dst, two planar channels, with the session from the frame given on.
// Beyond the session's ends there is silence.
func (r *Renderer) Render(dst audio.PCM, from audio.Frames) {
	for at := audio.Frames(0); at < dst.Length(); at += audio.Block {
		n := min(audio.Block, dst.Length()-at)
		r.block(dst.Slice(at, at+n), from+at)
	}
}

func (r *Renderer) block(dst audio.PCM, from audio.Frames) {
	dst.Clear()
	for i := range r.plan.tracks {
		t := &r.plan.tracks[i]
		if r.sum(t, from, dst.Length()) {
			r.place(t, dst, from)
		}
	}
}

// sum lays the clips of a track that sound in the block on the bus and says whether there are any.
func (r *Renderer) sum(t *track, from, n audio.Frames) bool {
	sounding := false
	clips := t.between(from, from+n)
	for i := range clips {
		c := &clips[i]
		start, end := max(c.Start, from), min(c.End(), from+n)
		if start >= end || c.gain == 0 {
			continue
		}
		if !sounding {
			sounding = true
			for channel := range t.channels {
				clear(r.bus[channel][:n])
			}
		}
		r.add(t, c, start, end, start-from)
	}
	return sounding
}

// add puts the session frames start to end of a clip on the bus, at a place in the block.
func (r *Renderer) add(t *track, c *clip, start, end, place audio.Frames) {
	n := end - start
	own := start - c.Start
	constant, flat := c.envelope.Constant(own+c.Offset, own+c.Offset+n)
	left := c.source[0][own : own+n]
	right := c.source[len(c.source)-1][own : own+n]
	scale := float32(1)
	if len(c.source) < t.channels {
		scale = middle // a mono clip among stereo ones sits in the middle
	}
	if flat && !(c.fades && fade.Touches(c.Clip, own, own+n)) {
		g := c.gain * scale * float32(constant)
		addScaled(r.bus[0][place:place+n], left, g)
		if t.channels == 2 {
			addScaled(r.bus[1][place:place+n], right, g)
		}
		return
	}
	gains := r.gains[:n]
	for i := range gains {
		gains[i] = c.gain * scale
	}
	c.envelope.Multiply(gains, own+c.Offset)
	fade.Multiply(gains, c.Clip, own)
	addProduct(r.bus[0][place:place+n], left, gains)
	if t.channels == 2 {
		addProduct(r.bus[1][place:place+n], right, gains)
	}
}

// middle is the gain of a mono source on each side of a stereo bus.
const middle float32 = 0.70710678118654752

// place puts the bus through the track's own gains and onto the output.
func (r *Renderer) place(t *track, dst audio.PCM, from audio.Frames) {
	n := dst.Length()
	left, right := r.bus[0][:n], r.bus[t.channels-1][:n]
	if g, flat := t.envelope.Constant(from, from+n); flat {
		f := t.fader * float32(g)
		addScaled(dst[0], left, f*t.left)
		addScaled(dst[1], right, f*t.right)
		return
	}
	gains := r.gains[:n]
	for i := range gains {
		gains[i] = t.fader
	}
	t.envelope.Multiply(gains, from)
	for i, g := range gains {
		dst[0][i] += float32(left[i] * (g * t.left))
		dst[1][i] += float32(right[i] * (g * t.right))
	}
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

// Each renders the frames from (included) to (excluded) on all cores and hands them
// to sink piece by piece in order, two planar channels that are valid only during the
// call. It stops early when the context ends or sink returns an error.
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
				NewRenderer(p).Render(piece, at)
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
			piece := <-done
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
