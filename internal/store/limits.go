package store

import (
	"context"

	"github.com/jmoiron/sqlx"

	"ruvel/core/review"
	"ruvel/core/revise"
)

// Limits are those beyond which the check of a show's episodes mentions something.
func (s *Store) Limits(ctx context.Context, show string) (review.Bounds, error) {
	limits := JSON[review.Bounds]{review.Usual()}
	return limits.Of, found(s.db.GetContext(ctx, &limits, `SELECT limits FROM shows WHERE id = ?`, show), "show")
}

// ReviseLimits changes some limits of a show.
func (s *Store) ReviseLimits(ctx context.Context, show string, changes revise.Revision) (limits review.Bounds, err error) {
	return limits, s.transaction(ctx, func(tx *sqlx.Tx) error {
		now := JSON[review.Bounds]{review.Usual()}
		if err := found(tx.GetContext(ctx, &now, `SELECT limits FROM shows WHERE id = ? FOR UPDATE`, show), "show"); err != nil {
			return err
		}
		if limits, err = revise.Apply(now.Of, changes); err != nil {
			return err
		}
		if err := limits.Check(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE shows SET limits = ? WHERE id = ?`, text(limits), show)
		return err
	})
}

// SetLimits gives a show other limits.
func (s *Store) SetLimits(ctx context.Context, show string, limits review.Bounds) error {
	if err := limits.Check(); err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `UPDATE shows SET limits = ? WHERE id = ?`, text(limits), show)
	return changed(r, err, "show")
}
