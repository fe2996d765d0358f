package store_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/store"
)

// person is somebody who works on an episode.
type person struct {
	t       *testing.T
	ctx     context.Context
	st      *store.Store
	episode string
}

func (p person) does(op edit.Op) store.Change {
	p.t.Helper()
	_, version := document(p.t, p.st, p.episode)
	c, err := p.st.Edit(p.ctx, p.episode, version, "", op)
	require.NoError(p.t, err)
	return c
}

func (p person) undoes() store.Change {
	p.t.Helper()
	c, err := p.st.Undo(p.ctx, p.episode, 0)
	require.NoError(p.t, err)
	return c
}

func (p person) redoes() store.Change {
	p.t.Helper()
	c, err := p.st.Redo(p.ctx, p.episode, 0)
	require.NoError(p.t, err)
	return c
}

func (p person) can() store.History {
	p.t.Helper()
	h, err := p.st.HistoryOf(p.ctx, p.episode)
	require.NoError(p.t, err)
	return h
}

func twoAtADesk(t *testing.T) (maud, ivo person) {
	st, _, e := open(t)
	by := func(id, name string) person {
		return person{t, store.By(ctx, store.Author{ID: id, Name: name}), st, e.ID}
	}
	return by("00000000-0000-0000-0000-00000000000a", "Maud Gale"), by("00000000-0000-0000-0000-00000000000b", "Ivo Tern")
}

func TestEachTakesBackTheirOwnLastStepThoughOthersWentOn(t *testing.T) {
	maud, ivo := twoAtADesk(t)
	maud.does(edit.AddTrack{Part: session.Voice, Name: "Keeper"})
	ivo.does(edit.AddMarker{At: 100, Name: "Fog"})
	soft := audio.DB(-6)
	maud.does(edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &soft}}})
	ivo.does(edit.AddMarker{At: 200, Name: "Horn"})

	set := maud.can().Undo
	assert.Contains(t, set, "Keeper")
	c := maud.undoes()
	assert.Equal(t, "Take back: "+set, c.Name)
	assert.Equal(t, audio.DB(0), c.Document.Tracks[0].Fader)
	assert.Len(t, c.Document.Markers, 2, "what the other did stays")
	assert.Equal(t, set, c.Redo)
	assert.Equal(t, "Maud Gale", c.By.Name)
	assert.Contains(t, ivo.can().Undo, "Horn", "for each their own")

	c = maud.redoes()
	assert.Equal(t, audio.DB(-6), c.Document.Tracks[0].Fader)
	assert.Equal(t, set, c.Undo)
	assert.Empty(t, c.Redo)
	maud.undoes()
	ivo.undoes()
	c = ivo.redoes()
	assert.Len(t, c.Document.Markers, 2)
	ivo.undoes()
	c = ivo.undoes()
	assert.Empty(t, c.Document.Markers)
	assert.Empty(t, c.Undo)
	c = maud.undoes()
	assert.Empty(t, c.Document.Tracks)
	_, err := maud.st.Undo(maud.ctx, maud.episode, 0)
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "nothing-to-undo", p.Code)
	assert.Contains(t, p.Message, "of yours")
}

func TestAStepThatSomebodyElseNeedsSaysWhoseItIs(t *testing.T) {
	maud, ivo := twoAtADesk(t)
	maud.does(edit.AddTrack{Part: session.Voice, Name: "Keeper"})
	ivo.does(edit.AddMarker{At: 100, Name: "Fog"})
	ivo.does(edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Name: text("Archivist")}}})
	before, version := document(t, maud.st, maud.episode)
	_, err := maud.st.Undo(maud.ctx, maud.episode, 0)
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "needed-later", p.Code)
	assert.Contains(t, p.Message, "by Ivo Tern")
	assert.Contains(t, p.Message, "Archivist")
	after, same := document(t, maud.st, maud.episode)
	assert.Equal(t, version, same)
	assert.Equal(t, string(before.JSON()), string(after.JSON()))
	ivo.undoes()
	assert.Empty(t, maud.undoes().Document.Tracks)
}

func text(s string) *string { return &s }

func TestWhatWasDoneAfterATakingBackEndsItsWayForward(t *testing.T) {
	maud, ivo := twoAtADesk(t)
	maud.does(edit.AddMarker{At: 1, Name: "Fog"})
	ivo.does(edit.AddMarker{At: 2, Name: "Horn"})
	maud.undoes()
	assert.NotEmpty(t, maud.can().Redo)
	ivo.does(edit.AddMarker{At: 3, Name: "Gulls"})
	assert.NotEmpty(t, maud.can().Redo, "what others do does not end it")
	maud.does(edit.AddMarker{At: 4, Name: "Swell"})
	assert.Empty(t, maud.can().Redo)
	_, err := maud.st.Redo(maud.ctx, maud.episode, 0)
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "nothing-to-redo", p.Code)
	assert.Contains(t, maud.undoes().Name, "Swell")
	_, err = maud.st.Undo(maud.ctx, maud.episode, 0)
	require.ErrorAs(t, err, &p, "the first is taken back already")
	steps, applied, err := maud.st.Steps(ctx, maud.episode, 0, 100)
	require.NoError(t, err)
	assert.Len(t, steps, int(applied)+1)
	assert.Equal(t, "Ivo Tern", steps[1].By)
	for range 3 { // and all of that is a history in which one person goes back step by step
		_, err := maud.st.Undo(ctx, maud.episode, 0)
		require.NoError(t, err)
	}
}

func TestAGestureThatIsBrokenOffIsTakenBackFromUnderOthers(t *testing.T) {
	maud, ivo := twoAtADesk(t)
	maud.does(edit.AddTrack{Part: session.Voice, Name: "Keeper"})
	drag := func(fader audio.DB) {
		_, version := document(t, maud.st, maud.episode)
		_, err := maud.st.Edit(maud.ctx, maud.episode, version, "a drag", edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &fader}}})
		require.NoError(t, err)
	}
	drag(-3)
	ivo.does(edit.AddMarker{At: 100, Name: "Fog"})
	drag(-6)
	ivo.does(edit.AddMarker{At: 200, Name: "Horn"})
	_, version := document(t, maud.st, maud.episode)
	c, err := maud.st.TakeBack(maud.ctx, maud.episode, version, "a drag")
	require.NoError(t, err)
	assert.Equal(t, audio.DB(0), c.Document.Tracks[0].Fader)
	assert.Len(t, c.Document.Markers, 2)
	assert.Equal(t, version+2, c.Version)
	_, err = maud.st.TakeBack(maud.ctx, maud.episode, c.Version, "another")
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "nothing-to-undo", p.Code)
}

// Whoever has taken back all of many steps finds out that there is none left.
func TestManyStepsAreAllTakenBackOneByOne(t *testing.T) {
	maud, ivo := twoAtADesk(t)
	const many = 45
	for i := range audio.Frames(many) {
		maud.does(edit.AddMarker{At: i})
		ivo.does(edit.AddMarker{At: 1000 + i})
	}
	for range many {
		maud.undoes()
	}
	assert.Empty(t, maud.can().Undo)
	d, _ := document(t, maud.st, maud.episode)
	assert.Len(t, d.Markers, many)
	for range many {
		maud.redoes()
	}
	assert.Empty(t, maud.can().Redo)
	d, _ = document(t, maud.st, maud.episode)
	assert.Len(t, d.Markers, 2*many)
}
