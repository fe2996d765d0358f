package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Where several work on one episode, everybody takes back what is their own: the last of their steps that is not taken back yet, also where
// others have gone on since. If it is the last of all, the history goes back by it; if not, what it changed is put back by a further step,
// which says of which it is, and which is itself taken back to carry that one out again.

// own is a step of the history that is applied, without its patches.
type own struct {
	Step   int64   `db:"step"`
	Name   string  `db:"name"`
	Person *string `db:"person_id"`
	By     string  `db:"person"`
	Back   *int64  `db:"back_of"` // the step that it takes back
}

func (o own) of(person string) bool { return o.Person != nil && *o.Person == person }

// A few of the last steps say as a rule what can be taken back; where they are all taken back already, so many are looked at.
const fewSteps, manySteps = 40, 4000

// ownSteps are those steps of somebody that are applied, and of everybody those that take one back, the last first.
func ownSteps(ctx context.Context, tx *sqlx.Tx, episode string, applied int64, person string) (all []own, err error) {
	for _, most := range []int{fewSteps, manySteps} {
		all = nil
		err = tx.SelectContext(ctx, &all, `SELECT step, name, person_id, person, back_of FROM history WHERE episode_id = ? AND step <= ? AND (person_id = ? OR back_of IS NOT NULL) ORDER BY step DESC LIMIT ?`,
			episode, applied, person, most)
		if _, found := toUndo(all, person); err != nil || found || len(all) < most {
			break
		}
	}
	return all, err
}

// gone are the steps that later ones take back, and which are not themselves taken back.
func gone(all []own) map[int64]bool {
	gone := map[int64]bool{}
	for _, o := range all { // the last first: whether it counts is known before what it takes back is come to
		if o.Back != nil && !gone[o.Step] {
			gone[*o.Back] = true
		}
	}
	return gone
}

// toUndo is the step that somebody would take back; toRedo the one that takes back what they would carry out again.
func toUndo(all []own, person string) (own, bool) {
	gone := gone(all)
	for _, o := range all {
		if o.Back == nil && o.of(person) && !gone[o.Step] {
			return o, true
		}
	}
	return own{}, false
}

func toRedo(all []own, person string) (own, bool) {
	gone := gone(all)
	plain := map[int64]bool{}
	for _, o := range all {
		plain[o.Step] = o.Back == nil
	}
	for _, o := range all {
		if !o.of(person) || gone[o.Step] {
			continue
		}
		if o.Back == nil {
			return own{}, false // something of theirs came after what they took back
		}
		if plain[*o.Back] {
			return o, true
		}
	}
	return own{}, false
}

// ownHistory says what somebody can take back and carry out again.
func ownHistory(ctx context.Context, tx *sqlx.Tx, episode string, applied int64, person string) (h History, err error) {
	all, err := ownSteps(ctx, tx, episode, applied, person)
	if err != nil {
		return h, err
	}
	if o, is := toUndo(all, person); is {
		h.Undo = o.Name
	}
	after, err := undoneBy(ctx, tx, episode, applied, person)
	if err != nil {
		return h, err
	}
	if after != "" {
		h.Redo = after
		return h, nil
	}
	if o, is := toRedo(all, person); is {
		h.Redo = nameOf(all, *o.Back)
	}
	return h, nil
}

// undoneBy is the name of the step after those that are applied, if it is somebody's.
func undoneBy(ctx context.Context, tx *sqlx.Tx, episode string, applied int64, person string) (string, error) {
	var names []string
	err := tx.SelectContext(ctx, &names, `SELECT name FROM history WHERE episode_id = ? AND step = ? AND person_id = ?`, episode, applied+1, person)
	if err != nil || len(names) == 0 {
		return "", err
	}
	return names[0], nil
}

func nameOf(all []own, step int64) string {
	for _, o := range all {
		if o.Step == step {
			return o.Name
		}
	}
	return ""
}

// travelOwn takes the last step of who asks back, or carries out again what they took back last.
func (s *Store) travelOwn(ctx context.Context, episode string, base int64, direction string) (Change, error) {
	me := AuthorIn(ctx).ID
	return s.travelling(ctx, episode, base, func(tx *sqlx.Tx, row locked) (Change, error) {
		all, err := ownSteps(ctx, tx, row.ID, row.Steps, me)
		if err != nil {
			return Change{}, err
		}
		if direction == "redo" {
			after, err := undoneBy(ctx, tx, row.ID, row.Steps, me)
			if err != nil {
				return Change{}, err
			}
			if after != "" {
				return s.next(ctx, tx, row, direction)
			}
			o, is := toRedo(all, me)
			if !is {
				return Change{}, nothingTo(direction)
			}
			return s.without(ctx, tx, row, o, nameOf(all, *o.Back))
		}
		o, is := toUndo(all, me)
		switch {
		case !is && row.Steps > 0:
			return Change{}, problem.New("nothing-to-undo", "history", "There is nothing of yours to undo. What others have done is in the history.")
		case !is:
			return Change{}, nothingTo(direction)
		case o.Step == row.Steps:
			return s.next(ctx, tx, row, direction)
		}
		return s.without(ctx, tx, row, o, "Take back: "+o.Name)
	})
}

// without takes a step back that is not the last, by a further one.
func (s *Store) without(ctx context.Context, tx *sqlx.Tx, row locked, o own, name string) (Change, error) {
	now, err := s.parsed(ctx, tx, row)
	if err != nil {
		return Change{}, err
	}
	before, after, err := around(ctx, tx, row, now.doc, o.Step)
	if err != nil {
		return Change{}, err
	}
	doc, err := edit.TakeBack(before, after, now.doc)
	if err != nil {
		return Change{}, s.neededBy(ctx, tx, row, before, after, o.Step, err)
	}
	patch := session.Diff(now.doc, doc)
	if len(patch) == 0 { // it was put back by hand
		return Change{}, problem.New("nothing-to-undo", "history", "Nothing is left of “%s”: later steps have changed it back.", o.Name)
	}
	if _, err := record(ctx, tx, &row, name, "", now.doc, doc); err != nil {
		return Change{}, err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE history SET back_of = ? WHERE episode_id = ? AND step = ?`, o.Step, row.ID, row.Steps); err != nil {
		return Change{}, err
	}
	change, err := replace(ctx, tx, row, doc, []byte(text(patch)))
	change.Name = name
	return change, err
}

// withoutGesture takes back what a gesture of somebody has done that was broken off, under whatever others have done since; they may have come
// between its edits, so that it has several steps.
func (s *Store) withoutGesture(ctx context.Context, tx *sqlx.Tx, row locked, gesture string) (change Change, err error) {
	var steps []own
	if err := tx.SelectContext(ctx, &steps, `SELECT step, name, person_id, person, back_of FROM history WHERE episode_id = ? AND step <= ? AND gesture = ? AND person_id = ? ORDER BY step DESC`,
		row.ID, row.Steps, gesture, AuthorIn(ctx).ID); err != nil {
		return change, err
	}
	if len(steps) == 0 {
		return change, nothingOfIt
	}
	from := row.Version
	before, err := s.parsed(ctx, tx, row)
	if err != nil {
		return change, err
	}
	for _, o := range steps {
		if row, err = lock(ctx, tx, row.ID); err != nil {
			return change, err
		}
		if change, err = s.without(ctx, tx, row, o, "Take back: "+o.Name); err != nil {
			return change, err
		}
	}
	if change.Version > from+1 { // one change to those who are told
		change.Patch = []byte(text(session.Diff(before.doc, change.Document)))
	}
	return change, nil
}

// around are the documents before and after a step.
func around(ctx context.Context, tx *sqlx.Tx, row locked, now session.Document, step int64) (before, after session.Document, err error) {
	way, err := between(ctx, tx, row, step)
	if err != nil {
		return before, after, err
	}
	if after, err = patched(now, way); err != nil {
		return before, after, err
	}
	st, err := stepAt(ctx, tx, row.ID, step)
	if err != nil {
		return before, after, err
	}
	before, err = patched(after, st.Backward)
	return before, after, err
}

// mostAsked is how many later steps are looked at for the one that needs a step.
const mostAsked = 40

// neededBy says which later step needs one that is to be taken back, and whose it is.
func (s *Store) neededBy(ctx context.Context, tx *sqlx.Tx, row locked, before, after session.Document, step int64, why error) error {
	var p problem.Problem
	if !errors.As(why, &p) {
		return why
	}
	var later []struct {
		Name    string `db:"name"`
		By      string `db:"person"`
		Forward []byte `db:"forward"`
	}
	if err := tx.SelectContext(ctx, &later, `SELECT name, person, forward FROM history WHERE episode_id = ? AND step > ? AND step <= ? ORDER BY step LIMIT ?`,
		row.ID, step, row.Steps, mostAsked); err != nil {
		return err
	}
	then := after
	for _, l := range later {
		var err error
		if then, err = patched(then, l.Forward); err != nil {
			return err
		}
		if _, err := edit.TakeBack(before, after, then); err == nil {
			continue
		}
		whose := ""
		if l.By != "" {
			whose = fmt.Sprintf(" by %s", l.By)
		}
		return problem.New("needed-later", "history", "This cannot be taken back alone: “%s”%s came after it and needs it. Take that back first, or change by hand what is to be different.", l.Name, whose)
	}
	return why
}
