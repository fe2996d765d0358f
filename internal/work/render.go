package work

import (
	"context"
	"math"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/media"
	"ruvel/internal/store"
)

// RenderArguments is what a rendering is made of: a version of a document that is kept, and
// which of its clips become a sound.
type RenderArguments struct {
	edit.Rendering
	Version int64  `json:"version"`
	Name    string `json:"name"`
	Place   bool   `json:"place"` // on a new track, with the clips silenced
}

// render makes a sound of clips, adds it to the show and puts it in their place if that is wanted.
func (w *Worker) render(ctx context.Context, job store.Job) error {
	a, err := arguments[RenderArguments](job)
	if err != nil {
		return err
	}
	doc, err := w.Store.KeptVersion(ctx, *job.Episode, a.Version)
	if err != nil {
		return err
	}
	alone, span, err := a.Alone(doc)
	if err != nil {
		return err
	}
	told := w.meter(ctx, job)
	id, err := w.renderOriginal(ctx, alone, span, a.Channels(alone), func(p float64) { told(p * renderShare) })
	if err != nil {
		return err
	}
	sound, err := w.Store.Sound(ctx, job.Show, id)
	if store.IsNotFound(err) {
		if sound, err = w.rendered(ctx, job, id, a, alone, func(p float64) { told(renderShare + p*(1-renderShare)) }); err == nil {
			w.Queue.Announce(ShowSubject(job.Show), Event{Sounds: &ShowEvent{job.Show}})
		}
	}
	if err != nil || !a.Place {
		return err
	}
	return w.Edit(ctx, *job.Episode, "render "+job.ID, edit.PlaceRendering{Sound: sound.ID, Name: a.Name, Start: span.From, Clips: a.Clips})
}

// renderOriginal renders a stretch into a file and puts it among the originals.
func (w *Worker) renderOriginal(ctx context.Context, doc session.Document, span session.Span, channels int, progress func(float64)) (string, error) {
	dir, err := os.MkdirTemp(w.Dir, "render.part*")
	if err != nil {
		return "", disk.Full(err)
	}
	defer os.RemoveAll(dir)
	hold := w.Sounds.Hold(ctx)
	defer hold.Close()
	plan, err := mix.CompileFrom(doc, hold, nil)
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, "render.wav")
	if err := w.writeSound(ctx, plan, path, span, channels, progress); err != nil {
		return "", disk.Full(err)
	}
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	id, _, err := w.Sounds.Put(ctx, f)
	return id, err
}

// writeSound writes a stretch of a plan as it is, without rounding. What lies in the middle
// becomes one channel that sounds the same in the middle of a track.
func (w *Worker) writeSound(ctx context.Context, plan *mix.Plan, path string, span session.Span, channels int, progress func(float64)) error {
	e, err := media.CreateWAV(path, 32, channels, audio.Rate)
	if err != nil {
		return err
	}
	done := audio.Frames(0)
	err = plan.Each(ctx, span.From, span.To, func(piece audio.PCM) error {
		if err := w.Space.Room(int64(4*channels) * int64(piece.Length())); err != nil {
			return err
		}
		if channels == 1 {
			piece = piece[:1]
			for i := range piece[0] {
				piece[0][i] *= math.Sqrt2
			}
		}
		if err := e.Write(piece); err != nil {
			return err
		}
		done += piece.Length()
		progress(done.Seconds() / (span.To - span.From).Seconds())
		return nil
	})
	if closed := e.Close(); err == nil {
		err = closed
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return err
}

// rendered takes what was rendered in as a sound of the show, which says what it is made of.
func (w *Worker) rendered(ctx context.Context, job store.Job, id string, a RenderArguments, alone session.Document, progress func(float64)) (store.Sound, error) {
	facts, err := w.Sounds.ImportUpTo(ctx, id, session.MaxLength, progress)
	if err != nil {
		return store.Sound{}, err
	}
	part := session.Voice
	for _, t := range alone.Tracks {
		if len(t.Clips) > 0 {
			part = t.Part
			break
		}
	}
	sound := soundOf(job.Show, a.Name, part, facts)
	sound.Notes = "Rendered from clips of an episode" + map[bool]string{true: ", treated", false: ", not treated"}[a.Treatment] +
		map[bool]string{true: ", with level lines.", false: ", without level lines."}[a.Lines]
	return sound, w.Store.AddSound(ctx, sound)
}
