package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/problem"
)

// The kinds of invitations.
const (
	ForFirst = "first" // the first person of a Ruvel
	ForJoin  = "join"  // somebody to be of a show
	ForRenew = "renew" // somebody who has forgotten their password
)

// Invitation is a link that is good once.
type Invitation struct {
	ID     string     `db:"id"`
	Secret []byte     `db:"secret"` // SHA-256 of what stands in the link
	Kind   string     `db:"kind"`
	Show   *string    `db:"show_id"`
	Role   *Role      `db:"role"`
	Person *string    `db:"person_id"` // whose password is made anew
	By     *string    `db:"made_by"`
	Note   string     `db:"note"`
	Ends   time.Time  `db:"ends_at"`
	Used   *time.Time `db:"used_at"`
	Made   time.Time  `db:"made_at"`
}

// AddInvitation keeps one. Earlier ones for the first person, and for the same one who has forgotten their password, are no longer good.
func (s *Store) AddInvitation(ctx context.Context, i Invitation) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		if i.Kind != ForJoin {
			if _, err := tx.ExecContext(ctx, `DELETE FROM invitations WHERE kind = ? AND used_at IS NULL AND person_id <=> ?`, i.Kind, i.Person); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO invitations (id, secret, kind, show_id, role, person_id, made_by, note, ends_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			i.ID, i.Secret, i.Kind, i.Show, i.Role, i.Person, i.By, i.Note, i.Ends)
		return err
	})
}

// Invitations are those to a show that are still good, the newest first.
func (s *Store) Invitations(ctx context.Context, show string) ([]Invitation, error) {
	all := []Invitation{}
	return all, s.db.SelectContext(ctx, &all, `SELECT * FROM invitations WHERE show_id = ? AND kind = 'join' AND used_at IS NULL AND ends_at > ? ORDER BY made_at DESC, id DESC`, show, time.Now().UTC())
}

// InvitationBy is the one with a secret, if it is still good.
func (s *Store) InvitationBy(ctx context.Context, secret []byte) (i Invitation, err error) {
	return i, found(s.db.GetContext(ctx, &i, `SELECT * FROM invitations WHERE secret = ? AND used_at IS NULL AND ends_at > ?`, secret, time.Now().UTC()), "invitation")
}

// RemoveInvitation takes one back.
func (s *Store) RemoveInvitation(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM invitations WHERE id = ? AND used_at IS NULL`, id)
	return changed(r, err, "invitation")
}

// Joining is somebody who takes an invitation.
type Joining struct {
	Person  Person // with an id: somebody who is there already
	Issuer  string // who knows them elsewhere; empty: nobody
	Subject string // as whom
}

// Accept uses an invitation up: somebody new, or who is there already, becomes of its show, or gets another password. All of it or nothing.
func (s *Store) Accept(ctx context.Context, secret []byte, j Joining) (p Person, err error) {
	var i Invitation
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		i = Invitation{}
		if err := found(tx.GetContext(ctx, &i, `SELECT * FROM invitations WHERE secret = ? AND used_at IS NULL AND ends_at > ? FOR UPDATE`, secret, time.Now().UTC()), "invitation"); err != nil {
			return err
		}
		p = j.Person
		if err := i.accepted(ctx, tx, &p, j); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE invitations SET used_at = CURRENT_TIMESTAMP(3) WHERE id = ?`, i.ID)
		return err
	})
	if err != nil {
		return Person{}, err
	}
	if i.Kind == ForFirst {
		if err := s.OwnAll(ctx); err != nil {
			return Person{}, err
		}
	}
	return s.Person(ctx, p.ID)
}

func (i Invitation) accepted(ctx context.Context, tx *sqlx.Tx, p *Person, j Joining) error {
	switch {
	case i.Kind == ForRenew:
		p.ID = *i.Person
		r, err := tx.ExecContext(ctx, `UPDATE people SET password = ?, epoch = epoch + 1 WHERE id = ? AND left_at IS NULL`, p.Password, p.ID)
		return changed(r, err, "person")
	case p.ID == "":
		p.ID = NewID()
		_, err := tx.ExecContext(ctx, `INSERT INTO people (id, name, letters, sign_in, password, keeper) VALUES (?, ?, ?, ?, ?, ?)`,
			p.ID, p.Name, p.Letters, p.SignIn, p.Password, i.Kind == ForFirst)
		if isTaken(err) {
			return problem.New("name-taken", "signIn", "Somebody signs in by that name already. Choose another, or sign in first if that is you.")
		}
		if err != nil {
			return err
		}
	}
	if j.Issuer != "" {
		_, err := tx.ExecContext(ctx, `INSERT INTO identities (issuer, subject, person_id) VALUES (?, ?, ?)`, j.Issuer, j.Subject, p.ID)
		if err != nil {
			return err
		}
	}
	if i.Show == nil {
		return nil
	}
	// Who is of the show already keeps the wider of the two roles.
	_, err := tx.ExecContext(ctx, `INSERT INTO members (show_id, person_id, role) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE
		role = IF(FIELD(VALUES(role), 'owner', 'producer') > 0 AND (FIELD(role, 'owner', 'producer') = 0 OR FIELD(VALUES(role), 'owner', 'producer') < FIELD(role, 'owner', 'producer')), VALUES(role), role)`,
		*i.Show, p.ID, *i.Role)
	return err
}
