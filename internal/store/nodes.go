package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
)

// A database is one server, or the nodes of a Galera cluster, which all have the same and of which any can be written to. What two nodes
// have let happen to one row is found out when it is committed: the later one is refused, as a deadlock is, and done again. No lock of a node is
// seen by another; so whatever must not happen twice at once writes a row that both write.

// Times of those that have several nodes. One that does not answer must not hold up for long who could ask another.
const (
	reached  = 2 * time.Second
	answered = 10 * time.Second
	asked    = time.Minute // how long a connection is kept: then the first node is asked for again
)

// notReady is what a node answers that does not belong to the larger part of its cluster, or is not up to date yet.
const notReady = 1047

// notCommitted is what it answers if it finds that out while something is committed, which is not done then.
const notCommitted = 1180

// connect opens a database by its data source name. Its address may be several, with commas between: of those the first is
// used that answers and is part of its cluster.
func connect(ctx context.Context, dsn string) (*sqlx.DB, error) {
	before, rest, several := strings.Cut(dsn, "tcp(")
	addresses, after, closed := strings.Cut(rest, ")")
	if !several || !closed || !strings.Contains(addresses, ",") {
		config, err := settings(dsn)
		if err != nil {
			return nil, err
		}
		db, err := sqlx.ConnectContext(ctx, "mysql", config.FormatDSN())
		if err != nil {
			return nil, fmt.Errorf("connect to the database: %w", err)
		}
		db.SetConnMaxLifetime(5 * time.Minute)
		return db, nil
	}
	n := &nodes{}
	for address := range strings.SplitSeq(addresses, ",") {
		config, err := settings(before + "tcp(" + strings.TrimSpace(address) + ")" + after)
		if err != nil {
			return nil, err
		}
		config.Timeout, config.ReadTimeout, config.WriteTimeout = reached, answered, answered
		config.Params["wsrep_sync_wait"] = "1" // what another node has acknowledged is seen
		one, err := mysql.NewConnector(config)
		if err != nil {
			return nil, fmt.Errorf("read the database address: %w", err)
		}
		n.all = append(n.all, one)
	}
	db := sqlx.NewDb(sql.OpenDB(n), "mysql")
	db.SetConnMaxLifetime(asked)
	if err := db.PingContext(ctx); err != nil {
		return nil, fmt.Errorf("connect to the database: %w", errors.Join(err, db.Close()))
	}
	return db, nil
}

// settings are those of all our connections.
func settings(dsn string) (*mysql.Config, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("read the database address: %w", err)
	}
	config.ParseTime, config.Loc = true, time.UTC
	config.MultiStatements = false
	config.ClientFoundRows = true
	config.InterpolateParams = true
	config.Params = map[string]string{"time_zone": "'+00:00'"}
	return config, nil
}

// nodes connects to the first of several that is there.
type nodes struct{ all []driver.Connector }

// Driver is that of all of them.
func (n *nodes) Driver() driver.Driver { return n.all[0].Driver() }

// Connect is driver.Connector's.
func (n *nodes) Connect(ctx context.Context) (driver.Conn, error) {
	var failed error
	for k, node := range n.all {
		c, err := node.Connect(ctx)
		if err == nil {
			if err = belongs(ctx, c); err == nil {
				if k > 0 {
					slog.Debug("a node of the database is used that is not the first", "node", k+1, "because", failed)
				}
				return &noted{conn: c.(conn)}, nil
			}
			_ = c.Close()
		}
		failed = errors.Join(failed, err)
		if ctx.Err() != nil {
			break
		}
	}
	return nil, failed
}

// belongs is an error of a node that is not part of its cluster. One that is no node of a cluster is none.
func belongs(ctx context.Context, c driver.Conn) error {
	of, err := shows(ctx, c, `SHOW VARIABLES LIKE 'wsrep_on'`)
	if err != nil || of != "ON" {
		return err
	}
	ready, err := shows(ctx, c, `SHOW STATUS LIKE 'wsrep_ready'`)
	if err == nil && ready != "ON" {
		err = &mysql.MySQLError{Number: notReady, Message: "this node is not part of its cluster at the moment"}
	}
	return err
}

// shows gives the value that a server shows of itself; none where it does not know of it. A node may show something when it answers nothing else.
func shows(ctx context.Context, c driver.Conn, query string) (string, error) {
	rows, err := c.(driver.QueryerContext).QueryContext(ctx, query, nil)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	row := make([]driver.Value, 2)
	if err := rows.Next(row); err != nil {
		if errors.Is(err, io.EOF) {
			return "", nil
		}
		return "", err
	}
	value, _ := row[1].([]byte)
	return string(value), nil
}

// conn is all that the driver's connections can do.
type conn interface {
	driver.Conn
	driver.ConnBeginTx
	driver.ConnPrepareContext
	driver.ExecerContext
	driver.QueryerContext
	driver.Pinger
	driver.SessionResetter
	driver.Validator
	driver.NamedValueChecker
}

// noted is a connection to a node that is given up as soon as the node says that it does not belong to its cluster any more. What it says
// that to it has not done, so it is asked of another node.
type noted struct {
	conn
	gone   bool
	within bool // a transaction
}

// again is how often a statement or a transaction is done once more, where somebody else was first.
const again = 8

// pause is how long it is waited before that: longer each time, and not as long as others who were refused at the same moment.
func pause(try int) time.Duration {
	return time.Duration(rand.Int64N(int64(time.Millisecond) << min(try, 5)))
}

func (n *noted) of(err error) error {
	var e *mysql.MySQLError
	if errors.As(err, &e) && (e.Number == notReady || e.Number == notCommitted) {
		n.gone = true
		return driver.ErrBadConn
	}
	return err
}

// IsValid is driver.Validator's.
func (n *noted) IsValid() bool { return !n.gone && n.conn.IsValid() }

// ExecContext is driver.ExecerContext's.
func (n *noted) ExecContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Result, error) {
	for try := 0; ; try++ {
		r, err := n.conn.ExecContext(ctx, query, args)
		if n.within || !isRefused(err) || try == again {
			return r, n.of(err)
		}
		time.Sleep(pause(try))
	}
}

// QueryContext is driver.QueryerContext's.
func (n *noted) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	r, err := n.conn.QueryContext(ctx, query, args)
	return r, n.of(err)
}

// BeginTx is driver.ConnBeginTx's.
func (n *noted) BeginTx(ctx context.Context, o driver.TxOptions) (driver.Tx, error) {
	tx, err := n.conn.BeginTx(ctx, o)
	if err != nil {
		return nil, n.of(err)
	}
	n.within = true
	return &ending{tx, n}, nil
}

// ending is a transaction whose connection is free again when it has ended.
type ending struct {
	driver.Tx
	of *noted
}

// Commit is driver.Tx's.
func (e *ending) Commit() error {
	e.of.within = false
	return e.of.of(e.Tx.Commit())
}

// Rollback is driver.Tx's.
func (e *ending) Rollback() error {
	e.of.within = false
	return e.Tx.Rollback()
}

// isRefused says whether a node was refused what it had let happen, since another was first.
func isRefused(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && e.Number == 1213
}

// isConflict says whether somebody else was first, here or on another node: what was to be changed has not been, and can be done again.
func isConflict(err error) bool {
	var e *mysql.MySQLError
	return isRefused(err) || errors.As(err, &e) && e.Number == 1205
}

// inTurn lets the rest of a transaction be done by one at a time of those that name the same, on whatever nodes they are: it writes
// a row that all of them write.
func inTurn(ctx context.Context, tx *sqlx.Tx, name string) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO duties (name, owner, until_at) VALUES (?, ?, NOW(3)) ON DUPLICATE KEY UPDATE owner = VALUES(owner), until_at = VALUES(until_at)`, name, NewID())
	return err
}
