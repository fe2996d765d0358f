package server

import (
	"context"
	"io"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/recording"
	"ruvel/internal/standin"
	"ruvel/internal/sweep"
	"ruvel/internal/takes"
	"ruvel/internal/work"
)

// InTake is a route within a take.
type InTake struct {
	Take string `path:"take" format:"uuid" of:"take"`
}

// chunk is a stretch of a recording: its samples are the request's body.
type chunk struct {
	InTake
	Seq  int `path:"seq" minimum:"0" maximum:"10000000"`
	body io.Reader
}

func (c *chunk) Resolve(ctx huma.Context) []error {
	c.body = ctx.BodyReader()
	return nil
}

// Recording is what a window must know to record.
type Recording struct {
	Levels  recording.Limits `json:"levels" doc:"What a voice is judged by, in dBFS of its peaks"`
	CountIn int              `json:"countIn" doc:"Seconds"`
	Chunk   float64          `json:"chunk" doc:"Seconds; no chunk may be longer"`
	Longest float64          `json:"longest" doc:"Seconds; no take may be longer"`
	Days    int              `json:"discardedDays" doc:"For how many days a discarded take is kept"`
	StandIn string           `json:"standIn" doc:"Name of the microphone that needs no device"`
}

func (s *Server) takeRoutes(api huma.API) {
	route(s, api, operation("GET", "/recording", "get-recording", "What a window must know to record"),
		func(context.Context, *empty) (*body[Recording], error) {
			return answer(Recording{recording.Levels(), 3, recording.Chunk, recording.Longest, int(sweep.Default().Discarded.Hours() / 24), standin.Name}, nil)
		})
	route(s, api, operation("GET", "/recording/stand-in", "get-stand-in", "What the stand-in microphone reads, as a sound file"),
		func(context.Context, *empty) (*bytesAnswer, error) {
			return &bytesAnswer{"audio/flac", "private, max-age=3600", standin.Reading}, nil
		})
	route(s, api, operation("GET", "/episodes/{episode}/takes", "list-takes", "List the recordings of an episode, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]takes.TakeStatus], error) {
			return answer(s.Takes.List(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/episodes/{episode}/takes", "add-take", "Begin a recording"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body takes.NewTake
		},
		) (*body[takes.TakeStatus], error) {
			return answer(s.Takes.Begin(ctx, in.Episode, in.Body))
		})
	put := operation("POST", "/takes/{take}/{seq}", "add-chunk",
		"Keep a stretch of a recording of at most a second: the request's body is its samples, little-endian 32-bit floats, interleaved. Chunks are numbered from 0; sent again they are kept once")
	put.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
	route(s, api, put, func(ctx context.Context, in *chunk) (*empty, error) {
		return nothing(s.Takes.Keep(ctx, in.Take, in.Seq, in.body))
	})
	route(s, api, operation("POST", "/takes/{take}/finish", "finish-take", "End a recording; what is kept of it becomes a sound and is placed"),
		func(ctx context.Context, in *struct {
			InTake
			Body takes.TakeEnding
		},
		) (*body[work.JobEvent], error) {
			return answer(s.Takes.Finish(ctx, in.Take, in.Body))
		})
	route(s, api, operation("POST", "/takes/{take}/discard", "discard-take", "Take a recording out of the session; it can be taken back"),
		func(ctx context.Context, in *InTake) (*empty, error) { return nothing(s.Takes.Discard(ctx, in.Take)) })
	route(s, api, operation("POST", "/takes/{take}/use", "use-take", "Put a recording where it was made, in place of the other takes of that place"),
		func(ctx context.Context, in *struct {
			InTake
			Body struct {
				Clip string `json:"clip,omitempty" maxLength:"20" doc:"The clip that is to play it; left out: it is placed anew where it was recorded"`
			}
		},
		) (*empty, error) {
			return nothing(s.Takes.Use(ctx, in.Take, in.Body.Clip))
		})
	route(s, api, operation("DELETE", "/takes/{take}", "remove-take", "Delete a discarded recording for good"),
		func(ctx context.Context, in *InTake) (*empty, error) { return nothing(s.Takes.Remove(ctx, in.Take)) })
}
