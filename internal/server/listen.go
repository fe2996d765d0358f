package server

import (
	"context"
	"encoding/binary"
	"io"
	"math"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
)

// The listening stream is a row of blocks. Each has a head of 32 bytes, all
// little-endian, then its frames as interleaved 32-bit floats, left and right:
//
//	int64   the session frame that it begins with
//	uint32  how many frames it has; 0 ends the stream
//	uint32  reserved, 0
//	float32 true peak of the left channel in this block, amplitude
//	float32 true peak of the right channel
//	float32 momentary loudness, LUFS
//	float32 short-term loudness, LUFS

// Pace of the stream: a little at once so that sound begins, then ahead of the
// listener by no more than a second and a half, so that little is thrown away when something changes.
const (
	firstBlock  = 512
	quickBlocks = 12
	leadAtOnce  = audio.Second / 2
	mostLead    = audio.Second * 3 / 2
)

func (s *Server) listenRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/listen", "listen",
		"Stream a range of the mix at the pace of listening, as blocks of interleaved 32-bit floats at 48 kHz with meter values; see docs/api.md"),
		func(ctx context.Context, in *struct {
			InEpisode
			From audio.Frames `query:"from" minimum:"0"`
			To   audio.Frames `query:"to" minimum:"0" doc:"Left out: to the end of the session"`
			Loop bool         `query:"loop" doc:"Go back to loopFrom at the end, for ever"`
			Back audio.Frames `query:"loopFrom" minimum:"0"`
			Rev  int64        `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
			Out  string       `query:"without" maxLength:"20" doc:"Leave this track out, as while it is recorded onto"`
		},
		) (*huma.StreamResponse, error) {
			p, err := s.plans.get(ctx, in.Episode, in.Rev)
			if err != nil {
				return nil, fail(err)
			}
			if in.Out != "" {
				if p, err = s.plans.without(ctx, in.Episode, in.Out); err != nil {
					return nil, fail(err)
				}
			}
			st := newStream(p.plan, in.From, in.To, in.Back, in.Loop)
			return &huma.StreamResponse{Body: func(hctx huma.Context) {
				r, w := humachi.Unwrap(hctx)
				w.Header().Set("Content-Type", "application/octet-stream")
				w.Header().Set("X-Ruvel-Version", strconv.FormatInt(p.version, 10))
				st.send(r.Context(), w, http.NewResponseController(w))
			}}, nil
		})
}

// stream renders and paces one listener's sound.
type stream struct {
	renderer *mix.Renderer
	at, to   audio.Frames
	back     audio.Frames
	loop     bool
	meter    *loudness.Meter
	peaks    [2]loudness.TruePeak
	sent     audio.Frames
	pcm      audio.PCM
	out      []byte
}

func newStream(plan *mix.Plan, from, to, back audio.Frames, loop bool) *stream {
	if to == 0 || (to > plan.Length() && !loop) {
		to = plan.Length()
	}
	back = min(back, to)
	return &stream{
		renderer: mix.NewRenderer(plan), at: from, to: to, back: back, loop: loop && to-back >= firstBlock,
		meter: loudness.NewMeter(2), pcm: audio.NewPCM(2, audio.Block),
	}
}

// send writes blocks until the range or the listener ends.
func (s *stream) send(ctx context.Context, w io.Writer, flush interface{ Flush() error }) {
	begun := time.Now()
	for block := 0; ; block++ {
		if s.loop && s.at >= s.to {
			s.at = s.back
		}
		size := audio.Frames(audio.Block)
		if block < quickBlocks {
			size = firstBlock
		}
		n := max(0, min(size, s.to-s.at))
		if _, err := w.Write(s.block(n)); err != nil || flush.Flush() != nil || n == 0 {
			return
		}
		s.at += n
		s.sent += n
		if !s.pause(ctx, begun) {
			return
		}
	}
}

// pause waits until the listener may have more, and says whether there still is one.
func (s *stream) pause(ctx context.Context, begun time.Time) bool {
	played := audio.Seconds(time.Since(begun).Seconds())
	allowed := played + min(leadAtOnce+played, mostLead)
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
func (s *stream) block(n audio.Frames) []byte {
	pcm := s.pcm.Slice(0, n)
	s.renderer.Render(pcm, s.at)
	s.meter.Write(pcm)
	s.out = s.out[:0]
	s.out = binary.LittleEndian.AppendUint64(s.out, uint64(s.at))
	s.out = binary.LittleEndian.AppendUint32(s.out, uint32(n))
	s.out = binary.LittleEndian.AppendUint32(s.out, 0)
	for c := range pcm {
		s.peaks[c].Reset()
		s.out = appendFloat(s.out, s.peaks[c].Write(pcm[c]))
	}
	s.out = appendFloat(s.out, float32(s.meter.Momentary()))
	s.out = appendFloat(s.out, float32(s.meter.ShortTerm()))
	for i := range pcm[0] {
		s.out = appendFloat(s.out, pcm[0][i])
		s.out = appendFloat(s.out, pcm[1][i])
	}
	return s.out
}

func appendFloat(out []byte, v float32) []byte {
	return binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
}
