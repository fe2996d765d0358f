// Package notes is what those who work on an episode write to each other about a place or a stretch of it: written, answered, changed by who
// wrote it, settled, removed. Notes belong to the producer's desk and are never in a finished file, in its page or in an archive.
package notes

import (
	"context"
	"time"
	"unicode/utf8"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/tidy"
	"ruvel/internal/access"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// LongestWords is how many characters a note may have.
const LongestWords = 2000

// Notes are those of all episodes.
type Notes struct {
	Store *store.Store
	Queue *work.Queue
	Door  *access.Door
}

// Note is a note as it is shown, with its answers.
type Note struct {
	ID      string       `json:"id"`
	By      string       `json:"by" doc:"Who wrote it; empty where there is one person"`
	Words   string       `json:"words"`
	Begins  audio.Frames `json:"begins"`
	Ends    audio.Frames `json:"ends" doc:"Where it begins, if it is about a place"`
	Made    time.Time    `json:"made"`
	Changed *time.Time   `json:"changed,omitempty"`
	Settled *time.Time   `json:"settled,omitempty"`
	Settler string       `json:"settledBy,omitempty"`
	Yours   bool         `json:"yours" doc:"The one who asks may change it"`
	Answers []Note       `json:"answers" nullable:"false"`
}

func view(ctx context.Context, n store.Note) Note {
	return Note{
		ID: n.ID, By: n.Name, Words: n.Words, Begins: n.Begins, Ends: n.Ends, Made: n.Made, Changed: n.Changed, Settled: n.Settled, Settler: n.By,
		Yours: mine(ctx, n), Answers: []Note{},
	}
}

// mine says whether the one who asks wrote a note; where there is one person, they wrote all.
func mine(ctx context.Context, n store.Note) bool {
	who := access.Asks(ctx)
	return who == nil || n.Person != nil && *n.Person == who.ID
}

// List gives those of an episode by their places.
func (all *Notes) List(ctx context.Context, episode string) ([]Note, error) {
	rows, err := all.Store.Notes(ctx, episode)
	out, at := []Note{}, map[string]int{}
	for _, n := range rows {
		if n.Answers == nil {
			at[n.ID] = len(out)
			out = append(out, view(ctx, n))
		}
	}
	for _, n := range rows {
		if n.Answers != nil {
			of := &out[at[*n.Answers]]
			of.Answers = append(of.Answers, view(ctx, n))
		}
	}
	return out, err
}

// NewNote is a note as it is written.
type NewNote struct {
	Words   string       `json:"words" maxLength:"10000"`
	Begins  audio.Frames `json:"begins,omitempty" minimum:"0"`
	Ends    audio.Frames `json:"ends,omitempty" minimum:"0" doc:"Left out: it is about a place"`
	Answers string       `json:"answers,omitempty" format:"uuid" of:"note" doc:"The note that it answers"`
}

// Add writes one.
func (all *Notes) Add(ctx context.Context, episode string, in NewNote) (Note, error) {
	words, err := said(in.Words)
	if err != nil {
		return Note{}, err
	}
	if in.Begins >= session.MaxLength || in.Ends > session.MaxLength {
		return Note{}, problem.New("note-outside-session", "begins", "That place lies beyond what a session can hold.")
	}
	n := store.Note{Episode: episode, Words: words, Begins: in.Begins, Ends: max(in.Begins, in.Ends)}
	if in.Answers != "" {
		n.Answers = &in.Answers
	}
	n, err = all.Store.AddNote(ctx, n)
	all.told(episode, err)
	return view(ctx, n), err
}

// ChangedNote is what becomes of a note; what is left out stays.
type ChangedNote struct {
	Words   *string `json:"words,omitempty" maxLength:"10000"`
	Settled *bool   `json:"settled,omitempty"`
}

// Change changes one: its words by who wrote it, that it is settled by them and by who makes the episode.
func (all *Notes) Change(ctx context.Context, id string, to ChangedNote) (Note, error) {
	var words string
	var err error
	if to.Words != nil {
		if words, err = said(*to.Words); err != nil {
			return Note{}, err
		}
	}
	was, err := all.Store.Note(ctx, id)
	if err != nil {
		return Note{}, err
	}
	if err := all.may(ctx, was, to.Words == nil); err != nil {
		return Note{}, err
	}
	n, err := all.Store.ChangeNote(ctx, id, func(n *store.Note) error {
		if to.Words != nil {
			n.Words = words
		}
		if to.Settled != nil && *to.Settled != (n.Settled != nil) {
			n.Settled, n.By = nil, ""
			if *to.Settled {
				now := time.Now().UTC()
				n.Settled, n.By = &now, store.AuthorIn(ctx).Name
			}
		}
		return nil
	})
	all.told(was.Episode, err)
	return view(ctx, n), err
}

// Remove removes one with its answers: by who wrote it, and by who makes the episode.
func (all *Notes) Remove(ctx context.Context, id string) error {
	n, err := all.Store.Note(ctx, id)
	if err == nil {
		err = all.may(ctx, n, true)
	}
	if err == nil {
		err = all.Store.RemoveNote(ctx, id)
	}
	all.told(n.Episode, err)
	return err
}

// may says whether the one who asks may change a note of somebody: their own, and, where making the episode is enough, others'.
func (all *Notes) may(ctx context.Context, n store.Note, making bool) error {
	if mine(ctx, n) {
		return nil
	}
	if !making {
		return problem.New("not-allowed", "note", "Only %s can change what they wrote. Answer it instead.", n.Name)
	}
	return all.Door.Enter(ctx, access.Make, access.Named{Thing: store.AnEpisode, ID: n.Episode})
}

func (all *Notes) told(episode string, err error) {
	if err == nil {
		all.Queue.Announce(work.EpisodeSubject(episode), work.Event{Notes: &work.ShowEvent{}})
	}
}

// said is what somebody wrote, put in order.
func said(words string) (string, error) {
	words = tidy.Seen(tidy.Lines(words))
	switch n := utf8.RuneCountInString(words); {
	case n == 0:
		return "", problem.New("empty-note", "words", "Write something first.")
	case n > LongestWords:
		return "", problem.New("too-long", "words", "A note has at most %d characters; this one has %d.", LongestWords, n)
	}
	return words, nil
}
