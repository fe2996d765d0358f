package store

import (
	"context"

	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/house"
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
	return s.add(ctx, id, show, name, 0, doc, beginning{said: said, layout: true})
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
	doc, version, err := s.Document(ctx, layout)
	if err != nil {
		return Episode{}, err
	}
	if err := s.keepLayout(ctx, layout, version, doc); err != nil {
		return Episode{}, err
	}
	return s.add(ctx, NewID(), show, title, number, house.Begin(doc, version), beginning{said: l.Said(), from: &layout})
}

// keepLayout keeps a version of a layout for as long as there is the layout: what has changed since is told from it.
func (s *Store) keepLayout(ctx context.Context, layout string, version int64, doc session.Document) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO layout_versions (layout_id, version, document) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE version = version`, layout, version, doc.JSON())
	return err
}

// BegunAs lists the episodes that began as a layout, the newest first.
func (s *Store) BegunAs(ctx context.Context, layout string) ([]Episode, error) {
	out := []Episode{}
	return out, s.db.SelectContext(ctx, &out, episodeColumns+` WHERE made_from = ? ORDER BY number DESC, id DESC`, layout)
}

// InLineWith is the document of its layout that a document of an episode was last in line with.
func (s *Store) InLineWith(ctx context.Context, e Episode, doc session.Document) (session.Document, error) {
	if e.MadeFrom == nil {
		return session.Document{}, NotFound("layout")
	}
	var data []byte
	err := s.db.GetContext(ctx, &data, `SELECT document FROM layout_versions WHERE layout_id = ? AND version = ?`, *e.MadeFrom, doc.Model.Version)
	if IsNotFound(found(err, "layout")) { // it was made when that was kept with the episode
		err = s.db.GetContext(ctx, &data, `SELECT made_of FROM episodes WHERE id = ? AND made_of IS NOT NULL`, e.ID)
	}
	if err := found(err, "layout"); err != nil {
		return session.Document{}, err
	}
	return session.Parse(data)
}

// BringAlong brings a version of an episode in line with a version of its layout.
func (s *Store) BringAlong(ctx context.Context, episode string, base int64, layout string, op edit.BringAlong, now session.Document) (Change, error) {
	if err := s.keepLayout(ctx, layout, op.Model.Version, now); err != nil {
		return Change{}, err
	}
	return s.Edit(ctx, episode, base, "", op)
}
