package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

// Duty says whether a process has a duty that one at a time has, such as sweeping: it does if it had it, or if nobody has had it renewed for the
// time that it was taken for. It has it for a while from then, by the database's clock, and asks again before that is over. Of those who ask at
// once one gets it, on whatever node of a cluster they do.
func (s *Store) Duty(ctx context.Context, name, owner string, lease time.Duration) (mine bool, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO duties (name, owner, until_at) VALUES (?, ?, TIMESTAMPADD(MICROSECOND, ?, NOW(3)))
			ON DUPLICATE KEY UPDATE owner = IF(until_at < NOW(3), VALUES(owner), owner), until_at = IF(owner = VALUES(owner), VALUES(until_at), until_at)`,
			name, owner, lease.Microseconds()); err != nil {
			return err
		}
		return tx.GetContext(ctx, &mine, `SELECT owner = ? FROM duties WHERE name = ?`, owner, name)
	})
	return mine, err
}
