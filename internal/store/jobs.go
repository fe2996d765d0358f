package store

import (
	"context"
	"encoding/json"
	"time"

	"ruvel/core/audio"
	"ruvel/core/loudness"
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
	Seen      bool                  `db:"seen"` // a failure that was put away
	Created   time.Time             `db:"created_at"`
}

// AddJob queues a job. The same id twice is one job.
func (s *Store) AddJob(ctx context.Context, id, kind, show string, episode *string, name string, arguments any) (Job, error) {
	if _, err := s.db.ExecContext(ctx, `INSERT INTO jobs (id, kind, show_id, episode_id, name, arguments) VALUES (?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`,
		id, kind, show, episode, name, text(arguments)); err != nil {
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

// Pending lists the jobs of a show that are not finished, and the failures that nobody has put away.
func (s *Store) Pending(ctx context.Context, show string) ([]Job, error) {
	jobs := []Job{}
	return jobs, s.db.SelectContext(ctx, &jobs, `SELECT * FROM jobs WHERE show_id = ? AND (state IN ('queued', 'running') OR state = 'failed' AND NOT seen) ORDER BY id`, show)
}

// PutAway takes a failure off the list.
func (s *Store) PutAway(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET seen = TRUE WHERE id = ?`, id)
	return changed(r, err, "job")
}

// Advance moves a job that is not final on to a state, and says whether it did.
func (s *Store) Advance(ctx context.Context, id string, to State, progress float64, problem *problem.Problem) (bool, error) {
	var words string
	if problem != nil {
		words = text(problem)
	}
	r, err := s.db.ExecContext(ctx, `UPDATE jobs SET state = ?, progress = ?, problem = ? WHERE id = ? AND state IN ('queued', 'running')`, to, progress, words, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

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
	Created  time.Time             `db:"created_at"`
}

// AddMixdown lists a finished file. Adding it again, after a crash, changes nothing.
func (s *Store) AddMixdown(ctx context.Context, m Mixdown) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO mixdowns (id, episode_id, version, format, channels, begins, ends, file, bytes, loudness)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`,
		m.ID, m.Episode, m.Version, m.Format, m.Channels, m.Begins, m.Ends, m.File, m.Bytes, text(m.Loudness.Of))
	return err
}

// Mixdowns lists the files of an episode, the newest first.
func (s *Store) Mixdowns(ctx context.Context, episode string) ([]Mixdown, error) {
	mixdowns := []Mixdown{}
	return mixdowns, s.db.SelectContext(ctx, &mixdowns, `SELECT * FROM mixdowns WHERE episode_id = ? ORDER BY id DESC`, episode)
}

// Mixdown is one file.
func (s *Store) Mixdown(ctx context.Context, id string) (m Mixdown, err error) {
	return m, found(s.db.GetContext(ctx, &m, `SELECT * FROM mixdowns WHERE id = ?`, id), "mixdown")
}

// RemoveMixdown takes a file off the list.
func (s *Store) RemoveMixdown(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM mixdowns WHERE id = ?`, id)
	return changed(r, err, "mixdown")
}
