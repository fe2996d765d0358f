package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/core/take"
	"ruvel/internal/standin"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/work"
)

// Take is a recording of an episode.
type Take struct {
	ID       string          `json:"id"`
	Number   int             `json:"number" doc:"Among the takes of the same place"`
	Track    string          `json:"track"`
	Begins   audio.Frames    `json:"begins" doc:"Session time that it was begun at"`
	Rate     int             `json:"rate" doc:"Hertz, of the device"`
	Channels int             `json:"channels" doc:"Of the device"`
	Mono     bool            `json:"mono"`
	Device   string          `json:"device"`
	State    store.TakeState `json:"state" enum:"recording,closed,kept,discarded"`
	Live     bool            `json:"live" doc:"True while chunks are coming in"`
	Chunks   int             `json:"chunks" doc:"How many are kept, while it is being recorded"`
	Length   audio.Frames    `json:"length" doc:"Frames at 48 kHz; while it is being recorded, of what is kept"`
	Peak     audio.DB        `json:"peak" doc:"dBFS, once it is a sound"`
	Sound    string          `json:"sound,omitempty" doc:"Its sound, once it is one"`
	Created  time.Time       `json:"created"`
}

// alive is how long ago the last chunk of a recording that is going on can be.
const alive = 4 * time.Second

func (s *Server) takeView(t store.Take) (Take, error) {
	v := Take{
		ID: t.ID, Number: t.Number, Track: t.Track, Begins: t.Begins, Rate: t.Rate, Channels: t.Channels, Mono: t.Mono, Device: t.Device,
		State: t.State, Length: t.Length, Peak: t.Peak, Created: t.Created,
	}
	if t.Sound != nil {
		v.Sound = *t.Sound
	}
	if t.State == store.TakeRecording || t.State == store.TakeClosed {
		there, err := s.Takes.Inside(t.ID)
		if err != nil {
			return v, err
		}
		v.Chunks = there.Chunks
		v.Length = audio.Seconds(float64(there.Bytes/int64(4*t.Channels)) / float64(t.Rate))
		last := t.Created
		if there.Chunks > 0 {
			last = there.Last
		}
		v.Live = t.State == store.TakeRecording && time.Since(last) < alive
	}
	return v, nil
}

type newTake struct {
	Track    string       `json:"track" maxLength:"20"`
	Begins   audio.Frames `json:"begins" minimum:"0" doc:"Session time of its first frame"`
	Late     audio.Frames `json:"late,omitempty" minimum:"-480000" maximum:"480000" doc:"By how much it was heard late; it is placed so much earlier"`
	Rate     int          `json:"rate" minimum:"8000" maximum:"192000" doc:"Hertz, as the device delivers it"`
	Channels int          `json:"channels" minimum:"1" maximum:"2" doc:"As the device delivers them"`
	Mono     bool         `json:"mono,omitempty" doc:"Fold both sides into one"`
	Device   string       `json:"device,omitempty" maxLength:"200"`
}

// InTake is a route within a take.
type InTake struct {
	Take string `path:"take" format:"uuid"`
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
	Levels  take.Limits `json:"levels" doc:"What a voice is judged by, in dBFS of its peaks"`
	CountIn int         `json:"countIn" doc:"Seconds"`
	Chunk   float64     `json:"chunk" doc:"Seconds; no chunk may be longer"`
	StandIn string      `json:"standIn" doc:"Name of the microphone that needs no device"`
}

func (s *Server) takeRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/recording", "get-recording", "What a window must know to record"),
		func(context.Context, *empty) (*body[Recording], error) {
			return answer(Recording{take.Levels(), 3, take.Chunk, standin.Name}, nil)
		})
	huma.Register(api, operation("GET", "/recording/stand-in", "get-stand-in", "What the stand-in microphone reads, as a sound file"),
		func(context.Context, *empty) (*bytesAnswer, error) {
			return &bytesAnswer{"audio/flac", "private, max-age=3600", standin.Reading}, nil
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/takes", "list-takes", "List the recordings of an episode, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]Take], error) {
			rows, err := s.Store.Takes(ctx, in.Episode)
			out := []Take{}
			for _, t := range rows {
				v, viewErr := s.takeView(t)
				out, err = append(out, v), errors.Join(err, viewErr)
			}
			return answer(out, err)
		})
	huma.Register(api, operation("POST", "/episodes/{episode}/takes", "add-take", "Begin a recording"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body newTake
		},
		) (*body[Take], error) {
			return answer(s.beginTake(ctx, in.Episode, in.Body))
		})
	put := operation("POST", "/takes/{take}/{seq}", "add-chunk",
		"Keep a stretch of a recording of at most a second: the request's body is its samples, little-endian 32-bit floats, interleaved. Chunks are numbered from 0; sent again they are kept once")
	put.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
	huma.Register(api, put, func(ctx context.Context, in *chunk) (*empty, error) { return nothing(s.keepChunk(ctx, in)) })
	huma.Register(api, operation("POST", "/takes/{take}/finish", "finish-take", "End a recording; what is kept of it becomes a sound and is placed"),
		func(ctx context.Context, in *struct {
			InTake
			Body finish
		},
		) (*body[work.JobEvent], error) {
			return answer(s.finishTake(ctx, in.Take, in.Body))
		})
	huma.Register(api, operation("POST", "/takes/{take}/discard", "discard-take", "Take a recording out of the session; it can be taken back"),
		func(ctx context.Context, in *InTake) (*empty, error) { return nothing(s.discardTake(ctx, in.Take)) })
	huma.Register(api, operation("POST", "/takes/{take}/use", "use-take", "Put a recording where it was made, in place of the other takes of that place"),
		func(ctx context.Context, in *struct {
			InTake
			Body useTake
		},
		) (*empty, error) {
			return nothing(s.useTake(ctx, in.Take, in.Body.Clip))
		})
	huma.Register(api, operation("DELETE", "/takes/{take}", "remove-take", "Delete a discarded recording for good"),
		func(ctx context.Context, in *InTake) (*empty, error) { return nothing(s.removeTake(ctx, in.Take)) })
}

func (s *Server) beginTake(ctx context.Context, episode string, in newTake) (Take, error) {
	doc, _, err := s.Store.Document(ctx, episode)
	if err != nil {
		return Take{}, err
	}
	if doc.FindTrack(in.Track) < 0 {
		return Take{}, session.Problem{Code: "unknown-track", Where: "track", Message: "The track to record onto is not in the session any more. Choose another."}
	}
	if in.Begins >= session.MaxLength {
		return Take{}, session.Problem{Code: "clip-outside-session", Where: "begins", Message: "The playhead stands at the end of what a session can hold."}
	}
	if err := s.Takes.HasRoom(); err != nil {
		return Take{}, err
	}
	t, err := s.Store.AddTake(ctx, store.Take{
		Episode: episode, Track: in.Track, Begins: in.Begins, Late: in.Late, Rate: in.Rate, Channels: in.Channels, Mono: in.Mono, Device: in.Device,
	})
	if err != nil {
		return Take{}, err
	}
	s.tellTakes(t.Episode)
	return s.takeView(t)
}

func (s *Server) tellTakes(episode string) {
	s.Queue.Announce(work.EpisodeSubject(episode), work.Event{Takes: &work.ShowEvent{}})
}

func (s *Server) keepChunk(ctx context.Context, in *chunk) error {
	t, err := s.Store.Take(ctx, in.Take)
	if err != nil {
		return err
	}
	if t.State != store.TakeRecording {
		return session.Problem{Code: "take-closed", Where: "take", Message: "This recording has been ended."}
	}
	most := int64(take.Chunk * t.Rate * t.Channels * 4)
	data, err := io.ReadAll(http.MaxBytesReader(nil, io.NopCloser(in.body), most))
	var large *http.MaxBytesError
	if errors.As(err, &large) || (err == nil && len(data)%(4*t.Channels) != 0) {
		return session.Problem{Code: "bad-chunk", Where: "body", Message: fmt.Sprintf("A chunk holds whole frames of %d channels, and at most a second.", t.Channels)}
	}
	if err != nil {
		return err
	}
	return s.Takes.Put(t.ID, in.Seq, data)
}

type finish struct {
	Chunks  int  `json:"chunks,omitempty" minimum:"0" doc:"How many there should be; left out: as many as have arrived"`
	Discard bool `json:"discard,omitempty" doc:"Keep it out of the session, so that it can be taken back"`
}

func (s *Server) finishTake(ctx context.Context, id string, in finish) (work.JobEvent, error) {
	t, err := s.Store.Take(ctx, id)
	if err != nil {
		return work.JobEvent{}, err
	}
	if t.Sound != nil {
		return work.JobEvent{}, session.Problem{Code: "take-closed", Where: "take", Message: "This recording has been ended."}
	}
	there, err := s.Takes.Inside(id)
	if err != nil {
		return work.JobEvent{}, err
	}
	if t.State == store.TakeClosed {
		if job, going, err := s.Worker.TakeJob(ctx, t); err != nil || going {
			return work.View(job), err
		}
	}
	if there.Chunks < in.Chunks {
		return work.JobEvent{}, takes.Gap{Next: there.Chunks}
	}
	if there.Chunks == 0 {
		if err := s.Store.RemoveTake(ctx, id); err != nil {
			return work.JobEvent{}, err
		}
		s.tellTakes(t.Episode)
		return work.JobEvent{}, session.Problem{Code: "empty-take", Where: "take", Message: "Nothing was recorded. Look at the input's level and record again."}
	}
	t.State = store.TakeClosed
	if err := s.Store.SetTake(ctx, t); err != nil {
		return work.JobEvent{}, err
	}
	job, err := s.Worker.SubmitTake(ctx, t, in.Discard)
	s.tellTakes(t.Episode)
	return work.View(job), err
}

// discardTake takes the clips of a take out of the session and the take out of sight.
func (s *Server) discardTake(ctx context.Context, id string) error {
	t, err := s.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.Sound == nil {
		_, err := s.finishTake(ctx, id, finish{Discard: true})
		var p session.Problem
		if errors.As(err, &p) && p.Code == "empty-take" {
			return nil
		}
		return err
	}
	doc, _, err := s.Store.Document(ctx, t.Episode)
	if err != nil {
		return err
	}
	var clips []string
	for _, tr := range doc.Tracks {
		for _, id := range tr.ClipsInOrder() {
			if tr.Clips[id].Sound == *t.Sound {
				clips = append(clips, id)
			}
		}
	}
	if len(clips) > 0 {
		if err := s.Worker.Edit(ctx, t.Episode, "discard "+store.NewID(), edit.RemoveClips{Clips: clips}); err != nil {
			return err
		}
	}
	t.State = store.TakeDiscarded
	err = s.Store.SetTake(ctx, t)
	s.tellTakes(t.Episode)
	return err
}

type useTake struct {
	Clip string `json:"clip,omitempty" maxLength:"20" doc:"The clip that is to play it; left out: it is placed anew where it was recorded"`
}

func (s *Server) useTake(ctx context.Context, id, clip string) error {
	t, err := s.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.Sound == nil {
		return session.Problem{Code: "take-open", Where: "take", Message: "This recording has not been ended yet."}
	}
	doc, _, err := s.Store.Document(ctx, t.Episode)
	if err != nil {
		return err
	}
	gesture, name := "use "+store.NewID(), work.TakeName(doc, t)
	if clip == "" {
		err = s.Worker.PlaceTake(ctx, t, gesture, name)
	} else {
		err = s.Worker.Edit(ctx, t.Episode, gesture, edit.UseSound{Clip: clip, Sound: *t.Sound, Name: name})
	}
	if err != nil {
		return err
	}
	t.State = store.TakeKept
	err = s.Store.SetTake(ctx, t)
	s.tellTakes(t.Episode)
	return err
}

// removeTake deletes a discarded take and, if nothing uses it, its sound.
func (s *Server) removeTake(ctx context.Context, id string) error {
	t, err := s.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.State != store.TakeDiscarded {
		return session.Problem{Code: "take-in-use", Where: "take", Message: "Only a discarded take can be deleted for good."}
	}
	e, err := s.Store.Episode(ctx, t.Episode)
	if err != nil {
		return err
	}
	if t.Sound != nil {
		if err := s.removeSound(ctx, e.Show, *t.Sound); err != nil {
			return err
		}
	}
	err = s.Store.RemoveTake(ctx, id)
	var p session.Problem
	if errors.As(err, &p) && p.Code == "not-found" {
		err = nil // it went with its sound
	}
	s.tellTakes(t.Episode)
	return err
}
