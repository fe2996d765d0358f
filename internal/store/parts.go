package store

import (
	"context"
	"encoding/json"
	"math/rand/v2"
	"time"

	"ruvel/core/problem"
)

// Part is a part of a job, which whoever is free makes. What has become of it lies elsewhere, under its name.
type Part struct {
	Job       string                `db:"job_id"`
	Name      string                `db:"name"` // says what it is, and what it is made with: the same name is the same part
	Place     int                   `db:"place"`
	Arguments JSON[json.RawMessage] `db:"arguments"`
	Done      bool                  `db:"done"`
	Problem   JSON[problem.Problem] `db:"problem"` // why it cannot be made
	Owner     string                `db:"owner"`
	Lease     *time.Time            `db:"lease"`
	Attempts  int                   `db:"attempts"`
}

// MostAttempts is how often a part is begun that never comes to an end.
const MostAttempts = 6

// NewPart is a part that is wanted.
type NewPart struct {
	Name      string
	Arguments any
}

// AddParts says which parts of a job are wanted, in this order. Those that are there stay as they are.
func (s *Store) AddParts(ctx context.Context, job string, parts []NewPart) error {
	type row struct {
		Job       string `db:"job"`
		Name      string `db:"name"`
		Place     int    `db:"place"`
		Arguments string `db:"arguments"`
	}
	rows := make([]row, len(parts))
	for n, p := range parts {
		rows[n] = row{job, p.Name, n, text(p.Arguments)}
	}
	_, err := s.db.NamedExecContext(ctx, `INSERT INTO parts (job_id, name, place, arguments) VALUES (:job, :name, :place, :arguments) ON DUPLICATE KEY UPDATE name = VALUES(name)`, rows)
	return err
}

// freePart is true of a part that may be begun, MostAttempts times at most.
const freePart = `NOT done AND problem = '' AND (lease IS NULL OR lease <= CURRENT_TIMESTAMP(3)) AND attempts < 6`

// ClaimPart makes a part an owner's for a time, one of the first that are free, and says whether there was one.
func (s *Store) ClaimPart(ctx context.Context, owner string, lease time.Duration) (p Part, claimed bool, err error) {
	for {
		var free []Part
		if err := s.db.SelectContext(ctx, &free, `SELECT * FROM parts WHERE `+freePart+` AND EXISTS (SELECT 1 FROM jobs WHERE jobs.id = parts.job_id AND jobs.state = 'running') ORDER BY job_id, place LIMIT 8`); err != nil || len(free) == 0 {
			return p, false, err
		}
		p = free[rand.IntN(len(free))] // so that those who ask at once seldom want the same
		r, err := s.db.ExecContext(ctx, `UPDATE parts SET owner = ?, lease = CURRENT_TIMESTAMP(3) + INTERVAL ? MICROSECOND, attempts = attempts + 1 WHERE job_id = ? AND name = ? AND `+freePart,
			owner, lease.Microseconds(), p.Job, p.Name)
		if err != nil {
			return p, false, err
		}
		if n, err := r.RowsAffected(); err != nil || n > 0 {
			p.Attempts++
			return p, err == nil, err
		}
	}
}

// PartAlive prolongs the lease of a part, and says whether it is still its owner's.
func (s *Store) PartAlive(ctx context.Context, p Part, owner string, lease time.Duration) (bool, error) {
	r, err := s.db.ExecContext(ctx, `UPDATE parts SET lease = CURRENT_TIMESTAMP(3) + INTERVAL ? MICROSECOND WHERE job_id = ? AND name = ? AND owner = ? AND NOT done`, lease.Microseconds(), p.Job, p.Name, owner)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// EndPart says that a part is made, or why it cannot be; whoever else has made it meanwhile has made the same.
func (s *Store) EndPart(ctx context.Context, p Part, why *problem.Problem) error {
	if why != nil {
		_, err := s.db.ExecContext(ctx, `UPDATE parts SET problem = ? WHERE job_id = ? AND name = ? AND NOT done`, text(why), p.Job, p.Name)
		return err
	}
	_, err := s.db.ExecContext(ctx, `UPDATE parts SET done = TRUE WHERE job_id = ? AND name = ?`, p.Job, p.Name)
	return err
}

// FreePart lets another make a part of an owner's, as if it had not been begun.
func (s *Store) FreePart(ctx context.Context, p Part, owner string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE parts SET lease = NULL, attempts = GREATEST(attempts, 1) - 1 WHERE job_id = ? AND name = ? AND owner = ? AND NOT done`, p.Job, p.Name, owner)
	return err
}

// Parts are those of a job that are wanted, by their names.
func (s *Store) Parts(ctx context.Context, job string) (map[string]Part, error) {
	var rows []Part
	err := s.db.SelectContext(ctx, &rows, `SELECT job_id, name, place, '' AS arguments, done, problem, owner, lease, attempts FROM parts WHERE job_id = ?`, job)
	out := map[string]Part{}
	for _, p := range rows {
		out[p.Name] = p
	}
	return out, err
}

// RemoveParts takes the parts of a job off the list.
func (s *Store) RemoveParts(ctx context.Context, job string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM parts WHERE job_id = ?`, job)
	return err
}

// Present says that a process is there, and how many have said so within a time.
func (s *Store) Present(ctx context.Context, owner string, within time.Duration) (there int, err error) {
	if _, err := s.db.ExecContext(ctx, `INSERT INTO processes (owner, seen_at) VALUES (?, NOW(3)) ON DUPLICATE KEY UPDATE seen_at = NOW(3)`, owner); err != nil {
		return 0, err
	}
	return there, s.db.GetContext(ctx, &there, `SELECT COUNT(*) FROM processes WHERE seen_at > NOW(3) - INTERVAL ? MICROSECOND`, within.Microseconds())
}

// ForgetParts takes the parts of jobs that have ended off the list, as of those that were cancelled, and processes that are long gone, and says which jobs have some.
func (s *Store) ForgetParts(ctx context.Context) (needed map[string]bool, err error) {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM parts WHERE NOT EXISTS (SELECT 1 FROM jobs WHERE jobs.id = parts.job_id AND jobs.state IN ('queued', 'running'))`); err != nil {
		return nil, err
	}
	if _, err := s.db.ExecContext(ctx, `DELETE FROM processes WHERE seen_at < NOW(3) - INTERVAL 1 DAY`); err != nil {
		return nil, err
	}
	var jobs []string
	err = s.db.SelectContext(ctx, &jobs, `SELECT DISTINCT job_id FROM parts`)
	needed = map[string]bool{}
	for _, id := range jobs {
		needed[id] = true
	}
	return needed, err
}
