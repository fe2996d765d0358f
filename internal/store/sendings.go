package store

import (
	"context"
	"time"
)

// Sending is a finished file on its way to a host. It is done by the job of the same id.
type Sending struct {
	ID      string       `db:"id"`
	Episode string       `db:"episode_id"`
	Mixdown *string      `db:"mixdown_id"` // nil: the file was removed since
	File    string       `db:"file"`
	Host    string       `db:"host"`
	Way     string       `db:"way"`
	State   SendingState `db:"state"`
	Tries   int          `db:"tries"`
	Said    string       `db:"said"` // by the host, last
	Again   *time.Time   `db:"again_at"`
	Made    time.Time    `db:"made_at"`
	Ended   *time.Time   `db:"ended_at"`
	Job     *State       `db:"job"` // of the job; nil: it is not on the list any more
}

// SendingState is what has become of a sending.
type SendingState string

// The states of a sending; the last three are final.
const (
	SendingWaits   SendingState = "waiting"
	SendingRuns    SendingState = "sending"
	SendingSent    SendingState = "sent"
	SendingRefused SendingState = "refused"
	SendingFailed  SendingState = "failed"
)

// Final says that nothing more becomes of it.
func (s SendingState) Final() bool {
	return s == SendingSent || s == SendingRefused || s == SendingFailed
}

const sendingColumns = `SELECT s.id, s.episode_id, s.mixdown_id, s.file, s.host, s.way, s.state, s.tries, s.said, s.again_at, s.made_at, s.ended_at, j.state AS job
  FROM sendings s LEFT JOIN jobs j ON j.id = s.id`

// AddSending keeps that a file is to be sent. The same id twice is one sending.
func (s *Store) AddSending(ctx context.Context, n Sending) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO sendings (id, episode_id, mixdown_id, file, host, way) VALUES (?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`,
		n.ID, n.Episode, n.Mixdown, n.File, n.Host, n.Way)
	return err
}

// Sending is one of them.
func (s *Store) Sending(ctx context.Context, id string) (n Sending, err error) {
	return n, found(s.db.GetContext(ctx, &n, sendingColumns+` WHERE s.id = ?`, id), "sending")
}

// mostSendings is how many are listed.
const mostSendings = 200

// Sendings are those of an episode, the newest first.
func (s *Store) Sendings(ctx context.Context, episode string) ([]Sending, error) {
	if _, err := s.Version(ctx, episode); err != nil {
		return nil, err
	}
	all := []Sending{}
	return all, s.db.SelectContext(ctx, &all, sendingColumns+` WHERE s.episode_id = ? ORDER BY s.made_at DESC, s.id DESC LIMIT ?`, episode, mostSendings)
}

// SetSending keeps how far a sending has come.
func (s *Store) SetSending(ctx context.Context, n Sending) error {
	_, err := s.db.ExecContext(ctx, `UPDATE sendings SET state = ?, tries = ?, said = ?, again_at = ?, ended_at = IF(? IN ('sent', 'refused', 'failed'), CURRENT_TIMESTAMP(3), NULL) WHERE id = ?`,
		n.State, n.Tries, n.Said, n.Again, n.State, n.ID)
	return err
}
