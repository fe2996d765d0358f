package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"ruvel/core/problem"
)

// Role is what somebody is in a show.
type Role string

// The roles.
const (
	Owner    Role = "owner"    // people, house sound, feed, removal, and all that a producer does
	Producer Role = "producer" // everything on episodes
	Reader   Role = "reader"   // scripts, and recording them
	Listener Role = "listener" // hears, and notes something at a place
)

// Known says whether there is such a role.
func (r Role) Known() bool { return r == Owner || r == Producer || r == Reader || r == Listener }

// Author is whose a change is: nobody's where there is one person.
type Author struct{ ID, Name string }

type authorKey struct{}

// By is a context in which what is changed is somebody's.
func By(ctx context.Context, a Author) context.Context { return context.WithValue(ctx, authorKey{}, a) }

// AuthorIn is whose changes in a context are.
func AuthorIn(ctx context.Context) Author {
	a, _ := ctx.Value(authorKey{}).(Author)
	return a
}

type requestKey struct{}

// ForRequest is a context of a request with an id, by which what it begins is known in the log.
func ForRequest(ctx context.Context, id string) context.Context {
	return context.WithValue(ctx, requestKey{}, id)
}

// RequestIn is the id of the request that a context is of, or nothing.
func RequestIn(ctx context.Context) string {
	id, _ := ctx.Value(requestKey{}).(string)
	return id
}

// id is that of the author as it is kept.
func (a Author) id() *string {
	if a.ID == "" {
		return nil
	}
	return &a.ID
}

// Person is somebody who signs in.
type Person struct {
	ID       string     `db:"id" json:"id"`
	Name     string     `db:"name" json:"name"`
	Letters  string     `db:"letters" json:"letters" doc:"In the circle that stands for them"`
	SignIn   *string    `db:"sign_in" json:"-"`
	Password string     `db:"password" json:"-"` // argon2id; empty: they sign in elsewhere
	Keeper   bool       `db:"keeper" json:"keeper,omitempty" doc:"They look after this Ruvel"`
	Epoch    int        `db:"epoch" json:"-"`
	Made     time.Time  `db:"made_at" json:"-"`
	Left     *time.Time `db:"left_at" json:"-"`
}

// People lists all who have not left, by name.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	all := []Person{}
	return all, s.db.SelectContext(ctx, &all, `SELECT * FROM people WHERE left_at IS NULL ORDER BY name, id`)
}

// Person is somebody who has not left.
func (s *Store) Person(ctx context.Context, id string) (p Person, err error) {
	return p, found(s.db.GetContext(ctx, &p, `SELECT * FROM people WHERE id = ? AND left_at IS NULL`, id), "person")
}

// PersonBySignIn is who signs in by a name.
func (s *Store) PersonBySignIn(ctx context.Context, name string) (p Person, err error) {
	return p, found(s.db.GetContext(ctx, &p, `SELECT * FROM people WHERE sign_in = ? AND left_at IS NULL`, name), "person")
}

// PersonKnownAs is who is known by a subject to an issuer elsewhere.
func (s *Store) PersonKnownAs(ctx context.Context, issuer, subject string) (p Person, err error) {
	return p, found(s.db.GetContext(ctx, &p, `SELECT p.* FROM people p JOIN identities i ON i.person_id = p.id WHERE i.issuer = ? AND i.subject = ? AND p.left_at IS NULL`,
		issuer, subject), "person")
}

// Anybody says whether there is somebody who can sign in and keeps this Ruvel.
func (s *Store) Anybody(ctx context.Context) (there bool, err error) {
	return there, s.db.GetContext(ctx, &there, `SELECT EXISTS (SELECT 1 FROM people WHERE keeper AND left_at IS NULL)`)
}

// ChangePerson changes somebody's row.
func (s *Store) ChangePerson(ctx context.Context, id string, change func(*Person) error) (p Person, err error) {
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		p = Person{}
		if err := found(tx.GetContext(ctx, &p, `SELECT * FROM people WHERE id = ? AND left_at IS NULL FOR UPDATE`, id), "person"); err != nil {
			return err
		}
		if err := change(&p); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE people SET name = ?, letters = ?, password = ?, epoch = ? WHERE id = ?`, p.Name, p.Letters, p.Password, p.Epoch, id)
		return err
	})
	return p, err
}

// RemovePerson has somebody leave: their name stays on what they have made, and nothing lets them in any more. The last one who
// keeps this Ruvel, and the last owner of a show, cannot.
func (s *Store) RemovePerson(ctx context.Context, id string) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		if err := inTurn(ctx, tx, "keepers"); err != nil {
			return err
		}
		var keepers []string
		if err := tx.SelectContext(ctx, &keepers, `SELECT id FROM people WHERE keeper AND left_at IS NULL FOR UPDATE`); err != nil {
			return err
		}
		if len(keepers) == 1 && keepers[0] == id {
			return problem.New("last-keeper", "person", "Somebody has to look after this Ruvel. Nobody else does.")
		}
		var shows []string
		if err := tx.SelectContext(ctx, &shows, `SELECT show_id FROM members WHERE person_id = ? ORDER BY show_id FOR UPDATE`, id); err != nil {
			return err
		}
		for _, show := range shows {
			if err := leave(ctx, tx, show, id); err != nil {
				return err
			}
		}
		for _, query := range []string{`DELETE FROM tokens WHERE person_id = ?`, `DELETE FROM identities WHERE person_id = ?`, `DELETE FROM invitations WHERE person_id = ?`} {
			if _, err := tx.ExecContext(ctx, query, id); err != nil {
				return err
			}
		}
		r, err := tx.ExecContext(ctx, `UPDATE people SET left_at = CURRENT_TIMESTAMP(3), sign_in = NULL, password = '', epoch = epoch + 1 WHERE id = ? AND left_at IS NULL`, id)
		return changed(r, err, "person")
	})
}

// Member is somebody of a show.
type Member struct {
	Person
	Role  Role      `db:"role" json:"role" enum:"owner,producer,reader,listener"`
	Since time.Time `db:"since" json:"since"`
}

// Members lists those of a show by name.
func (s *Store) Members(ctx context.Context, show string) ([]Member, error) {
	all := []Member{}
	return all, s.db.SelectContext(ctx, &all, `SELECT p.*, m.role, m.made_at AS since FROM members m JOIN people p ON p.id = m.person_id WHERE m.show_id = ? ORDER BY p.name, p.id`, show)
}

// RolesOf are somebody's roles by the shows that they are of.
func (s *Store) RolesOf(ctx context.Context, person string) (map[string]Role, error) {
	var rows []struct {
		Show string `db:"show_id"`
		Role Role   `db:"role"`
	}
	err := s.db.SelectContext(ctx, &rows, `SELECT show_id, role FROM members WHERE person_id = ?`, person)
	roles := map[string]Role{}
	for _, r := range rows {
		roles[r.Show] = r.Role
	}
	return roles, err
}

// SetRole gives somebody of a show another role. Its last owner stays one.
func (s *Store) SetRole(ctx context.Context, show, person string, role Role) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		if role != Owner {
			if err := anotherOwner(ctx, tx, show, person); err != nil {
				return err
			}
		}
		r, err := tx.ExecContext(ctx, `UPDATE members SET role = ? WHERE show_id = ? AND person_id = ?`, role, show, person)
		return changed(r, err, "person")
	})
}

// Leave takes somebody out of a show. Its last owner cannot go.
func (s *Store) Leave(ctx context.Context, show, person string) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error { return leave(ctx, tx, show, person) })
}

func leave(ctx context.Context, tx *sqlx.Tx, show, person string) error {
	if err := anotherOwner(ctx, tx, show, person); err != nil {
		return err
	}
	r, err := tx.ExecContext(ctx, `DELETE FROM members WHERE show_id = ? AND person_id = ?`, show, person)
	return changed(r, err, "person")
}

// anotherOwner says whether a show has an owner besides one person, if that is one. One at a time is asked of a show: two owners who
// go at once do not both find the other.
func anotherOwner(ctx context.Context, tx *sqlx.Tx, show, person string) error {
	if err := inTurn(ctx, tx, "owners of "+show); err != nil {
		return err
	}
	var name string
	if err := found(tx.GetContext(ctx, &name, `SELECT name FROM shows WHERE id = ?`, show), "show"); err != nil {
		return err
	}
	var owners []string
	if err := tx.SelectContext(ctx, &owners, `SELECT person_id FROM members WHERE show_id = ? AND role = 'owner'`, show); err != nil {
		return err
	}
	if len(owners) == 1 && owners[0] == person {
		return problem.New("last-owner", "person", "“%s” has no other owner. Make somebody else one first.", name)
	}
	return nil
}

// AddShowOf makes a show whose owner is somebody; nobody where there is one person.
func (s *Store) AddShowOf(ctx context.Context, name, owner string) (Show, error) {
	id := NewID()
	err := s.transaction(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO shows (id, name) VALUES (?, ?)`, id, name); err != nil || owner == "" {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO members (show_id, person_id, role) VALUES (?, ?, 'owner')`, id, owner)
		return err
	})
	if err != nil {
		return Show{}, err
	}
	return s.Show(ctx, id)
}

// OwnAll makes who keeps this Ruvel an owner of the shows that have none: those from when there was one person.
func (s *Store) OwnAll(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, `INSERT IGNORE INTO members (show_id, person_id, role)
		SELECT s.id, (SELECT id FROM people WHERE keeper AND left_at IS NULL ORDER BY made_at, id LIMIT 1), 'owner' FROM shows s
		WHERE NOT EXISTS (SELECT 1 FROM members m WHERE m.show_id = s.id AND m.role = 'owner') AND EXISTS (SELECT 1 FROM people WHERE keeper AND left_at IS NULL)`)
	return err
}

// HasLayout says whether one of some episodes is a layout of the house sound.
func (s *Store) HasLayout(ctx context.Context, episodes ...string) (there bool, err error) {
	return s.any(ctx, `SELECT EXISTS (SELECT 1 FROM episodes WHERE layout AND id IN (?))`, episodes)
}

// Taken says whether all of some takes were recorded by one person.
func (s *Store) Taken(ctx context.Context, person string, takes ...string) (bool, error) {
	others, err := s.any(ctx, `SELECT EXISTS (SELECT 1 FROM takes WHERE id IN (?) AND NOT person_id <=> ?)`, takes, person)
	return !others && err == nil, err
}

// any asks a question about some ids, of which none is nothing.
func (s *Store) any(ctx context.Context, query string, ids []string, more ...any) (is bool, err error) {
	if len(ids) == 0 {
		return false, nil
	}
	query, values, err := sqlx.In(query, append([]any{ids}, more...)...)
	if err != nil {
		return false, err
	}
	return is, s.db.GetContext(ctx, &is, query, values...)
}

// isTaken says whether an error is that there is one already.
func isTaken(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && e.Number == duplicateKey
}

// Sessions is where what somebody has signed in with is kept, for the library that does.
func (s *Store) Sessions() *sql.DB { return s.db.DB }
