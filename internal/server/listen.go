package server

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"strconv"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/access"
	"ruvel/internal/listening"
	"ruvel/internal/plans"
	"ruvel/internal/store"
)

// heard is what is to be heard of an episode, and how.
type heard struct {
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
	route(s, api, operation("GET", "/episodes/{episode}/listen", "listen",
		"Stream a range of the mix at the pace of listening, as blocks of interleaved 32-bit floats at 48 kHz with meter values; see docs/api.md"), s.listen)
}

func (s *Server) listen(ctx context.Context, in *heard) (*huma.StreamResponse, error) {
	if in.Then != "" { // what an episode was is for those who make it
		if err := s.Access.Enter(ctx, access.Make, access.Named{Thing: store.AnEpisode, ID: in.Episode}); err != nil {
			return nil, fail(err)
		}
	}
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
		ctx, left := s.stays(ctx, access.Hear, access.Named{Thing: store.AnEpisode, ID: in.Episode})
		defer left()
		if u, ok := w.(*unread); ok {
			u.patience = listening.Readable
		}
		if err := st.Send(ctx, w, http.NewResponseController(w)); errors.Is(err, audio.ErrUnreadable) {
			s.Plans.Forget(in.Episode)
			slog.Warn("listening broke off", "episode", in.Episode, "error", err)
			panic(http.ErrAbortHandler) // which the listener can tell from an end
		}
	}}, nil
}

// planOf is the plan of the version that is to be heard.
func (s *Server) planOf(ctx context.Context, in *heard) (*plans.Lease, error) {
	p, err := s.Plans.Current(ctx, in.Episode, in.Rev)
	if err == nil && in.Out != "" {
		p.Close()
		p, err = s.Plans.Without(ctx, in.Episode, in.Out)
	}
	if err == nil && in.Then != "" {
		p.Close()
		var then plans.Past
		if then, err = parsePast(in.Then); err == nil {
			p, _, err = s.Plans.Past(ctx, in.Episode, then)
		}
	}
	return p, err
}

// streamOf is the sound of a plan as it is to be heard.
func (s *Server) streamOf(ctx context.Context, in *heard, plan *mix.Plan) (st *listening.Stream, err error) {
	if in.Stay != "" {
		plan = plan.Staying(splitIDs(in.Stay))
	}
	if in.Bare != "" {
		if plan, _, err = s.Turns.Plan(ctx, in.Episode, plan).Untreated(splitIDs(in.Bare)); err != nil {
			return nil, err
		}
	}
	wanted := listening.Wanted{From: in.From, To: in.To, Back: in.Back, Loop: in.Loop, Heard: in.Past, Gain: audio.DB(in.Gain), Ahead: s.Ahead}
	if in.Join {
		doc, _, err := s.Store.Document(ctx, in.Episode)
		if err != nil {
			return nil, err
		}
		wanted.Only = append([]session.Span{}, doc.Joins(audio.Second)...) // without any there is nothing to be heard
	}
	st = listening.New(plan, wanted, s.Turns)
	if err := st.Prepare(ctx); err != nil { // so that what cannot be read is an answer, not a stream that breaks off
		s.Plans.Forget(in.Episode)
		return nil, err
	}
	return st, nil
}

// mostListeners is how many streams there may be at a time. A window has one or two.
const mostListeners = 64
