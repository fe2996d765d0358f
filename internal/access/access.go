// Package access is the one door: from whatever a request names it finds the show that this belongs to, and says whether one who asks
// may go in. Nothing else in Ruvel asks that.
package access

import (
	"context"
	"slices"

	"ruvel/core/edit"
	"ruvel/internal/store"
)

// Owners knows which shows things of a kind belong to, by their ids: none of what does not exist, one as a rule, and several of what is named
// by its content. That it could not be asked is an error. What is given is not changed.
type Owners interface {
	ShowsWith(ctx context.Context, t store.Thing, ids ...string) (map[string][]string, error)
}

// Door lets in.
type Door struct {
	Owners Owners

	lets func(show string) bool // whether the one who asks may go into a show; nil: there is one person, who may go into every one
}

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
		with, err := d.Owners.ShowsWith(ctx, n.Thing, n.ID)
		if err != nil {
			return err
		}
		having := with[n.ID]
		if len(having) == 0 && n.Gone {
			continue
		}
		before := shows
		shows = those(having, func(show string) bool { return d.open(show) && (before == nil || slices.Contains(before, show)) })
		if len(shows) == 0 {
			return store.NotFound(string(n.Thing))
		}
	}
	return nil
}

// Reach gives those of some sounds or pictures that are of a show which the one who asks may go into.
func (d *Door) Reach(ctx context.Context, t store.Thing, ids []string) (out []string, err error) {
	with, err := d.Owners.ShowsWith(ctx, t, ids...)
	for _, id := range ids {
		if slices.ContainsFunc(with[id], d.open) {
			out = append(out, id)
		}
	}
	return out, err
}

// Bring says whether an operation may bring into a show what is in others: whoever asks must be able to go into one that has it. What no show
// has is left to the operation.
func (d *Door) Bring(ctx context.Context, op edit.Op) error {
	paste, ok := op.(edit.PasteClips)
	if !ok {
		return nil
	}
	with, err := d.Owners.ShowsWith(ctx, store.ASound, paste.Fragment.Sounds()...)
	for _, having := range with {
		if !slices.ContainsFunc(having, d.open) {
			return store.NotFound(string(store.ASound))
		}
	}
	return err
}

// Shows are those of some that the one who asks may go into.
func (d *Door) Shows(all []store.Show) []store.Show {
	return slices.DeleteFunc(all, func(s store.Show) bool { return !d.open(s.ID) })
}

// open says whether the one who asks may go into a show.
func (d *Door) open(show string) bool { return d.lets == nil || d.lets(show) }

// those are the shows that are wanted.
func those(shows []string, wanted func(show string) bool) (out []string) {
	for _, show := range shows {
		if wanted(show) {
			out = append(out, show)
		}
	}
	return out
}
