package store

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/problem"
	"ruvel/core/session"
)

// Step is one step of an episode's history.
type Step struct {
	Step int64     `db:"step" json:"step" doc:"Its number; 1 is the first"`
	Name string    `db:"name" json:"name"`
	Made time.Time `db:"made_at" json:"made"`
	By   string    `db:"person" json:"by,omitempty" doc:"Whose it is, where there are several people"`
}

// Steps lists steps of an episode's history, the last first: those before a step, or the
// last ones if that is 0, and how many of all steps are applied. Those with a higher
// number have been undone.
func (s *Store) Steps(ctx context.Context, episode string, before int64, most int) (steps []Step, applied int64, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		steps = []Step{}
		if err := found(tx.GetContext(ctx, &applied, `SELECT steps FROM episodes WHERE id = ?`, episode), "episode"); err != nil {
			return err
		}
		return tx.SelectContext(ctx, &steps, `SELECT step, name, made_at, person FROM history WHERE episode_id = ? AND (? = 0 OR step < ?) ORDER BY step DESC LIMIT ?`,
			episode, before, before, most)
	})
	return steps, applied, err
}

// GoTo brings an episode to where it was when so many steps of its history were applied,
// 0 for none, in one change: it takes back or carries out again what lies between.
func (s *Store) GoTo(ctx context.Context, episode string, to int64) (change Change, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		if to == row.Steps {
			change, err = s.unchanged(ctx, tx, row)
			return err
		}
		patch, err := between(ctx, tx, row, to)
		if err != nil {
			return err
		}
		now, err := s.parsed(ctx, tx, row)
		if err != nil {
			return err
		}
		doc, err := patched(now.doc, patch)
		if err != nil {
			return err
		}
		row.Steps = to
		if change, err = replace(ctx, tx, row, doc, []byte(text(session.Diff(now.doc, doc)))); err == nil {
			change.Name = "Go to a step of the history"
		}
		return err
	})
	if err == nil {
		s.documents.keep(parsed{episode: episode, version: change.Version, doc: change.Document})
	}
	return change, err
}

// AtStep gives the document of an episode as it was when so many steps of its history were applied, and the
// version that it is at. Nothing changes.
func (s *Store) AtStep(ctx context.Context, episode string, step int64) (doc session.Document, version int64, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		version = row.Version
		now, err := s.parsed(ctx, tx, row)
		if err != nil || step == row.Steps {
			doc = now.doc
			return err
		}
		patch, err := between(ctx, tx, row, step)
		if err != nil {
			return err
		}
		doc, err = patched(now.doc, patch)
		return err
	})
	return doc, version, err
}

// between is one patch that does what the steps between a row's and another do.
func between(ctx context.Context, tx *sqlx.Tx, row locked, to int64) ([]byte, error) {
	low, high, column := to, row.Steps, "backward"
	if to > row.Steps {
		low, high, column = row.Steps, to, "forward"
	}
	var patches [][]byte
	err := tx.SelectContext(ctx, &patches, `SELECT `+column+` FROM history WHERE episode_id = ? AND step > ? AND step <= ? ORDER BY step`, row.ID, low, high)
	if err != nil {
		return nil, err
	}
	if to < 0 || int64(len(patches)) != high-low {
		return nil, problem.New("unknown-step", "step", "That step is not in the history any more.")
	}
	if to < row.Steps {
		slices.Reverse(patches)
	}
	var all []json.RawMessage
	for _, p := range patches {
		var operations []json.RawMessage
		if err := json.NewDecoder(bytes.NewReader(p)).Decode(&operations); err != nil {
			return nil, fmt.Errorf("read a step of the history: %w", err)
		}
		all = append(all, operations...)
	}
	return []byte(text(all)), nil
}
