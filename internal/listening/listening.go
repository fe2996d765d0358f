// Package listening renders what is to be heard of a plan and sends it at the pace of listening, in blocks that carry their
// place and the values of the meters.
package listening

import (
	"context"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"net/http"
	"slices"
	"time"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/turns"
)

// A stream is a row of blocks. Each has a head of 36 bytes, all
// little-endian, then its frames as interleaved 32-bit floats, left and right:
//
//	int64   the session frame that it begins with
//	uint32  how many frames it has; 0 ends the stream
//	uint32  how many tracks the document has, at most 64
//	float32 true peak of the left channel in this block, amplitude
//	float32 true peak of the right channel
//	float32 momentary loudness, LUFS
//	float32 short-term loudness, LUFS
//	float32 mean K-weighted square of the tenth of a second that ended in this block; -1 if none did
//
// Between the head and the frames stands, for each track from top to bottom, a
//
//	float32 highest sample of the track in this block, after its fader and pan, amplitude

// Pace of the stream: a little at once so that sound begins, then ahead of the
// listener by no more than a second and a half, so that little is thrown away when something changes.
const (
	firstBlock  = 512
	quickBlocks = 12
	leadAtOnce  = audio.Second / 2
	mostLead    = audio.Second * 3 / 2
)

// Readable is how long a listener may leave what was sent unread before it is cut off.
const Readable = 5 * time.Second

// Stream renders and paces one listener's sound.
type Stream struct {
	renderer *mix.Renderer
	rows     []float32 // the peaks of the tracks
	at, to   audio.Frames
	spans    []session.Span // the only ones to be heard, if this is not nil: those that are left, the one under way first
	back     audio.Frames
	loop     bool
	meter    *loudness.Meter
	hops     int // tenths of a second that the meter has told of
	peaks    [2]loudness.TruePeak
	blocks   int
	sent     audio.Frames
	pcm      audio.PCM
	out      []byte
	turns    *turns.Turns // of which one is held while it renders; nil: none is needed
	gain     float32      // of all that is sent
	ahead    audio.Frames // how much more than has been heard is sent at once; 0: as usual
	ready    audio.Frames // frames of the block that is rendered and not sent yet
}

// Wanted is what is to be heard of a plan, and how.
type Wanted struct {
	From, To audio.Frames   // To 0: to the end
	Loop     bool           // go back to Back at the end, for ever
	Back     audio.Frames   // with Loop
	Only     []session.Span // nothing but these, one after the other; nil: all
	Heard    []float64      // K-weighted squares of the tenths of a second that were heard before, after which the loudness goes on
	Gain     audio.DB       // of all that is sent
	Ahead    audio.Frames   // how much more than has been heard is sent at once; 0: half a second, then up to a second and a half
}

// New gives the stream of a plan, of which nothing has been rendered yet. It holds one of the turns for listeners while it
// renders; nil: it needs none. It is not safe for use by many goroutines.
func New(plan *mix.Plan, w Wanted, t *turns.Turns) *Stream {
	to := w.To
	if to == 0 || (to > plan.Length() && !w.Loop) {
		to = plan.Length()
	}
	back := min(w.Back, to)
	renderer := mix.NewRenderer(plan)
	renderer.Peaks = make([]float32, plan.Rows())
	s := &Stream{
		renderer: renderer, rows: renderer.Peaks, at: w.From, to: to, back: back, loop: w.Loop && to-back >= firstBlock,
		meter: loudness.NewMeter(2), pcm: audio.NewPCM(2, audio.Block), gain: float32(w.Gain.Gain()), ahead: w.Ahead, turns: t,
	}
	s.goOn(w.Heard)
	if w.Only != nil {
		s.only(w.Only)
	}
	return s
}

// goOn has the loudness go on after what was heard before.
func (s *Stream) goOn(powers []float64) {
	s.meter.GoOn(slices.DeleteFunc(slices.Clone(powers), func(p float64) bool { return !(p >= 0 && p < 1e6) }))
	_, s.hops = s.meter.LastHop()
}

// only leaves stretches to be heard, one after the other, from where the stream stands on.
func (s *Stream) only(spans []session.Span) {
	s.spans = slices.DeleteFunc(slices.Clone(spans), func(span session.Span) bool { return span.To <= s.at })
	s.loop = false
	s.enter()
}

// enter goes to the stretch that comes next, or to the end if there is none.
func (s *Stream) enter() {
	if len(s.spans) == 0 {
		s.at = s.to
		return
	}
	s.at, s.to = max(s.at, s.spans[0].From), s.spans[0].To
}

// edge is how long the sound takes to come and to go at the ends of a stretch that is heard by itself.
const edge = audio.Second / 100

// soften takes the steps away with which a stretch would begin and end.
func (s *Stream) soften(pcm audio.PCM) {
	span := s.spans[0]
	for i := range pcm[0] {
		at := s.at + audio.Frames(i)
		g := min(1, float32(at-span.From+1)/float32(edge), float32(span.To-at)/float32(edge))
		pcm[0][i] *= g
		pcm[1][i] *= g
	}
}

// Prepare renders the next block: what cannot be read is known before anything is sent.
func (s *Stream) Prepare(ctx context.Context) error {
	if len(s.spans) > 0 && s.at >= s.to {
		s.spans = s.spans[1:]
		s.enter()
	}
	if s.loop && s.at >= s.to {
		s.at = s.back
	}
	size := audio.Frames(audio.Block)
	if s.blocks < quickBlocks {
		size = firstBlock
	}
	s.ready = max(0, min(size, s.to-s.at))
	s.blocks++
	if s.turns != nil {
		done, err := s.turns.Listen(ctx)
		if err != nil {
			return err
		}
		defer done()
	}
	return s.block(s.ready)
}

// Connection is what a stream needs of its listener besides a place to write to.
type Connection interface {
	Flush() error
	SetWriteDeadline(deadline time.Time) error
}

// Send writes blocks, of which the first has been prepared, until the range or the
// listener ends. A listener that does not read is cut off.
func (s *Stream) Send(ctx context.Context, w io.Writer, c Connection) error {
	defer func() { _ = c.SetWriteDeadline(time.Time{}) }() // the connection may serve others afterwards
	begun := time.Now()
	for {
		if err := c.SetWriteDeadline(time.Now().Add(Readable)); err != nil && !errors.Is(err, http.ErrNotSupported) {
			return err
		}
		if _, err := w.Write(s.out); err != nil {
			return err
		}
		if err := c.Flush(); err != nil || s.ready == 0 {
			return err
		}
		s.at += s.ready
		s.sent += s.ready
		if !s.pause(ctx, begun) {
			return ctx.Err()
		}
		if err := s.Prepare(ctx); err != nil {
			return err
		}
	}
}

// pause waits until the listener may have more, and says whether there still is one.
func (s *Stream) pause(ctx context.Context, begun time.Time) bool {
	played := audio.Seconds(time.Since(begun).Seconds())
	allowed := played + max(s.ahead, min(leadAtOnce+played, mostLead))
	if s.sent <= allowed {
		return ctx.Err() == nil
	}
	wait := time.NewTimer(time.Duration((s.sent - allowed).Seconds() * float64(time.Second)))
	defer wait.Stop()
	select {
	case <-wait.C:
		return true
	case <-ctx.Done():
		return false
	}
}

// block renders and writes the next frames.
func (s *Stream) block(n audio.Frames) error {
	pcm := s.pcm.Slice(0, n)
	clear(s.rows)
	if err := s.renderer.Render(pcm, s.at); err != nil {
		return err
	}
	if len(s.spans) > 0 {
		s.soften(pcm)
	}
	if s.gain != 1 {
		for _, channel := range pcm {
			for i := range channel {
				channel[i] *= s.gain
			}
		}
	}
	s.meter.Write(pcm)
	s.out = s.out[:0]
	s.out = binary.LittleEndian.AppendUint64(s.out, uint64(s.at))
	s.out = binary.LittleEndian.AppendUint32(s.out, uint32(n))
	s.out = binary.LittleEndian.AppendUint32(s.out, uint32(len(s.rows)))
	for c := range pcm {
		s.peaks[c].Reset()
		s.out = appendFloat(s.out, s.peaks[c].Write(pcm[c]))
	}
	s.out = appendFloat(s.out, float32(s.meter.Momentary()))
	s.out = appendFloat(s.out, float32(s.meter.ShortTerm()))
	power, hops := s.meter.LastHop()
	if hops == s.hops {
		power = -1
	}
	s.hops = hops
	s.out = appendFloat(s.out, float32(power))
	for _, peak := range s.rows {
		s.out = appendFloat(s.out, peak)
	}
	for i := range pcm[0] {
		s.out = appendFloat(s.out, pcm[0][i])
		s.out = appendFloat(s.out, pcm[1][i])
	}
	return nil
}

func appendFloat(out []byte, v float32) []byte {
	return binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
}
