// Package access is the one door: from whatever a request names it finds the show that this belongs to, and says whether one who asks
// may go in. Nothing else in Ruvel asks that.
package access

import (
	"context"
	"slices"

	"ruvel/core/edit"
	"ruvel/internal/store"
)

// Owners knows which shows a thing belongs to: none if it does not exist, one as a rule, and several of what is named by its
// content. That it could not be asked is an error. What is given is not changed.
type Owners interface {
	ShowsWith(ctx context.Context, t store.Thing, id string) ([]string, error)
}

// Door lets in. The zero value of what it does not know lets everybody in: there is one person.
type Door struct{ Owners Owners }

// Named is a thing as a request names it.
type Named struct {
	Thing store.Thing
	ID    string // empty: the request names none
	Gone  bool   // it may have been removed: then there is nothing to be kept from anybody
}

// Enter says whether the one who asks may go on with what a request names. All of that belongs to one show, or one is refused as if it
// did not exist, which is also what is said of what one may not know of. Where nothing is named there is nothing to ask.
func (d *Door) Enter(ctx context.Context, all ...Named) error {
	var shows []string // that have all so far
	for _, n := range all {
		if n.ID == "" {
			continue
		}
		having, err := d.open(ctx, n.Thing, n.ID)
		if err != nil {
			return err
		}
		if len(having) == 0 && n.Gone {
			continue
		}
		if shows != nil {
			having = those(having, func(show string) bool { return slices.Contains(shows, show) })
		}
		if len(having) == 0 {
			return store.NotFound(string(n.Thing))
		}
		shows = having
	}
	return nil
}

// Reach gives those of some sounds or pictures that are of a show which the one who asks may go into.
func (d *Door) Reach(ctx context.Context, t store.Thing, ids []string) (out []string, err error) {
	for _, id := range ids {
		having, err := d.open(ctx, t, id)
		if err != nil {
			return nil, err
		}
		if len(having) > 0 {
			out = append(out, id)
		}
	}
	return out, nil
}

// Bring says whether an operation may bring into a show what is in others: whoever asks must be able to go into one that has it. What no show
// has is left to the operation.
func (d *Door) Bring(ctx context.Context, op edit.Op) error {
	paste, ok := op.(edit.PasteClips)
	if !ok {
		return nil
	}
	for _, id := range paste.Fragment.Sounds() {
		having, err := d.Owners.ShowsWith(ctx, store.ASound, id)
		if err != nil {
			return err
		}
		if len(having) > 0 && !slices.ContainsFunc(having, d.lets) {
			return store.NotFound(string(store.ASound))
		}
	}
	return nil
}

// Open gives those shows that the one who asks may go into.
func (d *Door) Open(shows []store.Show) []store.Show {
	return slices.DeleteFunc(shows, func(s store.Show) bool { return !d.lets(s.ID) })
}

// open are the shows that have a thing and that the one who asks may go into.
func (d *Door) open(ctx context.Context, t store.Thing, id string) ([]string, error) {
	shows, err := d.Owners.ShowsWith(ctx, t, id)
	return those(shows, d.lets), err
}

// those are the shows that are wanted.
func those(shows []string, wanted func(show string) bool) (out []string) {
	for _, show := range shows {
		if wanted(show) {
			out = append(out, show)
		}
	}
	return out
}

// lets says whether the one who asks may go into a show. There is one person, who may.
func (d *Door) lets(string) bool { return true }
