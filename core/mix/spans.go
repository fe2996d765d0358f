package mix

import (
	"container/list"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"hash"
	"math"
	"runtime"
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
// more as it is crossed over in. A bus without clips is nil.
type span struct{ bus [3][]float32 }

func (s *span) bytes() (n int) {
	for _, channel := range s.bus {
		n += 4 * len(channel)
	}
	return n
}

// spanKey is a digest of all that a span is made of.
type spanKey [sha256.Size]byte

// Spans keeps treated spans, bounded by bytes, those that were used last. The plans of all
// versions may share one. It is safe for use by many goroutines.
type Spans struct {
	mu    sync.Mutex
	most  int
	bytes int
	made  int
	byKey map[spanKey]*list.Element
	order list.List // the last used first
}

// NewSpans makes a cache for so many bytes. The last span stays even if it is larger.
func NewSpans(bytes int) *Spans { return &Spans{most: bytes, byKey: map[spanKey]*list.Element{}} }

// keptSpan is a span that has been made or is being made.
type keptSpan struct {
	key  spanKey
	done chan struct{} // closed when the span is there, or could not be made
	span *span
}

// Made is how many spans have been computed.
func (s *Spans) Made() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.made
}

// Bytes is how much memory the spans take that are kept.
func (s *Spans) Bytes() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.bytes
}

// get gives a span, which is made once for all who want it at the same time.
func (s *Spans) get(key spanKey, produce func() *span) *span {
	for {
		s.mu.Lock()
		e, there := s.byKey[key]
		if !there {
			k := &keptSpan{key: key, done: make(chan struct{})}
			s.byKey[key] = s.order.PushFront(k)
			s.mu.Unlock()
			return s.fill(k, produce)
		}
		s.order.MoveToFront(e)
		s.mu.Unlock()
		k := e.Value.(*keptSpan)
		if <-k.done; k.span != nil {
			return k.span
		}
	}
}

// fill makes a span. One that cannot be made is forgotten, and whoever waits tries by themselves.
func (s *Spans) fill(k *keptSpan, produce func() *span) (made *span) {
	defer func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		defer close(k.done)
		if made == nil {
			s.order.Remove(s.byKey[k.key])
			delete(s.byKey, k.key)
			return
		}
		k.span = made
		s.made++
		s.bytes += made.bytes()
		for e := s.order.Back(); e != nil && s.bytes > s.most; {
			old, before := e.Value.(*keptSpan), e.Prev()
			if old != k && old.span != nil { // those that are being made stay
				s.order.Remove(e)
				delete(s.byKey, old.key)
				s.bytes -= old.span.bytes()
			}
			e = before
		}
	}()
	return produce()
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
func (t *track) key(n int64) spanKey {
	from, to := t.stretch(n)
	h := sha256.New()
	fmt.Fprintf(h, "1 %v %d", t.Treatment, to-from)
	for _, c := range t.between(from, to) {
		c.digest(h, audio.Frames(n)*spanLength)
	}
	return spanKey(h.Sum(nil))
}

func (c *clip) digest(h hash.Hash, zero audio.Frames) {
	fmt.Fprintf(h, "|%s %d %d %d %d %x", c.Sound, len(c.source), c.Start-zero, c.Offset, c.Length, math.Float32bits(c.gain))
	for _, f := range []session.Fade{c.FadeIn, c.FadeOut, c.crossing.FadeIn, c.crossing.FadeOut} {
		fmt.Fprintf(h, " %d %d %s", f.Length, f.Past, f.Shape)
	}
	for _, s := range c.Hushed {
		h.Write(binary.LittleEndian.AppendUint64(binary.LittleEndian.AppendUint64([]byte{'h'}, uint64(s.From)), uint64(s.To)))
	}
	for _, p := range c.Envelope {
		point := binary.LittleEndian.AppendUint64([]byte{'p'}, uint64(p.At))
		point = binary.LittleEndian.AppendUint64(point, math.Float64bits(float64(p.Level)))
		h.Write(binary.LittleEndian.AppendUint64(point, math.Float64bits(p.Bend)))
	}
}

// makeSpan treats a span of a track.
func (p *Plan) makeSpan(t *track, n int64) *span {
	from, to := t.stretch(n)
	r := NewRenderer(p)
	var in [3][]float32
	for at := from; at < to; at += audio.Block {
		count := min(audio.Block, to-at)
		mono, stereo := r.sum(t, at, count)
		for bus, there := range [3]bool{mono, stereo, stereo} {
			if !there {
				continue
			}
			if in[bus] == nil {
				in[bus] = make([]float32, to-from)
			}
			copy(in[bus][at-from:], r.bus[bus][:count])
		}
	}
	var linked audio.PCM
	for _, channel := range in {
		if channel != nil {
			linked = append(linked, channel)
		}
	}
	out := &span{}
	if linked == nil {
		return out // silence costs nothing
	}
	treat.Apply(t.Treatment, linked)
	begin := audio.Frames(n)*spanLength - from
	for bus, channel := range in {
		if channel != nil { // of which only what is heard is kept
			out.bus[bus] = append([]float32(nil), channel[begin:begin+spanLength+spanCrossing]...)
		}
	}
	return out
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
					*held = heldSpan{k, r.plan.spans.get(t.key(k), func() *span { return r.plan.makeSpan(t, k) })}
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
