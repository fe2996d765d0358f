package server

import (
	"context"
	"encoding/binary"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/core/treat"
	"ruvel/internal/store"
)

// Voice is what a track sounds like that is to be treated, and what could be done.
type Voice struct {
	Version   int64           `json:"version" doc:"That it is of"`
	Spread    treat.Spread    `json:"spread" doc:"Of its levels before its treatment, after its low cut"`
	Suggested LaidTreatment   `json:"suggested" doc:"The treatment that it has, with gate and compressor set for this voice"`
	Starts    []LaidTreatment `json:"starts" nullable:"false" doc:"Treatments to begin with, laid for this voice"`
	Without   float64         `json:"without" doc:"LUFS without its treatment, before line, fader and pan; -120 if that cannot be measured or it has none"`
	With      float64         `json:"with" doc:"LUFS with it"`
}

// LaidTreatment is a treatment whose thresholds are laid for a voice.
type LaidTreatment struct {
	Key       string            `json:"key"`
	Name      string            `json:"name"`
	For       string            `json:"for" doc:"What it is for, in a sentence"`
	Why       string            `json:"why" doc:"Why its thresholds lie where they lie, in sentences"`
	Treatment session.Treatment `json:"treatment"`
}

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
	huma.Register(api, operation("GET", "/treatment", "usual-treatment", "The treatment of a track to begin with: all stages off, with the settings that they have when they are switched on"),
		func(context.Context, *empty) (*body[session.Treatment], error) { return answer(session.Usual(), nil) })
	huma.Register(api, operation("GET", "/episodes/{episode}/tracks/{track}/voice", "get-voice",
		"How the levels of a track are spread, where thresholds could lie, and how loud it is with and without its treatment"),
		func(ctx context.Context, in *struct {
			OnTrack
			Rev int64 `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[Voice], error) {
			return answer(s.voice(ctx, in.Episode, in.Track, in.Rev))
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/tracks/{track}/course", "get-course",
		"What the treatment of a track does over time, in cells; see docs/api.md"), s.course)
	huma.Register(api, operation("GET", "/shows/{show}/treatments", "list-treatments", "The treatments that a show keeps, by name"),
		func(ctx context.Context, in *InShow) (*body[[]KeptTreatment], error) {
			all, err := s.Store.Treatments(ctx, in.Show)
			out := []KeptTreatment{}
			for _, t := range all {
				out = append(out, viewTreatment(t))
			}
			return answer(out, err)
		})
	huma.Register(api, operation("POST", "/shows/{show}/treatments", "keep-treatment", "Keep a treatment with a show under a name, in the place of one that has it already"),
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
	huma.Register(api, operation("DELETE", "/shows/{show}/treatments/{treatment}", "remove-treatment", "Forget a treatment of a show; tracks that were given it keep it"),
		func(ctx context.Context, in *struct {
			InShow
			Treatment string `path:"treatment"`
		},
		) (*empty, error) {
			return nothing(s.Store.RemoveTreatment(ctx, in.Show, in.Treatment))
		})
}

func viewTreatment(t store.Treatment) KeptTreatment {
	return KeptTreatment{t.ID, t.Name, t.Settings.Of}
}

func (s *Server) voice(ctx context.Context, episode, track string, rev int64) (v Voice, err error) {
	p, err := s.Plans.Current(ctx, episode, rev)
	if err != nil {
		return v, err
	}
	defer p.Close()
	doc, version, err := s.Store.Document(ctx, episode)
	if err != nil {
		return v, err
	}
	i := doc.FindTrack(track)
	if i < 0 {
		return v, problem.New("unknown-track", "track", "That track is not in the session any more.")
	}
	if !p.Holds(track) { // it is muted, or others are soloed
		off, on := false, true
		heard, _, err := s.Plans.Tried(ctx, episode, edit.SetTracks{Tracks: []edit.TrackChange{{Track: track, Mute: &off, Solo: &on}}})
		if err != nil {
			return v, err
		}
		defer heard.Close()
		p = heard
	}
	v.Version = min(version, p.Version)
	plan := s.Turns.Plan(ctx, episode, p.Plan)
	if v.Spread, err = plan.Spread(track, func(sound string) ([]speech.Phrase, error) {
		return s.Sounds.Speech(ctx).Phrases(sound, doc.Sounds[sound].Sensitivity)
	}); err != nil {
		return v, err
	}
	if v.Without, v.With, err = plan.Treated(track); err != nil {
		return v, err
	}
	v.Suggested = LaidTreatment{Key: "suggested", Name: "Suggest", For: "Gate and compressor for this voice; the other stages stay as they are."}
	v.Suggested.Treatment, v.Suggested.Why = treat.Suggest(doc.Tracks[i].Treatment, v.Spread)
	v.Starts = []LaidTreatment{}
	for _, start := range treat.Starts() {
		laid := LaidTreatment{Key: start.Key, Name: start.Name, For: start.For}
		laid.Treatment, laid.Why = start.Lay(v.Spread)
		v.Starts = append(v.Starts, laid)
	}
	return v, nil
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
