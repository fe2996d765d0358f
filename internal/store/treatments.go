package store

import (
	"context"
	"slices"

	"github.com/jmoiron/sqlx"

	"ruvel/core/problem"
	"ruvel/core/session"
)

// MostTreatments is how many treatments a show can keep.
const MostTreatments = 100

// Treatment is a treatment of voices that a show keeps.
type Treatment struct {
	ID       string                  `db:"id"`
	Name     string                  `db:"name"`
	Settings JSON[session.Treatment] `db:"settings"`
}

const treatmentColumns = `SELECT id, name, settings FROM treatments`

// KeepTreatment keeps a treatment with a show, in the place of one of the same name.
func (s *Store) KeepTreatment(ctx context.Context, show, name string, t session.Treatment) (kept Treatment, err error) {
	if name, err = session.NewName(name, "name"); err != nil {
		return kept, err
	}
	if t, err = session.NewTreatment(t, "treatment"); err != nil {
		return kept, err
	}
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		var there string
		if err := found(tx.GetContext(ctx, &there, `SELECT id FROM shows WHERE id = ? FOR UPDATE`, show), "show"); err != nil {
			return err
		}
		all := []Treatment{}
		if err := tx.SelectContext(ctx, &all, treatmentColumns+` WHERE show_id = ?`, show); err != nil {
			return err
		}
		id := NewID()
		if i := slices.IndexFunc(all, func(old Treatment) bool { return old.Name == name }); i >= 0 {
			id = all[i].ID
		} else if len(all) >= MostTreatments {
			return problem.New("too-many-treatments", "name", "A show keeps at most %d treatments. Remove one that is not needed any more.", MostTreatments)
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO treatments (id, show_id, name, settings) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE settings = VALUES(settings)`,
			id, show, name, text(t)); err != nil {
			return err
		}
		return tx.GetContext(ctx, &kept, treatmentColumns+` WHERE id = ?`, id)
	})
	return kept, err
}

// Treatments lists those that a show keeps, by name.
func (s *Store) Treatments(ctx context.Context, show string) ([]Treatment, error) {
	if _, err := s.Show(ctx, show); err != nil {
		return nil, err
	}
	all := []Treatment{}
	return all, s.db.SelectContext(ctx, &all, treatmentColumns+` WHERE show_id = ? ORDER BY name, id`, show)
}

// RemoveTreatment forgets a treatment of a show. Tracks that were given it keep it.
func (s *Store) RemoveTreatment(ctx context.Context, show, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM treatments WHERE show_id = ? AND id = ?`, show, id)
	return changed(r, err, "treatment")
}
