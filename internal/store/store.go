// Package store keeps shows, episodes with their documents and history, the facts of
// sounds, jobs and mixdowns in MariaDB.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database. It is safe for use by many goroutines.
type Store struct {
	db        *sqlx.DB
	documents documents
	// Samples opens the sounds that an edit listens to, such as for the quietest place of a
	// join; done closes them. Nil: edits are made without listening. It is set before the
	// store is used.
	Samples func(ctx context.Context) (samples func(id string, from, to audio.Frames) (audio.PCM, error), done func())
}

// Open connects to a database by its data source name, in which its address may be several nodes (a:3306,b:3306), and brings its tables up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	db, err := connect(ctx, dsn)
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(16)
	db.SetMaxIdleConns(16)
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, db.DB, files)
	if err != nil {
		return nil, err
	}
	if err := alone(ctx, db, func() error { return migrate(ctx, provider) }); err != nil {
		_ = db.Close()
		return nil, fmt.Errorf("bring the database up to date: %w", err)
	}
	return &Store{db: db}, nil
}

// Close ends all connections.
func (s *Store) Close() error { return s.db.Close() }

// NewID makes an id for a new row; ids made later sort later.
func NewID() string { return uuid.Must(uuid.NewV7()).String() }

// NotFound is what is answered where a row does not exist, or no longer.
func NotFound(what string) error {
	return problem.New("not-found", what, "This %s does not exist, or no longer.", what)
}

// IsNotFound says whether an error is that something does not exist, which is not that it could not be asked.
func IsNotFound(err error) bool {
	var p problem.Problem
	return errors.As(err, &p) && p.Code == "not-found"
}

// IsAway says whether an error is that the database could not be asked, or not to its end.
// What was to be changed then has been changed whole or not at all.
func IsAway(err error) bool {
	var e *mysql.MySQLError
	if errors.As(err, &e) {
		switch e.Number {
		case 1040, notReady, notCommitted, 1053, 1077, 1079, 1152, 1158, 1159, 1160, 1161, 1184, 1205, 1927: // going away, cut off, too many at once, waited in vain
			return true
		}
		return false
	}
	var n *net.OpError
	return errors.Is(err, driver.ErrBadConn) || errors.Is(err, mysql.ErrInvalidConn) || errors.As(err, &n) && n.Op == "dial"
}

// IsUnfit says whether an error is that a value has a form which its column cannot hold, or
// names something that does not exist.
func IsUnfit(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (e.Number == 1366 || e.Number == 1406 || e.Number == 1264 || e.Number == 1452)
}

// IsFull says whether an error is that the database has no room on its disk.
func IsFull(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (e.Number == 1021 || e.Number == 1114 || e.Number == 3 && strings.Contains(e.Message, "28"))
}

// JSON is a value kept as JSON text in a column.
type JSON[T any] struct{ Of T }

// Scan reads a column.
func (j *JSON[T]) Scan(src any) error {
	switch v := src.(type) {
	case nil:
		return nil
	case []byte:
		return j.parse(v)
	case string:
		return j.parse([]byte(v))
	}
	return fmt.Errorf("cannot read JSON from a %T", src)
}

func (j *JSON[T]) parse(data []byte) error {
	if len(data) == 0 {
		return nil
	}
	return json.Unmarshal(data, &j.Of)
}

// transaction runs f in a transaction, again if somebody else was first.
func (s *Store) transaction(ctx context.Context, f func(*sqlx.Tx) error) error {
	for try := 0; ; try++ {
		err := s.once(ctx, f)
		if !isConflict(err) || try == again {
			return err
		}
		time.Sleep(pause(try))
	}
}

func (s *Store) once(ctx context.Context, f func(*sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }()
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// found turns "no rows" into NotFound.
func found(err error, what string) error {
	if errors.Is(err, sql.ErrNoRows) {
		return NotFound(what)
	}
	return err
}

// changed is NotFound where a statement met no row.
func changed(r sql.Result, err error, what string) error {
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n > 0 {
		return err
	}
	return NotFound(what)
}

// Show is a series.
type Show struct {
	ID       string    `db:"id" json:"id"`
	Name     string    `db:"name" json:"name"`
	Episodes int       `db:"episodes" json:"episodes" doc:"How many it has"`
	Created  time.Time `db:"created_at" json:"created"`
	Role     Role      `db:"-" json:"role,omitempty" enum:"owner,producer,reader,listener" doc:"What the one who asks is there; left out where there is one person"`
}

const showColumns = `SELECT id, name, created_at, (SELECT COUNT(*) FROM episodes WHERE show_id = shows.id AND NOT layout) AS episodes FROM shows`

// Shows lists all shows, the oldest first.
func (s *Store) Shows(ctx context.Context) ([]Show, error) {
	shows := []Show{}
	return shows, s.db.SelectContext(ctx, &shows, showColumns+` ORDER BY created_at, id`)
}

// Show is one show.
func (s *Store) Show(ctx context.Context, id string) (show Show, err error) {
	return show, found(s.db.GetContext(ctx, &show, showColumns+` WHERE id = ?`, id), "show")
}

// AddShow makes a show.
func (s *Store) AddShow(ctx context.Context, name string) (Show, error) {
	return s.AddShowOf(ctx, strings.TrimSpace(name), AuthorIn(ctx).ID)
}

// RenameShow gives a show another name.
func (s *Store) RenameShow(ctx context.Context, id, name string) error {
	r, err := s.db.ExecContext(ctx, `UPDATE shows SET name = ? WHERE id = ?`, strings.TrimSpace(name), id)
	return changed(r, err, "show")
}
