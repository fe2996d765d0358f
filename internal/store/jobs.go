package store

import (
	"context"
	"encoding/json"
	"time"

	"ruvel/core/problem"
)

// State is how far a job has come.
type State string

// The states of a job. The last three are final.
const (
	Queued    State = "queued"
	Running   State = "running"
	Done      State = "done"
	Failed    State = "failed"
	Cancelled State = "cancelled"
)

// Final says that a job in this state will not change any more.
func (s State) Final() bool { return s == Done || s == Failed || s == Cancelled }

// Job is a piece of long work.
type Job struct {
	ID        string                `db:"id"`
	Kind      string                `db:"kind"`
	Show      string                `db:"show_id"`
	Episode   *string               `db:"episode_id"`
	Name      string                `db:"name"`
	Arguments JSON[json.RawMessage] `db:"arguments"`
	State     State                 `db:"state"`
	Progress  float64               `db:"progress"`
	Problem   JSON[problem.Problem] `db:"problem"`
	Seen      bool                  `db:"seen"`  // a failure that was put away
	Owner     string                `db:"owner"` // the house that is doing it
	Lease     *time.Time            `db:"lease"` // until when it is the owner's alone, or, where it has none, nobody's
	Attempts  int                   `db:"attempts"`
	Created   time.Time             `db:"created_at"`
	Ended     *time.Time            `db:"ended_at"`
	Request   string                `db:"request"`   // the id of the request that has asked for it
	PersonID  *string               `db:"person_id"` // who has asked for it
	Person    string                `db:"person"`
}

// Author is who has asked for a job: what it changes is theirs.
func (j Job) Author() Author {
	if j.PersonID == nil {
		return Author{}
	}
	return Author{*j.PersonID, j.Person}
}

// AddJob queues a job. The same id twice is one job.
func (s *Store) AddJob(ctx context.Context, id, kind, show string, episode *string, name string, arguments any) (Job, error) {
	if _, err := s.db.ExecContext(ctx, `INSERT INTO jobs (id, kind, show_id, episode_id, name, arguments, person_id, person, request) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`,
		id, kind, show, episode, name, text(arguments), AuthorIn(ctx).id(), AuthorIn(ctx).Name, RequestIn(ctx)); err != nil {
		return Job{}, err
	}
	return s.Job(ctx, id)
}

// Job is one job.
func (s *Store) Job(ctx context.Context, id string) (j Job, err error) {
	return j, found(s.db.GetContext(ctx, &j, `SELECT * FROM jobs WHERE id = ?`, id), "job")
}

// Unfinished lists the jobs of all shows that are queued or running.
func (s *Store) Unfinished(ctx context.Context) ([]Job, error) {
	jobs := []Job{}
	return jobs, s.db.SelectContext(ctx, &jobs, `SELECT * FROM jobs WHERE state IN ('queued', 'running') ORDER BY id`)
}

// GivenUp lists the jobs of all shows that were given up, and can be begun again until that is put away.
func (s *Store) GivenUp(ctx context.Context) ([]Job, error) {
	jobs := []Job{}
	return jobs, s.db.SelectContext(ctx, &jobs, `SELECT * FROM jobs WHERE state = 'failed' AND NOT seen AND JSON_VALUE(problem, '$.code') = 'given-up' ORDER BY id`)
}

// Again queues a job anew that was given up, and says whether it did.
func (s *Store) Again(ctx context.Context, id string) (bool, error) {
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET state = 'queued', owner = '', lease = NULL, progress = 0, attempts = 0, problem = '', ended_at = NULL
		WHERE id = ? AND state = 'failed' AND JSON_VALUE(problem, '$.code') = 'given-up'`, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// Pending lists the jobs of a show that are not finished, and the failures that nobody has put away.
func (s *Store) Pending(ctx context.Context, show string) ([]Job, error) {
	if _, err := s.Show(ctx, show); err != nil {
		return nil, err
	}
	jobs := []Job{}
	return jobs, s.db.SelectContext(ctx, &jobs, `SELECT * FROM jobs WHERE show_id = ? AND (state IN ('queued', 'running') OR state = 'failed' AND NOT seen) ORDER BY id`, show)
}

// PutAway takes a failure off the list.
func (s *Store) PutAway(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET seen = TRUE WHERE id = ?`, id)
	return changed(r, err, "job")
}

// free is true of a job that may be begun: one that waits and whose time has come, or whose
// owner has not been heard of for too long.
const free = `(state IN ('queued', 'running') AND (lease IS NULL OR lease <= CURRENT_TIMESTAMP(3)))`

// Claim makes a job an owner's for a time, if it is free, and says whether it did. The
// owner begins it, and renews the lease while it is at work.
func (s *Store) Claim(ctx context.Context, id, owner string, lease time.Duration) (j Job, claimed bool, err error) {
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET state = 'running', owner = ?, lease = CURRENT_TIMESTAMP(3) + INTERVAL ? MICROSECOND, attempts = attempts + 1, progress = 0
		WHERE id = ? AND `+free, owner, lease.Microseconds(), id)
	if err != nil {
		return j, false, err
	}
	n, err := r.RowsAffected()
	if err != nil {
		return j, false, err
	}
	j, err = s.Job(ctx, id)
	return j, n > 0, err
}

// owned changes a job that is running and an owner's, and says whether it is that.
func (s *Store) owned(ctx context.Context, set, id, owner string, values ...any) (bool, error) {
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET `+set+` WHERE id = ? AND owner = ? AND state = 'running'`, append(values, id, owner)...)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// Alive prolongs the lease of a job, as Renew does.
func (s *Store) Alive(ctx context.Context, id, owner string, lease time.Duration) (bool, error) {
	return s.owned(ctx, `lease = CURRENT_TIMESTAMP(3) + INTERVAL ? MICROSECOND`, id, owner, lease.Microseconds())
}

// Renew says how far a job has come and prolongs the lease. It is false where the job is
// not the owner's any more, because it was cancelled or has been given to another.
func (s *Store) Renew(ctx context.Context, id, owner string, lease time.Duration, progress float64) (bool, error) {
	return s.owned(ctx, `lease = CURRENT_TIMESTAMP(3) + INTERVAL ? MICROSECOND, progress = ?`, id, owner, lease.Microseconds(), progress)
}

// End stores how a job of an owner's has ended, and says whether it still was that.
func (s *Store) End(ctx context.Context, id, owner string, as State, problem *problem.Problem) (bool, error) {
	words, progress := "", 0.0
	if problem != nil {
		words = text(problem)
	}
	if as == Done {
		progress = 1
	}
	return s.owned(ctx, `state = ?, progress = ?, problem = ?, lease = NULL, ended_at = CURRENT_TIMESTAMP(3)`, id, owner, as, progress, words)
}

// GiveBack lets a job of an owner's wait again for a time, as if it had not been begun.
func (s *Store) GiveBack(ctx context.Context, id, owner string, after time.Duration) error {
	_, err := s.owned(ctx, `state = 'queued', owner = '', lease = CURRENT_TIMESTAMP(3) + INTERVAL ? MICROSECOND, progress = 0, attempts = GREATEST(attempts, 1) - 1`,
		id, owner, after.Microseconds())
	return err
}

// Abandon frees the jobs of an owner that has ended without giving them back: at once, or, from the fourth time that one was
// begun, after a step that doubles each time, up to ten of them. What ends its process by itself leaves time for the others so.
func (s *Store) Abandon(ctx context.Context, owner string, step time.Duration) error {
	_, err := s.db.ExecContext(ctx, `UPDATE jobs SET lease = IF(attempts < 4, NULL, CURRENT_TIMESTAMP(3) + INTERVAL (? * LEAST(10, POW(2, attempts - 4))) MICROSECOND) WHERE owner = ? AND state = 'running'`,
		step.Microseconds(), owner)
	return err
}

// Cancel ends a job that has not ended, and says whether it did.
func (s *Store) Cancel(ctx context.Context, id string) (bool, error) {
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET state = 'cancelled', lease = NULL, ended_at = CURRENT_TIMESTAMP(3) WHERE id = ? AND state IN ('queued', 'running')`, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// Free lists the jobs of all shows that may be begun.
func (s *Store) Free(ctx context.Context) ([]Job, error) {
	jobs := []Job{}
	return jobs, s.db.SelectContext(ctx, &jobs, `SELECT * FROM jobs WHERE `+free+` ORDER BY id`)
}

// PruneJobs takes jobs that ended longer ago than that off the list; failures that nobody
// has put away stay thirty times as long. It also drops the versions of documents that no job works on.
func (s *Store) PruneJobs(ctx context.Context, age time.Duration) (int64, error) {
	r, err := s.db.ExecContext(ctx, `DELETE FROM jobs WHERE state NOT IN ('queued', 'running')
		AND ended_at < CURRENT_TIMESTAMP(3) - INTERVAL ? * IF(state = 'failed' AND NOT seen, 30, 1) MICROSECOND`, age.Microseconds())
	if err != nil {
		return 0, err
	}
	n, err := r.RowsAffected()
	if err != nil {
		return n, err
	}
	_, err = s.db.ExecContext(ctx, `DELETE FROM snapshots WHERE kept_at < CURRENT_TIMESTAMP(3) - INTERVAL ? MICROSECOND
		AND NOT EXISTS (SELECT 1 FROM jobs WHERE jobs.episode_id = snapshots.episode_id AND state IN ('queued', 'running'))`, age.Microseconds())
	return n, err
}
