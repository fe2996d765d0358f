package access_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/edit"
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

var (
	all = owners{
		"harbour": {"harbour"}, "tide": {"tide"}, "fog": {"harbour"}, "ebb": {"tide"}, "gulls": {"harbour", "tide"}, "swell": {"tide", "third"},
	}
	door   = access.Door{Owners: all}
	narrow = access.Letting(all, "harbour")
)

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
		assert.NoError(t, door.Enter(t.Context(), all...), name)
	}
	for name, all := range map[string][]access.Named{
		"one that there is not":       named("lost"),
		"one of another show":         named("harbour", "ebb"),
		"shows that have none as one": named("fog", "swell"),
		"three, of which two agree":   named("gulls", "swell", "harbour"),
		"one of another, not gone":    append(named("harbour"), access.Named{Thing: store.AnEpisode, ID: "ebb", Gone: true}),
	} {
		assert.True(t, store.IsNotFound(door.Enter(t.Context(), all...)), name)
	}
	assert.ErrorIs(t, door.Enter(t.Context(), named("harbour", "away")...), errAway, "that it could not be asked is another answer")
}

func TestWhatNoShowHasIsNotReached(t *testing.T) {
	out, err := door.Reach(t.Context(), store.ASound, []string{"gulls", "lost", "fog"})
	require.NoError(t, err)
	assert.Equal(t, []string{"gulls", "fog"}, out)
	_, err = door.Reach(t.Context(), store.ASound, []string{"gulls", "away"})
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
	assert.NoError(t, narrow.Bring(t.Context(), paste("gulls")), "one of them is open")
	assert.True(t, store.IsNotFound(narrow.Bring(t.Context(), paste("swell"))))
	assert.NoError(t, narrow.Bring(t.Context(), paste("lost")))
}

func TestWhereOneMayNotGoIsAsIfThereWereNothing(t *testing.T) {
	one := func(id string, gone bool) error {
		return narrow.Enter(t.Context(), access.Named{Thing: store.AnEpisode, ID: id, Gone: gone})
	}
	assert.NoError(t, one("fog", false))
	assert.NoError(t, one("gulls", false), "of several shows one is open")
	assert.True(t, store.IsNotFound(one("ebb", false)))
	assert.True(t, store.IsNotFound(one("ebb", true)), "which is there, and no one's to see")
	assert.NoError(t, one("lost", true))
	assert.True(t, store.IsNotFound(narrow.Enter(t.Context(), access.Named{ID: "gulls"}, access.Named{ID: "swell"})), "what they have in common is shut")
	reached, err := narrow.Reach(t.Context(), store.ASound, []string{"gulls", "swell", "lost"})
	require.NoError(t, err)
	assert.Equal(t, []string{"gulls"}, reached)
	assert.Equal(t, []store.Show{{ID: "harbour"}}, narrow.Shows([]store.Show{{ID: "tide"}, {ID: "harbour"}}))
}
