package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

// Orphaned notes which files nothing names at a moment, and gives those that nothing has named for as long as an age.
// What is named again, or gone, is forgotten.
func (s *Store) Orphaned(ctx context.Context, keys []string, now time.Time, age time.Duration) (old []string, err error) {
	now = now.UTC().Truncate(time.Millisecond)
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		known := []struct {
			Key   string    `db:"file"`
			Since time.Time `db:"since"`
		}{}
		if err := tx.SelectContext(ctx, &known, `SELECT file, since FROM orphans FOR UPDATE`); err != nil {
			return err
		}
		there, since := map[string]bool{}, map[string]time.Time{}
		for _, k := range keys {
			there[k] = true
		}
		for _, k := range known {
			if since[k.Key] = k.Since; there[k.Key] {
				continue
			}
			if _, err := tx.ExecContext(ctx, `DELETE FROM orphans WHERE file = ?`, k.Key); err != nil {
				return err
			}
		}
		old = nil
		for _, k := range keys {
			at, known := since[k]
			switch {
			case !known:
				if _, err := tx.ExecContext(ctx, `INSERT INTO orphans (file, since) VALUES (?, ?)`, k, now); err != nil {
					return err
				}
			case now.Sub(at) >= age:
				old = append(old, k)
			}
		}
		return nil
	})
	return old, err
}
