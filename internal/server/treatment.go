package server

import (
	"context"
	"encoding/binary"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/store"
)

// KeptTreatment is one that a show keeps.
type KeptTreatment struct {
	ID        string            `json:"id"`
	Name      string            `json:"name"`
	Treatment session.Treatment `json:"treatment"`
}

// OnTrack are the parameters of what is about a track.
type OnTrack struct {
	InEpisode
	Track string `path:"track" maxLength:"40"`
}

// A course is given as cells of 16 bytes, little-endian:
//
//	int16 × 4  what gate, expander, compressor and limiter do, hundredths of dB
//	int16      level of 10 ms before the treatment, hundredths of dBFS
//	int16 × 2  highest sample before and after it, hundredths of dBFS
//	uint8      the gate: 0 there is none, 1 closed, 2 holding, 3 open; 255 the cell has not been computed
//	uint8      0
const cellBytes = 16

// courseTime is for how long what is not known of a course is computed while somebody waits for it.
const courseTime = 150 * time.Millisecond

func (s *Server) treatmentRoutes(api huma.API) {
	route(s, api, operation("GET", "/treatment", "usual-treatment", "The treatment of a track to begin with: all stages off, with the settings that they have when they are switched on"),
		func(context.Context, *empty) (*body[session.Treatment], error) { return answer(session.Usual(), nil) })
	route(s, api, operation("GET", "/ranges", "list-ranges", "Where the settings of the stages of a treatment and of making way lie, by stage or the word way, and by setting"),
		func(context.Context, *empty) (*body[map[string]map[string]session.Range], error) {
			return answer(session.Ranges(), nil)
		})
	route(s, api, operation("GET", "/episodes/{episode}/tracks/{track}/voice", "get-voice",
		"How the levels of a track are spread, where thresholds could lie, and how loud it is with and without its treatment"),
		func(ctx context.Context, in *struct {
			OnTrack
			Rev int64 `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[balance.Voice], error) {
			return answer(s.Balance.Voice(ctx, in.Episode, in.Track, in.Rev))
		})
	route(s, api, operation("GET", "/episodes/{episode}/tracks/{track}/course", "get-course",
		"What the treatment of a track does over time, in cells; see docs/api.md"), s.course)
	route(s, api, operation("GET", "/shows/{show}/treatments", "list-treatments", "The treatments that a show keeps, by name"),
		func(ctx context.Context, in *InShow) (*body[[]KeptTreatment], error) {
			all, err := s.Store.Treatments(ctx, in.Show)
			out := []KeptTreatment{}
			for _, t := range all {
				out = append(out, viewTreatment(t))
			}
			return answer(out, err)
		})
	route(s, api, operation("POST", "/shows/{show}/treatments", "keep-treatment", "Keep a treatment with a show under a name, in the place of one that has it already"),
		func(ctx context.Context, in *struct {
			InShow
			Body struct {
				Name      string            `json:"name" maxLength:"1000"`
				Treatment session.Treatment `json:"treatment"`
			}
		},
		) (*body[KeptTreatment], error) {
			t, err := s.Store.KeepTreatment(ctx, in.Show, in.Body.Name, in.Body.Treatment)
			return answer(viewTreatment(t), err)
		})
	route(s, api, operation("DELETE", "/shows/{show}/treatments/{treatment}", "remove-treatment", "Forget a treatment of a show; tracks that were given it keep it"),
		func(ctx context.Context, in *struct {
			InShow
			Treatment string `path:"treatment" of:"treatment"`
		},
		) (*empty, error) {
			return nothing(s.Store.RemoveTreatment(ctx, in.Show, in.Treatment))
		})
}

func viewTreatment(t store.Treatment) KeptTreatment {
	return KeptTreatment{t.ID, t.Name, t.Settings.Of}
}

func (s *Server) course(ctx context.Context, in *struct {
	OnTrack
	From   audio.Frames `query:"from" minimum:"0" doc:"A multiple of length"`
	Length audio.Frames `query:"length" minimum:"16" maximum:"16000" default:"160" doc:"Of a cell, in frames: 16, 160, 1600 or 16000"`
	Count  int          `query:"count" minimum:"1" maximum:"32768" default:"1024"`
	Rev    int64        `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
},
) (*bytesAnswer, error) {
	const longest = 48 * 3600 * audio.Second
	if !slices.Contains(mix.CellLengths, in.Length) || in.From%in.Length != 0 || in.From > longest {
		return nil, newError(http.StatusUnprocessableEntity, "Cells begin at a multiple of their length, which is 16, 160, 1600 or 16000 frames.", "bad-request")
	}
	p, err := s.Plans.Current(ctx, in.Episode, in.Rev)
	if err != nil {
		return nil, fail(err)
	}
	defer p.Close()
	until := time.Now().Add(courseTime)
	cells, err := s.Turns.Plan(ctx, in.Episode, p.Plan).Course(in.Track, in.From, in.Length, in.Count, func() bool { return time.Now().Before(until) && ctx.Err() == nil })
	if err != nil {
		return nil, fail(err)
	}
	return &bytesAnswer{"application/octet-stream", "no-store", appendCells(make([]byte, 0, cellBytes*len(cells)), cells)}, nil
}

func appendCells(out []byte, cells []mix.Cell) []byte {
	for _, c := range cells {
		for _, v := range [...]mix.Hundredths{c.Gate, c.Expander, c.Compressor, c.Limiter, c.Level, c.In, c.Out} {
			out = binary.LittleEndian.AppendUint16(out, uint16(v))
		}
		out = append(out, byte(c.Gated), 0)
	}
	return out
}
