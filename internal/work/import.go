package work

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
)

// ImportArguments is what an import works on.
type ImportArguments struct {
	Sound    string       `json:"sound,omitempty"`  // the id of an original that is in the bucket
	Upload   string       `json:"upload,omitempty"` // or the name of a file that has arrived
	Piece    string       `json:"piece,omitempty"`  // or the key of a piece of the shelf
	File     string       `json:"file"`             // the name it came with
	Part     session.Part `json:"part,omitempty"`
	Place    *Place       `json:"place,omitempty"`
	Replaces string       `json:"replaces,omitempty"` // the sound whose place it takes everywhere
	About    *About       `json:"about,omitempty"`    // instead of what the file says of itself
}

// Place is where a sound goes once it is there.
type Place struct {
	Episode string       `json:"episode"`
	Track   string       `json:"track,omitempty"`
	Start   audio.Frames `json:"start"`
	Offset  audio.Frames `json:"offset,omitempty"`
	Length  audio.Frames `json:"length,omitempty"`
	Lined   string       `json:"lined,omitempty"`   // "voices" or "all": these are laid one after the other there, in the order of their names
	Instead string       `json:"instead,omitempty"` // the sound whose clips in the episode play it from now on
}

// What of several files is laid one after the other.
const (
	LinedVoices = "voices"
	LinedAll    = "all"
)

// About is what is known of a sound besides what can be measured.
type About struct {
	Name    string  `json:"name,omitempty"`
	Title   string  `json:"title,omitempty"`
	Author  string  `json:"author,omitempty"`
	Source  string  `json:"source,omitempty"`
	Licence string  `json:"licence,omitempty"`
	Notes   string  `json:"notes,omitempty"`
	Words   string  `json:"words,omitempty"`
	Tempo   float64 `json:"tempo,omitempty"`
}

// Originals lists the originals that a job needs.
func Originals(job store.Job) []string {
	if a, err := arguments[ImportArguments](job); err == nil && job.Kind == Import && a.Sound != "" {
		return []string{a.Sound}
	}
	return nil
}

// UploadOf is the upload that a job works on, or nothing. Until the job has ended, its file lies there alone.
func UploadOf(job store.Job) string {
	if job.Kind != Import && job.Kind != Opening {
		return ""
	}
	a, err := arguments[ImportArguments](job)
	if err != nil {
		return job.ID // which an upload is called by as a rule
	}
	return a.Upload
}

func (w *Worker) importSound(ctx context.Context, job store.Job) error {
	a, err := arguments[ImportArguments](job)
	if err != nil {
		return err
	}
	if a.Upload != "" {
		if a.Sound, err = w.arrived(ctx, a.Upload); err != nil {
			return err
		}
	}
	if a.Piece != "" {
		if a.Sound, err = w.Pieces.Sound(ctx, a.Piece); err != nil {
			return err
		}
	}
	sound, err := w.Store.Sound(ctx, job.Show, a.Sound)
	if store.IsNotFound(err) { // the show does not have it yet
		if sound, err = w.takeIn(ctx, job, a); err == nil {
			w.Queue.Announce(ShowSubject(job.Show), Event{Sounds: &ShowEvent{job.Show}})
		}
	}
	if err != nil {
		return err
	}
	if a.Replaces != "" {
		if err := w.Replace(ctx, job.Show, a.Replaces, sound, "replace "+job.ID); err != nil {
			return err
		}
	}
	if a.Place != nil {
		at := *a.Place
		if at.Instead != "" {
			return w.Edit(ctx, at.Episode, "import "+job.ID, edit.ReplaceSound{Sound: at.Instead, With: sound.ID, Name: sound.Name})
		}
		if at.Lined == LinedVoices && sound.Part != session.Voice {
			at.Track, at.Lined = "", "" // it stands on a track of its own, as if it had come by itself
		}
		op := edit.InsertClip{Sound: sound.ID, Start: at.Start, Lined: at.Lined != "", Offset: at.Offset, Length: at.Length, Track: at.Track, Part: sound.Part, Name: sound.Name, Elsewhere: true}
		return w.Edit(ctx, at.Episode, "import "+job.ID, op)
	}
	return nil
}

// arrived moves a file that was uploaded to the originals and gives its id.
func (w *Worker) arrived(ctx context.Context, upload string) (string, error) {
	src, err := w.Uploads.Open(ctx, upload)
	if errors.Is(err, fs.ErrNotExist) {
		return "", errElsewhere
	}
	if err != nil {
		return "", fmt.Errorf("open what was uploaded: %w", err)
	}
	id, _, err := w.Sounds.Put(ctx, src)
	return id, err
}

// takeIn decodes and measures an original and adds it to the show.
func (w *Worker) takeIn(ctx context.Context, job store.Job, a ImportArguments) (store.Sound, error) {
	facts, err := w.Sounds.Import(ctx, a.Sound, w.meter(ctx, job))
	if err != nil {
		return store.Sound{}, err
	}
	part := a.Part
	if part == "" {
		part = w.guess(ctx, facts)
	}
	sound := soundOf(job.Show, NameOf(a.File), part, facts)
	about := tagged(facts.Tags)
	if a.About != nil {
		about = *a.About
	}
	if about.Name != "" {
		sound.Name = about.Name
	}
	sound.Title, sound.Author, sound.Source, sound.Licence = about.Title, about.Author, about.Source, about.Licence
	sound.Notes, sound.Words, sound.Tempo = about.Notes, about.Words, about.Tempo
	return sound, w.Store.AddSound(ctx, sound)
}

// soundOf is a sound of a show with what was measured of it.
func soundOf(show, name string, part session.Part, f sounds.Facts) store.Sound {
	s := store.Sound{
		Show: show, ID: f.ID, Name: name, Part: part, Channels: f.Channels, Rate: f.Rate, Format: f.Format,
		Bytes: f.Bytes, Length: f.Loudness.Length,
	}
	s.Loudness.Of = f.Loudness
	return s
}

// tagged is what a file's tags say of it.
func tagged(tags map[string]string) About {
	first := func(runes int, keys ...string) string {
		for _, k := range keys {
			if v := strings.TrimSpace(strings.ToValidUTF8(tags[k], "?")); v != "" {
				return clip(v, runes)
			}
		}
		return ""
	}
	about := About{
		Title: first(200, "title"), Author: first(200, "artist", "author", "composer", "album_artist"),
		Source:  first(500, "source", "purl", "url", "wwwaudiosource", "website"),
		Licence: first(200, "license", "licence", "copyright"), Notes: first(2000, "comment", "description"), Words: first(500, "genre"),
	}
	if l, known := credits.Find(about.Licence); known {
		about.Licence = l.Key
	}
	if bpm, err := strconv.ParseFloat(first(10, "tbpm", "bpm", "tempo"), 64); err == nil && bpm > 0 && bpm < 1000 {
		about.Tempo = bpm
	}
	return about
}

// Edit carries out an operation on whatever version an episode is at, once: a gesture
// that stands in the history is not made again.
func (w *Worker) Edit(ctx context.Context, episode, gesture string, op edit.Op) error {
	change, err := w.Store.EditOnce(ctx, episode, gesture, op)
	if err == nil {
		w.Queue.Changed(episode, change)
	}
	return err
}

// Replace lets one sound of a show take the place of another in all its episodes, each
// of which can undo it. If one of them cannot, none is changed.
func (w *Worker) Replace(ctx context.Context, show, old string, with store.Sound, gesture string) error {
	if old == with.ID {
		return nil
	}
	episodes, err := w.Store.EpisodesUsing(ctx, show, old)
	if err != nil {
		return err
	}
	op := edit.ReplaceSound{Sound: old, With: with.ID, Name: with.Name}
	catalogue := func(id string) (session.Sound, bool) {
		return session.Sound{Channels: with.Channels, Length: with.Length}, id == with.ID
	}
	for _, e := range episodes {
		doc, _, err := w.Store.Document(ctx, e.ID)
		if err != nil {
			return err
		}
		if _, _, err := edit.Apply(doc, op, catalogue); err != nil {
			var p problem.Problem
			if errors.As(err, &p) {
				p.Message = "In “" + e.Title + "”: " + p.Message
				return p
			}
			return err
		}
	}
	for _, e := range episodes {
		if err := w.Edit(ctx, e.ID, gesture, op); err != nil {
			return err
		}
	}
	w.Queue.Announce(ShowSubject(show), Event{Sounds: &ShowEvent{show}})
	return nil
}

// briefest is the length from which a stereo sound counts as music rather than as an effect.
const briefest = 15 * audio.Second

// guess says what a sound probably is: a recording with the same on both channels is
// a voice, a short stereo one an effect, a longer one music. People can say otherwise.
func (w *Worker) guess(ctx context.Context, f sounds.Facts) session.Part {
	if f.Channels == 1 {
		return session.Voice
	}
	if w.sameOnBoth(ctx, f.ID) {
		return session.Voice
	}
	if f.Loudness.Length < briefest {
		return session.Effect
	}
	return session.Music
}

// sameOnBoth says whether both channels of a stereo sound carry the same.
func (w *Worker) sameOnBoth(ctx context.Context, id string) (alike bool) {
	c, err := w.Sounds.Open(ctx, id)
	if err != nil {
		return false
	}
	defer c.Close()
	return audio.Guard(func() { alike = same(c.PCM) }) == nil && alike
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
