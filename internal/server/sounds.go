package server

import (
	"context"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// InSound is a route within a sound of a show.
type InSound struct {
	InShow
	Sound string `path:"sound" pattern:"^[0-9a-f]{64}$" of:"sound"`
}

// upload is a file on its way in: its bytes are the request's body.
type upload struct {
	InShow
	File    string       `query:"file" required:"true" maxLength:"300" doc:"The name of the file"`
	Part    session.Part `query:"part" enum:"voice,music,effect"`
	Episode string       `query:"episode" format:"uuid" of:"episode" doc:"Place the sound in this episode when it is there"`
	Track   string       `query:"track" maxLength:"20" doc:"On this track; left out: on an empty or new one for its part"`
	Start   audio.Frames `query:"start" minimum:"0"`
	body    io.Reader
}

func (u *upload) Resolve(ctx huma.Context) []error {
	u.body = ctx.BodyReader()
	return nil
}

func (s *Server) soundRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows/{show}/sounds", "list-sounds", "List the sounds of a show, the newest first"),
		func(ctx context.Context, in *InShow) (*body[[]library.ShowSound], error) {
			return answer(s.Library.List(ctx, in.Show))
		})
	add := operation("POST", "/shows/{show}/sounds", "add-sound", "Import a file; the request's body is its bytes")
	add.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
	route(s, api, add, func(ctx context.Context, in *upload) (*body[work.JobEvent], error) {
		f := library.File{Name: in.File, Part: in.Part, Bytes: in.body}
		if in.Episode != "" {
			f.Place = &work.Place{Episode: in.Episode, Track: in.Track, Start: in.Start}
		}
		return answer(s.Library.Receive(ctx, in.Show, f))
	})
	route(s, api, operation("PATCH", "/shows/{show}/sounds/{sound}", "change-sound", "Rename a sound or say what it is"),
		func(ctx context.Context, in *struct {
			InSound
			Body library.SoundChange
		},
		) (*body[library.ShowSound], error) {
			return answer(s.Library.Change(ctx, in.Show, in.Sound, in.Body))
		})
	route(s, api, operation("DELETE", "/shows/{show}/sounds/{sound}", "remove-sound", "Remove a sound that no episode uses"),
		func(ctx context.Context, in *InSound) (*empty, error) {
			return nothing(s.Library.Remove(ctx, in.Show, in.Sound))
		})
	route(s, api, operation("GET", "/shows/{show}/sounds/{sound}/uses", "list-uses", "Where a sound is used"),
		func(ctx context.Context, in *InSound) (*body[[]library.Use], error) {
			return answer(s.Library.Uses(ctx, in.Show, in.Sound))
		})
	route(s, api, operation("POST", "/shows/{show}/sounds/{sound}/replace", "replace-sound", "Let another sound of the show take a sound's place in all its episodes"),
		func(ctx context.Context, in *struct {
			InSound
			Body struct {
				With string `json:"with" pattern:"^[0-9a-f]{64}$" of:"sound"`
			}
		},
		) (*empty, error) {
			with, err := s.Store.Sound(ctx, in.Show, in.Body.With)
			if err == nil {
				err = s.Worker.Replace(ctx, in.Show, in.Sound, with, "replace "+store.NewID())
			}
			return nothing(err)
		})
	route(s, api, operation("GET", "/sounds/{sound}/audio", "hear-sound", "The sound as 16-bit WAV at 48 kHz, for listening to it"),
		s.hear)
}

// bytesAnswer is an answer of raw bytes.
type bytesAnswer struct {
	ContentType  string `header:"Content-Type"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

// forever is for what is named by its content.
const forever = "private, max-age=31536000, immutable"

func (s *Server) hear(ctx context.Context, in *struct {
	Sound string `path:"sound" pattern:"^[0-9a-f]{64}$" of:"sound"`
},
) (*huma.StreamResponse, error) {
	return s.audioOf(ctx, in.Sound)
}

func (s *Server) audioOf(ctx context.Context, id string) (*huma.StreamResponse, error) {
	c, err := s.Sounds.Open(ctx, id)
	if err != nil {
		return nil, fail(err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		defer c.Close()
		r, w := humachi.Unwrap(ctx)
		w.Header().Set("Content-Type", "audio/wav")
		w.Header().Set("Cache-Control", forever)
		http.ServeContent(w, r, "", time.Time{}, media.PlayPCM(c.PCM))
	}}, nil
}
