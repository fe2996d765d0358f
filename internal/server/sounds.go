package server

import (
	"context"
	"errors"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/credits"
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
	Licence  string          `json:"licence" doc:"The key of a licence, or words of the producer's own"`
	Notes    string          `json:"notes"`
	Words    string          `json:"words" doc:"Mood, instrument, genre"`
	Tempo    float64         `json:"tempo" doc:"Beats a minute; 0 if it is not known"`
	Need     credits.Need    `json:"need" doc:"Whether it must be credited, and what is missing for that"`
	Created  time.Time       `json:"created"`
	Used     int             `json:"used" doc:"By how many episodes"`
}

func soundView(s store.Sound) LibrarySound {
	return LibrarySound{
		ID: s.ID, Name: s.Name, Part: s.Part, Channels: s.Channels, Rate: s.Rate, Format: s.Format, Bytes: s.Bytes, Length: s.Length,
		Loudness: s.Loudness.Of, Title: s.Title, Author: s.Author, Source: s.Source, Licence: s.Licence,
		Notes: s.Notes, Words: s.Words, Tempo: s.Tempo, Need: credits.Of(creditOf(s)), Created: s.Created, Used: s.Used,
	}
}

type soundChange struct {
	Name *string       `json:"name,omitempty" minLength:"1" maxLength:"200" pattern:"\\S"`
	Part *session.Part `json:"part,omitempty" enum:"voice,music,effect"`

	Title   *string  `json:"title,omitempty" maxLength:"200"`
	Author  *string  `json:"author,omitempty" maxLength:"200"`
	Source  *string  `json:"source,omitempty" maxLength:"500"`
	Licence *string  `json:"licence,omitempty" maxLength:"200"`
	Notes   *string  `json:"notes,omitempty" maxLength:"5000"`
	Words   *string  `json:"words,omitempty" maxLength:"500"`
	Tempo   *float64 `json:"tempo,omitempty" minimum:"0" maximum:"999"`
}

// Use is an episode that uses a sound.
type Use struct {
	Episode string    `json:"episode"`
	Number  int       `json:"number"`
	Title   string    `json:"title"`
	Clips   []UseClip `json:"clips" nullable:"false"`
}

// UseClip is where in an episode a sound is used.
type UseClip struct {
	Clip  string       `json:"clip"`
	Name  string       `json:"name"`
	Track string       `json:"track" doc:"Its name"`
	Start audio.Frames `json:"start"`
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
			return nothing(s.removeSound(ctx, in.Show, in.Sound))
		})
	huma.Register(api, operation("GET", "/shows/{show}/sounds/{sound}/uses", "list-uses", "Where a sound is used"),
		func(ctx context.Context, in *InSound) (*body[[]Use], error) {
			return answer(s.uses(ctx, in.Show, in.Sound))
		})
	huma.Register(api, operation("POST", "/shows/{show}/sounds/{sound}/replace", "replace-sound", "Let another sound of the show take a sound's place in all its episodes"),
		func(ctx context.Context, in *struct {
			InSound
			Body struct {
				With string `json:"with" pattern:"^[0-9a-f]{64}$"`
			}
		},
		) (*empty, error) {
			with, err := s.Store.Sound(ctx, in.Show, in.Body.With)
			if err == nil {
				err = s.Worker.Replace(ctx, in.Show, in.Sound, with, "replace "+store.NewID())
			}
			return nothing(err)
		})
	huma.Register(api, operation("GET", "/sounds/{sound}/peaks/{level}", "get-peaks",
		"Peaks of a sound: pairs of little-endian 16-bit integers, lowest and highest, for runs of 64 x 4^level frames"),
		s.peaks)
	huma.Register(api, operation("GET", "/sounds/{sound}/audio", "hear-sound", "The sound as 16-bit WAV at 48 kHz, for listening to it"),
		s.hear)
	huma.Register(api, operation("GET", "/shows/{show}/jobs", "list-jobs", "Jobs of a show that are not finished, and failures that have not been put away"),
		func(ctx context.Context, in *InShow) (*body[[]work.JobEvent], error) {
			rows, err := s.Store.Pending(ctx, in.Show)
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
	huma.Register(api, operation("POST", "/jobs/{job}/put-away", "put-job-away", "Take a failure off the list"),
		func(ctx context.Context, in *InJob) (*empty, error) { return nothing(s.Store.PutAway(ctx, in.Job)) })
}

// removeSound removes a sound that no episode uses, and its file if no other show has it.
func (s *Server) removeSound(ctx context.Context, show, id string) error {
	last, err := s.Store.RemoveSound(ctx, show, id)
	if err == nil && last {
		err = s.Sounds.Delete(ctx, id)
	}
	if err == nil {
		s.Queue.Announce(work.ShowSubject(show), work.Event{Sounds: &work.ShowEvent{Show: show}})
	}
	return err
}

// uses lists the clips of a sound in all episodes of its show.
func (s *Server) uses(ctx context.Context, show, id string) ([]Use, error) {
	if _, err := s.Store.Sound(ctx, show, id); err != nil {
		return nil, err
	}
	episodes, err := s.Store.EpisodesUsing(ctx, show, id)
	out := []Use{}
	for _, e := range episodes {
		doc, _, err := s.Store.Document(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		u := Use{Episode: e.ID, Number: e.Number, Title: e.Title, Clips: []UseClip{}}
		for _, t := range doc.Tracks {
			for _, clip := range t.ClipsInOrder() {
				if c := t.Clips[clip]; c.Sound == id {
					u.Clips = append(u.Clips, UseClip{clip, c.Name, t.Name, c.Start})
				}
			}
		}
		out = append(out, u)
	}
	return out, err
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
		err = tooLarge(s.MaxUpload)
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
	set(&sound.Name, change.Name)
	set(&sound.Part, change.Part)
	set(&sound.Title, change.Title)
	set(&sound.Author, change.Author)
	set(&sound.Source, change.Source)
	set(&sound.Licence, change.Licence)
	set(&sound.Notes, change.Notes)
	set(&sound.Words, change.Words)
	set(&sound.Tempo, change.Tempo)
	if err := s.Store.SetSound(ctx, sound); err != nil {
		return LibrarySound{}, err
	}
	s.Queue.Announce(work.ShowSubject(show), work.Event{Sounds: &work.ShowEvent{Show: show}})
	sound, err = s.Store.Sound(ctx, show, id)
	return soundView(sound), err
}

// set changes a value if another is given.
func set[T any](value, to *T) {
	if to != nil {
		*value = *to
	}
}

// bytesAnswer is an answer of raw bytes.
type bytesAnswer struct {
	ContentType  string `header:"Content-Type"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

// forever is for what is named by its content.
const forever = "private, max-age=31536000, immutable"

// PeakRange says which peaks of a sound are asked for.
type PeakRange struct {
	Level int `path:"level" minimum:"0" maximum:"6"`
	From  int `query:"from" minimum:"0"`
	Count int `query:"count" minimum:"1" maximum:"65536" default:"65536"`
}

func (s *Server) peaks(ctx context.Context, in *struct {
	Sound string `path:"sound" pattern:"^[0-9a-f]{64}$"`
	PeakRange
},
) (*bytesAnswer, error) {
	if err := s.known(ctx, in.Sound); err != nil {
		return nil, fail(err)
	}
	return s.peaksOf(ctx, in.Sound, in.PeakRange)
}

func (s *Server) peaksOf(ctx context.Context, id string, in PeakRange) (*bytesAnswer, error) {
	c, err := s.Sounds.Open(ctx, id)
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
	return s.audioOf(ctx, in.Sound)
}

func (s *Server) audioOf(ctx context.Context, id string) (*huma.StreamResponse, error) {
	c, err := s.Sounds.Open(ctx, id)
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
