// Package library is what can be done with the sounds of a show: files are received,
// sounds described, replaced and removed, pieces of a shelf taken among them; it says
// where they are used and whom the episode must credit.
package library

import (
	"context"
	"io"
	"strings"
	"time"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/internal/access"
	"ruvel/internal/plans"
	"ruvel/internal/shelf"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/uploads"
	"ruvel/internal/work"
)

// Library is the sounds of all shows.
type Library struct {
	Door   *access.Door
	Store  *store.Store
	Sounds *sounds.Sounds
	Plans  *plans.Plans
	Worker *work.Worker
	Queue  *work.Queue
	Shelf  *shelf.Fetcher
	// MaxUpload is the largest file that is taken in, in bytes.
	MaxUpload int64
}

// ShowSound is a sound of a show.
type ShowSound struct {
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

func viewOf(s store.Sound) ShowSound {
	return ShowSound{
		ID: s.ID, Name: s.Name, Part: s.Part, Channels: s.Channels, Rate: s.Rate, Format: s.Format, Bytes: s.Bytes, Length: s.Length,
		Loudness: s.Loudness.Of, Title: s.Title, Author: s.Author, Source: s.Source, Licence: s.Licence,
		Notes: s.Notes, Words: s.Words, Tempo: s.Tempo, Need: credits.Of(creditOf(s)), Created: s.Created, Used: s.Used,
	}
}

// SoundChange says what is to change of a sound; what is left out stays.
type SoundChange struct {
	Name *string       `json:"name,omitempty" maxLength:"200"`
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

// List gives the sounds of a show, the newest first.
func (l *Library) List(ctx context.Context, show string) ([]ShowSound, error) {
	rows, err := l.Store.Sounds(ctx, show)
	out := []ShowSound{}
	for _, r := range rows {
		out = append(out, viewOf(r))
	}
	return out, err
}

// File is a sound file that comes in whole.
type File struct {
	Name  string
	Part  session.Part // empty: it is guessed
	Place *work.Place  // nil: it is not placed
	Bytes io.Reader
}

// Receive stores a file and queues its import into a show.
func (l *Library) Receive(ctx context.Context, show string, f File) (work.JobEvent, error) {
	f.Name = strings.ToValidUTF8(f.Name, "?")
	var episode *string
	names := []access.Named{{Thing: store.AShow, ID: show}}
	if f.Place != nil {
		episode = &f.Place.Episode
		names = append(names, access.Named{Thing: store.AnEpisode, ID: *episode})
	}
	if err := l.Door.Enter(ctx, access.Make, names...); err != nil {
		return work.JobEvent{}, err
	}
	id, _, err := l.Sounds.Put(ctx, &bounded{f.Bytes, l.MaxUpload, uploads.TooLarge(l.MaxUpload)})
	if err != nil {
		return work.JobEvent{}, work.NameFile(f.Name, err)
	}
	args := work.ImportArguments{Sound: id, File: f.Name, Part: f.Part, Place: f.Place}
	job, err := l.Worker.Submit(ctx, work.Import, show, episode, f.Name, args)
	return work.View(job), err
}

// bounded fails once more than so many bytes have been read.
type bounded struct {
	from io.Reader
	left int64
	err  error
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.from.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return n, b.err
	}
	return n, err
}

// Remove removes a sound that no episode uses. If no other show has it, its working copy,
// which is most of it, goes at once, its original when it is swept.
func (l *Library) Remove(ctx context.Context, show, id string) error {
	last, err := l.Store.RemoveSound(ctx, show, id)
	if err == nil && last {
		l.Plans.ForgetIdle() // whose plans may still hold its working copy
		err = l.Sounds.DropCopy(id)
	}
	if err == nil {
		l.Queue.Announce(work.ShowSubject(show), work.Event{Sounds: &work.ShowEvent{Show: show}})
	}
	return err
}

// Uses lists the clips of a sound in all episodes of its show.
func (l *Library) Uses(ctx context.Context, show, id string) ([]Use, error) {
	if _, err := l.Store.Sound(ctx, show, id); err != nil {
		return nil, err
	}
	episodes, err := l.Store.EpisodesUsing(ctx, show, id)
	out := []Use{}
	for _, e := range episodes {
		doc, _, err := l.Store.Document(ctx, e.ID)
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

// Change changes what is known of a sound.
func (l *Library) Change(ctx context.Context, show, id string, change SoundChange) (ShowSound, error) {
	sound, err := l.Store.Sound(ctx, show, id)
	if err != nil {
		return ShowSound{}, err
	}
	if change.Name != nil {
		if sound.Name, err = session.NewName(*change.Name, "name"); err != nil {
			return ShowSound{}, err
		}
	}
	set(&sound.Part, change.Part)
	set(&sound.Title, change.Title)
	set(&sound.Author, change.Author)
	set(&sound.Source, change.Source)
	set(&sound.Licence, change.Licence)
	set(&sound.Notes, change.Notes)
	set(&sound.Words, change.Words)
	set(&sound.Tempo, change.Tempo)
	if err := l.Store.SetSound(ctx, sound); err != nil {
		return ShowSound{}, err
	}
	l.Queue.Announce(work.ShowSubject(show), work.Event{Sounds: &work.ShowEvent{Show: show}})
	sound, err = l.Store.Sound(ctx, show, id)
	return viewOf(sound), err
}

// set changes a value if another is given.
func set[T any](value, to *T) {
	if to != nil {
		*value = *to
	}
}

// Placing is where a piece of a shelf goes once it is among the sounds of a show.
type Placing struct {
	Episode string       `json:"episode,omitempty" format:"uuid" of:"episode" doc:"Place it in this episode when it is there"`
	Track   string       `json:"track,omitempty" maxLength:"20" doc:"On this track; left out: on an empty or new one for its part"`
	Start   audio.Frames `json:"start,omitempty" minimum:"0"`
	Offset  audio.Frames `json:"offset,omitempty" minimum:"0" doc:"Where to begin in the piece"`
	Length  audio.Frames `json:"length,omitempty" minimum:"0" doc:"Left out: to its end"`
	Instead string       `json:"instead,omitempty" maxLength:"64" doc:"Instead of placing it: all clips of this sound in the episode play it, with what is done to them"`
}

// TakePiece takes a piece of the shelf among the sounds of a show, and places it if an
// episode is given. It is fetched by the job: nobody waits for an answer meanwhile.
func (l *Library) TakePiece(ctx context.Context, show, key string, at Placing) (work.JobEvent, error) {
	if err := l.Door.Enter(ctx, access.Make, access.Named{Thing: store.AShow, ID: show}, access.Named{Thing: store.AnEpisode, ID: at.Episode}); err != nil {
		return work.JobEvent{}, err
	}
	p, err := l.Shelf.Piece(ctx, key)
	if err != nil {
		return work.JobEvent{}, err
	}
	args := work.ImportArguments{Piece: p.Key, File: p.Title, Part: p.Part, About: &work.About{
		Name: p.Title, Title: p.Title, Author: p.Author, Source: p.Source, Licence: p.Licence, Words: strings.Join(p.Words, ", "), Tempo: p.Tempo,
	}}
	var episode *string
	if at.Episode != "" {
		args.Place = &work.Place{Episode: at.Episode, Track: at.Track, Start: at.Start, Offset: at.Offset, Length: at.Length, Instead: at.Instead}
		episode = &at.Episode
	}
	job, err := l.Worker.Submit(ctx, work.Import, show, episode, p.Title, args)
	return work.View(job), err
}

// Credits lists what an episode uses in the order in which it is first heard.
func (l *Library) Credits(ctx context.Context, episode string) (credits.List, error) {
	e, err := l.Store.Episode(ctx, episode)
	if err != nil {
		return credits.List{}, err
	}
	doc, _, err := l.Store.Document(ctx, episode)
	if err != nil {
		return credits.List{}, err
	}
	used, err := l.Papers(ctx, e.Show, doc)
	return credits.For(used), err
}

// Papers is what is written down about the sounds that a document uses, in the order in which they are first heard.
func (l *Library) Papers(ctx context.Context, show string, doc session.Document) (used []credits.Sound, err error) {
	rows, err := l.Store.Sounds(ctx, show)
	if err != nil {
		return nil, err
	}
	known := map[string]store.Sound{}
	for _, r := range rows {
		known[r.ID] = r
	}
	for _, id := range doc.SoundsInOrder() {
		used = append(used, creditOf(known[id]))
	}
	return used, nil
}

// creditOf is what a credit is made of.
func creditOf(s store.Sound) credits.Sound {
	return credits.Sound{ID: s.ID, Name: s.Name, Part: s.Part, Title: s.Title, Author: s.Author, Source: s.Source, Licence: s.Licence}
}
