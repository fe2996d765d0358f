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

func (o owners) ShowsWith(_ context.Context, _ store.Thing, id string) ([]string, error) {
	if id == "away" {
		return nil, errAway
	}
	return o[id], nil
}

var door = access.Door{Owners: owners{
	"harbour": {"harbour"}, "tide": {"tide"}, "fog": {"harbour"}, "ebb": {"tide"}, "gulls": {"harbour", "tide"}, "swell": {"tide", "third"},
}}

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
}
