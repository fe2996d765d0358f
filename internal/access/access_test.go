package access_test

import (
	"context"
	"errors"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/access"
	"ruvel/internal/store"
)

// owners are shows by the ids of what they have.
type owners map[string][]string

var errAway = errors.New("away")

func (o owners) ShowsWith(_ context.Context, _ store.Thing, ids ...string) (map[string][]string, error) {
	shows := map[string][]string{}
	for _, id := range ids {
		if id == "away" {
			return nil, errAway
		}
		if having, there := o[id]; there {
			shows[id] = having
		}
	}
	return shows, nil
}

func (o owners) HasLayout(_ context.Context, episodes ...string) (bool, error) {
	return slices.Contains(episodes, "layout"), nil
}

func (o owners) Taken(_ context.Context, person string, takes ...string) (bool, error) {
	return !slices.ContainsFunc(takes, func(take string) bool { return take != "take of "+person }), nil
}

var (
	all = owners{
		"harbour": {"harbour"}, "tide": {"tide"}, "fog": {"harbour"}, "ebb": {"tide"}, "gulls": {"harbour", "tide"}, "swell": {"tide", "third"},
		"layout": {"harbour"}, "take of keeper": {"harbour"}, "take of archivist": {"harbour"},
	}
	door   = access.Door{Owners: all}
	narrow = access.Door{Owners: all, People: true}
)

// as is a context in which the keeper asks, with a role in one show.
func as(t *testing.T, role store.Role) context.Context {
	return access.As(t.Context(), &access.Who{Person: store.Person{ID: "keeper", Name: "Keeper"}, Roles: map[string]store.Role{"harbour": role}})
}

func TestAllThatARequestNamesIsOfOneShow(t *testing.T) {
	named := func(ids ...string) (out []access.Named) {
		for _, id := range ids {
			out = append(out, access.Named{Thing: store.AnEpisode, ID: id})
		}
		return out
	}
	for name, all := range map[string][]access.Named{
		"nothing":                      nil,
		"one that is not given":        named(""),
		"a show with what it has":      named("harbour", "fog", "gulls"),
		"what is of several":           named("gulls"),
		"what is of several, together": named("gulls", "swell"),
		"one that may be gone":         {{Thing: store.AnEpisode, ID: "lost", Gone: true}},
	} {
		assert.NoError(t, door.Enter(t.Context(), access.Make, all...), name)
	}
	for name, all := range map[string][]access.Named{
		"one that there is not":       named("lost"),
		"one of another show":         named("harbour", "ebb"),
		"shows that have none as one": named("fog", "swell"),
		"three, of which two agree":   named("gulls", "swell", "harbour"),
		"one of another, not gone":    append(named("harbour"), access.Named{Thing: store.AnEpisode, ID: "ebb", Gone: true}),
	} {
		assert.True(t, store.IsNotFound(door.Enter(t.Context(), access.Make, all...)), name)
	}
	assert.ErrorIs(t, door.Enter(t.Context(), access.Make, named("harbour", "away")...), errAway, "that it could not be asked is another answer")
}

func TestWhatNoShowHasIsNotReached(t *testing.T) {
	out, err := door.Reach(t.Context(), access.Make, store.ASound, []string{"gulls", "lost", "fog"})
	require.NoError(t, err)
	assert.Equal(t, []string{"gulls", "fog"}, out)
	_, err = door.Reach(t.Context(), access.Make, store.ASound, []string{"gulls", "away"})
	assert.ErrorIs(t, err, errAway)
}

func TestAnEditBringsSoundsOfShowsThatOneMayGoInto(t *testing.T) {
	paste := func(id string) edit.Op {
		return edit.PasteClips{Fragment: edit.Fragment{Rows: []edit.Row{{Clips: []session.Clip{{Sound: id}}}}}}
	}
	assert.NoError(t, door.Bring(t.Context(), paste("swell")))
	assert.NoError(t, door.Bring(t.Context(), paste("lost")), "which the edit itself refuses")
	assert.ErrorIs(t, door.Bring(t.Context(), paste("away")), errAway)
	assert.NoError(t, door.Bring(t.Context(), edit.AddMarker{}), "one that brings nothing asks nothing")
	assert.NoError(t, narrow.Bring(as(t, store.Producer), paste("gulls")), "one of them is open")
	assert.True(t, store.IsNotFound(narrow.Bring(as(t, store.Producer), paste("swell"))))
	assert.NoError(t, narrow.Bring(as(t, store.Producer), paste("lost")))
}

func TestWhereOneMayNotGoIsAsIfThereWereNothing(t *testing.T) {
	one := func(id string, gone bool) error {
		return narrow.Enter(as(t, store.Producer), access.Make, access.Named{Thing: store.AnEpisode, ID: id, Gone: gone})
	}
	assert.NoError(t, one("fog", false))
	assert.NoError(t, one("gulls", false), "of several shows one is open")
	assert.True(t, store.IsNotFound(one("ebb", false)))
	assert.True(t, store.IsNotFound(one("ebb", true)), "which is there, and no one's to see")
	assert.NoError(t, one("lost", true))
	assert.True(t, store.IsNotFound(narrow.Enter(as(t, store.Producer), access.Make, access.Named{ID: "gulls"}, access.Named{ID: "swell"})), "what they have in common is shut")
	reached, err := narrow.Reach(as(t, store.Producer), access.Make, store.ASound, []string{"gulls", "swell", "lost"})
	require.NoError(t, err)
	assert.Equal(t, []string{"gulls"}, reached)
	assert.Equal(t, []store.Show{{ID: "harbour", Role: store.Producer}}, narrow.Shows(as(t, store.Producer), []store.Show{{ID: "tide"}, {ID: "harbour"}}))
}

func TestEachRoleHasItsRightsAndIsToldWhatItLacks(t *testing.T) {
	fog := access.Named{Thing: store.AnEpisode, ID: "fog"}
	for role, may := range map[store.Role][]access.Right{
		store.Owner:    {access.Belong, access.Hear, access.Note, access.Read, access.Make, access.Own},
		store.Producer: {access.Belong, access.Hear, access.Note, access.Read, access.Make},
		store.Reader:   {access.Belong, access.Read},
		store.Listener: {access.Belong, access.Hear, access.Note},
	} {
		for _, right := range access.Rights() {
			err := narrow.Enter(as(t, role), right, fog)
			switch {
			case right == access.Free, right == access.Signed, slices.Contains(may, right):
				assert.NoError(t, err, "%s, %s", role, right)
			default:
				assertCode(t, "not-allowed", err, "%s, %s", role, right)
			}
		}
		assert.True(t, store.IsNotFound(narrow.Enter(as(t, role), access.Belong, access.Named{Thing: store.AnEpisode, ID: "ebb"})))
	}
	for _, right := range access.Rights()[1:] {
		assertCode(t, "not-signed-in", narrow.Enter(t.Context(), right, fog), right)
	}
}

func TestALayoutIsMadeByOwnersAndATakeIsItsReaders(t *testing.T) {
	layout := access.Named{Thing: store.AnEpisode, ID: "layout"}
	assertCode(t, "not-allowed", narrow.Enter(as(t, store.Producer), access.Make, layout))
	assert.NoError(t, narrow.Enter(as(t, store.Producer), access.Hear, layout))
	assert.NoError(t, narrow.Enter(as(t, store.Owner), access.Make, layout))
	assert.True(t, store.IsNotFound(narrow.Enter(as(t, store.Reader), access.Read, layout)))
	assert.NoError(t, narrow.Enter(as(t, store.Producer), access.Read, layout))
	own, others := access.Named{Thing: store.ATake, ID: "take of keeper"}, access.Named{Thing: store.ATake, ID: "take of archivist"}
	assert.NoError(t, narrow.Enter(as(t, store.Reader), access.Read, own))
	assert.True(t, store.IsNotFound(narrow.Enter(as(t, store.Reader), access.Read, others)))
	assert.NoError(t, narrow.Enter(as(t, store.Producer), access.Read, others))
}

func TestShowsAreBegunByWhoKeepsRuvelAndByOwners(t *testing.T) {
	assert.NoError(t, door.Begin(t.Context()))
	assertCode(t, "not-signed-in", narrow.Begin(t.Context()))
	assertCode(t, "not-allowed", narrow.Begin(as(t, store.Producer)))
	assert.NoError(t, narrow.Begin(as(t, store.Owner)))
	assert.NoError(t, narrow.Begin(access.As(t.Context(), &access.Who{Person: store.Person{ID: "first", Keeper: true}})))
}

func assertCode(t *testing.T, code string, err error, about ...any) {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p, about...)
	assert.Equal(t, code, p.Code, about...)
}
