package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// MostVersions is how many versions of an episode can be named.
const MostVersions = 200

// NamedVersion is a version of an episode that somebody has named, to return to.
type NamedVersion struct {
	ID      string       `db:"id" json:"id"`
	Name    string       `db:"name" json:"name"`
	Version int64        `db:"version" json:"version"`
	Length  audio.Frames `db:"length" json:"length"`
	Made    time.Time    `db:"made_at" json:"made"`
}

const versionColumns = `SELECT id, name, version, length, made_at FROM versions`

// NameVersion keeps an episode as it is now under a name.
func (s *Store) NameVersion(ctx context.Context, episode, name string) (v NamedVersion, err error) {
	if name, err = session.NewName(name, "name"); err != nil {
		return v, err
	}
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, episode)
		if err != nil {
			return err
		}
		var n int
		if err := tx.GetContext(ctx, &n, `SELECT COUNT(*) FROM versions WHERE episode_id = ?`, episode); err != nil {
			return err
		}
		if n >= MostVersions {
			return problem.New("too-many-versions", "name", "An episode keeps at most %d named versions. Remove one that is not needed any more.", MostVersions)
		}
		now, err := s.parsed(ctx, tx, row)
		if err != nil {
			return err
		}
		id := NewID()
		if _, err := tx.ExecContext(ctx, `INSERT INTO versions (id, episode_id, name, version, length, document) VALUES (?, ?, ?, ?, ?, ?)`,
			id, episode, name, row.Version, now.doc.Length(), now.doc.JSON()); err != nil {
			return err
		}
		return tx.GetContext(ctx, &v, versionColumns+` WHERE id = ?`, id)
	})
	return v, err
}

// NamedVersions lists the named versions of an episode, the last first.
func (s *Store) NamedVersions(ctx context.Context, episode string) ([]NamedVersion, error) {
	if _, err := s.Version(ctx, episode); err != nil {
		return nil, err
	}
	all := []NamedVersion{}
	return all, s.db.SelectContext(ctx, &all, versionColumns+` WHERE episode_id = ? ORDER BY made_at DESC, id DESC`, episode)
}

// AtVersion gives the document of a named version.
func (s *Store) AtVersion(ctx context.Context, episode, id string) (session.Document, error) {
	var data []byte
	if err := found(s.db.GetContext(ctx, &data, `SELECT document FROM versions WHERE episode_id = ? AND id = ?`, episode, id), "version"); err != nil {
		return session.Document{}, err
	}
	return session.Parse(data)
}

// RemoveVersion forgets a named version. The episode stays as it is.
func (s *Store) RemoveVersion(ctx context.Context, episode, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM versions WHERE episode_id = ? AND id = ?`, episode, id)
	return changed(r, err, "version")
}

// ReturnTo brings an episode back to a named version, as a step of its history like any other.
func (s *Store) ReturnTo(ctx context.Context, episode, id string) (Change, error) {
	var row struct {
		Name     string `db:"name"`
		Document []byte `db:"document"`
	}
	if err := found(s.db.GetContext(ctx, &row, `SELECT name, document FROM versions WHERE episode_id = ? AND id = ?`, episode, id), "version"); err != nil {
		return Change{}, err
	}
	doc, err := session.Parse(row.Document)
	if err != nil {
		return Change{}, err
	}
	return s.edit(ctx, episode, meant{any: true}, "", edit.Restore{Document: doc, Name: row.Name})
}

// adopt lets a show have sounds that other shows have, as they are described there. What no show has is left out.
func adopt(ctx context.Context, tx *sqlx.Tx, show string, sounds []string) error {
	for _, id := range sounds {
		if _, err := tx.ExecContext(ctx, `INSERT INTO sounds (show_id, id, name, part, channels, rate, format, bytes, length, loudness, title, author, source, licence, notes, words, tempo)
			SELECT s.id, o.id, o.name, o.part, o.channels, o.rate, o.format, o.bytes, o.length, o.loudness, o.title, o.author, o.source, o.licence, o.notes, o.words, o.tempo
			FROM shows s JOIN sounds o ON o.id = ? AND o.show_id <> s.id WHERE s.id = ? LIMIT 1 ON DUPLICATE KEY UPDATE sounds.id = sounds.id`, id, show); err != nil {
			return err
		}
	}
	return nil
}
