package store

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Change is what an edit, an undo or a redo did to a document.
type Change struct {
	Version  int64            // the new one
	Document session.Document // the new one; nobody may change it
	Patch    json.RawMessage  // RFC 6902, from the version before
	Name     string           // of the step
	Changed  time.Time
	By       Author
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
	ID      string    `db:"id"`
	Show    string    `db:"show_id"`
	Version int64     `db:"version"`
	Steps   int64     `db:"steps"`
	Next    int       `db:"next_id"`
	Changed time.Time `db:"changed_at"`
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
func (s *Store) Edit(ctx context.Context, episode string, base int64, gesture string, op edit.Op) (Change, error) {
	return s.edit(ctx, episode, meant{base: base}, gesture, op)
}

// EditAgain is Edit for an edit, alone of its gesture, that may have arrived before without
// its answer coming through. If it has, it is not done twice, and what the episode is at now is given.
func (s *Store) EditAgain(ctx context.Context, episode string, base int64, gesture string, op edit.Op) (Change, error) {
	return s.edit(ctx, episode, meant{base: base, once: true}, gesture, op)
}

// EditOnce carries an operation out on whatever version an episode is at, unless a step of
// its gesture, which is its alone, stands in the history.
func (s *Store) EditOnce(ctx context.Context, episode, gesture string, op edit.Op) (Change, error) {
	return s.edit(ctx, episode, meant{any: true, once: true}, gesture, op)
}

// meant is what an edit is meant for.
type meant struct {
	base int64 // the version, unless any will do
	any  bool
	once bool // not if its gesture stands in the history
}

func (s *Store) edit(ctx context.Context, episode string, m meant, gesture string, op edit.Op) (change Change, err error) {
	var next parsed
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		change, next, err = s.carryOut(ctx, tx, row, m, gesture, op)
		return err
	})
	if err == nil && next.version > 0 {
		s.documents.keep(next)
	}
	return change, err
}

// carryOut is edit within a transaction in which the row of the episode is locked. next is the document that it came to, if it has
// changed anything.
func (s *Store) carryOut(ctx context.Context, tx *sqlx.Tx, row locked, m meant, gesture string, op edit.Op) (change Change, next parsed, err error) {
	if m.once {
		done, err := hasGesture(ctx, tx, row.ID, gesture)
		if err == nil && done {
			change, err = s.unchanged(ctx, tx, row)
		}
		if err != nil || done {
			return change, next, err
		}
	}
	if !m.any && row.Version != m.base {
		return change, next, Conflict{row.Version}
	}
	now, err := s.parsed(ctx, tx, row)
	if err != nil {
		return change, next, err
	}
	doc, name, err := s.applied(ctx, tx, row, now.doc, op)
	if err != nil {
		return change, next, err
	}
	patch := session.Diff(now.doc, doc)
	if len(patch) == 0 {
		change, err = finish(ctx, tx, row, Change{Version: row.Version, Patch: []byte("[]"), Name: name, Document: doc})
		return change, next, err
	}
	start, err := s.join(ctx, tx, &row, gesture, now)
	if err != nil {
		return change, next, err
	}
	recorded, err := record(ctx, tx, &row, name, gesture, start, doc)
	if err != nil {
		return change, next, err
	}
	if !recorded {
		gesture = "" // the last step is that of another
	}
	change, err = replace(ctx, tx, row, doc, []byte(text(patch)))
	change.Name = name
	return change, parsed{row.ID, change.Version, doc, gesture, start}, err
}

// applied is a document with an operation carried out on it, and the name of that. What it brings into the show is brought, and
// goes again where it is refused.
func (s *Store) applied(ctx context.Context, tx *sqlx.Tx, row locked, doc session.Document, op edit.Op) (session.Document, string, error) {
	var err error
	switch op := op.(type) {
	case edit.PasteClips:
		err = adopt(ctx, tx, row.Show, op.Fragment.Sounds())
	case edit.SetMarkers:
		err = hasPictures(ctx, tx, row.Show, op)
	}
	if err != nil {
		return doc, "", err
	}
	material, ask, done := s.material(ctx, tx, row.Show)
	defer done()
	out, name, err := edit.ApplyFrom(doc, row.Next, op, material)
	return out, name, cmp.Or(ask.failed, err)
}

// material is what an edit of an episode of a show may know of sounds, until done is called.
func (s *Store) material(ctx context.Context, from sqlx.QueryerContext, show string) (m edit.Material, ask *asking, done func()) {
	ask = &asking{}
	m.Sound = ask.catalogue(ctx, from, show)
	m.Name = func(sound string) (name string) {
		if err := sqlx.GetContext(ctx, from, &name, `SELECT name FROM sounds WHERE show_id = ? AND id = ?`, show, sound); err != nil && !errors.Is(err, sql.ErrNoRows) {
			ask.failed = cmp.Or(ask.failed, err)
		}
		return name
	}
	if s.Samples == nil {
		return m, ask, func() {}
	}
	m.Samples, done = s.Samples(ctx)
	return m, ask, done
}

// Try gives the document of an episode as it would be after an operation on its current
// version. Nothing changes.
func (s *Store) Try(ctx context.Context, episode string, op edit.Op) (session.Document, int64, error) {
	doc, version, err := s.Document(ctx, episode)
	if err != nil {
		return doc, 0, err
	}
	e, err := s.Episode(ctx, episode)
	if err != nil {
		return doc, 0, err
	}
	material, ask, done := s.material(ctx, s.db, e.Show)
	defer done()
	doc, _, err = edit.ApplyFrom(doc, doc.Next, op, material)
	return doc, version, cmp.Or(ask.failed, err)
}

// parsed gives the document of a locked row.
func (s *Store) parsed(ctx context.Context, tx *sqlx.Tx, row locked) (parsed, error) {
	if p, there := s.documents.find(row.ID, row.Version); there {
		return p, nil
	}
	var data []byte
	if err := tx.GetContext(ctx, &data, `SELECT document FROM episodes WHERE id = ?`, row.ID); err != nil {
		return parsed{}, err
	}
	doc, err := session.Parse(data)
	return parsed{episode: row.ID, version: row.Version, doc: doc}, err
}

// join takes the last step off if it belongs to the same gesture, and gives the
// document that the step to be written starts from.
func (s *Store) join(ctx context.Context, tx *sqlx.Tx, row *locked, gesture string, now parsed) (session.Document, error) {
	if gesture == "" || row.Steps == 0 {
		return now.doc, nil
	}
	if now.gesture == gesture {
		row.Steps--
		return now.start, nil
	}
	last, err := stepAt(ctx, tx, row.ID, row.Steps)
	if err != nil || last.Gesture != gesture {
		return now.doc, err
	}
	row.Steps--
	return patched(now.doc, last.Backward)
}

// record writes the step from one document to another after those that are applied, in
// place of what came after them, and says whether there is one: a drag that comes back to
// where it began is no step.
func record(ctx context.Context, tx *sqlx.Tx, row *locked, name, gesture string, from, to session.Document) (bool, error) {
	if _, err := tx.ExecContext(ctx, `DELETE FROM history WHERE episode_id = ? AND step > ?`, row.ID, row.Steps); err != nil {
		return false, err
	}
	forward := session.Diff(from, to)
	if len(forward) == 0 {
		return false, nil
	}
	row.Steps++
	by := AuthorIn(ctx)
	_, err := tx.ExecContext(ctx, `INSERT INTO history (episode_id, step, name, gesture, forward, backward, person_id, person) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		row.ID, row.Steps, name, gesture, text(forward), text(session.Diff(to, from)), by.id(), by.Name)
	return true, err
}

// Undo takes the last step back; where there are several people, the last one of who asks. It is meant for the version
// base; 0: for whichever there is.
func (s *Store) Undo(ctx context.Context, episode string, base int64) (Change, error) {
	if AuthorIn(ctx).ID != "" {
		return s.travelOwn(ctx, episode, base, "undo")
	}
	return s.travel(ctx, episode, base, "undo")
}

// TakeBack takes the last step back if it is one of a gesture, as if that had never been begun: nothing of it can be
// carried out again. It is meant for the version base. The problem nothing-to-undo says that the last step is none of it.
func (s *Store) TakeBack(ctx context.Context, episode string, base int64, gesture string) (change Change, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		if base != 0 && base != row.Version {
			return Conflict{row.Version}
		}
		now, err := s.parsed(ctx, tx, row)
		if err != nil {
			return err
		}
		steps := row.Steps
		start, err := s.join(ctx, tx, &row, gesture, now)
		if err != nil {
			return err
		}
		if row.Steps == steps && AuthorIn(ctx).ID != "" {
			change, err = s.withoutGesture(ctx, tx, row, gesture)
			return err
		}
		if row.Steps == steps {
			return nothingOfIt
		}
		if _, err := record(ctx, tx, &row, "", gesture, start, start); err != nil {
			return err
		}
		change, err = replace(ctx, tx, row, start, []byte(text(session.Diff(now.doc, start))))
		return err
	})
	if err == nil {
		s.documents.keep(parsed{episode: episode, version: change.Version, doc: change.Document})
	}
	return change, err
}

var nothingOfIt = problem.New("nothing-to-undo", "history", "There is nothing of this gesture to take back.")

// Redo carries the step that was undone last out again, as Undo does.
func (s *Store) Redo(ctx context.Context, episode string, base int64) (Change, error) {
	if AuthorIn(ctx).ID != "" {
		return s.travelOwn(ctx, episode, base, "redo")
	}
	return s.travel(ctx, episode, base, "redo")
}

func (s *Store) travel(ctx context.Context, episode string, base int64, direction string) (Change, error) {
	return s.travelling(ctx, episode, base, func(tx *sqlx.Tx, row locked) (Change, error) {
		return s.next(ctx, tx, row, direction)
	})
}

// travelling makes a way through the history of an episode, which is meant for the version base.
func (s *Store) travelling(ctx context.Context, episode string, base int64, way func(*sqlx.Tx, locked) (Change, error)) (change Change, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		if base != 0 && base != row.Version {
			return Conflict{row.Version}
		}
		change, err = way(tx, row)
		return err
	})
	if err == nil {
		s.documents.keep(parsed{episode: episode, version: change.Version, doc: change.Document})
	}
	return change, err
}

// next is the step before or after where an episode is.
func (s *Store) next(ctx context.Context, tx *sqlx.Tx, row locked, direction string) (change Change, err error) {
	at := row.Steps
	if direction == "redo" {
		at++
	}
	st, err := stepAt(ctx, tx, row.ID, at)
	if err != nil {
		var p problem.Problem
		if errors.As(err, &p) {
			return change, nothingTo(direction)
		}
		return change, err
	}
	now, err := s.parsed(ctx, tx, row)
	if err != nil {
		return change, err
	}
	patch := st.Forward
	row.Steps = at
	if direction == "undo" {
		patch = st.Backward
		row.Steps = at - 1
	}
	doc, err := patched(now.doc, patch)
	if err != nil {
		return change, err
	}
	if change, err = replace(ctx, tx, row, doc, patch); err == nil {
		change.Name = st.Name
	}
	return change, err
}

func nothingTo(direction string) error {
	return problem.New("nothing-to-"+direction, "history", "There is nothing to %s.", direction)
}

// hasGesture says whether a step of this gesture was made and not replaced. The row is
// locked, so that two who want to make it do not both find that it was not.
func hasGesture(ctx context.Context, tx *sqlx.Tx, episode, gesture string) (there bool, err error) {
	return there, tx.GetContext(ctx, &there, `SELECT EXISTS (SELECT 1 FROM history WHERE episode_id = ? AND gesture = ?)`, episode, gesture)
}

// unchanged is what an episode is at now, as a change that changes nothing.
func (s *Store) unchanged(ctx context.Context, tx *sqlx.Tx, row locked) (Change, error) {
	now, err := s.parsed(ctx, tx, row)
	if err != nil {
		return Change{}, err
	}
	return finish(ctx, tx, row, Change{Version: row.Version, Document: now.doc, Patch: []byte("[]")})
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
	if by := AuthorIn(ctx); by.ID != "" {
		return ownHistory(ctx, tx, episode, steps, by.ID)
	}
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
	return row, found(tx.GetContext(ctx, &row, `SELECT id, show_id, version, steps, next_id, changed_at FROM episodes WHERE id = ? FOR UPDATE`, episode), "episode")
}

func stepAt(ctx context.Context, tx *sqlx.Tx, episode string, at int64) (st step, err error) {
	return st, found(tx.GetContext(ctx, &st, `SELECT name, gesture, forward, backward FROM history WHERE episode_id = ? AND step = ?`, episode, at), "step")
}

// replace stores the next document with the version after the row's.
func replace(ctx context.Context, tx *sqlx.Tx, row locked, doc session.Document, patch []byte) (Change, error) {
	row.Version++
	row.Next = max(row.Next, doc.Next)
	row.Changed = time.Now().UTC().Truncate(time.Millisecond) // as the column keeps it
	if _, err := tx.ExecContext(ctx, `UPDATE episodes SET document = ?, version = ?, steps = ?, next_id = ?, length = ?, changed_at = ? WHERE id = ?`,
		doc.JSON(), row.Version, row.Steps, row.Next, doc.Length(), row.Changed, row.ID); err != nil {
		return Change{}, err
	}
	if touchesSounds(patch) {
		if err := use(ctx, tx, row.ID, row.Show, doc); err != nil {
			return Change{}, err
		}
	}
	return finish(ctx, tx, row, Change{Version: row.Version, Patch: patch, Document: doc})
}

// touchesSounds says whether a patch may have changed which sounds a document uses: all
// that it uses, and no others, stand in its list of sounds.
func touchesSounds(patch []byte) bool { return bytes.Contains(patch, []byte(`"/sounds`)) }

func finish(ctx context.Context, tx *sqlx.Tx, row locked, c Change) (Change, error) {
	var err error
	c.Changed, c.By = row.Changed, AuthorIn(ctx)
	c.History, err = history(ctx, tx, row.ID, row.Steps)
	return c, err
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
			return problem.New("sound-gone", "sounds."+id, "A sound that this step needs was removed from the show. Import it again first.")
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// asking finds sounds for an edit. That it could not be asked for one is another answer than that there is none: then
// the edit has failed for that, whatever it made of it.
type asking struct{ failed error }

func (a *asking) catalogue(ctx context.Context, from sqlx.QueryerContext, show string) edit.Catalogue {
	return func(id string) (session.Sound, bool) {
		var row struct {
			Channels int          `db:"channels"`
			Length   audio.Frames `db:"length"`
		}
		err := sqlx.GetContext(ctx, from, &row, `SELECT channels, length FROM sounds WHERE show_id = ? AND id = ?`, show, id)
		if err != nil {
			if !errors.Is(err, sql.ErrNoRows) {
				a.failed = cmp.Or(a.failed, err)
			}
			return session.Sound{}, false
		}
		return session.Sound{Channels: row.Channels, Length: row.Length}, true
	}
}

func patched(document session.Document, patch []byte) (session.Document, error) {
	p, err := jsonpatch.DecodePatch(patch)
	if err != nil {
		return session.Document{}, fmt.Errorf("read a step of the history: %w", err)
	}
	next, err := p.Apply(document.JSON())
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
