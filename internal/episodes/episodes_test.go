package episodes_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func show(t *testing.T) string {
	t.Helper()
	s, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	return s.ID
}

func TestARemovedEpisodeLeavesNoFileBehindAndItsShowKeepsItsSounds(t *testing.T) {
	of := show(t)
	e, sound := house.Placed(t, of, "The Last Fog Signal", session.Music, testkit.Noise(1, 0.2, 2*audio.Second, 7))
	doc, version, err := house.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: version, Format: "mp3", File: "fog.mp3"}
	require.NoError(t, house.Store.AddMixdown(ctx, m, doc))
	require.NoError(t, house.Bucket.WriteAll(ctx, work.MixdownKey(m), []byte("fog"), nil))
	take, err := house.Takes.Begin(ctx, e.ID, takes.NewTake{Track: doc.Tracks[0].ID, Rate: 48_000, Channels: 1})
	require.NoError(t, err)
	require.NoError(t, house.Takes.Chunks.Put(ctx, take.ID, 0, make([]byte, 4800)))

	require.NoError(t, house.Episodes.Remove(ctx, e.ID))
	_, err = house.Episodes.Desk(ctx, e.ID)
	assert.True(t, store.IsNotFound(err))
	there, err := house.Bucket.Exists(ctx, work.MixdownKey(m))
	require.NoError(t, err)
	assert.False(t, there)
	left, err := house.Takes.Chunks.Inside(ctx, take.ID)
	assert.True(t, err != nil || left.Chunks == 0, "what was recorded goes with it")
	_, err = house.Store.Sound(ctx, of, sound)
	assert.NoError(t, err)
	assert.True(t, store.IsNotFound(house.Episodes.Remove(ctx, e.ID)), "it is removed once")
}

func TestAnEpisodeIsBroughtAlongOnceWithWhatHasChangedInItsLayout(t *testing.T) {
	of := show(t)
	e, _ := house.Placed(t, of, "The Last Fog Signal", session.Music, testkit.Noise(1, 0.2, 2*audio.Second, 8))
	layout, err := house.Episodes.AddLayout(ctx, of, episodes.NewLayout{Name: "Feature", From: e.ID})
	require.NoError(t, err)
	made, err := house.Store.AddEpisodeFrom(ctx, of, layout.ID, "Rough cut", 0)
	require.NoError(t, err)
	listed, err := house.Episodes.Layouts(ctx, of)
	require.NoError(t, err)
	require.Len(t, listed, 1)
	assert.Equal(t, 1, listed[0].Made)
	assert.Len(t, listed[0].Music, 1)
	none, err := house.Episodes.Bringable(ctx, of)
	require.NoError(t, err)
	assert.Empty(t, none)
	_, err = house.Episodes.BringAlong(ctx, made.ID)
	assert.Equal(t, "nothing-to-bring", testkit.Code(t, err))
	_, err = house.Episodes.BringAlong(ctx, e.ID)
	assert.Equal(t, "no-layout", testkit.Code(t, err))

	doc, version, err := house.Store.Document(ctx, layout.ID)
	require.NoError(t, err)
	_, err = house.Store.Edit(ctx, layout.ID, version, "", edit.SetTracks{Tracks: []edit.TrackChange{{Track: doc.Tracks[0].ID, Fader: new(audio.DB(-9))}}})
	require.NoError(t, err)
	behind, err := house.Episodes.Bringable(ctx, of)
	require.NoError(t, err)
	require.Len(t, behind, 1)
	assert.Equal(t, made.ID, behind[0].Episode.ID)
	_, err = house.Episodes.BringAlong(ctx, made.ID)
	require.NoError(t, err)
	desk, err := house.Episodes.Desk(ctx, made.ID)
	require.NoError(t, err)
	assert.Equal(t, audio.DB(-9), desk.Document.Tracks[0].Fader)
	_, err = house.Episodes.AddLayout(ctx, of, episodes.NewLayout{Name: "\t"})
	assert.Equal(t, "bad-name", testkit.Code(t, err))
}
