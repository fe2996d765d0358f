package store

import (
	"context"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Episode is the row of an episode without its document.
type Episode struct {
	ID              string                `db:"id"`
	Show            string                `db:"show_id"`
	Number          int                   `db:"number"`
	Title           string                `db:"title"`
	Description     string                `db:"description"`
	Language        string                `db:"language"`
	Details         JSON[details.Details] `db:"details"` // besides these
	Version         int64                 `db:"version"`
	Length          audio.Frames          `db:"length"`
	Changed         time.Time             `db:"changed_at"`
	Loudness        JSON[loudness.Result] `db:"loudness"`
	LoudnessVersion int64                 `db:"loudness_version"`
	Mixdowns        int                   `db:"mixdowns"`
	Layout          bool                  `db:"layout"`    // of the house sound, and no episode
	MadeFrom        *string               `db:"made_from"` // the layout that it began as
}

const episodeColumns = `SELECT id, show_id, number, title, description, language, details, version, length, changed_at, loudness, loudness_version, layout, made_from,
  (SELECT COUNT(*) FROM mixdowns WHERE episode_id = episodes.id AND mixdowns.version = episodes.version) AS mixdowns FROM episodes`

// Episodes lists the episodes of a show, the newest number first.
func (s *Store) Episodes(ctx context.Context, show string) ([]Episode, error) {
	if _, err := s.Show(ctx, show); err != nil {
		return nil, err
	}
	episodes := []Episode{}
	return episodes, s.db.SelectContext(ctx, &episodes, episodeColumns+` WHERE show_id = ? AND NOT layout ORDER BY number DESC, id DESC`, show)
}

// Episode is one episode.
func (s *Store) Episode(ctx context.Context, id string) (e Episode, err error) {
	return e, found(s.db.GetContext(ctx, &e, episodeColumns+` WHERE id = ?`, id), "episode")
}

// AddEpisode makes an episode with a document. Its number is the show's next if it is 0.
func (s *Store) AddEpisode(ctx context.Context, show, title string, number int, doc session.Document) (Episode, error) {
	return s.AddEpisodeAs(ctx, NewID(), show, title, number, doc)
}

// AddEpisodeAs is AddEpisode with an id of the caller's choice. The same id twice is one episode.
func (s *Store) AddEpisodeAs(ctx context.Context, id, show, title string, number int, doc session.Document) (Episode, error) {
	return s.add(ctx, id, show, title, number, doc, beginning{})
}

// beginning is what an episode has from the start besides its document.
type beginning struct {
	said   details.Details
	layout bool    // it is a layout of the house sound
	from   *string // the layout that it begins as; its document says how it stands to it
}

// add makes an episode or a layout, all at once or not at all.
func (s *Store) add(ctx context.Context, id, show, title string, number int, doc session.Document, b beginning) (Episode, error) {
	if e, err := s.Episode(ctx, id); err == nil {
		return e, nil
	} else if !IsNotFound(err) {
		return e, err
	}
	err := s.transaction(ctx, func(tx *sqlx.Tx) error { return insert(ctx, tx, id, show, title, number, doc, b) })
	if err != nil {
		return Episode{}, err
	}
	return s.Episode(ctx, id)
}

// insert adds the row of an episode or a layout, and what it uses.
func insert(ctx context.Context, tx *sqlx.Tx, id, show, title string, number int, doc session.Document, b beginning) error {
	data, rest := doc.JSON(), b.said
	rest.Description, rest.Language = "", ""
	var layouts int
	if err := found(tx.GetContext(ctx, &layouts, `SELECT (SELECT COUNT(*) FROM episodes WHERE show_id = shows.id AND layout) FROM shows WHERE id = ? FOR UPDATE`, show), "show"); err != nil {
		return err
	}
	if b.layout && layouts >= mostLayouts {
		return problem.New("too-many-layouts", "name", "A show has at most %d layouts. Remove one that is not used any more.", mostLayouts)
	}
	n := number
	if n == 0 && !b.layout {
		if err := tx.GetContext(ctx, &n, `SELECT COALESCE(MAX(number), 0) + 1 FROM episodes WHERE show_id = ?`, show); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, `INSERT INTO episodes (id, show_id, number, title, document, length, next_id, description, language, details, layout, made_from)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		id, show, n, strings.TrimSpace(title), data, doc.Length(), doc.Next, b.said.Description, b.said.Language, text(rest), b.layout, b.from); err != nil {
		return err
	}
	return use(ctx, tx, id, show, doc)
}

// RenameEpisode gives an episode another title and number.
func (s *Store) RenameEpisode(ctx context.Context, id, title string, number int) error {
	r, err := s.db.ExecContext(ctx, `UPDATE episodes SET title = ?, number = ? WHERE id = ?`, strings.TrimSpace(title), number, id)
	return changed(r, err, "episode")
}

// RemoveEpisode removes an episode with its history and lists the mixdowns whose files are now nobody's.
func (s *Store) RemoveEpisode(ctx context.Context, id string) (mixdowns []Mixdown, err error) {
	if mixdowns, err = s.Mixdowns(ctx, id); err != nil {
		return nil, err
	}
	s.documents.forget(id)
	r, err := s.db.ExecContext(ctx, `DELETE FROM episodes WHERE id = ?`, id)
	return mixdowns, changed(r, err, "episode")
}

// Document is the current document of an episode with its version. It is shared: nobody may change it.
func (s *Store) Document(ctx context.Context, id string) (session.Document, int64, error) {
	version, err := s.Version(ctx, id)
	if err != nil {
		return session.Document{}, 0, err
	}
	if p, there := s.documents.find(id, version); there {
		return p.doc, version, nil
	}
	var row struct {
		Document []byte `db:"document"`
		Version  int64  `db:"version"`
	}
	if err := found(s.db.GetContext(ctx, &row, `SELECT document, version FROM episodes WHERE id = ?`, id), "episode"); err != nil {
		return session.Document{}, 0, err
	}
	doc, err := session.Parse(row.Document)
	if err == nil {
		s.documents.keep(parsed{episode: id, version: row.Version, doc: doc})
	}
	return doc, row.Version, err
}

// KeepVersion keeps the current version of a document for a job to work on, and gives it.
func (s *Store) KeepVersion(ctx context.Context, id string) (doc session.Document, version int64, err error) {
	var row struct {
		Document []byte `db:"document"`
		Version  int64  `db:"version"`
	}
	err = s.transaction(ctx, func(tx *sqlx.Tx) error {
		if err := found(tx.GetContext(ctx, &row, `SELECT document, version FROM episodes WHERE id = ?`, id), "episode"); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO snapshots (episode_id, version, document) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE kept_at = CURRENT_TIMESTAMP(3)`,
			id, row.Version, row.Document)
		return err
	})
	if err != nil {
		return doc, 0, err
	}
	doc, err = session.Parse(row.Document)
	return doc, row.Version, err
}

// KeptVersion is a version of a document that was kept.
func (s *Store) KeptVersion(ctx context.Context, id string, version int64) (session.Document, error) {
	var data []byte
	if err := found(s.db.GetContext(ctx, &data, `SELECT document FROM snapshots WHERE episode_id = ? AND version = ?`, id, version), "version"); err != nil {
		return session.Document{}, err
	}
	return session.Parse(data)
}

// Version is the version that an episode's document is at.
func (s *Store) Version(ctx context.Context, id string) (version int64, err error) {
	return version, found(s.db.GetContext(ctx, &version, `SELECT version FROM episodes WHERE id = ?`, id), "episode")
}

// SetLoudness keeps what was measured of a version.
func (s *Store) SetLoudness(ctx context.Context, id string, version int64, r loudness.Result) error {
	_, err := s.db.ExecContext(ctx, `UPDATE episodes SET loudness = ?, loudness_version = ?, changed_at = changed_at WHERE id = ? AND loudness_version <= ?`,
		text(r), version, id, version)
	return err
}
