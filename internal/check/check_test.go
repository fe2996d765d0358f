package check_test

import (
	"bytes"
	"context"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/check"
	"ruvel/internal/library"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) {
	housetest.Main(m, func(h housetest.House) error {
		house = h
		return nil
	})
}

func kinds(f check.Found) (out []string) {
	for _, x := range f.Findings {
		out = append(out, x.Kind)
	}
	return out
}

func TestAnEpisodeIsCheckedOnceForAllThatItRestsOn(t *testing.T) {
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err := house.Store.AddEpisode(ctx, show.ID, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	_, err = house.Check.Of(ctx, store.NewID(), 0, nil)
	assert.True(t, store.IsNotFound(err))
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.2, 3*audio.Second, 7)))
	require.NoError(t, err)
	job, err := house.Library.Receive(ctx, show.ID, library.File{Name: "Keeper.wav", Part: session.Music, Bytes: bytes.NewReader(data), Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		j, err := house.Store.Job(ctx, job.ID)
		return err == nil && j.State == store.Done
	}, time.Minute, 5*time.Millisecond)
	doc, version, err := house.Store.Document(ctx, e.ID)
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
	_, err = house.Library.Change(ctx, show.ID, doc.SoundsInOrder()[0], library.SoundChange{Author: new("Ada Quill"), Title: new("Low water"), Licence: new("Our own")})
	require.NoError(t, err)
	told, err = house.Check.Of(ctx, e.ID, version, nil)
	require.NoError(t, err)
	assert.NotContains(t, kinds(told), "credit")
}
