// Package access is the one door: from whatever a request names it finds the show that this belongs to, and says whether one who asks
// may go in. Nothing else in Ruvel asks that.
package access

import (
	"cmp"
	"context"
	"slices"

	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/internal/store"
)

// Owners knows which shows things of a kind belong to, by their ids: none of what does not exist, one as a rule, and several of what is named
// by its content. That it could not be asked is an error. What is given is not changed.
type Owners interface {
	ShowsWith(ctx context.Context, t store.Thing, ids ...string) (map[string][]string, error)
	// HasLayout says whether one of some episodes is a layout of the house sound.
	HasLayout(ctx context.Context, episodes ...string) (bool, error)
	// Taken says whether all of some takes were recorded by one person.
	Taken(ctx context.Context, person string, takes ...string) (bool, error)
}

// Door lets in.
type Door struct {
	Owners Owners
	// People: there are several, each with a role in some shows, and who is not known gets in nowhere. If not, there is one person, who may go
	// into every show and do everything.
	People bool
}

// Named is a thing as a request names it.
type Named struct {
	Thing store.Thing
	ID    string // empty: the request names none
	Gone  bool   // it may have been removed: then there is nothing to be kept from anybody
}

// Enter says whether the one who asks may go on with what a request names, for which a right is needed. All of that belongs to one show, or
// one is refused as if it did not exist, which is also what is said of what one may not know of. Who is of the show and lacks the right is
// told so. Where nothing is named there is no more to ask than whether somebody is known.
func (d *Door) Enter(ctx context.Context, right Right, all ...Named) error {
	if right == Free {
		return nil
	}
	if d.People && Asks(ctx) == nil {
		return Unknown()
	}
	if d.People && right == Keep && !Asks(ctx).Keeper {
		return refused(Keep)
	}
	shows, err := d.common(ctx, all)
	if err != nil || !d.People || len(shows) == 0 || right == Signed || right == Keep {
		return err
	}
	return d.asks(ctx, right, shows, all)
}

// common are the shows that have all of what is named and that the one who asks is of; none where nothing is named.
func (d *Door) common(ctx context.Context, all []Named) (shows []string, err error) {
	for _, n := range all {
		if n.ID == "" {
			continue
		}
		with, err := d.Owners.ShowsWith(ctx, n.Thing, n.ID)
		if err != nil {
			return nil, err
		}
		having := with[n.ID]
		if len(having) == 0 && n.Gone {
			continue
		}
		before := shows
		shows = those(having, func(show string) bool {
			return d.Can(ctx, show, Belong) && (before == nil || slices.Contains(before, show))
		})
		if len(shows) == 0 {
			return nil, store.NotFound(string(n.Thing))
		}
	}
	return shows, nil
}

// asks says whether somebody has a right in one of some shows that they are of. Who makes episodes does not make layouts, which are the house
// sound; who reads has the takes of their own.
func (d *Door) asks(ctx context.Context, right Right, shows []string, all []Named) error {
	having := those(shows, func(show string) bool { return d.Can(ctx, show, right) })
	if len(having) == 0 {
		return refused(right)
	}
	owning := slices.ContainsFunc(having, func(show string) bool { return d.Can(ctx, show, Own) })
	if right == Make && !owning {
		laid, err := d.Owners.HasLayout(ctx, ids(all, store.AnEpisode)...)
		if err == nil && laid {
			err = refused(Own)
		}
		return err
	}
	making := slices.ContainsFunc(having, func(show string) bool { return d.Can(ctx, show, Make) })
	if right == Read && !making {
		// Who only reads does so for episodes.
		if laid, err := d.Owners.HasLayout(ctx, ids(all, store.AnEpisode)...); err != nil || laid {
			return cmp.Or(err, store.NotFound(string(store.AnEpisode)))
		}
	}
	if takes := ids(all, store.ATake); right == Read && !making && len(takes) > 0 {
		own, err := d.Owners.Taken(ctx, Asks(ctx).ID, takes...)
		if err == nil && !own {
			err = store.NotFound(string(store.ATake))
		}
		return err
	}
	return nil
}

// ids are those of one kind among what is named.
func ids(all []Named, t store.Thing) (out []string) {
	for _, n := range all {
		if n.Thing == t && n.ID != "" {
			out = append(out, n.ID)
		}
	}
	return out
}

// Reach gives those of some sounds or pictures that are of a show in which the one who asks has a right.
func (d *Door) Reach(ctx context.Context, right Right, t store.Thing, ids []string) (out []string, err error) {
	with, err := d.Owners.ShowsWith(ctx, t, ids...)
	for _, id := range ids {
		if slices.ContainsFunc(with[id], func(show string) bool { return d.Can(ctx, show, right) }) {
			out = append(out, id)
		}
	}
	return out, err
}

// Bring says whether an operation may bring into a show what is in others: whoever asks must make episodes of one that has it. What no show
// has is left to the operation.
func (d *Door) Bring(ctx context.Context, op edit.Op) error {
	paste, ok := op.(edit.PasteClips)
	if !ok {
		return nil
	}
	with, err := d.Owners.ShowsWith(ctx, store.ASound, paste.Fragment.Sounds()...)
	for _, having := range with {
		if !slices.ContainsFunc(having, func(show string) bool { return d.Can(ctx, show, Make) }) {
			return store.NotFound(string(store.ASound))
		}
	}
	return err
}

// Shows are those of some that the one who asks is of, with what they are there.
func (d *Door) Shows(ctx context.Context, all []store.Show) []store.Show {
	if !d.People {
		return all
	}
	out := slices.DeleteFunc(all, func(s store.Show) bool { return !d.Can(ctx, s.ID, Belong) })
	for i := range out {
		out[i].Role = Asks(ctx).Roles[out[i].ID]
	}
	return out
}

// Begin says whether the one who asks may begin a show.
func (d *Door) Begin(ctx context.Context) error {
	if !d.People {
		return nil
	}
	who := Asks(ctx)
	switch {
	case who == nil:
		return Unknown()
	case !who.Begins():
		return problem.New("not-allowed", "role", "Only owners of a show, and who keeps this Ruvel, can begin another show.")
	}
	return nil
}

// Can says whether the one who asks has a right in a show.
func (d *Door) Can(ctx context.Context, show string, right Right) bool {
	if !d.People {
		return true
	}
	who := Asks(ctx)
	if who == nil {
		return false
	}
	role, is := who.Roles[show]
	return is && May(role, right)
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
