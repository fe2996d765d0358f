package store

import (
	"context"
	"crypto/sha256"
	"time"
)

// Tally counts how often something is asked for in each stretch of time, for all processes together. It is what httprate counts with.
type Tally struct {
	Store *Store
	// Of is what is counted: two tallies of the same are one.
	Of string
}

// tallied is for how long a database is waited for that does not answer.
const tallied = 5 * time.Second

func (t Tally) id(key string) []byte {
	sum := sha256.Sum256([]byte(t.Of + "\n" + key))
	return sum[:]
}

// Config has nothing to say: whoever counts says which stretch it is.
func (t Tally) Config(int, time.Duration) {}

// Increment counts once more.
func (t Tally) Increment(key string, now time.Time) error { return t.IncrementBy(key, now, 1) }

// IncrementBy counts so many more.
func (t Tally) IncrementBy(key string, now time.Time, amount int) error {
	ctx, cancel := context.WithTimeout(context.Background(), tallied)
	defer cancel()
	_, err := t.Store.db.ExecContext(ctx, `INSERT INTO tallies (id, begins, counted) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE counted = counted + VALUES(counted)`, t.id(key), now.UTC(), amount)
	return err
}

// Get gives what was counted in this stretch and the one before.
func (t Tally) Get(key string, now, before time.Time) (here, earlier int, err error) {
	ctx, cancel := context.WithTimeout(context.Background(), tallied)
	defer cancel()
	var rows []struct {
		Begins  time.Time `db:"begins"`
		Counted int       `db:"counted"`
	}
	err = t.Store.db.SelectContext(ctx, &rows, `SELECT begins, counted FROM tallies WHERE id = ? AND begins IN (?, ?)`, t.id(key), now.UTC(), before.UTC())
	for _, r := range rows {
		if r.Begins.Equal(now) {
			here = r.Counted
		} else {
			earlier = r.Counted
		}
	}
	return here, earlier, err
}
