package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Mixdown is a finished file of an episode.
type Mixdown struct {
	ID       string                `db:"id"`
	Episode  string                `db:"episode_id"`
	Version  int64                 `db:"version"`
	Format   string                `db:"format"`
	Channels int                   `db:"channels"`
	Begins   audio.Frames          `db:"begins"`
	Ends     audio.Frames          `db:"ends"`
	File     string                `db:"file"`
	Bytes    int64                 `db:"bytes"`
	Loudness JSON[loudness.Result] `db:"loudness"`
	Made     JSON[MadeOf]          `db:"made"`
	Kept     bool                  `db:"kept"` // the session that it was made from
	Created  time.Time             `db:"created_at"`
}

// MadeOf is what was wanted of a mixdown and what was done for it.
type MadeOf struct {
	Asked   time.Time        `json:"asked"`
	Setting string           `json:"setting" doc:"The format in words"`
	Rate    int              `json:"rate"`
	Chapter string           `json:"chapter,omitempty" doc:"It is of this chapter alone"`
	Target  *loudness.Target `json:"target,omitempty" doc:"Left out: the mix was left as it is"`
	Text    string           `json:"text" doc:"What was done to the level, in words"`
	Again   int              `json:"again,omitempty"`
	Gain    float64          `json:"gain"`
	Touched float64          `json:"touched" doc:"The part of the time in which the limiter worked"`
	Most    float64          `json:"most" doc:"dB, by how much at most"`
	Reached bool             `json:"reached"`
	Outline []byte           `json:"outline,omitempty" doc:"Heights of its silhouette, 0 to 255"`
}

const mixdownColumns = `SELECT id, episode_id, version, format, channels, begins, ends, file, bytes, loudness, made, document IS NOT NULL AS kept, created_at FROM mixdowns`

// AddMixdown lists a finished file with the session that it was made from. Adding it again, after a crash, changes nothing.
func (s *Store) AddMixdown(ctx context.Context, m Mixdown, doc session.Document) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO mixdowns (id, episode_id, version, format, channels, begins, ends, file, bytes, loudness, made, document)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`,
		m.ID, m.Episode, m.Version, m.Format, m.Channels, m.Begins, m.Ends, m.File, m.Bytes, text(m.Loudness.Of), text(m.Made.Of), doc.JSON())
	return err
}

// Mixdowns lists the files of an episode, the newest first.
func (s *Store) Mixdowns(ctx context.Context, episode string) ([]Mixdown, error) {
	mixdowns := []Mixdown{}
	return mixdowns, s.db.SelectContext(ctx, &mixdowns, mixdownColumns+` WHERE episode_id = ? ORDER BY id DESC`, episode)
}

// Mixdown is one file.
func (s *Store) Mixdown(ctx context.Context, id string) (m Mixdown, err error) {
	return m, found(s.db.GetContext(ctx, &m, mixdownColumns+` WHERE id = ?`, id), "mixdown")
}

// RemoveMixdown takes a file off the list, unless somebody may be listening to it behind a link.
func (s *Store) RemoveMixdown(ctx context.Context, id string) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		var one int
		if err := found(tx.GetContext(ctx, &one, `SELECT 1 FROM mixdowns WHERE id = ? FOR UPDATE`, id), "mixdown"); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &one, `SELECT COUNT(*) FROM links WHERE mixdown_id = ? AND withdrawn_at IS NULL`, id); err != nil {
			return err
		}
		if one > 0 {
			return problem.New("shared", "mixdown", "This file is heard behind a link. End the link under Share first.")
		}
		if err := tx.GetContext(ctx, &one, `SELECT COUNT(*) FROM publications WHERE mixdown_id = ? AND withdrawn_at IS NULL`, id); err != nil {
			return err
		}
		if one > 0 {
			return problem.New("shared", "mixdown", "This file is in the feed. Take the episode out of the feed first, or publish another file.")
		}
		r, err := tx.ExecContext(ctx, `DELETE FROM mixdowns WHERE id = ?`, id)
		return changed(r, err, "mixdown")
	})
}

// MadeFrom is the session that a file was made from.
func (s *Store) MadeFrom(ctx context.Context, id string) (doc session.Document, err error) {
	var data []byte
	if err := found(s.db.GetContext(ctx, &data, `SELECT document FROM mixdowns WHERE id = ?`, id), "mixdown"); err != nil {
		return doc, err
	}
	if data == nil {
		return doc, problem.New("session-not-kept", "mixdown", "The session that this file was made from has not been kept: it was made by an earlier version of Ruvel.")
	}
	return session.Parse(data)
}

// Reopen brings an episode back to the session that a file was made from, as a step of its history like any other.
func (s *Store) Reopen(ctx context.Context, m Mixdown) (Change, error) {
	doc, err := s.MadeFrom(ctx, m.ID)
	if err != nil {
		return Change{}, err
	}
	return s.edit(ctx, m.Episode, meant{any: true}, "", edit.Restore{Document: doc, Name: m.File})
}

// StepsSince are the names of the steps that were made since a time and are applied, the last first, and how many there are.
func (s *Store) StepsSince(ctx context.Context, episode string, since time.Time, most int) (names []string, count int, err error) {
	const which = ` FROM history h JOIN episodes e ON e.id = h.episode_id WHERE h.episode_id = ? AND h.step <= e.steps AND h.made_at > ?`
	if err := s.db.GetContext(ctx, &count, `SELECT COUNT(*)`+which, episode, since); err != nil {
		return nil, 0, err
	}
	names = []string{}
	return names, count, s.db.SelectContext(ctx, &names, `SELECT h.name`+which+` ORDER BY h.step DESC LIMIT ?`, episode, since, most)
}
