package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
)

// Change is what an edit, an undo or a redo did to a document.
type Change struct {
	Version int64           // the new one
	Patch   json.RawMessage // RFC 6902, from the version before
	Name    string          // of the step
	Changed time.Time
	History
}

// History says what can be undone and redone: the names of the steps, empty if there is none.
type History struct {
	Undo string `json:"undo" doc:"The name of the step that can be undone, or empty"`
	Redo string `json:"redo" doc:"The name of the step that can be redone, or empty"`
}

// Conflict says that an edit was meant for an older version.
type Conflict struct{ Current int64 }

func (c Conflict) Error() string {
	return fmt.Sprintf("The episode has changed meanwhile; it is at version %d now.", c.Current)
}

// locked is an episode's row while it is being changed.
type locked struct {
	Show     string `db:"show_id"`
	Document []byte `db:"document"`
	Version  int64  `db:"version"`
	Steps    int64  `db:"steps"`
}

type step struct {
	Name     string `db:"name"`
	Gesture  string `db:"gesture"`
	Forward  []byte `db:"forward"`
	Backward []byte `db:"backward"`
}

// Edit carries an operation out on the version base of an episode's document and adds
// it to the history; steps that had been undone are forgotten. Edits that name the same
// gesture share one step. An edit that changes nothing leaves no trace.
func (s *Store) Edit(ctx context.Context, episode string, base int64, gesture string, op edit.Op) (change Change, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		if row.Version != base {
			return Conflict{row.Version}
		}
		doc, err := session.Parse(row.Document)
		if err != nil {
			return err
		}
		next, name, err := edit.Apply(doc, op, catalogue(ctx, tx, row.Show))
		if err != nil {
			return err
		}
		patch := session.Diff(doc, next)
		if len(patch) == 0 {
			change, err = finish(ctx, tx, episode, row, Change{Version: row.Version, Patch: []byte("[]"), Name: name})
			return err
		}
		start, err := s.join(ctx, tx, episode, &row, gesture, doc)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM history WHERE episode_id = ? AND step > ?`, episode, row.Steps); err != nil {
			return err
		}
		// A drag that comes back to where it began is no step.
		if forward := session.Diff(start, next); len(forward) > 0 {
			row.Steps++
			if _, err := tx.ExecContext(ctx, `INSERT INTO history (episode_id, step, name, gesture, forward, backward) VALUES (?, ?, ?, ?, ?, ?)`,
				episode, row.Steps, name, gesture, text(forward), text(session.Diff(next, start))); err != nil {
				return err
			}
		}
		if change, err = replace(ctx, tx, episode, row, next, []byte(text(patch))); err == nil {
			change.Name = name
		}
		return err
	})
	return change, err
}

// join takes the last step off if it belongs to the same gesture, and gives the
// document that the step to be written starts from.
func (s *Store) join(ctx context.Context, tx *sqlx.Tx, episode string, row *locked, gesture string, doc session.Document) (session.Document, error) {
	if gesture == "" || row.Steps == 0 {
		return doc, nil
	}
	last, err := stepAt(ctx, tx, episode, row.Steps)
	if err != nil || last.Gesture != gesture {
		return doc, err
	}
	row.Steps--
	return patched(row.Document, last.Backward)
}

// Undo takes the last step back.
func (s *Store) Undo(ctx context.Context, episode string) (Change, error) {
	return s.travel(ctx, episode, "undo")
}

// Redo carries the step that was undone last out again.
func (s *Store) Redo(ctx context.Context, episode string) (Change, error) {
	return s.travel(ctx, episode, "redo")
}

func (s *Store) travel(ctx context.Context, episode, direction string) (change Change, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		at := row.Steps
		if direction == "redo" {
			at++
		}
		st, err := stepAt(ctx, tx, episode, at)
		if err != nil {
			var p session.Problem
			if errors.As(err, &p) {
				return session.Problem{Code: "nothing-to-" + direction, Where: "history", Message: "There is nothing to " + direction + "."}
			}
			return err
		}
		patch := st.Forward
		row.Steps = at
		if direction == "undo" {
			patch = st.Backward
			row.Steps = at - 1
		}
		doc, err := patched(row.Document, patch)
		if err != nil {
			return err
		}
		if change, err = replace(ctx, tx, episode, row, doc, patch); err == nil {
			change.Name = st.Name
		}
		return err
	})
	return change, err
}

// HasGesture says whether a step of this gesture was ever made and not replaced, so
// that work which was interrupted does not make it twice.
func (s *Store) HasGesture(ctx context.Context, episode, gesture string) (there bool, err error) {
	return there, s.db.GetContext(ctx, &there, `SELECT EXISTS (SELECT 1 FROM history WHERE episode_id = ? AND gesture = ?)`, episode, gesture)
}

// HistoryOf says what can be undone and redone in an episode.
func (s *Store) HistoryOf(ctx context.Context, episode string) (h History, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		var steps int64
		if err := found(tx.GetContext(ctx, &steps, `SELECT steps FROM episodes WHERE id = ?`, episode), "episode"); err != nil {
			return err
		}
		h, err = history(ctx, tx, episode, steps)
		return err
	})
	return h, err
}

func history(ctx context.Context, tx *sqlx.Tx, episode string, steps int64) (h History, err error) {
	var rows []struct {
		Step int64  `db:"step"`
		Name string `db:"name"`
	}
	err = tx.SelectContext(ctx, &rows, `SELECT step, name FROM history WHERE episode_id = ? AND step IN (?, ?)`, episode, steps, steps+1)
	for _, r := range rows {
		if r.Step == steps {
			h.Undo = r.Name
		} else {
			h.Redo = r.Name
		}
	}
	return h, err
}

func lock(ctx context.Context, tx *sqlx.Tx, episode string) (row locked, err error) {
	return row, found(tx.GetContext(ctx, &row, `SELECT show_id, document, version, steps FROM episodes WHERE id = ? FOR UPDATE`, episode), "episode")
}

func stepAt(ctx context.Context, tx *sqlx.Tx, episode string, at int64) (st step, err error) {
	return st, found(tx.GetContext(ctx, &st, `SELECT name, gesture, forward, backward FROM history WHERE episode_id = ? AND step = ?`, episode, at), "step")
}

// replace stores the next document with the version after the row's.
func replace(ctx context.Context, tx *sqlx.Tx, episode string, row locked, doc session.Document, patch []byte) (Change, error) {
	row.Version++
	if _, err := tx.ExecContext(ctx, `UPDATE episodes SET document = ?, version = ?, steps = ?, length = ?, changed_at = CURRENT_TIMESTAMP(3) WHERE id = ?`,
		doc.JSON(), row.Version, row.Steps, doc.Length(), episode); err != nil {
		return Change{}, err
	}
	if err := use(ctx, tx, episode, row.Show, doc); err != nil {
		return Change{}, err
	}
	return finish(ctx, tx, episode, row, Change{Version: row.Version, Patch: patch})
}

func finish(ctx context.Context, tx *sqlx.Tx, episode string, row locked, c Change) (Change, error) {
	var err error
	if c.History, err = history(ctx, tx, episode, row.Steps); err != nil {
		return c, err
	}
	return c, tx.GetContext(ctx, &c.Changed, `SELECT changed_at FROM episodes WHERE id = ?`, episode)
}

// use notes which sounds an episode uses. A sound that is gone from the show is a Problem.
func use(ctx context.Context, tx *sqlx.Tx, episode, show string, doc session.Document) error {
	var old []string
	if err := tx.SelectContext(ctx, &old, `SELECT sound_id FROM sound_uses WHERE episode_id = ?`, episode); err != nil {
		return err
	}
	used := doc.Used()
	for _, id := range old {
		if used[id] {
			delete(used, id)
			continue
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM sound_uses WHERE episode_id = ? AND sound_id = ?`, episode, id); err != nil {
			return err
		}
	}
	for id := range used {
		_, err := tx.ExecContext(ctx, `INSERT INTO sound_uses (episode_id, show_id, sound_id) VALUES (?, ?, ?)`, episode, show, id)
		var e *mysql.MySQLError
		if errors.As(err, &e) && e.Number == 1452 {
			return session.Problem{Code: "sound-gone", Where: "sounds." + id, Message: "A sound that this step needs was removed from the show. Import it again first."}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// catalogue finds sounds of a show for the edit.
func catalogue(ctx context.Context, tx *sqlx.Tx, show string) edit.Catalogue {
	return func(id string) (session.Sound, bool) {
		var row struct {
			Channels int          `db:"channels"`
			Length   audio.Frames `db:"length"`
		}
		if tx.GetContext(ctx, &row, `SELECT channels, length FROM sounds WHERE show_id = ? AND id = ?`, show, id) != nil {
			return session.Sound{}, false
		}
		return session.Sound{Channels: row.Channels, Length: row.Length}, true
	}
}

func patched(document, patch []byte) (session.Document, error) {
	p, err := jsonpatch.DecodePatch(patch)
	if err != nil {
		return session.Document{}, fmt.Errorf("read a step of the history: %w", err)
	}
	next, err := p.Apply(document)
	if err != nil {
		return session.Document{}, fmt.Errorf("apply a step of the history: %w", err)
	}
	return session.Parse(next)
}

func text(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("store: %T cannot be written as JSON: %v", v, err)) // only types of ours come here
	}
	return string(data)
}
