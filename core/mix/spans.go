package mix

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"hash"
	"math"
	"runtime"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/treat"
)

// What has memory is computed in spans of a fixed grid: from rest, a fixed time before each,
// whoever asks and in whatever order. So a span depends on nothing but what lies around it.
// Neighbours overlap and are crossed over, so that states which have not met make no step.
const (
	spanLength   = 10 * audio.Second // a multiple of treat.Step
	spanCrossing = audio.Second / 100
)

// span is a stretch of a track after its treatment, on the buses of a Renderer, and as much
// more as it is crossed over in, with what was done to it. A bus without clips is nil.
type span struct {
	bus    [3][]float32
	trace  treat.Trace
	course course
}

func (s *span) bytes() int {
	n := entry
	for _, channel := range s.bus {
		n += 4 * len(channel)
	}
	for _, gains := range []treat.Gains{s.trace.Gate, s.trace.Expander, s.trace.Compressor, s.trace.Limiter} {
		n += 4 * len(gains)
	}
	return n + len(s.trace.States) + s.course.bytes()
}

// Spans keeps treated spans, bounded by bytes, those that were used last, and of many more of
// them what was done and how loud they are. The plans of all versions may share one. It is
// safe for use by many goroutines.
type Spans struct {
	spans   *keeping[*span]
	courses *keeping[course]
	powers  *keeping[powers]
	hops    *keeping[hops]
	facts   *keeping[*Facts]
	gates   *keeping[passage]
}

// NewSpans makes a cache for so many bytes, and a quarter more for what is known of spans that
// are not there any more. The last span stays even if it is larger.
func NewSpans(bytes int) *Spans {
	return &Spans{newKeeping[*span](bytes), newKeeping[course](bytes / 4), newKeeping[powers](bytes / 32), newKeeping[hops](bytes / 16), newKeeping[*Facts](bytes / 8), newKeeping[passage](bytes / 32)}
}

// Made is how many spans have been computed.
func (s *Spans) Made() int {
	s.spans.mu.Lock()
	defer s.spans.mu.Unlock()
	return s.spans.made
}

// Bytes is how much memory the spans take that are kept.
func (s *Spans) Bytes() int {
	s.spans.mu.Lock()
	defer s.spans.mu.Unlock()
	return s.spans.bytes
}

// treated is what a track needs to be treated.
type treated struct {
	on            bool
	memory, ahead audio.Frames
}

func newTreated(t session.Treatment) treated {
	return treated{!t.Off(), treat.Memory(t), treat.Ahead(t)}
}

// stretch is what a span is made of.
func (t *track) stretch(n int64) (from, to audio.Frames) {
	begin := audio.Frames(n) * spanLength
	return max(0, begin-t.treated.memory), begin + spanLength + spanCrossing + t.treated.ahead
}

// key is the digest of all that goes into a span: the treatment and the clips around it, with
// their places in it.
func (p *Plan) key(t *track, n int64) key {
	k, _ := p.keyed(t, n, true)
	return k
}

// keyed is key where nothing may be computed for it, if it is not to be: then it may not be known.
func (p *Plan) keyed(t *track, n int64, compute bool) (k key, known bool) {
	before, known := p.gateBefore(t, n, compute)
	if !known {
		return k, false
	}
	from, to := t.stretch(n)
	h := sha256.New()
	fmt.Fprintf(h, "1 %v %d", t.Treatment, to-from)
	if t.Treatment.Gate.On {
		fmt.Fprintf(h, " %v", before)
	}
	t.digestClips(h, from, to, audio.Frames(n)*spanLength)
	return key(h.Sum(nil)), true
}

// digestClips puts the clips that lie between two frames into a digest, with their places after a third.
func (t *track) digestClips(h hash.Hash, from, to, zero audio.Frames) {
	clips := t.between(from, to)
	for i := range clips {
		if c := &clips[i]; c.End() > from && c.gain != 0 {
			c.digest(h, zero)
		}
	}
}

// sounds says whether a track has a clip between two frames that is not silent.
func (t *track) sounds(from, to audio.Frames) bool {
	clips := t.between(from, to)
	for i := range clips {
		if c := &clips[i]; c.End() > from && c.gain != 0 {
			return true
		}
	}
	return false
}

func (c *clip) digest(h hash.Hash, zero audio.Frames) {
	fmt.Fprintf(h, "|%s%s %d %d %d %d %x", c.Sound, c.side, len(c.source), c.Start-zero, c.Offset, c.Length, math.Float32bits(c.gain))
	for _, f := range []session.Fade{c.FadeIn, c.FadeOut, c.crossing.FadeIn, c.crossing.FadeOut} {
		fmt.Fprintf(h, " %d %d %s", f.Length, f.Past, f.Shape)
	}
	for _, s := range c.Hushed {
		h.Write(binary.LittleEndian.AppendUint64(binary.LittleEndian.AppendUint64([]byte{'h'}, uint64(s.From)), uint64(s.To)))
	}
	digestLine(h, c.Envelope)
}

// makeSpan treats a span of a track.
func (p *Plan) makeSpan(t *track, n int64) *span {
	from, to := t.stretch(n)
	room := rooms.Get().(*[3][]float32)
	defer rooms.Put(room)
	in, linked := NewRenderer(p).gatherIn(room, t, from, to)
	out := &span{}
	if linked == nil {
		return out // silence costs nothing
	}
	begin := audio.Frames(n)*spanLength - from
	out.course = before(linked, begin)
	did, _ := p.gateBefore(t, n, true)
	out.trace = treat.ApplyAfter(t.Treatment, linked, did, t.heeds(n)-from).From(begin/treat.Step, spanLength/treat.Step)
	out.course.after(linked, begin, out.trace)
	for bus, channel := range in {
		if channel != nil { // of which only what is heard is kept
			out.bus[bus] = append([]float32(nil), channel[begin:begin+spanLength+spanCrossing]...)
		}
	}
	return out
}

// rooms are what spans are made in, used again: they are some megabytes.
var rooms = sync.Pool{New: func() any { return new([3][]float32) }}

// gather lays the clips of a track in a stretch on buses, and gives those as linked channels
// that something sounds on.
func (r *Renderer) gather(t *track, from, to audio.Frames) (in [3][]float32, linked audio.PCM) {
	return r.gatherIn(new([3][]float32), t, from, to)
}

// gatherIn is gather in a room that is there, and grows if it is too small.
func (r *Renderer) gatherIn(room *[3][]float32, t *track, from, to audio.Frames) (in [3][]float32, linked audio.PCM) {
	for at := from; at < to; at += audio.Block {
		count := min(audio.Block, to-at)
		mono, stereo := r.sum(t, at, count)
		for bus, there := range [3]bool{mono, stereo, stereo} {
			if !there {
				continue
			}
			if in[bus] == nil {
				room[bus] = slices.Grow(room[bus][:0], int(to-from))
				in[bus] = room[bus][:to-from]
				clear(in[bus])
			}
			copy(in[bus][at-from:], r.bus[bus][:count])
		}
	}
	for _, channel := range in {
		if channel != nil {
			linked = append(linked, channel)
		}
	}
	return in, linked
}

// span gives a span of a track. What was done in it is known for longer than the span is kept.
func (p *Plan) span(t *track, n int64) *span {
	of := p.key(t, n)
	return p.spans.spans.get(of, func() *span {
		made := p.makeSpan(t, n)
		p.spans.courses.offer(of, made.course)
		return made
	})
}

// heldSpan is one that a Renderer has at hand.
type heldSpan struct {
	n    int64
	span *span
}

// prepare has at hand all spans that a block needs, several at a time.
func (r *Renderer) prepare(from, n audio.Frames) error {
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i := range r.plan.tracks {
		t := &r.plan.tracks[i]
		if !t.treated.on {
			continue
		}
		for k := int64(max(0, from-spanCrossing+1) / spanLength); k <= int64((from+n-1)/spanLength); k++ {
			held := &r.held[i][k%2]
			if held.span != nil && held.n == k {
				continue
			}
			g.Go(func() error {
				return audio.Guard(func() {
					*held = heldSpan{k, r.plan.span(t, k)}
				})
			})
		}
	}
	return g.Wait()
}

// lay puts what a treated track sounds like on the buses, and says on which there is any.
func (r *Renderer) lay(i int, from, n audio.Frames) (mono, stereo bool) {
	for at := from; at < from+n; {
		k := int64(at / spanLength)
		begin := audio.Frames(k) * spanLength
		end := min(from+n, begin+spanLength)
		now, before := r.held[i][k%2].span, (*span)(nil)
		if at < begin+spanCrossing && k > 0 {
			end = min(end, begin+spanCrossing)
			before = r.held[i][(k-1)%2].span
		}
		for bus := range r.bus {
			r.layBus(r.bus[bus][at-from:end-from], now.bus[bus], before, bus, at-begin)
		}
		mono = mono || now.bus[0] != nil || (before != nil && before.bus[0] != nil)
		stereo = stereo || now.bus[1] != nil || (before != nil && before.bus[1] != nil)
		at = end
	}
	return mono, stereo
}

// layBus fills a part of a bus that lies at a place in its span, crossing over from the one before if there is one.
func (r *Renderer) layBus(dst, now []float32, before *span, bus int, place audio.Frames) {
	if now == nil {
		clear(dst)
	} else {
		copy(dst, now[place:])
	}
	if before == nil {
		return
	}
	for i := range dst {
		t := (float32(place) + float32(i) + 0.5) / float32(spanCrossing)
		var old float32
		if before.bus[bus] != nil {
			old = before.bus[bus][spanLength+place+audio.Frames(i)]
		}
		dst[i] = float32(dst[i]*t) + float32(old*(1-t))
	}
}
