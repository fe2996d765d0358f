package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/recording"
)

// TakeState is how far a take has come.
type TakeState string

// The states of a take. Nothing but deleting it for good takes a recording away.
const (
	TakeRecording TakeState = "recording" // chunks come in, or have stopped coming
	TakeClosed    TakeState = "closed"    // complete, and waiting to become a sound
	TakeKept      TakeState = "kept"
	TakeDiscarded TakeState = "discarded" // out of sight, and can be taken back
)

// Take is a recording of an episode. Takes of one track and one beginning are of the same place.
type Take struct {
	ID       string       `db:"id"`
	Episode  string       `db:"episode_id"`
	Number   int          `db:"number"`
	Track    string       `db:"track"`
	Begins   audio.Frames `db:"begins"`
	Late     audio.Frames `db:"late"`
	Rate     int          `db:"rate"`
	Channels int          `db:"channels"`
	Mono     bool         `db:"mono"`
	Device   string       `db:"device"`
	State    TakeState    `db:"state"`
	Sound    *string      `db:"sound_id"`
	Length   audio.Frames `db:"length"`
	Peak     audio.DB     `db:"peak"`
	Silenced int64        `db:"silenced"` // samples that were no numbers
	Created  time.Time    `db:"created_at"`
	Changed  time.Time    `db:"changed_at"`
	PersonID *string      `db:"person_id"` // who has recorded it
	Person   string       `db:"person"`
}

// AddTake begins a take and numbers it after the others of its place.
func (s *Store) AddTake(ctx context.Context, t Take) (Take, error) {
	t.ID = NewID()
	err := s.transaction(ctx, func(tx *sqlx.Tx) error {
		if _, err := lock(ctx, tx, t.Episode); err != nil {
			return err
		}
		if err := inTurn(ctx, tx, "takes of "+t.Episode); err != nil {
			return err
		}
		var taken []int
		if err := tx.SelectContext(ctx, &taken, `SELECT number FROM takes WHERE episode_id = ? AND track = ? AND begins = ?`, t.Episode, t.Track, t.Begins); err != nil {
			return err
		}
		t.Number = recording.Number(taken)
		_, err := tx.ExecContext(ctx, `INSERT INTO takes (id, episode_id, number, track, begins, late, rate, channels, mono, device, person_id, person) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			t.ID, t.Episode, t.Number, t.Track, t.Begins, t.Late, t.Rate, t.Channels, t.Mono, t.Device, AuthorIn(ctx).id(), AuthorIn(ctx).Name)
		return err
	})
	if err != nil {
		return Take{}, err
	}
	return s.Take(ctx, t.ID)
}

// Take is one take.
func (s *Store) Take(ctx context.Context, id string) (t Take, err error) {
	return t, found(s.db.GetContext(ctx, &t, `SELECT * FROM takes WHERE id = ?`, id), "take")
}

// Takes lists the takes of an episode, the newest first.
func (s *Store) Takes(ctx context.Context, episode string) ([]Take, error) {
	if _, err := s.Version(ctx, episode); err != nil {
		return nil, err
	}
	takes := []Take{}
	return takes, s.db.SelectContext(ctx, &takes, `SELECT * FROM takes WHERE episode_id = ? ORDER BY id DESC`, episode)
}

// ClosedTakes lists the takes of all episodes that are complete but no sounds yet.
func (s *Store) ClosedTakes(ctx context.Context) ([]Take, error) {
	takes := []Take{}
	return takes, s.db.SelectContext(ctx, &takes, `SELECT * FROM takes WHERE state = 'closed' ORDER BY id`)
}

// Discarded lists the takes of all episodes that were discarded longer ago than that.
func (s *Store) Discarded(ctx context.Context, age time.Duration) ([]Take, error) {
	takes := []Take{}
	return takes, s.db.SelectContext(ctx, &takes, `SELECT * FROM takes WHERE state = 'discarded' AND changed_at < CURRENT_TIMESTAMP(3) - INTERVAL ? MICROSECOND ORDER BY id`, age.Microseconds())
}

// EndTake closes a take, and queues the job that makes its sound, in one act: whoever ends it at the same time, here or on another
// machine, gets the same job. The job is of a kind and a show, and is called and told what is given here. A take that is a sound already has none: then started is false.
func (s *Store) EndTake(ctx context.Context, take, kind, show, name string, arguments any) (job Job, started bool, err error) {
	id := NewID()
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		var t Take
		if err := found(tx.GetContext(ctx, &t, `SELECT * FROM takes WHERE id = ? FOR UPDATE`, take), "take"); err != nil {
			return err
		}
		if started = t.Sound == nil; !started {
			return nil
		}
		going := []Job{}
		if err := tx.SelectContext(ctx, &going, `SELECT * FROM jobs WHERE kind = ? AND episode_id = ? AND state IN ('queued', 'running') AND JSON_VALUE(arguments, '$.take') = ?`, kind, t.Episode, take); err != nil {
			return err
		}
		if len(going) > 0 {
			job = going[0]
			return nil
		}
		if _, err := tx.ExecContext(ctx, `UPDATE takes SET state = 'closed' WHERE id = ?`, take); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO jobs (id, kind, show_id, episode_id, name, arguments, person_id, person, request) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			id, kind, show, t.Episode, name, text(arguments), t.PersonID, t.Person, RequestIn(ctx)); err != nil {
			return err
		}
		return tx.GetContext(ctx, &job, `SELECT * FROM jobs WHERE id = ?`, id)
	})
	return job, started, err
}

// SetTakeState puts a take that is a sound into sight or out of it. What else is known of it stays as it is.
func (s *Store) SetTakeState(ctx context.Context, id string, state TakeState) error {
	r, err := s.db.ExecContext(ctx, `UPDATE takes SET state = ? WHERE id = ? AND sound_id IS NOT NULL`, state, id)
	return changed(r, err, "take")
}

// SetTake stores how far a take has come.
func (s *Store) SetTake(ctx context.Context, t Take) error {
	r, err := s.db.ExecContext(ctx, `UPDATE takes SET state = ?, sound_id = ?, length = ?, peak = ?, late = ?, silenced = ? WHERE id = ?`,
		t.State, t.Sound, t.Length, t.Peak, t.Late, t.Silenced, t.ID)
	return changed(r, err, "take")
}

// RemoveTake takes a take off the list.
func (s *Store) RemoveTake(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM takes WHERE id = ?`, id)
	return changed(r, err, "take")
}
