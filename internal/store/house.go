package store

import (
	"context"
	"strings"

	"github.com/jmoiron/sqlx"

	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// mostLayouts is how many a show can have.
const mostLayouts = 50

// Layouts lists the layouts of the house sound of a show, by their names. A layout is an episode in
// all that is done to it, but is listed apart.
func (s *Store) Layouts(ctx context.Context, show string) ([]Episode, error) {
	if _, err := s.Show(ctx, show); err != nil {
		return nil, err
	}
	layouts := []Episode{}
	return layouts, s.db.SelectContext(ctx, &layouts, episodeColumns+` WHERE show_id = ? AND layout ORDER BY title, id`, show)
}

// AddLayout keeps a document as a layout of the house sound of a show, with what is said of all
// episodes that begin as it.
func (s *Store) AddLayout(ctx context.Context, show, name string, doc session.Document, said details.Details) (Episode, error) {
	return s.AddLayoutAs(ctx, NewID(), show, name, doc, said)
}

// AddLayoutAs is AddLayout with an id of the caller's choice. The same id twice is one layout.
func (s *Store) AddLayoutAs(ctx context.Context, id, show, name string, doc session.Document, said details.Details) (Episode, error) {
	if e, err := s.Episode(ctx, id); err == nil {
		return e, nil
	} else if !IsNotFound(err) {
		return e, err
	}
	err := s.transaction(ctx, func(tx *sqlx.Tx) error {
		var there int
		if err := found(tx.GetContext(ctx, &there, `SELECT (SELECT COUNT(*) FROM episodes WHERE show_id = shows.id AND layout) FROM shows WHERE id = ? FOR UPDATE`, show), "show"); err != nil {
			return err
		}
		if there >= mostLayouts {
			return problem.New("too-many-layouts", "name", "A show has at most %d layouts. Remove one that is not used any more.", mostLayouts)
		}
		rest := said
		rest.Description, rest.Language = "", ""
		if _, err := tx.ExecContext(ctx, `INSERT INTO episodes (id, show_id, number, title, document, length, next_id, layout, description, language, details) VALUES (?, ?, 0, ?, ?, ?, ?, TRUE, ?, ?, ?)`,
			id, show, strings.TrimSpace(name), doc.JSON(), doc.Length(), doc.Next, said.Description, said.Language, text(rest)); err != nil {
			return err
		}
		return use(ctx, tx, id, show, doc)
	})
	if err != nil {
		return Episode{}, err
	}
	return s.Episode(ctx, id)
}

// Layout is one layout.
func (s *Store) Layout(ctx context.Context, show, id string) (Episode, error) {
	e, err := s.Episode(ctx, id)
	if err == nil && (!e.Layout || e.Show != show) {
		return Episode{}, NotFound("layout")
	}
	return e, err
}

// AddEpisodeFrom makes an episode that begins as a layout of its show.
func (s *Store) AddEpisodeFrom(ctx context.Context, show, layout, title string, number int) (Episode, error) {
	l, err := s.Layout(ctx, show, layout)
	if err != nil {
		return Episode{}, err
	}
	doc, _, err := s.Document(ctx, layout)
	if err != nil {
		return Episode{}, err
	}
	e, err := s.AddEpisode(ctx, show, title, number, doc)
	if err != nil {
		return Episode{}, err
	}
	said := l.Said()
	rest := said
	rest.Description, rest.Language = "", ""
	if _, err := s.db.ExecContext(ctx, `UPDATE episodes SET made_from = ?, made_of = ?, description = ?, language = ?, details = ? WHERE id = ?`,
		layout, doc.JSON(), said.Description, said.Language, text(rest), e.ID); err != nil {
		return Episode{}, err
	}
	return s.Episode(ctx, e.ID)
}

// BegunAs lists the episodes that began as a layout, the newest first.
func (s *Store) BegunAs(ctx context.Context, layout string) ([]Episode, error) {
	out := []Episode{}
	return out, s.db.SelectContext(ctx, &out, episodeColumns+` WHERE made_from = ? ORDER BY number DESC, id DESC`, layout)
}

// MadeOf is the document of its layout that an episode was last in line with.
func (s *Store) MadeOf(ctx context.Context, episode string) (session.Document, error) {
	var data []byte
	if err := found(s.db.GetContext(ctx, &data, `SELECT made_of FROM episodes WHERE id = ? AND made_from IS NOT NULL`, episode), "layout"); err != nil {
		return session.Document{}, err
	}
	return session.Parse(data)
}

// InLine keeps that an episode is in line with a document of its layout.
func (s *Store) InLine(ctx context.Context, episode string, doc session.Document) error {
	r, err := s.db.ExecContext(ctx, `UPDATE episodes SET made_of = ?, changed_at = changed_at WHERE id = ? AND made_from IS NOT NULL`, doc.JSON(), episode)
	return changed(r, err, "layout")
}
