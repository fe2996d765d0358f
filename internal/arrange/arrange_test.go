package arrange_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/pause"
	"ruvel/core/session"
	"ruvel/internal/arrange"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func placed(t *testing.T, part session.Part, samples audio.PCM) (episode, clip string) {
	t.Helper()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, _ := house.Placed(t, show.ID, "The Last Fog Signal", part, samples)
	doc, _, err := house.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	return e.ID, doc.Tracks[0].ClipsInOrder()[0]
}

func TestPausesLieBetweenTheWordsThatAreSpoken(t *testing.T) {
	episode, _ := placed(t, session.Voice, testkit.Spoken(12*audio.Second))
	spoken, err := house.Arrange.Spoken(ctx, episode, 0, 12*audio.Second)
	require.NoError(t, err)
	require.Len(t, spoken.Spans, 4)
	found, err := house.Arrange.Pauses(ctx, episode, nil, pause.Settings{Longer: audio.Second / 2, To: audio.Second / 4})
	require.NoError(t, err)
	require.Len(t, found.Pauses, 3)
	for i, p := range found.Pauses {
		assert.Equal(t, spoken.Spans[i].To, p.From)
		assert.Equal(t, spoken.Spans[i+1].From, p.To)
	}
	_, err = house.Arrange.Pauses(ctx, episode, []string{"t99"}, pause.Default())
	assert.Equal(t, "unknown-track", testkit.Code(t, err))
	within, err := house.Arrange.Spoken(ctx, episode, 3*audio.Second, 5*audio.Second)
	require.NoError(t, err)
	assert.Len(t, within.Spans, 1)
}

func TestLevelsAreThoseThatActAtAMoment(t *testing.T) {
	episode, clip := placed(t, session.Music, testkit.Noise(2, 0.2, 4*audio.Second, 5))
	_, version, err := house.Store.Document(ctx, episode)
	require.NoError(t, err)
	_, err = house.Store.Edit(ctx, episode, version, "", edit.SetClips{Clips: []edit.ClipChange{{Clip: clip, Gain: new(audio.DB(-6))}}})
	require.NoError(t, err)
	l, err := house.Arrange.Levels(ctx, episode, clip, audio.Second)
	require.NoError(t, err)
	assert.Equal(t, audio.DB(-6), l.ClipGain)
	_, err = house.Arrange.Levels(ctx, episode, "c99", audio.Second)
	assert.Error(t, err)
}

func TestWhatCannotBeFittedOrRenderedIsSaidInWords(t *testing.T) {
	episode, clip := placed(t, session.Music, testkit.Noise(2, 0.2, 4*audio.Second, 6))
	_, err := house.Arrange.Fits(ctx, episode, clip, 2*audio.Second)
	assert.Equal(t, "no-beat", testkit.Code(t, err))
	_, err = house.Arrange.Render(ctx, episode, arrange.NewRendering{Name: " ", Rendering: edit.Rendering{Clips: []string{clip}}})
	assert.Equal(t, "bad-name", testkit.Code(t, err))
	_, err = house.Arrange.Render(ctx, episode, arrange.NewRendering{Name: "Bed", Rendering: edit.Rendering{Clips: []string{"c99"}}})
	assert.Error(t, err)
	job, err := house.Arrange.Render(ctx, episode, arrange.NewRendering{Name: "Bed", Rendering: edit.Rendering{Clips: []string{clip}}})
	require.NoError(t, err)
	assert.Equal(t, store.Done, house.Ended(t, job.ID).State)
}
