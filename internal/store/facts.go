package store

import (
	"context"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"
)

// FactsKey names what was measured, by a digest of all that it follows from.
type FactsKey = [32]byte

// together is how many facts are asked for, or kept, with one statement.
const together = 200

// Facts gives those of some keys that are kept.
func (s *Store) Facts(ctx context.Context, keys []FactsKey) (map[FactsKey][]byte, error) {
	out := map[FactsKey][]byte{}
	for some := range slices.Chunk(keys, together) {
		ids := make([][]byte, len(some))
		for i := range some {
			ids[i] = some[i][:]
		}
		query, args, err := sqlx.In(`SELECT id, data, used < CURRENT_DATE AS old FROM facts WHERE id IN (?)`, ids)
		if err != nil {
			return nil, err
		}
		var rows []struct {
			ID   []byte `db:"id"`
			Data []byte `db:"data"`
			Old  bool   `db:"old"`
		}
		if err := s.db.SelectContext(ctx, &rows, query, args...); err != nil {
			return nil, err
		}
		var old [][]byte
		for _, r := range rows {
			out[FactsKey(r.ID)] = r.Data
			if r.Old {
				old = append(old, r.ID)
			}
		}
		if len(old) == 0 {
			continue
		}
		if query, args, err = sqlx.In(`UPDATE facts SET used = CURRENT_DATE WHERE id IN (?)`, old); err != nil {
			return nil, err
		}
		if _, err := s.db.ExecContext(ctx, query, args...); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// KeepFacts keeps what was measured. What is there already stays as it is.
func (s *Store) KeepFacts(ctx context.Context, facts map[FactsKey][]byte) error {
	type row struct {
		ID   []byte `db:"id"`
		Data []byte `db:"data"`
	}
	var rows []row
	for key, data := range facts {
		rows = append(rows, row{append([]byte(nil), key[:]...), data})
	}
	// In one order, so that two who keep the same do not wait for each other.
	slices.SortFunc(rows, func(a, b row) int { return slices.Compare(a.ID, b.ID) })
	for some := range slices.Chunk(rows, together) {
		if _, err := s.db.NamedExecContext(ctx, `INSERT IGNORE INTO facts (id, data) VALUES (:id, :data)`, some); err != nil {
			return err
		}
	}
	return nil
}

// ForgetFacts forgets facts that were not asked for for so long, to a day, and says how many.
func (s *Store) ForgetFacts(ctx context.Context, age time.Duration) (int64, error) {
	r, err := s.db.ExecContext(ctx, `DELETE FROM facts WHERE used < CURRENT_DATE - INTERVAL ? DAY`, int(age/(24*time.Hour)))
	if err != nil {
		return 0, err
	}
	return r.RowsAffected()
}
