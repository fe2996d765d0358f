package episodes

import (
	"context"

	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/house"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Layout is a layout of the house sound of a show.
type Layout struct {
	Episode
	house.Contents
	Made int `json:"made" doc:"How many episodes began as it"`
}

// Bringable is what can be brought from a layout to an episode that began as it.
type Bringable struct {
	Episode Episode        `json:"episode"`
	Layout  string         `json:"layout" doc:"Its name"`
	Changes []house.Change `json:"changes" nullable:"false"`
}

// NewLayout is a layout that is to be made.
type NewLayout struct {
	Name string `json:"name" maxLength:"200" doc:"What kind of episode it is for"`
	From string `json:"from,omitempty" format:"uuid" of:"episode" doc:"The episode that it is taken from; left out: it is empty"`
}

// Layouts are those of a show.
func (all *Episodes) Layouts(ctx context.Context, show string) ([]Layout, error) {
	rows, err := all.Store.Layouts(ctx, show)
	if err != nil {
		return nil, err
	}
	out := []Layout{}
	for _, e := range rows {
		doc, _, err := all.Store.Document(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		made, err := all.Store.BegunAs(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		out = append(out, Layout{View(e), house.Describe(doc), len(made)})
	}
	return out, nil
}

// AddLayout keeps a layout with a show: taken from an episode of it, or empty.
func (all *Episodes) AddLayout(ctx context.Context, show string, want NewLayout) (Episode, error) {
	name, err := session.NewName(want.Name, "name")
	if err != nil {
		return Episode{}, err
	}
	doc, said := session.New(), details.Details{}
	if want.From != "" {
		from, err := all.Store.Episode(ctx, want.From)
		if err != nil {
			return Episode{}, err
		}
		full, _, err := all.Store.Document(ctx, want.From)
		if err != nil {
			return Episode{}, err
		}
		doc, said = house.Take(full), from.Said()
		said.Description, said.Guests, said.Date, said.Credits = "", nil, "", "" // which are of that episode alone
	}
	e, err := all.Store.AddLayout(ctx, show, name, doc, said)
	return View(e), err
}

// bringable is what has changed in a layout since an episode was in line with it, and the edit of a version of the episode that brings it along.
func (all *Episodes) bringable(ctx context.Context, e store.Episode, now session.Document, version int64) (changes []house.Change, op *edit.BringAlong, base int64, err error) {
	own, base, err := all.Store.Document(ctx, e.ID)
	if err != nil {
		return nil, nil, 0, err
	}
	was, err := all.Store.InLineWith(ctx, e, own)
	if err != nil {
		return nil, nil, 0, err
	}
	changes, op = house.Along(was, now, version, own)
	return changes, op, base, nil
}

// Bringable are those episodes of a show whose layouts have changed since they were in line with them.
func (all *Episodes) Bringable(ctx context.Context, show string) ([]Bringable, error) {
	rows, err := all.Store.Layouts(ctx, show)
	if err != nil {
		return nil, err
	}
	out := []Bringable{}
	for _, l := range rows {
		now, version, err := all.Store.Document(ctx, l.ID)
		if err != nil {
			return nil, err
		}
		made, err := all.Store.BegunAs(ctx, l.ID)
		if err != nil {
			return nil, err
		}
		for _, e := range made {
			changes, _, _, err := all.bringable(ctx, e, now, version)
			if err != nil {
				return nil, err
			}
			if len(changes) > 0 {
				out = append(out, Bringable{View(e), l.Title, changes})
			}
		}
	}
	return out, nil
}

// BringAlong brings an episode in line with its layout, as one step that can be undone.
func (all *Episodes) BringAlong(ctx context.Context, episode string) (work.ChangeEvent, error) {
	e, err := all.Store.Episode(ctx, episode)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	if e.MadeFrom == nil {
		return work.ChangeEvent{}, problem.New("no-layout", "episode", "This episode was not made from a layout of the house sound, or that has been removed.")
	}
	layout, err := all.Store.Episode(ctx, *e.MadeFrom)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	now, version, err := all.Store.Document(ctx, layout.ID)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	_, op, base, err := all.bringable(ctx, e, now, version)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	if op == nil {
		return work.ChangeEvent{}, problem.New("nothing-to-bring", "episode", "This episode is in line with the house sound already.")
	}
	op.Name = "Bring along with the house sound “" + layout.Title + "”"
	c, err := all.Store.BringAlong(ctx, episode, base, layout.ID, *op, now)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	return all.Queue.Changed(episode, c), nil
}
