package store_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestGoingToAnyStepGivesTheDocumentOfThenByteForByte(t *testing.T) {
	st, show, _ := open(t)
	law.Check(t, func(rt *rapid.T) {
		e, err := st.AddEpisode(ctx, show.ID, "Property", 0, library.Session(rt))
		require.NoError(t, err)
		doc, version := document(t, st, e.ID)
		states := []string{string(doc.JSON())}
		for range rapid.IntRange(1, 5).Draw(rt, "edits") {
			for _, op := range someOps(rt, doc) {
				if _, err := st.Edit(ctx, e.ID, version, "", op); err != nil {
					continue
				}
				doc, version = document(t, st, e.ID)
				if now := string(doc.JSON()); now != states[len(states)-1] {
					states = append(states, now)
				}
			}
		}
		steps, applied, err := st.Steps(ctx, e.ID, 0, 1000)
		require.NoError(t, err)
		require.Len(t, steps, len(states)-1)
		require.Equal(t, int64(len(steps)), applied)
		for range rapid.IntRange(1, 5).Draw(rt, "journeys") {
			to := rapid.IntRange(0, len(steps)).Draw(rt, "to")
			then, at, err := st.AtStep(ctx, e.ID, int64(to))
			require.NoError(t, err)
			require.Equal(t, states[to], string(then.JSON()), "as it was, without going there")
			_, unchanged := document(t, st, e.ID)
			require.Equal(t, at, unchanged)
			c, err := st.GoTo(ctx, e.ID, int64(to))
			require.NoError(t, err)
			require.Equal(t, states[to], string(c.Document.JSON()))
			d, v := document(t, st, e.ID)
			require.Equal(t, states[to], string(d.JSON()))
			require.Equal(t, v, c.Version)
			if to > 0 {
				require.Equal(t, steps[len(steps)-to].Name, c.Undo)
			}
		}
		for _, beyond := range []int64{-1, int64(len(steps)) + 1} {
			_, err = st.GoTo(ctx, e.ID, beyond)
			var p problem.Problem
			require.ErrorAs(t, err, &p)
			require.Equal(t, "unknown-step", p.Code)
			_, _, err = st.AtStep(ctx, e.ID, beyond)
			require.ErrorAs(t, err, &p)
		}
	})
}

func TestStepsAreListedInPagesAndSurviveARestart(t *testing.T) {
	st, _, e := open(t)
	version := int64(1)
	for range 12 {
		version = edited(t, st, e.ID, version, "", edit.AddTrack{Part: session.Voice}).Version
	}
	other := another(t) // as after a restart
	last, applied, err := other.Steps(ctx, e.ID, 0, 5)
	require.NoError(t, err)
	require.Len(t, last, 5)
	assert.Equal(t, []int64{12, 12}, []int64{applied, last[0].Step})
	assert.Equal(t, "Add the track “Voice 12”", last[0].Name)
	before, _, err := other.Steps(ctx, e.ID, last[4].Step, 100)
	require.NoError(t, err)
	require.Len(t, before, 7)
	_, err = other.GoTo(ctx, e.ID, 0)
	require.NoError(t, err)
	d, _ := document(t, st, e.ID)
	assert.Empty(t, d.Tracks, "seen by the first one, too")
}

func TestANamedVersionIsReturnedToAsAStepThatCanBeUndone(t *testing.T) {
	st, show, e := open(t)
	c := edited(t, st, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"})
	v, err := st.NameVersion(ctx, e.ID, "  Before the cuts ")
	require.NoError(t, err)
	assert.Equal(t, "Before the cuts", v.Name)
	assert.Equal(t, audio.Frames(20000), v.Length)
	kept := string(c.Document.JSON())
	c = edited(t, st, e.ID, c.Version, "", edit.RemoveTracks{Tracks: []string{"t1"}})
	gone := string(c.Document.JSON())
	c, err = st.ReturnTo(ctx, e.ID, v.ID)
	require.NoError(t, err)
	assert.Equal(t, kept, string(c.Document.JSON()))
	assert.Equal(t, "Return to “Before the cuts”", c.Undo)
	c, err = st.Undo(ctx, e.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, gone, string(c.Document.JSON()))
	// A sound of it that was removed from the show meanwhile is said, and nothing changes.
	_, err = st.RemoveSound(ctx, show.ID, testkit.ID(0))
	require.NoError(t, err)
	_, err = st.ReturnTo(ctx, e.ID, v.ID)
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "sound-gone", p.Code)
	list, err := st.NamedVersions(ctx, e.ID)
	require.NoError(t, err)
	assert.Equal(t, []store.NamedVersion{v}, list)
	require.NoError(t, st.RemoveVersion(ctx, e.ID, v.ID))
	require.True(t, store.IsNotFound(st.RemoveVersion(ctx, e.ID, v.ID)))
	_, err = st.ReturnTo(ctx, e.ID, v.ID)
	require.True(t, store.IsNotFound(err))
	_, err = st.NameVersion(ctx, e.ID, " ")
	require.ErrorAs(t, err, &p)
}

func TestAShowTakesOverSoundsThatArePastedIntoIt(t *testing.T) {
	st, show, _ := open(t)
	other, err := st.AddShow(ctx, "Tide Tables")
	require.NoError(t, err)
	e, err := st.AddEpisode(ctx, other.ID, "Springs", 0, session.New())
	require.NoError(t, err)
	none := session.Fade{Shape: session.Linear}
	paste := func(at audio.Frames, sound string) error {
		version, err := st.Version(ctx, e.ID)
		require.NoError(t, err)
		_, err = st.Edit(ctx, e.ID, version, "", edit.PasteClips{At: at, Fragment: edit.Fragment{Length: 100, Rows: []edit.Row{{
			Name: "Music", Part: session.Music, Clips: []session.Clip{{Name: "A", Sound: sound, Length: 100, FadeIn: none, FadeOut: none}},
		}}}})
		return err
	}
	require.Error(t, paste(session.MaxLength, testkit.ID(0)))
	none0, err := st.Sounds(ctx, other.ID)
	require.NoError(t, err)
	assert.Empty(t, none0, "a paste that is refused brings nothing")
	require.Error(t, paste(0, testkit.ID(9)), "no show has it")
	for i := range 2 {
		require.NoError(t, paste(audio.Frames(i)*1000, testkit.ID(0)))
	}
	there, err := st.Sounds(ctx, other.ID)
	require.NoError(t, err)
	require.Len(t, there, 1)
	first, err := st.Sound(ctx, show.ID, testkit.ID(0))
	require.NoError(t, err)
	assert.Equal(t, []any{first.Name, first.Length, first.Part}, []any{there[0].Name, there[0].Length, there[0].Part})
}

// That it could not be asked for a sound is not that there is none.
func TestADatabaseThatCannotBeAskedIsNotASoundThatIsUnknown(t *testing.T) {
	st, show, _ := open(t)
	e, err := st.AddEpisode(ctx, show.ID, "Springs", 0, session.New())
	require.NoError(t, err)
	asked, leave := context.WithCancel(ctx)
	st.Samples = func(context.Context) (func(string, audio.Frames, audio.Frames) (audio.PCM, error), func()) {
		leave() // the connection ends between the lock and the question for the sound
		return nil, func() {}
	}
	_, err = st.Edit(asked, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Music, Name: "A"})
	require.Error(t, err)
	var p problem.Problem
	assert.False(t, errors.As(err, &p), "%v", err)
}
