package store

import (
	"context"

	"github.com/jmoiron/sqlx"

	"ruvel/core/problem"
	"ruvel/core/script"
)

// Script is the text of an episode.
type Script struct {
	Text     string                `db:"text"`
	Pace     script.Pace           `db:"pace"`
	Recorded JSON[map[string]bool] `db:"recorded"`
	Version  int64                 `db:"version"`
}

const scriptColumns = `SELECT text, pace, recorded, version FROM scripts WHERE episode_id = ?`

// Script is the script of an episode; an episode without one has an empty script of version 0.
func (s *Store) Script(ctx context.Context, episode string) (Script, error) {
	if _, err := s.Version(ctx, episode); err != nil {
		return Script{}, err
	}
	return scriptOf(ctx, s.db, episode)
}

func scriptOf(ctx context.Context, db sqlx.QueryerContext, episode string) (Script, error) {
	var rows []Script
	if err := sqlx.SelectContext(ctx, db, &rows, scriptColumns, episode); err != nil {
		return Script{}, err
	}
	if len(rows) == 0 {
		return Script{Pace: script.Usual, Recorded: JSON[map[string]bool]{map[string]bool{}}}, nil
	}
	if rows[0].Recorded.Of == nil {
		rows[0].Recorded.Of = map[string]bool{}
	}
	return rows[0], nil
}

// mostRecorded is how many parts of a script can be marked: as many as the column holds.
const mostRecorded = 1200

// EditScript changes the script of an episode. If the text is meant for another version
// than the current one, a Problem says so and nothing is changed.
func (s *Store) EditScript(ctx context.Context, episode string, base int64, change func(*Script)) (sc Script, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		if _, err := lock(ctx, tx, episode); err != nil {
			return err
		}
		if sc, err = scriptOf(ctx, tx, episode); err != nil {
			return err
		}
		before := sc.Text
		change(&sc)
		if sc.Version != base && sc.Text != before {
			return problem.Problem{Code: "script-changed", Where: "script", Message: "The script was changed in another window meanwhile. Copy your text, load the page anew and put it in again."}
		}
		if err := sc.check(); err != nil {
			return err
		}
		sc.Version++
		return sc.keep(ctx, tx, episode)
	})
	return sc, err
}

// longestMark is how many bytes name a part of a script.
const longestMark = 40

// check forgets marks that are off, and refuses those that cannot be kept.
func (sc *Script) check() error {
	for key, on := range sc.Recorded.Of {
		if !on {
			delete(sc.Recorded.Of, key)
		} else if len(key) > longestMark {
			return problem.New("bad-mark", "recorded", "A part of a script is named by at most %d characters; one of these marks has %d.", longestMark, len(key))
		}
	}
	if len(sc.Recorded.Of) > mostRecorded {
		return problem.New("too-many-marks", "recorded", "More parts of a script than %d cannot be marked as recorded.", mostRecorded)
	}
	return nil
}

func (sc *Script) keep(ctx context.Context, tx *sqlx.Tx, episode string) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO scripts (episode_id, text, pace, recorded, version) VALUES (?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE text = VALUES(text), pace = VALUES(pace), recorded = VALUES(recorded), version = VALUES(version)`,
		episode, sc.Text, sc.Pace, text(sc.Recorded.Of), sc.Version)
	return err
}
