package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/waveform"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// LibrarySound is a sound of a show.
type LibrarySound struct {
	ID       string          `json:"id" doc:"The SHA-256 of the original file, in hex"`
	Name     string          `json:"name"`
	Part     session.Part    `json:"part" enum:"voice,music,effect"`
	Channels int             `json:"channels"`
	Rate     int             `json:"rate" doc:"Hertz, of the original"`
	Format   string          `json:"format"`
	Bytes    int64           `json:"bytes"`
	Length   audio.Frames    `json:"length" doc:"Frames at 48 kHz"`
	Loudness loudness.Result `json:"loudness"`
	Title    string          `json:"title"`
	Author   string          `json:"author"`
	Source   string          `json:"source"`
	Licence  string          `json:"licence"`
	Created  time.Time       `json:"created"`
	Used     int             `json:"used" doc:"By how many episodes"`
}

func soundView(s store.Sound) LibrarySound {
	return LibrarySound{
		ID: s.ID, Name: s.Name, Part: s.Part, Channels: s.Channels, Rate: s.Rate, Format: s.Format, Bytes: s.Bytes, Length: s.Length,
		Loudness: s.Loudness.Of, Title: s.Title, Author: s.Author, Source: s.Source, Licence: s.Licence, Created: s.Created, Used: s.Used,
	}
}

type soundChange struct {
	Name *string       `json:"name,omitempty" minLength:"1" maxLength:"200" pattern:"\\S"`
	Part *session.Part `json:"part,omitempty" enum:"voice,music,effect"`
}

// InSound is a route within a sound of a show.
type InSound struct {
	InShow
	Sound string `path:"sound" pattern:"^[0-9a-f]{64}$"`
}

// upload is a file on its way in: its bytes are the request's body.
type upload struct {
	InShow
	File    string       `query:"file" required:"true" maxLength:"300" doc:"The name of the file"`
	Part    session.Part `query:"part" enum:"voice,music,effect"`
	Episode string       `query:"episode" format:"uuid" doc:"Place the sound in this episode when it is there"`
	Track   string       `query:"track" maxLength:"20" doc:"On this track; left out: on an empty or new one for its part"`
	Start   audio.Frames `query:"start" minimum:"0"`
	body    io.Reader
}

func (u *upload) Resolve(ctx huma.Context) []error {
	u.body = ctx.BodyReader()
	return nil
}

func (s *Server) soundRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/shows/{show}/sounds", "list-sounds", "List the sounds of a show, the newest first"),
		func(ctx context.Context, in *InShow) (*body[[]LibrarySound], error) {
			rows, err := s.Store.Sounds(ctx, in.Show)
			out := []LibrarySound{}
			for _, r := range rows {
				out = append(out, soundView(r))
			}
			return answer(out, err)
		})
	add := operation("POST", "/shows/{show}/sounds", "add-sound", "Import a file; the request's body is its bytes")
	add.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
	huma.Register(api, add, func(ctx context.Context, in *upload) (*body[work.JobEvent], error) {
		return answer(s.receive(ctx, in))
	})
	huma.Register(api, operation("PATCH", "/shows/{show}/sounds/{sound}", "change-sound", "Rename a sound or say what it is"),
		func(ctx context.Context, in *struct {
			InSound
			Body soundChange
		},
		) (*body[LibrarySound], error) {
			return answer(s.changeSound(ctx, in.Show, in.Sound, in.Body))
		})
	huma.Register(api, operation("DELETE", "/shows/{show}/sounds/{sound}", "remove-sound", "Remove a sound that no episode uses"),
		func(ctx context.Context, in *InSound) (*empty, error) {
			last, err := s.Store.RemoveSound(ctx, in.Show, in.Sound)
			if err == nil && last {
				err = s.Sounds.Delete(ctx, in.Sound)
			}
			if err == nil {
				s.Queue.Announce(work.ShowSubject(in.Show), work.Event{Sounds: &work.ShowEvent{Show: in.Show}})
			}
			return nothing(err)
		})
	huma.Register(api, operation("GET", "/sounds/{sound}/peaks/{level}", "get-peaks",
		"Peaks of a sound: pairs of little-endian 16-bit integers, lowest and highest, for runs of 64 x 4^level frames"),
		s.peaks)
	huma.Register(api, operation("GET", "/sounds/{sound}/audio", "hear-sound", "The sound as 16-bit WAV at 48 kHz, for listening to it"),
		s.hear)
	huma.Register(api, operation("GET", "/shows/{show}/jobs", "list-jobs", "Jobs of a show that are not finished"),
		func(ctx context.Context, in *InShow) (*body[[]work.JobEvent], error) {
			rows, err := s.Store.Unfinished(ctx, in.Show)
			out := []work.JobEvent{}
			for _, r := range rows {
				out = append(out, work.View(r))
			}
			return answer(out, err)
		})
	huma.Register(api, operation("GET", "/jobs/{job}", "get-job", "How far a job has come"),
		func(ctx context.Context, in *InJob) (*body[work.JobEvent], error) {
			job, err := s.Store.Job(ctx, in.Job)
			return answer(work.View(job), err)
		})
	huma.Register(api, operation("POST", "/jobs/{job}/cancel", "cancel-job", "End a job; nothing of it remains"),
		func(ctx context.Context, in *InJob) (*empty, error) { return nothing(s.Worker.Cancel(ctx, in.Job)) })
}

// InJob is a route within a job.
type InJob struct {
	Job string `path:"job" format:"uuid"`
}

func (s *Server) receive(ctx context.Context, in *upload) (work.JobEvent, error) {
	if _, err := s.Store.Show(ctx, in.Show); err != nil {
		return work.JobEvent{}, err
	}
	limited := http.MaxBytesReader(nil, io.NopCloser(in.body), s.MaxUpload)
	id, _, err := s.Sounds.Put(ctx, limited)
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		err = session.Problem{Code: "too-large", Where: "file", Message: fmt.Sprintf("The file is larger than %d MB, the most that can be imported.", s.MaxUpload>>20)}
	}
	if err != nil {
		return work.JobEvent{}, nameFile(in.File, err)
	}
	args := work.ImportArguments{Sound: id, File: in.File, Part: in.Part}
	var episode *string
	if in.Episode != "" {
		args.Place = &work.Place{Episode: in.Episode, Track: in.Track, Start: in.Start}
		episode = &in.Episode
	}
	job, err := s.Worker.Submit(ctx, work.Import, in.Show, episode, in.File, args)
	return work.View(job), err
}

// nameFile puts the file's name before what is wrong with it.
func nameFile(file string, err error) error {
	var p session.Problem
	if errors.As(err, &p) {
		p.Message = file + ": " + p.Message
		return p
	}
	return err
}

func (s *Server) changeSound(ctx context.Context, show, id string, change soundChange) (LibrarySound, error) {
	sound, err := s.Store.Sound(ctx, show, id)
	if err != nil {
		return LibrarySound{}, err
	}
	if change.Name != nil {
		sound.Name = *change.Name
	}
	if change.Part != nil {
		sound.Part = *change.Part
	}
	if err := s.Store.SetSound(ctx, sound); err != nil {
		return LibrarySound{}, err
	}
	s.Queue.Announce(work.ShowSubject(show), work.Event{Sounds: &work.ShowEvent{Show: show}})
	sound, err = s.Store.Sound(ctx, show, id)
	return soundView(sound), err
}

// bytes is an answer of raw bytes.
type bytesAnswer struct {
	ContentType  string `header:"Content-Type"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

// forever is for what is named by its content.
const forever = "private, max-age=31536000, immutable"

func (s *Server) peaks(ctx context.Context, in *struct {
	Sound string `path:"sound" pattern:"^[0-9a-f]{64}$"`
	Level int    `path:"level" minimum:"0" maximum:"6"`
	From  int    `query:"from" minimum:"0"`
	Count int    `query:"count" minimum:"1" maximum:"65536" default:"65536"`
},
) (*bytesAnswer, error) {
	if err := s.known(ctx, in.Sound); err != nil {
		return nil, fail(err)
	}
	c, err := s.Sounds.Open(ctx, in.Sound)
	if err != nil {
		return nil, fail(err)
	}
	all := c.Peaks.Levels[in.Level]
	from := min(in.From, len(all))
	return &bytesAnswer{"application/octet-stream", forever, waveform.AppendPeaks(nil, all[from:min(len(all), from+in.Count)])}, nil
}

// known refuses ids of sounds that no show has.
func (s *Server) known(ctx context.Context, id string) error {
	there, err := s.Store.HasSound(ctx, id)
	if err == nil && !there {
		return store.NotFound("sound")
	}
	return err
}

func (s *Server) hear(ctx context.Context, in *struct {
	Sound string `path:"sound" pattern:"^[0-9a-f]{64}$"`
},
) (*huma.StreamResponse, error) {
	if err := s.known(ctx, in.Sound); err != nil {
		return nil, fail(err)
	}
	c, err := s.Sounds.Open(ctx, in.Sound)
	if err != nil {
		return nil, fail(err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		r, w := humachi.Unwrap(ctx)
		w.Header().Set("Content-Type", "audio/wav")
		w.Header().Set("Cache-Control", forever)
		http.ServeContent(w, r, "", time.Time{}, newWAV(c.PCM))
	}}, nil
}
