package library_test

import (
	"bytes"
	"context"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/shelf"
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
		h.Library.MaxUpload = 1 << 20
		house = h
		return nil
	})
}

func show(t *testing.T) string {
	t.Helper()
	s, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	return s.ID
}

func episode(t *testing.T, show string) string {
	t.Helper()
	e, err := house.Store.AddEpisode(ctx, show, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	return e.ID
}

func wav(t *testing.T, seed uint64) []byte {
	t.Helper()
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.2, audio.Second, seed)))
	require.NoError(t, err)
	return data
}

// received takes a file into a show, places it if an episode is named, and gives what became of it.
func received(t *testing.T, show, episode string, seed uint64) library.ShowSound {
	t.Helper()
	f := library.File{Name: "Keeper.wav", Part: session.Voice, Bytes: bytes.NewReader(wav(t, seed))}
	if episode != "" {
		f.Place = &work.Place{Episode: episode}
	}
	job, err := house.Library.Receive(ctx, show, f)
	require.NoError(t, err)
	require.Equal(t, store.Done, house.Ended(t, job.ID).State)
	all, err := house.Library.List(ctx, show)
	require.NoError(t, err)
	return all[0]
}

func TestAFileIsReceivedOnceHoweverOftenItComes(t *testing.T) {
	s := show(t)
	first := received(t, s, "", 1)
	assert.Equal(t, []any{"Keeper", session.Voice, 1, 48000, audio.Second, 0}, []any{first.Name, first.Part, first.Channels, first.Rate, first.Length, first.Used})
	assert.Equal(t, first.ID, received(t, s, "", 1).ID)
	all, err := house.Library.List(ctx, s)
	require.NoError(t, err)
	assert.Len(t, all, 1)
	none, err := house.Library.List(ctx, show(t))
	require.NoError(t, err)
	assert.Equal(t, []library.ShowSound{}, none)
}

func TestWhatCannotBeReceivedLeavesNothing(t *testing.T) {
	s, other := show(t), show(t)
	elsewhere := episode(t, other)
	_, err := house.Library.Receive(ctx, store.NewID(), library.File{Name: "a.wav", Bytes: bytes.NewReader(wav(t, 2))})
	assert.True(t, store.IsNotFound(err), "no such show")
	_, err = house.Library.Receive(ctx, s, library.File{Name: "a.wav", Bytes: bytes.NewReader(wav(t, 2)), Place: &work.Place{Episode: elsewhere}})
	assert.True(t, store.IsNotFound(err), "an episode of another show")
	_, err = house.Library.Receive(ctx, s, library.File{Name: "Long.wav", Bytes: strings.NewReader(strings.Repeat("x", 1<<20+1))})
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Contains(t, p.Message, "Long.wav")
	job, err := house.Library.Receive(ctx, s, library.File{Name: "\xffNotes.wav", Bytes: strings.NewReader("The fog came at four.")})
	require.NoError(t, err)
	assert.Equal(t, "?Notes.wav", job.Name)
	assert.Equal(t, store.Failed, house.Ended(t, job.ID).State)
	all, err := house.Library.List(ctx, s)
	require.NoError(t, err)
	assert.Empty(t, all)
}

func TestASoundSaysWhereItIsUsedAndStaysAsLongAsItIs(t *testing.T) {
	s := show(t)
	e := episode(t, s)
	sound := received(t, s, e, 3)
	uses, err := house.Library.Uses(ctx, s, sound.ID)
	require.NoError(t, err)
	require.Len(t, uses, 1)
	require.Len(t, uses[0].Clips, 1)
	assert.Equal(t, []any{e, "Keeper", "Voice 1"}, []any{uses[0].Episode, uses[0].Clips[0].Name, uses[0].Clips[0].Track})
	assert.Error(t, house.Library.Remove(ctx, s, sound.ID), "it is used")
	_, version, err := house.Store.Document(ctx, e)
	require.NoError(t, err)
	_, err = house.Store.Edit(ctx, e, version, "", edit.RemoveClips{Clips: []string{uses[0].Clips[0].Clip}})
	require.NoError(t, err)
	uses, err = house.Library.Uses(ctx, s, sound.ID)
	require.NoError(t, err)
	assert.Empty(t, uses)
	require.NoError(t, house.Library.Remove(ctx, s, sound.ID))
	_, err = house.Library.Uses(ctx, s, sound.ID)
	assert.True(t, store.IsNotFound(err))
	assert.True(t, house.Sounds.Has(ctx, sound.ID), "the original goes when it is swept")
}

func TestAnEpisodeCreditsWhatItUsesInTheOrderInWhichItIsHeard(t *testing.T) {
	s := show(t)
	e := episode(t, s)
	first, second := received(t, s, e, 4), received(t, s, e, 5)
	text := func(v string) *string { return &v }
	changed, err := house.Library.Change(ctx, s, second.ID, library.SoundChange{Name: text("Bell"), Title: text("Bell buoy"), Author: text("Odd Lind"), Licence: text("agreement")})
	require.NoError(t, err)
	assert.Equal(t, []any{"Bell", "Odd Lind", session.Voice}, []any{changed.Name, changed.Author, changed.Part}, "what is left out stays")
	assert.Empty(t, changed.Need.Missing)
	_, err = house.Library.Change(ctx, s, first.ID, library.SoundChange{Name: text(" \u200b")})
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "bad-name", p.Code)
	doc, _, err := house.Store.Document(ctx, e)
	require.NoError(t, err)
	used, err := house.Library.Papers(ctx, s, doc)
	require.NoError(t, err)
	require.Len(t, used, 2)
	assert.Equal(t, doc.SoundsInOrder(), []string{used[0].ID, used[1].ID})
	list, err := house.Library.Credits(ctx, e)
	require.NoError(t, err)
	assert.Contains(t, list.Text, "Bell buoy")
	_, err = house.Library.Credits(ctx, store.NewID())
	assert.True(t, store.IsNotFound(err))
}

func TestAPieceOfTheShelfComesWithWhatIsKnownOfItAndIsPlaced(t *testing.T) {
	s := show(t)
	e := episode(t, s)
	pieces, err := house.Shelf.Search(ctx, shelf.Query{Part: session.Effect, MaxLength: 12 * audio.Second})
	require.NoError(t, err)
	require.NotEmpty(t, pieces)
	_, err = house.Library.TakePiece(ctx, s, "no-such-piece", library.Placing{})
	assert.True(t, store.IsNotFound(err))
	_, err = house.Library.TakePiece(ctx, s, pieces[0].Key, library.Placing{Episode: episode(t, show(t))})
	assert.True(t, store.IsNotFound(err), "an episode of another show")
	job, err := house.Library.TakePiece(ctx, s, pieces[0].Key, library.Placing{Episode: e, Start: audio.Second})
	require.NoError(t, err)
	require.Equal(t, store.Done, house.Ended(t, job.ID).State)
	all, err := house.Library.List(ctx, s)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, []any{pieces[0].Title, pieces[0].Author, pieces[0].Licence}, []any{all[0].Title, all[0].Author, all[0].Licence})
	uses, err := house.Library.Uses(ctx, s, all[0].ID)
	require.NoError(t, err)
	require.Len(t, uses, 1)
	assert.Equal(t, audio.Second, uses[0].Clips[0].Start)
}
