package store

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"github.com/jmoiron/sqlx"

	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/revise"
	"ruvel/core/session"
)

// Details are what is said of all episodes of a show.
func (s *Store) Details(ctx context.Context, show string) (details.Details, error) {
	var d JSON[details.Details]
	return d.Of, found(s.db.GetContext(ctx, &d, `SELECT details FROM shows WHERE id = ?`, show), "show")
}

// SetDetails says something else of all episodes of a show.
func (s *Store) SetDetails(ctx context.Context, show string, d details.Details) error {
	if err := ready(ctx, s.db, show, &d); err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `UPDATE shows SET details = ? WHERE id = ?`, text(d), show)
	return changed(r, err, "show")
}

// ReviseDetails changes what is said of all episodes of a show.
func (s *Store) ReviseDetails(ctx context.Context, show string, changes revise.Revision) (d details.Details, err error) {
	return d, s.transaction(ctx, func(tx *sqlx.Tx) error {
		var now JSON[details.Details]
		if err := found(tx.GetContext(ctx, &now, `SELECT details FROM shows WHERE id = ? FOR UPDATE`, show), "show"); err != nil {
			return err
		}
		if d, err = revise.Apply(now.Of, changes); err != nil {
			return err
		}
		if err := ready(ctx, tx, show, &d); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE shows SET details = ? WHERE id = ?`, text(d), show)
		return err
	})
}

// ReviseEpisode changes what is said of an episode.
func (s *Store) ReviseEpisode(ctx context.Context, id string, changes revise.Revision) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		row, err := lock(ctx, tx, id)
		if err != nil {
			return err
		}
		var e Episode
		if err := found(tx.GetContext(ctx, &e, episodeColumns+` WHERE id = ?`, id), "episode"); err != nil {
			return err
		}
		d, err := revise.Apply(e.Said(), changes)
		if err != nil {
			return err
		}
		if err := ready(ctx, tx, row.Show, &d); err != nil {
			return err
		}
		_, err = describe(ctx, tx, id, d)
		return err
	})
}

// describe writes what is said of an episode.
func describe(ctx context.Context, to sqlx.ExecerContext, id string, d details.Details) (sql.Result, error) {
	rest := d
	rest.Description, rest.Language = "", ""
	return to.ExecContext(ctx, `UPDATE episodes SET description = ?, language = ?, details = ? WHERE id = ?`, d.Description, d.Language, text(rest), id)
}

// Describe says something else of an episode.
func (s *Store) Describe(ctx context.Context, id string, d details.Details) error {
	e, err := s.Episode(ctx, id)
	if err != nil {
		return err
	}
	if err := ready(ctx, s.db, e.Show, &d); err != nil {
		return err
	}
	r, err := describe(ctx, s.db, id, d)
	return changed(r, err, "episode")
}

// ready checks details, also that the picture is one of the show.
func ready(ctx context.Context, from sqlx.QueryerContext, show string, d *details.Details) error {
	if err := d.Check(); err != nil || d.Artwork == "" {
		return err
	}
	if _, err := pictureOf(ctx, from, show, d.Artwork); err != nil {
		if IsNotFound(err) {
			return problem.New("unknown-picture", "artwork", "This picture is not one of the show. Hand it in first.")
		}
		return err
	}
	return nil
}

// Said is what is said of an episode by itself.
func (e Episode) Said() details.Details {
	d := e.Details.Of
	d.Description, d.Language = e.Description, e.Language
	return d
}

// Targets are the delivery targets that a show has made for itself.
func (s *Store) Targets(ctx context.Context, show string) ([]session.OwnTarget, error) {
	t := JSON[[]session.OwnTarget]{[]session.OwnTarget{}}
	return t.Of, found(s.db.GetContext(ctx, &t, `SELECT targets FROM shows WHERE id = ?`, show), "show")
}

// mostTargets is how many a show can have.
const mostTargets = 20

// ReviseTargets changes, adds and takes off targets of a show, by their names.
func (s *Store) ReviseTargets(ctx context.Context, show string, changes revise.Revision) (targets []session.OwnTarget, err error) {
	return targets, s.transaction(ctx, func(tx *sqlx.Tx) error {
		now := JSON[[]session.OwnTarget]{[]session.OwnTarget{}}
		if err := found(tx.GetContext(ctx, &now, `SELECT targets FROM shows WHERE id = ? FOR UPDATE`, show), "show"); err != nil {
			return err
		}
		named := map[string]session.OwnTarget{}
		for _, t := range now.Of {
			named[t.Name] = t
		}
		if named, err = revise.Apply(named, changes); err != nil {
			return err
		}
		targets = []session.OwnTarget{}
		for _, t := range now.Of { // those that were there stay where they were
			if again, there := named[t.Name]; there {
				targets = append(targets, again)
				delete(named, t.Name)
			}
		}
		for _, name := range slices.Sorted(maps.Keys(named)) {
			targets = append(targets, named[name])
		}
		if err := checkTargets(targets); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE shows SET targets = ? WHERE id = ?`, text(targets), show)
		return err
	})
}

// SetTargets gives a show other targets of its own.
func (s *Store) SetTargets(ctx context.Context, show string, targets []session.OwnTarget) error {
	if err := checkTargets(targets); err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `UPDATE shows SET targets = ? WHERE id = ?`, text(targets), show)
	return changed(r, err, "show")
}

// checkTargets says what is wrong with targets, and puts their names in order.
func checkTargets(targets []session.OwnTarget) error {
	if len(targets) > mostTargets {
		return problem.New("too-many-targets", "targets", "A show has at most %d targets of its own.", mostTargets)
	}
	for i := range targets {
		name, err := session.NewName(targets[i].Name, "targets.name")
		if err != nil {
			return err
		}
		targets[i].Name = name
		if err := targets[i].Check("targets"); err != nil {
			return err
		}
	}
	return nil
}

// Picture is artwork of a show; its bytes are in the bucket.
type Picture struct {
	ID    string `db:"id" json:"id"`
	Type  string `db:"type" json:"type"`
	Size  int    `db:"size" json:"size" doc:"Pixels of each side"`
	Bytes int64  `db:"bytes" json:"bytes"`
}

const pictureColumns = `SELECT id, type, size, bytes FROM pictures`

// AddPicture adds one, or does nothing if the show has it.
func (s *Store) AddPicture(ctx context.Context, show string, p Picture) error {
	if _, err := s.Show(ctx, show); err != nil {
		return err
	}
	return addPicture(ctx, s.db, show, p)
}

func addPicture(ctx context.Context, to sqlx.ExecerContext, show string, p Picture) error {
	_, err := to.ExecContext(ctx, `INSERT INTO pictures (show_id, id, type, size, bytes) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`, show, p.ID, p.Type, p.Size, p.Bytes)
	return err
}

// Picture is one of a show.
func (s *Store) Picture(ctx context.Context, show, id string) (Picture, error) {
	return pictureOf(ctx, s.db, show, id)
}

func pictureOf(ctx context.Context, from sqlx.QueryerContext, show, id string) (p Picture, err error) {
	return p, found(sqlx.GetContext(ctx, from, &p, pictureColumns+` WHERE show_id = ? AND id = ?`, show, id), "picture")
}

// AnyPicture is one of whatever show.
func (s *Store) AnyPicture(ctx context.Context, id string) (p Picture, err error) {
	return p, found(s.db.GetContext(ctx, &p, pictureColumns+` WHERE id = ? LIMIT 1`, id), "picture")
}

// PicturesOfAll is the set of the ids of all pictures.
func (s *Store) PicturesOfAll(ctx context.Context) (map[string]bool, error) {
	return set(ctx, s, `SELECT DISTINCT id FROM pictures`)
}

// hasPictures refuses pictures that a show does not have.
func hasPictures(ctx context.Context, from sqlx.QueryerContext, show string, set edit.SetMarkers) error {
	for _, m := range set.Markers {
		if m.Picture == nil || *m.Picture == "" {
			continue
		}
		if _, err := pictureOf(ctx, from, show, *m.Picture); err != nil {
			return err
		}
	}
	return nil
}
