package server

import (
	"context"
	"encoding/binary"
	"errors"
	"io"
	"log/slog"
	"math"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/plans"
	"ruvel/internal/turns"
)

// The listening stream is a row of blocks. Each has a head of 36 bytes, all
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

// listening is what is to be heard of an episode, and how.
type listening struct {
	InEpisode
	From audio.Frames `query:"from" minimum:"0"`
	To   audio.Frames `query:"to" minimum:"0" doc:"Left out: to the end of the session"`
	Loop bool         `query:"loop" doc:"Go back to loopFrom at the end, for ever"`
	Back audio.Frames `query:"loopFrom" minimum:"0"`
	Rev  int64        `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
	Join bool         `query:"joins" doc:"Only the joins from there on: a second before and after each place at which one clip ends and another begins on a track"`
	Past []float64    `query:"heard" maxItems:"30" doc:"The K-weighted squares of the tenths of a second that were heard before, so that the loudness goes on where a change begins"`
	Out  string       `query:"without" maxLength:"20" doc:"Leave this track out, as while it is recorded onto"`
	Stay string       `query:"staying" maxLength:"2000" doc:"Ids of tracks, with commas between them, that are heard as if they did not make way for speech"`
	Then string       `query:"of" maxLength:"60" doc:"Another version than the present one: named: and the id of a named version, or step: and how many steps of the history were applied"`
	Gain float64      `query:"gain" minimum:"-40" maximum:"0" doc:"dB by which it is made softer, to be compared with something else"`
	Bare string       `query:"untreated" maxLength:"2000" doc:"Ids of tracks, with commas between them, that are heard without their treatment, as loud as they are with it"`
}

func (s *Server) listenRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/listen", "listen",
		"Stream a range of the mix at the pace of listening, as blocks of interleaved 32-bit floats at 48 kHz with meter values; see docs/api.md"), s.listen)
}

func (s *Server) listen(ctx context.Context, in *listening) (*huma.StreamResponse, error) {
	if s.listening.Add(1) > mostListeners {
		s.listening.Add(-1)
		return nil, newError(http.StatusServiceUnavailable, "Too many are listening at the moment. Stop some of them, and try again.", "too-many-listeners")
	}
	left := sync.OnceFunc(func() { s.listening.Add(-1) })
	begun := false
	defer func() {
		if !begun {
			left()
		}
	}()
	p, err := s.planOf(ctx, in)
	if err != nil {
		return nil, fail(err)
	}
	st, err := s.streamOf(ctx, in, p.Plan)
	if err != nil {
		p.Close()
		return nil, fail(err)
	}
	begun = true
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		defer left()
		defer p.Close()
		r, w := humachi.Unwrap(hctx)
		w.Header().Set("Content-Type", "application/octet-stream")
		w.Header().Set("X-Ruvel-Version", strconv.FormatInt(p.Version, 10))
		ctx, cancel := s.streaming(r.Context())
		defer cancel()
		if u, ok := w.(*unread); ok {
			u.patience = readable
		}
		if err := st.send(ctx, w, http.NewResponseController(w)); errors.Is(err, audio.ErrUnreadable) {
			s.Plans.Forget(in.Episode)
			slog.Warn("listening broke off", "episode", in.Episode, "error", err)
			panic(http.ErrAbortHandler) // which the listener can tell from an end
		}
	}}, nil
}

// planOf is the plan of the version that is to be heard.
func (s *Server) planOf(ctx context.Context, in *listening) (*plans.Lease, error) {
	p, err := s.Plans.Current(ctx, in.Episode, in.Rev)
	if err == nil && in.Out != "" {
		p.Close()
		p, err = s.Plans.Without(ctx, in.Episode, in.Out)
	}
	if err == nil && in.Then != "" {
		p.Close()
		p, err = s.past(ctx, in.Episode, in.Then)
	}
	return p, err
}

// streamOf is the sound of a plan as it is to be heard.
func (s *Server) streamOf(ctx context.Context, in *listening, plan *mix.Plan) (st *stream, err error) {
	if in.Stay != "" {
		plan = plan.Staying(splitIDs(in.Stay))
	}
	if in.Bare != "" {
		if plan, _, err = s.Turns.Plan(ctx, in.Episode, plan).Untreated(splitIDs(in.Bare)); err != nil {
			return nil, err
		}
	}
	st = newStream(plan, in.From, in.To, in.Back, in.Loop)
	if in.Join {
		doc, _, err := s.Store.Document(ctx, in.Episode)
		if err != nil {
			return nil, err
		}
		st.only(doc.Joins(audio.Second))
	}
	st.ahead = s.Ahead
	st.turns, st.gain = s.Turns, float32(audio.DB(in.Gain).Gain())
	st.goOn(in.Past)
	if err := st.prepare(ctx); err != nil { // so that what cannot be read is an answer, not a stream that breaks off
		s.Plans.Forget(in.Episode)
		return nil, err
	}
	return st, nil
}

// mostListeners is how many streams there may be at a time. A window has one or two.
const mostListeners = 64

// readable is how long a listener may leave what was sent unread before it is cut off.
const readable = 5 * time.Second

// stream renders and paces one listener's sound.
type stream struct {
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

func newStream(plan *mix.Plan, from, to, back audio.Frames, loop bool) *stream {
	if to == 0 || (to > plan.Length() && !loop) {
		to = plan.Length()
	}
	back = min(back, to)
	renderer := mix.NewRenderer(plan)
	renderer.Peaks = make([]float32, plan.Rows())
	return &stream{
		renderer: renderer, rows: renderer.Peaks, at: from, to: to, back: back, loop: loop && to-back >= firstBlock,
		meter: loudness.NewMeter(2), pcm: audio.NewPCM(2, audio.Block), gain: 1,
	}
}

// goOn has the loudness go on after what was heard before.
func (s *stream) goOn(powers []float64) {
	s.meter.GoOn(slices.DeleteFunc(slices.Clone(powers), func(p float64) bool { return !(p >= 0 && p < 1e6) }))
	_, s.hops = s.meter.LastHop()
}

// only leaves stretches to be heard, one after the other, from where the stream stands on.
func (s *stream) only(spans []session.Span) {
	s.spans = slices.DeleteFunc(slices.Clone(spans), func(span session.Span) bool { return span.To <= s.at })
	s.loop = false
	s.enter()
}

// enter goes to the stretch that comes next, or to the end if there is none.
func (s *stream) enter() {
	if len(s.spans) == 0 {
		s.at = s.to
		return
	}
	s.at, s.to = max(s.at, s.spans[0].From), s.spans[0].To
}

// edge is how long the sound takes to come and to go at the ends of a stretch that is heard by itself.
const edge = audio.Second / 100

// soften takes the steps away with which a stretch would begin and end.
func (s *stream) soften(pcm audio.PCM) {
	span := s.spans[0]
	for i := range pcm[0] {
		at := s.at + audio.Frames(i)
		g := min(1, float32(at-span.From+1)/float32(edge), float32(span.To-at)/float32(edge))
		pcm[0][i] *= g
		pcm[1][i] *= g
	}
}

// prepare renders the next block.
func (s *stream) prepare(ctx context.Context) error {
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

// connection is what a stream needs of its listener besides a place to write to.
type connection interface {
	Flush() error
	SetWriteDeadline(deadline time.Time) error
}

// send writes blocks, of which the first has been prepared, until the range or the
// listener ends. A listener that does not read is cut off.
func (s *stream) send(ctx context.Context, w io.Writer, c connection) error {
	defer func() { _ = c.SetWriteDeadline(time.Time{}) }() // the connection may serve others afterwards
	begun := time.Now()
	for {
		if err := c.SetWriteDeadline(time.Now().Add(readable)); err != nil && !errors.Is(err, http.ErrNotSupported) {
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
		if err := s.prepare(ctx); err != nil {
			return err
		}
	}
}

// pause waits until the listener may have more, and says whether there still is one.
func (s *stream) pause(ctx context.Context, begun time.Time) bool {
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
func (s *stream) block(n audio.Frames) error {
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
