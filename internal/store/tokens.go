package store

import (
	"context"
	"time"
)

// Token lets a program in as somebody.
type Token struct {
	ID     string     `db:"id" json:"id"`
	Person string     `db:"person_id" json:"-"`
	Name   string     `db:"name" json:"name"`
	Secret []byte     `db:"secret" json:"-"` // SHA-256
	Looks  bool       `db:"looks" json:"looks" doc:"It may look, and change nothing"`
	Show   *string    `db:"show_id" json:"show,omitempty" doc:"The only show that it is for"`
	Made   time.Time  `db:"made_at" json:"made"`
	Used   *time.Time `db:"used_at" json:"used,omitempty" doc:"When it was last used, to within a minute"`
}

// AddToken keeps one.
func (s *Store) AddToken(ctx context.Context, t Token) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO tokens (id, person_id, name, secret, looks, show_id) VALUES (?, ?, ?, ?, ?, ?)`, t.ID, t.Person, t.Name, t.Secret, t.Looks, t.Show)
	return err
}

// Tokens are somebody's, the newest first.
func (s *Store) Tokens(ctx context.Context, person string) ([]Token, error) {
	all := []Token{}
	return all, s.db.SelectContext(ctx, &all, `SELECT * FROM tokens WHERE person_id = ? ORDER BY id DESC`, person)
}

// TokenBy is the one with a secret, and notes that it was used.
func (s *Store) TokenBy(ctx context.Context, secret []byte) (t Token, err error) {
	if err := found(s.db.GetContext(ctx, &t, `SELECT * FROM tokens WHERE secret = ?`, secret), "token"); err != nil {
		return t, err
	}
	if t.Used == nil || time.Since(*t.Used) > time.Minute {
		_, err = s.db.ExecContext(ctx, `UPDATE tokens SET used_at = CURRENT_TIMESTAMP(3) WHERE id = ?`, t.ID)
	}
	return t, err
}

// Token is one by its id.
func (s *Store) Token(ctx context.Context, id string) (t Token, err error) {
	return t, found(s.db.GetContext(ctx, &t, `SELECT * FROM tokens WHERE id = ?`, id), "token")
}

// RemoveToken ends one of somebody's.
func (s *Store) RemoveToken(ctx context.Context, person, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM tokens WHERE id = ? AND person_id = ?`, id, person)
	return changed(r, err, "token")
}

// Wrong is how many passwords were wrong under a key, and when the last one came; the beginning of time: none did.
func (s *Store) Wrong(ctx context.Context, key string) (wrong int, last time.Time, err error) {
	var rows []struct {
		Wrong int       `db:"wrong"`
		Last  time.Time `db:"last_at"`
	}
	err = s.db.SelectContext(ctx, &rows, `SELECT wrong, last_at FROM attempts WHERE who = ?`, key)
	for _, r := range rows {
		wrong, last = r.Wrong, r.Last
	}
	return wrong, last, err
}

// NoteWrong counts a wrong password under a key; those longer ago than a while are forgotten.
func (s *Store) NoteWrong(ctx context.Context, key string, forgotten time.Duration) error {
	now := time.Now().UTC()
	_, err := s.db.ExecContext(ctx, `INSERT INTO attempts (who, wrong, last_at) VALUES (?, 1, ?) ON DUPLICATE KEY UPDATE wrong = IF(last_at < ?, 1, wrong + 1), last_at = VALUES(last_at)`,
		key, now, now.Add(-forgotten))
	return err
}

// TakeWrong takes one back that was counted and was right.
func (s *Store) TakeWrong(ctx context.Context, key string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE attempts SET wrong = wrong - 1 WHERE who = ? AND wrong > 0`, key)
	return err
}

// ForgetWrong forgets those of a key.
func (s *Store) ForgetWrong(ctx context.Context, key string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM attempts WHERE who = ?`, key)
	return err
}

// PruneSignIns takes away sessions that have ended, wrong passwords of long ago, and invitations that are no longer good.
func (s *Store) PruneSignIns(ctx context.Context, age time.Duration) (gone int64, err error) {
	for _, query := range []string{`DELETE FROM sessions WHERE expiry < ?`, `DELETE FROM attempts WHERE last_at < ? AND who NOT LIKE 'known:%'`, `DELETE FROM invitations WHERE ends_at < ?`, `DELETE FROM tallies WHERE begins < ?`} {
		r, err := s.db.ExecContext(ctx, query, time.Now().UTC().Add(-age))
		if err != nil {
			return gone, err
		}
		n, _ := r.RowsAffected()
		gone += n
	}
	return gone, nil
}
