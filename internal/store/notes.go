package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

// Note is what somebody who works on an episode, or listens to it for those, has noted at a place or a stretch of it. It is never in a
// finished file or on its page.
type Note struct {
	ID      string       `db:"id"`
	Episode string       `db:"episode_id"`
	Answers *string      `db:"answers"` // the note that it answers
	Person  *string      `db:"person_id"`
	Name    string       `db:"person"` // what they were called then
	Words   string       `db:"words"`
	Begins  audio.Frames `db:"begins"`
	Ends    audio.Frames `db:"ends"`
	Settled *time.Time   `db:"settled_at"`
	By      string       `db:"settled_by"`
	Made    time.Time    `db:"made_at"`
	Changed *time.Time   `db:"changed_at"`
}

// mostNotes is how many an episode may have.
const mostNotes = 2000

// Notes are those of an episode by their places, and answers after what they answer, as they came.
func (s *Store) Notes(ctx context.Context, episode string) ([]Note, error) {
	all := []Note{}
	return all, s.db.SelectContext(ctx, &all, `SELECT * FROM notes WHERE episode_id = ? ORDER BY begins, made_at, id`, episode)
}

// Note is one.
func (s *Store) Note(ctx context.Context, id string) (n Note, err error) {
	return n, found(s.db.GetContext(ctx, &n, `SELECT * FROM notes WHERE id = ?`, id), "note")
}

// AddNote keeps one. An answer to an answer answers the same note, and stands where that does.
func (s *Store) AddNote(ctx context.Context, n Note) (Note, error) {
	by := AuthorIn(ctx)
	n.ID, n.Person, n.Name = NewID(), by.id(), by.Name
	err := s.transaction(ctx, func(tx *sqlx.Tx) error {
		if _, err := lock(ctx, tx, n.Episode); err != nil {
			return err
		}
		if err := inTurn(ctx, tx, "notes of "+n.Episode); err != nil {
			return err
		}
		var there int
		if err := tx.GetContext(ctx, &there, `SELECT COUNT(*) FROM notes WHERE episode_id = ?`, n.Episode); err != nil {
			return err
		}
		if there >= mostNotes {
			return problem.New("too-many", "notes", "An episode has at most %d notes. Remove those that are settled.", mostNotes)
		}
		if n.Answers != nil {
			var of Note
			if err := found(tx.GetContext(ctx, &of, `SELECT * FROM notes WHERE id = ? AND episode_id = ?`, *n.Answers, n.Episode), "note"); err != nil {
				return err
			}
			if of.Answers != nil {
				n.Answers = of.Answers
			}
			n.Begins, n.Ends = of.Begins, of.Ends
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO notes (id, episode_id, answers, person_id, person, words, begins, ends) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			n.ID, n.Episode, n.Answers, n.Person, n.Name, n.Words, n.Begins, n.Ends)
		return err
	})
	if err != nil {
		return Note{}, err
	}
	return s.Note(ctx, n.ID)
}

// ChangeNote changes what one says, or whether it is settled.
func (s *Store) ChangeNote(ctx context.Context, id string, change func(*Note) error) (n Note, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		n = Note{}
		if err := found(tx.GetContext(ctx, &n, `SELECT * FROM notes WHERE id = ? FOR UPDATE`, id), "note"); err != nil {
			return err
		}
		words := n.Words
		if err := change(&n); err != nil {
			return err
		}
		if n.Words != words {
			now := time.Now().UTC()
			n.Changed = &now
		}
		_, err := tx.ExecContext(ctx, `UPDATE notes SET words = ?, settled_at = ?, settled_by = ?, changed_at = ? WHERE id = ?`, n.Words, n.Settled, n.By, n.Changed, id)
		return err
	})
	return n, err
}

// RemoveNote removes one with its answers.
func (s *Store) RemoveNote(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM notes WHERE id = ?`, id)
	return changed(r, err, "note")
}
