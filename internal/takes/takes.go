// Package takes is what can be done with the takes of an episode: they are begun, chunks
// of them come in, they are finished and become sounds, they are discarded and taken back,
// used in a clip, deleted for good. The rules are those of core/recording; the chunks lie
// in internal/chunks, the rows in internal/store.
package takes

import (
	"cmp"
	"context"
	"errors"
	"io"
	"time"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/recording"
	"ruvel/core/session"
	"ruvel/internal/chunks"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Takes is where they are kept.
type Takes struct {
	Store  *store.Store
	Chunks *chunks.Box
	Worker *work.Worker
	Queue  *work.Queue
	// Longest is how many seconds a take may have; 0: recording.Longest.
	Longest int

	// RemoveSound removes a sound that nothing uses from its show.
	RemoveSound func(ctx context.Context, show, id string) error
}

// TakeStatus is a take and how far its recording has come.
type TakeStatus struct {
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
	Silenced int64           `json:"silenced,omitempty" doc:"Samples that were no numbers and became silence, once it is a sound"`
	Sound    string          `json:"sound,omitempty" doc:"Its sound, once it is one"`
	Created  time.Time       `json:"created"`
}

// alive is how long ago the last chunk of a recording that is going on can be.
const alive = 4 * time.Second

func (k *Takes) status(ctx context.Context, t store.Take) (TakeStatus, error) {
	v := TakeStatus{
		ID: t.ID, Number: t.Number, Track: t.Track, Begins: t.Begins, Rate: t.Rate, Channels: t.Channels, Mono: t.Mono, Device: t.Device,
		State: t.State, Length: t.Length, Peak: t.Peak, Silenced: t.Silenced, Created: t.Created,
	}
	if t.Sound != nil {
		v.Sound = *t.Sound
	}
	if t.State == store.TakeRecording || t.State == store.TakeClosed {
		there, err := k.Chunks.Inside(ctx, t.ID)
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

// List gives the takes of an episode, the newest first.
func (k *Takes) List(ctx context.Context, episode string) ([]TakeStatus, error) {
	rows, err := k.Store.Takes(ctx, episode)
	out := []TakeStatus{}
	for _, t := range rows {
		v, statusErr := k.status(ctx, t)
		out, err = append(out, v), errors.Join(err, statusErr)
	}
	return out, err
}

// NewTake is a take as it is asked for.
type NewTake struct {
	Track    string       `json:"track" maxLength:"20"`
	Begins   audio.Frames `json:"begins" minimum:"0" doc:"Session time of its first frame"`
	Late     audio.Frames `json:"late,omitempty" minimum:"-480000" maximum:"480000" doc:"By how much it was heard late; it is placed so much earlier"`
	Rate     int          `json:"rate" minimum:"8000" maximum:"192000" doc:"Hertz, as the device delivers it"`
	Channels int          `json:"channels" minimum:"1" maximum:"2" doc:"As the device delivers them"`
	Mono     bool         `json:"mono,omitempty" doc:"Fold both sides into one"`
	Device   string       `json:"device,omitempty" maxLength:"200"`
}

// Begin makes a take to which chunks can come.
func (k *Takes) Begin(ctx context.Context, episode string, in NewTake) (TakeStatus, error) {
	doc, _, err := k.Store.Document(ctx, episode)
	if err != nil {
		return TakeStatus{}, err
	}
	if doc.FindTrack(in.Track) < 0 {
		return TakeStatus{}, problem.New("unknown-track", "track", "The track to record onto is not in the session any more. Choose another.")
	}
	if in.Begins >= session.MaxLength {
		return TakeStatus{}, problem.New("clip-outside-session", "begins", "The playhead stands at the end of what a session can hold.")
	}
	if err := k.Chunks.Space.Room(0); err != nil {
		return TakeStatus{}, err
	}
	t, err := k.Store.AddTake(ctx, store.Take{
		Episode: episode, Track: in.Track, Begins: in.Begins, Late: in.Late, Rate: in.Rate, Channels: in.Channels, Mono: in.Mono, Device: in.Device,
	})
	if err != nil {
		return TakeStatus{}, err
	}
	k.tell(t.Episode)
	return k.status(ctx, t)
}

func (k *Takes) tell(episode string) {
	k.Queue.Announce(work.EpisodeSubject(episode), work.Event{Takes: &work.ShowEvent{}})
}

// Keep takes in a chunk: at most a second of whole frames, little-endian 32-bit floats,
// interleaved. Chunks are numbered from 0; one that leaves a gap is refused with a chunks.Gap.
func (k *Takes) Keep(ctx context.Context, id string, seq int, samples io.Reader) error {
	t, err := k.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.State != store.TakeRecording {
		return problem.New("take-closed", "take", "This recording has been ended.")
	}
	most := recording.Chunk * t.Rate * t.Channels * 4
	data, err := io.ReadAll(io.LimitReader(samples, int64(most)+1))
	if err != nil {
		return err
	}
	if len(data) > most || len(data)%(4*t.Channels) != 0 {
		return problem.New("bad-chunk", "body", "A chunk holds whole frames of %d channels, and at most a second.", t.Channels)
	}
	if longest := cmp.Or(k.Longest, recording.Longest); seq >= longest { // before that it cannot be too long
		there, err := k.Chunks.Inside(ctx, id)
		if err != nil {
			return err
		}
		if there.Bytes+int64(len(data)) > int64(longest)*int64(t.Rate*t.Channels*4) {
			return problem.New("take-full", "take", "A take can be at most %v long. It has been kept up to here; go on with another take.", audio.Seconds(float64(longest)))
		}
	}
	if err := k.Chunks.Put(ctx, t.ID, seq, data); err != nil {
		return err
	}
	// Whoever ends the take, here or in another process, closes it first and sees then what there is: a chunk that lay there before is in it,
	// and no other is acknowledged.
	if t, err = k.Store.Take(ctx, id); err != nil {
		return err
	}
	if t.State != store.TakeRecording {
		return problem.New("take-closed", "take", "This recording has been ended.")
	}
	return nil
}

// TakeEnding says how a take is finished.
type TakeEnding struct {
	Chunks  int  `json:"chunks,omitempty" minimum:"0" doc:"How many there should be; left out: as many as have arrived"`
	Discard bool `json:"discard,omitempty" doc:"Keep it out of the session, so that it can be taken back"`
}

// Finish ends a take. What is kept of it becomes a sound, by a job, and is placed. A second
// ending is answered with the job of the first.
func (k *Takes) Finish(ctx context.Context, id string, in TakeEnding) (work.JobEvent, error) {
	t, err := k.Store.Take(ctx, id)
	if err != nil {
		return work.JobEvent{}, err
	}
	if t.Sound != nil {
		return work.JobEvent{}, problem.New("take-closed", "take", "This recording has been ended.")
	}
	job, err := k.end(ctx, t, in)
	k.tell(t.Episode)
	return work.View(job), err
}

// end closes a take and queues the making of its sound.
func (k *Takes) end(ctx context.Context, t store.Take, in TakeEnding) (job store.Job, err error) {
	there, err := k.Chunks.Inside(ctx, t.ID)
	if err != nil {
		return job, err
	}
	if there.Chunks < in.Chunks && t.State == store.TakeRecording {
		return job, chunks.Gap{Next: there.Chunks}
	}
	if there.Chunks == 0 && t.State == store.TakeRecording {
		if err := k.Store.RemoveTake(ctx, t.ID); err != nil {
			return job, err
		}
		return job, problem.New("empty-take", "take", "Nothing was recorded. Look at the input's level and record again.")
	}
	return k.Worker.EndTake(ctx, t, in.Discard)
}

// Discard takes the clips of a take out of the session and the take out of sight.
func (k *Takes) Discard(ctx context.Context, id string) error {
	t, err := k.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.Sound == nil {
		_, err := k.Finish(ctx, id, TakeEnding{Discard: true})
		var p problem.Problem
		if errors.As(err, &p) && p.Code == "empty-take" {
			return nil
		}
		return err
	}
	doc, _, err := k.Store.Document(ctx, t.Episode)
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
		if err := k.Worker.Edit(ctx, t.Episode, "discard "+store.NewID(), edit.RemoveClips{Clips: clips}); err != nil {
			return err
		}
	}
	err = k.Store.SetTakeState(ctx, t.ID, store.TakeDiscarded)
	k.tell(t.Episode)
	return err
}

// Use puts a take where it was made, in place of the other takes of that place; or, if a
// clip is named, lets that play it.
func (k *Takes) Use(ctx context.Context, id, clip string) error {
	t, err := k.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.Sound == nil {
		return problem.New("take-open", "take", "This recording has not been ended yet.")
	}
	doc, _, err := k.Store.Document(ctx, t.Episode)
	if err != nil {
		return err
	}
	gesture, name := "use "+store.NewID(), work.TakeName(doc, t)
	if clip == "" {
		err = k.Worker.PlaceTake(ctx, t, gesture, name)
	} else {
		err = k.Worker.Edit(ctx, t.Episode, gesture, edit.UseSound{Clip: clip, Sound: *t.Sound, Name: name})
	}
	if err != nil {
		return err
	}
	err = k.Store.SetTakeState(ctx, t.ID, store.TakeKept)
	k.tell(t.Episode)
	return err
}

// Remove deletes a discarded take and, if nothing uses it, its sound.
func (k *Takes) Remove(ctx context.Context, id string) error {
	t, err := k.Store.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.State != store.TakeDiscarded {
		return problem.New("take-in-use", "take", "Only a removed take can be deleted for good.")
	}
	e, err := k.Store.Episode(ctx, t.Episode)
	if err != nil {
		return err
	}
	if t.Sound != nil {
		if err := k.RemoveSound(ctx, e.Show, *t.Sound); err != nil {
			return err
		}
	}
	err = k.Store.RemoveTake(ctx, id)
	var p problem.Problem
	if errors.As(err, &p) && p.Code == "not-found" {
		err = nil // it went with its sound
	}
	k.tell(t.Episode)
	return err
}
