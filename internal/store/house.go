package store

import (
	"context"

	"ruvel/core/details"
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
	doc, _, err := s.Document(ctx, layout)
	if err != nil {
		return Episode{}, err
	}
	return s.add(ctx, NewID(), show, title, number, doc, beginning{said: l.Said(), from: &layout})
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
