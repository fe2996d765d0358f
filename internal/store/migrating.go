package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

// Of those that start on one database, on whatever nodes, one at a time brings its tables up to date: whoever has written into
// a row that it is, and goes on writing so. A row, since no other lock is seen by all nodes.
const (
	migratingFor = 15 * time.Second // after so long without a word it is another's turn
	migratingEnd = 5 * time.Minute  // as long it is waited for
)

// alone runs f while no other program that starts on this database runs its own.
func alone(ctx context.Context, db *sqlx.DB, f func() error) error {
	if _, err := db.ExecContext(ctx, `CREATE TABLE IF NOT EXISTS migrating (id TINYINT PRIMARY KEY, owner CHAR(36) NOT NULL, until_at DATETIME(3) NOT NULL)`); err != nil {
		return err
	}
	if _, err := db.ExecContext(ctx, `INSERT IGNORE INTO migrating VALUES (1, '', '2000-01-01')`); err != nil {
		return err
	}
	owner := NewID()
	for begun := time.Now(); ; {
		mine, err := takeTurn(ctx, db, owner)
		if err != nil {
			return err
		}
		if mine {
			break
		}
		if time.Since(begun) > migratingEnd {
			return errors.New("another program has been bringing it up to date for five minutes")
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	working, done := context.WithCancel(ctx)
	stopped := make(chan struct{})
	go func() {
		defer close(stopped)
		tick := time.NewTicker(migratingFor / 5)
		defer tick.Stop()
		for {
			select {
			case <-working.Done():
				return
			case <-tick.C:
				_, _ = takeTurn(working, db, owner)
			}
		}
	}()
	err := f()
	done()
	<-stopped
	_, _ = db.ExecContext(context.WithoutCancel(ctx), `UPDATE migrating SET owner = '', until_at = '2000-01-01' WHERE id = 1 AND owner = ?`, owner)
	return err
}

// takeTurn takes the turn, or keeps it, and says whether one has it.
func takeTurn(ctx context.Context, db *sqlx.DB, owner string) (bool, error) {
	r, err := db.ExecContext(ctx, `UPDATE migrating SET owner = ?, until_at = TIMESTAMPADD(MICROSECOND, ?, NOW(3)) WHERE id = 1 AND (owner = ? OR until_at < NOW(3))`, owner, migratingFor.Microseconds(), owner)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// migrate brings the tables up to date. Those of a newer version are left alone.
func migrate(ctx context.Context, p *goose.Provider) error {
	is, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	known := p.ListSources()
	if newest := known[len(known)-1].Version; is > newest {
		return fmt.Errorf("a newer version of Ruvel has worked with it (its tables are of version %d, this one knows %d); use that version, or a backup from before", is, newest)
	}
	_, err = p.Up(ctx)
	return err
}
