package store

import (
	"context"

	"ruvel/core/review"
)

// Limits are those beyond which the check of a show's episodes mentions something.
func (s *Store) Limits(ctx context.Context, show string) (review.Bounds, error) {
	limits := JSON[review.Bounds]{review.Usual()}
	return limits.Of, found(s.db.GetContext(ctx, &limits, `SELECT limits FROM shows WHERE id = ?`, show), "show")
}

// SetLimits gives a show other limits.
func (s *Store) SetLimits(ctx context.Context, show string, limits review.Bounds) error {
	if err := limits.Check(); err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `UPDATE shows SET limits = ? WHERE id = ?`, text(limits), show)
	return changed(r, err, "show")
}
