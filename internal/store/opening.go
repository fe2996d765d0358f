package store

import (
	"context"

	"github.com/jmoiron/sqlx"

	"ruvel/core/details"
	"ruvel/core/session"
)

// Opened is all that an archive brings to a show.
type Opened struct {
	ID       string // that the episode gets
	Show     string
	Title    string
	Number   int
	Layout   bool
	Document session.Document
	Details  details.Details
	Script   *Script   // nil: none
	Sounds   []Sound   // that the show does not have yet
	Pictures []Picture // whose files are in the bucket
}

// TakeIn makes an episode or a layout of what an archive brings, with its sounds, pictures and script: all at once or not
// at all. The same id twice is one episode.
func (s *Store) TakeIn(ctx context.Context, o Opened) (Episode, error) {
	if e, err := s.Episode(ctx, o.ID); err == nil || !IsNotFound(err) {
		return e, err
	}
	if err := o.Details.Check(); err != nil {
		return Episode{}, err
	}
	if o.Script != nil {
		if err := o.Script.check(); err != nil {
			return Episode{}, err
		}
	}
	err := s.transaction(ctx, func(tx *sqlx.Tx) error {
		for _, p := range o.Pictures {
			if err := addPicture(ctx, tx, o.Show, p); err != nil {
				return err
			}
		}
		for _, v := range o.Sounds {
			if err := addSound(ctx, tx, v); err != nil {
				return err
			}
		}
		if err := insert(ctx, tx, o.ID, o.Show, o.Title, o.Number, o.Document, beginning{said: o.Details, layout: o.Layout}); err != nil {
			return err
		}
		if o.Script == nil {
			return nil
		}
		return o.Script.keep(ctx, tx, o.ID)
	})
	if err != nil {
		return Episode{}, err
	}
	return s.Episode(ctx, o.ID)
}
