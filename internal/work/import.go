package work

import (
	"context"
	"errors"
	"path/filepath"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
)

// ImportArguments is what an import works on.
type ImportArguments struct {
	Sound string       `json:"sound"` // the id of an original that is in the bucket
	File  string       `json:"file"`  // the name it came with
	Part  session.Part `json:"part,omitempty"`
	Place *Place       `json:"place,omitempty"`
}

// Place is where a sound goes once it is there.
type Place struct {
	Episode string       `json:"episode"`
	Track   string       `json:"track,omitempty"`
	Start   audio.Frames `json:"start"`
}

func (w *Worker) importSound(ctx context.Context, job store.Job) error {
	a, err := arguments[ImportArguments](job)
	if err != nil {
		return err
	}
	facts, err := w.Sounds.Import(ctx, a.Sound, w.meter(ctx, job))
	if err != nil {
		w.dropOrphan(a.Sound)
		return err
	}
	part := a.Part
	if part == "" {
		part = w.guess(ctx, facts)
	}
	sound := store.Sound{
		Show: job.Show, ID: a.Sound, Name: NameOf(a.File), Part: part,
		Channels: facts.Channels, Rate: facts.Rate, Format: facts.Format, Bytes: facts.Bytes, Length: facts.Loudness.Length,
		Title: clip(facts.Tags["title"], 200), Author: clip(facts.Tags["artist"], 200), Licence: clip(facts.Tags["copyright"], 200),
	}
	sound.Loudness.Of = facts.Loudness
	if err := w.Store.AddSound(ctx, sound); err != nil {
		return err
	}
	w.Queue.Announce(ShowSubject(job.Show), Event{Sounds: &ShowEvent{job.Show}})
	if a.Place == nil {
		return nil
	}
	return w.place(ctx, job, *a.Place, sound)
}

// place puts a sound on a track, once, whatever interrupts it.
func (w *Worker) place(ctx context.Context, job store.Job, at Place, sound store.Sound) error {
	gesture := "import " + job.ID
	if done, err := w.Store.HasGesture(ctx, at.Episode, gesture); err != nil || done {
		return err
	}
	op := edit.InsertClip{Sound: sound.ID, Start: at.Start, Track: at.Track, Part: sound.Part, Name: sound.Name}
	_, version, err := w.Store.Document(ctx, at.Episode)
	for err == nil {
		var change store.Change
		change, err = w.Store.Edit(ctx, at.Episode, version, gesture, op)
		var conflict store.Conflict
		if errors.As(err, &conflict) {
			version, err = conflict.Current, nil
			continue
		}
		if err == nil {
			w.Queue.Changed(at.Episode, change)
			return nil
		}
	}
	return err
}

// dropOrphan removes an original that could not be imported and that no show has.
func (w *Worker) dropOrphan(id string) {
	ctx := context.Background()
	if there, err := w.Store.HasSound(ctx, id); err == nil && !there {
		_ = w.Sounds.Delete(ctx, id)
	}
}

// briefest is the length from which a stereo sound counts as music rather than as an effect.
const briefest = 15 * audio.Second

// guess says what a sound probably is: a recording with the same on both channels is
// a voice, a short stereo one an effect, a longer one music. People can say otherwise.
func (w *Worker) guess(ctx context.Context, f sounds.Facts) session.Part {
	if f.Channels == 1 {
		return session.Voice
	}
	if c, err := w.Sounds.Open(ctx, f.ID); err == nil && same(c.PCM) {
		return session.Voice
	}
	if f.Loudness.Length < briefest {
		return session.Effect
	}
	return session.Music
}

// same says whether both channels carry the same samples, looking at one in a hundred.
func same(pcm audio.PCM) bool {
	for i := 0; i < len(pcm[0]); i += 100 {
		if d := pcm[0][i] - pcm[1][i]; d > 1e-3 || d < -1e-3 {
			return false
		}
	}
	return true
}

// NameOf makes a name for people from a file's name.
func NameOf(file string) string {
	name := strings.ReplaceAll(strings.ToValidUTF8(file, "?"), "\\", "/")
	name = name[strings.LastIndexByte(name, '/')+1:]
	if base := strings.TrimSuffix(name, filepath.Ext(name)); base != "" {
		name = base
	}
	name = strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' {
			return -1
		}
		return r
	}, strings.ReplaceAll(name, "_", " ")))
	if name == "" {
		name = "Sound"
	}
	return clip(name, 200)
}

func clip(s string, runes int) string {
	if r := []rune(s); len(r) > runes {
		return string(r[:runes])
	}
	return s
}
