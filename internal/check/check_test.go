package check_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/check"
	"ruvel/internal/library"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func kinds(f check.Found) (out []string) {
	for _, x := range f.Findings {
		out = append(out, x.Kind)
	}
	return out
}

func TestAnEpisodeIsCheckedOnceForAllThatItRestsOn(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	_, err = house.Check.Of(ctx, store.NewID(), 0, nil)
	assert.True(t, store.IsNotFound(err))
	e, sound := house.Placed(t, show.ID, "The Last Fog Signal", session.Music, testkit.Noise(1, 0.2, 3*audio.Second, 7))
	_, version, err := house.Store.Document(ctx, e.ID)
	require.NoError(t, err)

	var found check.Found
	require.Eventually(t, func() bool { // it waits for the mix to be measured, but not for long
		found, err = house.Check.Of(ctx, e.ID, version, nil)
		return err == nil && found.Measured
	}, time.Minute, time.Millisecond)
	assert.Equal(t, version, found.Version)
	assert.Contains(t, kinds(found), "credit")
	assert.Contains(t, kinds(found), "details")
	again, err := house.Check.Of(ctx, e.ID, version, nil)
	require.NoError(t, err)
	assert.Same(t, &found.Findings[0], &again.Findings[0], "nothing is looked for again")
	list, err := house.Check.Findings(ctx, e.ID, version)
	require.NoError(t, err)
	assert.Equal(t, found.Findings, list)

	// Whatever it rests on, though no edit touches it, makes it another question.
	require.NoError(t, house.Store.ReviseEpisode(ctx, e.ID, testkit.Revised(t, map[string]any{"description": "Of a horn"})))
	told, err := house.Check.Of(ctx, e.ID, version, nil)
	require.NoError(t, err)
	assert.NotEqual(t, found.Findings, told.Findings, "one of the details is there now")
	_, err = house.Library.Change(ctx, show.ID, sound, library.SoundChange{Author: new("Ada Quill"), Title: new("Low water"), Licence: new("Our own")})
	require.NoError(t, err)
	told, err = house.Check.Of(ctx, e.ID, version, nil)
	require.NoError(t, err)
	assert.NotContains(t, kinds(told), "credit")
}
