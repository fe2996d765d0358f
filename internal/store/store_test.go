package store_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"sync"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
	"ruvel/testkit/law"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var (
	ctx     = context.Background()
	library = testkit.NewLibrary()
)

// open gives a store with a show that has the test library's sounds, and an empty episode in it.
func open(t testing.TB) (st *store.Store, show store.Show, episode store.Episode) {
	t.Helper()
	st, err := store.Open(ctx, dbtest.New(t))
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	show, err = st.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	for id, pcm := range library {
		require.NoError(t, st.AddSound(ctx, store.Sound{
			Show: show.ID, ID: id, Name: "Sound", Part: session.Voice, Channels: len(pcm), Rate: 48000, Format: "wav", Length: pcm.Length(),
		}))
	}
	episode, err = st.AddEpisode(ctx, show.ID, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	return st, show, episode
}

// another is a second store on the database that was made last.
func another(t testing.TB) *store.Store {
	t.Helper()
	st, err := store.Open(ctx, dbtest.Latest(t))
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	return st
}

func edited(t testing.TB, st *store.Store, id string, base int64, gesture string, op edit.Op) store.Change {
	t.Helper()
	c, err := st.Edit(ctx, id, base, gesture, op)
	require.NoError(t, err)
	return c
}

func document(t testing.TB, st *store.Store, id string) (session.Document, int64) {
	t.Helper()
	d, version, err := st.Document(ctx, id)
	require.NoError(t, err)
	return d, version
}

func problemCode(t testing.TB, err error) string {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	return p.Code
}

func TestUndoingEverythingGivesBackEveryDocumentByteForByte(t *testing.T) {
	st, show, _ := open(t)
	law.Check(t, func(rt *rapid.T) {
		e, err := st.AddEpisode(ctx, show.ID, "Property", 0, library.Session(rt))
		require.NoError(t, err)
		doc, version := document(t, st, e.ID)
		states := []string{string(doc.JSON())}
		for range rapid.IntRange(1, 6).Draw(rt, "edits") {
			for _, op := range someOps(rt, doc) {
				c, err := st.Edit(ctx, e.ID, version, "", op)
				if err != nil {
					continue
				}
				doc, version = document(t, st, e.ID)
				require.Equal(t, version, c.Version)
				if now := string(doc.JSON()); now != states[len(states)-1] {
					states = append(states, now)
				}
			}
		}
		travel := func(step func(context.Context, string, int64) (store.Change, error), want string) {
			_, err := step(ctx, e.ID, 0)
			require.NoError(t, err)
			d, _ := document(t, st, e.ID)
			require.Equal(t, want, string(d.JSON()))
		}
		for i := len(states) - 2; i >= 0; i-- {
			travel(st.Undo, states[i])
		}
		for i := 1; i < len(states); i++ {
			travel(st.Redo, states[i])
		}
	})
}

// someOps draws edits that mostly fit the document.
func someOps(t *rapid.T, d session.Document) []edit.Op {
	ops := []edit.Op{edit.AddTrack{Part: session.Effect}, edit.AddMarker{At: audio.Frames(rapid.IntRange(0, 99999).Draw(t, "at"))}}
	from := audio.Frames(rapid.IntRange(0, 60000).Draw(t, "from"))
	stretch := []edit.Range{{From: from, To: from + audio.Frames(rapid.IntRange(1, 9000).Draw(t, "length"))}}
	ops = append(ops, edit.RemoveRanges{Ranges: stretch, Close: edit.CloseAll}, edit.RemoveRanges{Ranges: stretch}, edit.InsertTime{At: from, Length: 4800})
	for _, tr := range d.Tracks {
		fader := audio.DB(rapid.Float64Range(-60, 12).Draw(t, "fader"))
		ops = append(ops, edit.DuplicateTracks{Tracks: []string{tr.ID}}, edit.CloseGap{Track: tr.ID, At: from, Close: edit.CloseAll}, edit.SetTracks{Tracks: []edit.TrackChange{{Track: tr.ID, Fader: &fader}}}, edit.MoveTracks{Tracks: []string{tr.ID}},
			edit.InsertClip{Sound: testkit.ID(rapid.IntRange(0, 3).Draw(t, "sound")), Track: tr.ID, Start: 100}, edit.RemoveTracks{Tracks: []string{tr.ID}})
		for id, c := range tr.Clips {
			at := audio.Frames(rapid.IntRange(0, 60000).Draw(t, "at"))
			ops = append(ops, edit.SplitClips{Clips: []string{id}, At: c.Start + c.Length/2}, edit.TrimClips{Trims: []edit.Trim{{Clip: id, Edge: "end", At: at}}},
				edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: id}, At: at, Level: -3.3}}}, edit.RemoveClips{Clips: []string{id}, Close: edit.CloseTrack}, edit.RemoveClips{Clips: []string{id}, Close: edit.CloseAll},
				edit.RepeatStretch{Clip: id, From: c.Start, To: c.End(), Times: 2}, edit.LoopClip{Clip: id, Length: c.Length + 5000}, edit.LayerClips{Clips: []string{id}, Front: true},
				edit.MoveClips{Moves: []edit.Move{{Clip: id, Start: at, Track: d.Tracks[0].ID}}})
		}
	}
	return rapid.SliceOfN(rapid.SampledFrom(ops), 1, 3).Draw(t, "ops")
}

func TestTheEditsOfADragAreOneStep(t *testing.T) {
	st, _, e := open(t)
	edited(t, st, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"})
	before, version := document(t, st, e.ID)
	for i := range 20 {
		c := edited(t, st, e.ID, version, "drag", edit.MoveClips{Moves: []edit.Move{{Clip: "c2", Start: audio.Frames(i+1) * 1000}}})
		version = c.Version
		assert.Equal(t, "Move “Link” to "+(audio.Frames(i+1)*1000).String(), c.Undo)
	}
	_, err := st.Undo(ctx, e.ID, 0)
	require.NoError(t, err)
	after, _ := document(t, st, e.ID)
	assert.Equal(t, string(before.JSON()), string(after.JSON()))
	h, err := st.HistoryOf(ctx, e.ID)
	require.NoError(t, err)
	assert.Equal(t, store.History{Undo: "Insert “Link” at 0:00.00", Redo: "Move “Link” to 0:00.42"}, h)
}

func TestADragThatComesBackToWhereItBeganIsNoStep(t *testing.T) {
	st, _, e := open(t)
	version := edited(t, st, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"}).Version
	for _, start := range []audio.Frames{500, 900, 0} {
		version = edited(t, st, e.ID, version, "drag", edit.MoveClips{Moves: []edit.Move{{Clip: "c2", Start: start}}}).Version
	}
	h, err := st.HistoryOf(ctx, e.ID)
	require.NoError(t, err)
	assert.Equal(t, store.History{Undo: "Insert “Link” at 0:00.00"}, h)
	c := edited(t, st, e.ID, version, "drag", edit.MoveClips{Moves: []edit.Move{{Clip: "c2", Start: 700}}})
	assert.Equal(t, "Move “Link” to 0:00.01", c.Undo)
	c, err = st.Undo(ctx, e.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, "Insert “Link” at 0:00.00", c.Undo)
	d, _ := document(t, st, e.ID)
	assert.Zero(t, d.Tracks[0].Clips["c2"].Start)
}

func TestNoIDIsUsedTwiceNotEvenAfterAnUndo(t *testing.T) {
	dsn := dbtest.New(t)
	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	show, err := st.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err := st.AddEpisode(ctx, show.ID, "Numbers", 0, session.New())
	require.NoError(t, err)
	seen := map[string]bool{}
	version := int64(1)
	for range 5 {
		c := edited(t, st, e.ID, version, "", edit.AddTrack{Part: session.Voice})
		require.Len(t, c.Document.Tracks, 1)
		id := c.Document.Tracks[0].ID
		assert.False(t, seen[id], "%s has been used before", id)
		seen[id] = true
		c, err := st.Undo(ctx, e.ID, 0)
		require.NoError(t, err)
		version = c.Version
		require.NoError(t, st.Close()) // and not after a restart
		st, err = store.Open(ctx, dsn)
		require.NoError(t, err)
	}
	require.NoError(t, st.Close())
}

func TestTwoServersOnOneDatabaseSeeEachOthersEdits(t *testing.T) {
	one, show, _ := open(t)
	other := another(t)
	law.Check(t, func(rt *rapid.T) {
		e, err := one.AddEpisode(ctx, show.ID, "Two servers", 0, session.New())
		require.NoError(t, err)
		version := edited(t, one, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"}).Version
		for i := range rapid.IntRange(1, 8).Draw(rt, "edits") {
			st := rapid.SampledFrom([]*store.Store{one, other}).Draw(rt, "server")
			gesture := rapid.SampledFrom([]string{"", "drag", "pull"}).Draw(rt, "gesture")
			if rapid.IntRange(0, 4).Draw(rt, "undo") == 0 {
				if c, err := st.Undo(ctx, e.ID, 0); err == nil {
					version = c.Version
				}
				continue
			}
			c, err := st.Edit(ctx, e.ID, version, gesture, edit.MoveClips{Moves: []edit.Move{{Clip: "c2", Start: audio.Frames(i+1) * 100}}})
			if err == nil { // the clip is there
				version = c.Version
			}
		}
		a, _ := document(t, one, e.ID)
		b, at := document(t, other, e.ID)
		require.Equal(t, version, at)
		require.Equal(t, string(a.JSON()), string(b.JSON()))
		for {
			if _, err := other.Undo(ctx, e.ID, 0); err != nil {
				require.Equal(t, "nothing-to-undo", problemCode(t, err))
				break
			}
		}
		a, _ = document(t, one, e.ID)
		require.Equal(t, string(session.New().JSON()), string(a.JSON()))
	})
}

func TestAnEditWhoseAnswerWasLostIsNotDoneTwice(t *testing.T) {
	st, _, e := open(t)
	again := func(base int64) store.Change {
		c, err := st.EditAgain(ctx, e.ID, base, "once", edit.AddTrack{Part: session.Voice})
		require.NoError(t, err)
		return c
	}
	assert.Equal(t, int64(2), again(1).Version, "what has not arrived is done")
	edited(t, st, e.ID, 2, "", edit.AddTrack{Part: session.Music})
	c := again(1)
	assert.Equal(t, int64(3), c.Version)
	assert.Equal(t, "[]", string(c.Patch))
	assert.Equal(t, "Add the track “Music 1”", c.Undo)
}

func TestWhatAnEarlierVersionStoredKeepsOpening(t *testing.T) {
	dsn := dbtest.New(t)
	db, err := sqlx.Connect("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectMySQL, db.DB, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = provider.UpTo(ctx, 2)
	require.NoError(t, err)
	// Two tracks were made and undone, so the document has gone back to 1 while the history knows of 2.
	show, episode := store.NewID(), store.NewID()
	db.MustExec(`INSERT INTO shows (id, name) VALUES (?, 'Harbour Hours')`, show)
	db.MustExec(`INSERT INTO episodes (id, show_id, number, title, document, version, steps) VALUES (?, ?, 1, 'Before', ?, 5, 0)`, episode, show, session.New().JSON())
	forward := `[{"op":"add","path":"/tracks/0","value":{"id":"t%[1]d","name":"Voice","part":"voice","fader":0,"pan":0,"mute":false,"solo":false,"envelope":[],"clips":{}}},{"op":"replace","path":"/next","value":%[2]d}]`
	backward := `[{"op":"remove","path":"/tracks/0"},{"op":"replace","path":"/next","value":%d}]`
	for step := 1; step <= 2; step++ {
		db.MustExec(`INSERT INTO history (episode_id, step, name, gesture, forward, backward) VALUES (?, ?, 'Add', '', ?, ?)`,
			episode, step, fmt.Sprintf(forward, step, step+1), fmt.Sprintf(backward, step))
	}
	file := store.NewID()
	db.MustExec(`INSERT INTO mixdowns (id, episode_id, version, format, channels, begins, ends, file, bytes, loudness) VALUES (?, ?, 4, 'mp3', 2, 0, 48000, '01 Before.mp3', 7, '{"integrated": -16.2}')`, file, episode)
	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	files, err := st.Mixdowns(ctx, episode)
	require.NoError(t, err)
	require.Len(t, files, 1)
	assert.InDelta(t, -16.2, files[0].Loudness.Of.Integrated, 0)
	assert.Equal(t, store.MadeOf{}, files[0].Made.Of, "what was not kept then is not known")
	assert.False(t, files[0].Kept)
	_, err = st.Reopen(ctx, files[0])
	assert.Equal(t, "session-not-kept", problemCode(t, err))
	c, err := st.Redo(ctx, episode, 0)
	require.NoError(t, err)
	assert.Equal(t, "t1", c.Document.Tracks[0].ID)
	c = edited(t, st, episode, c.Version, "", edit.AddTrack{Part: session.Music})
	assert.Equal(t, "t3", c.Document.Tracks[1].ID, "2 was used by what is undone")
	_, err = st.Undo(ctx, episode, 0)
	require.NoError(t, err)
	c, err = st.Undo(ctx, episode, 0)
	require.NoError(t, err)
	assert.Equal(t, string(session.New().JSON()), string(c.Document.JSON()))

	// What has come since has values that nobody has to give.
	limits, err := st.Limits(ctx, show)
	require.NoError(t, err)
	assert.Equal(t, review.Usual(), limits)
	limits.Apart = 5
	require.NoError(t, st.SetLimits(ctx, show, limits))
	require.NoError(t, st.SetLimits(ctx, show, limits), "the same once more")
	db.MustExec(`UPDATE shows SET limits = '{"apart": 7}' WHERE id = ?`, show)
	limits, err = st.Limits(ctx, show)
	require.NoError(t, err)
	assert.Equal(t, []float64{7, review.Usual().Drift}, []float64{limits.Apart, limits.Drift}, "those that are left out are the usual ones")
	require.NoError(t, st.Describe(ctx, episode, details.Details{Description: " About ", Language: "en"}))
	e, err := st.Episode(ctx, episode)
	require.NoError(t, err)
	assert.Equal(t, []string{"About", "en"}, []string{e.Description, e.Language})
	require.Error(t, st.SetLimits(ctx, store.NewID(), review.Usual()))
}

func TestADatabaseOfANewerVersionIsLeftAlone(t *testing.T) {
	dsn := dbtest.New(t)
	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	require.NoError(t, st.Close())
	db, err := sqlx.Connect("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	db.MustExec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (999, TRUE)`)
	_, err = store.Open(ctx, dsn)
	require.ErrorContains(t, err, "a newer version of Ruvel has worked with it")
}

func TestSeveralProgramsThatStartAtOnceBringItUpToDateOnce(t *testing.T) {
	dsn := dbtest.New(t)
	var g sync.WaitGroup
	for range 6 {
		g.Go(func() {
			st, err := store.Open(ctx, dsn)
			if assert.NoError(t, err) {
				assert.NoError(t, st.Close())
			}
		})
	}
	g.Wait()
}

func TestAnEditForAnOlderVersionIsRefusedWithTheCurrentOne(t *testing.T) {
	st, _, e := open(t)
	edited(t, st, e.ID, 1, "", edit.AddTrack{Part: session.Voice})
	_, err := st.Edit(ctx, e.ID, 1, "", edit.AddTrack{Part: session.Voice})
	assert.Equal(t, store.Conflict{Current: 2}, err)
}

func TestAnEditThatChangesNothingLeavesNoTrace(t *testing.T) {
	st, _, e := open(t)
	c := edited(t, st, e.ID, 1, "", edit.SetTarget{Target: "podcast-stereo"})
	assert.Equal(t, int64(1), c.Version)
	assert.Empty(t, c.Undo)
}

func TestANewEditForgetsWhatWasUndone(t *testing.T) {
	st, _, e := open(t)
	edited(t, st, e.ID, 1, "", edit.AddTrack{Part: session.Voice, Name: "One"})
	_, err := st.Undo(ctx, e.ID, 0)
	require.NoError(t, err)
	edited(t, st, e.ID, 3, "", edit.AddTrack{Part: session.Voice, Name: "Two"})
	_, err = st.Redo(ctx, e.ID, 0)
	assert.Equal(t, "nothing-to-redo", problemCode(t, err))
	_, err = st.Undo(ctx, e.ID, 0)
	require.NoError(t, err)
	_, err = st.Undo(ctx, e.ID, 0)
	assert.Equal(t, "nothing-to-undo", problemCode(t, err))
}

func TestManyHandsAtOnceLoseNoEdit(t *testing.T) {
	st, _, e := open(t)
	var g sync.WaitGroup
	for hand := range 6 {
		g.Go(func() {
			base := int64(1)
			for i := 0; i < 8; {
				_, err := st.Edit(ctx, e.ID, base, "", edit.AddMarker{Name: fmt.Sprintf("%d-%d", hand, i)})
				var c store.Conflict
				switch {
				case errors.As(err, &c):
					base = c.Current
				case err != nil:
					t.Error(err)
					return
				default:
					i++
				}
			}
		})
	}
	g.Wait()
	doc, version := document(t, st, e.ID)
	assert.Len(t, doc.Markers, 48)
	assert.Equal(t, int64(49), version)
}

func TestASoundInUseCannotBeRemovedAndTheMessageSaysWhere(t *testing.T) {
	st, show, e := open(t)
	edited(t, st, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"})
	_, err := st.RemoveSound(ctx, show.ID, testkit.ID(0))
	assert.Equal(t, "sound-in-use", problemCode(t, err))
	assert.ErrorContains(t, err, "The Last Fog Signal")
	edited(t, st, e.ID, 2, "", edit.RemoveClips{Clips: []string{"c2"}})
	last, err := st.RemoveSound(ctx, show.ID, testkit.ID(0))
	require.NoError(t, err)
	assert.True(t, last)
	_, err = st.Undo(ctx, e.ID, 0)
	assert.Equal(t, "sound-gone", problemCode(t, err))
	_, err = st.RemoveSound(ctx, show.ID, testkit.ID(0))
	assert.Equal(t, "not-found", problemCode(t, err))
}

func TestAShowKnowsItsSoundsOnceAndWhoUsesThem(t *testing.T) {
	st, show, e := open(t)
	edited(t, st, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(1), Part: session.Voice, Name: "Link"})
	v, err := st.Sound(ctx, show.ID, testkit.ID(1))
	require.NoError(t, err)
	assert.Equal(t, 1, v.Used)
	v.Name = "  Keeper, take 3 "
	require.NoError(t, st.SetSound(ctx, v))
	require.NoError(t, st.AddSound(ctx, v), "the same file again")
	all, err := st.Sounds(ctx, show.ID)
	require.NoError(t, err)
	assert.Len(t, all, len(library))
	v, err = st.Sound(ctx, show.ID, testkit.ID(1))
	require.NoError(t, err)
	assert.Equal(t, "Keeper, take 3", v.Name)
}

func TestTheLoudnessOfAVersionIsKeptWithIt(t *testing.T) {
	st, _, e := open(t)
	require.NoError(t, st.SetLoudness(ctx, e.ID, 1, loudness.Result{Integrated: -16.2}))
	require.NoError(t, st.SetLoudness(ctx, e.ID, 0, loudness.Result{Integrated: -30}), "an older measurement comes late")
	got, err := st.Episode(ctx, e.ID)
	require.NoError(t, err)
	assert.InDelta(t, -16.2, got.Loudness.Of.Integrated, 0)
	assert.Equal(t, int64(1), got.LoudnessVersion)
}

func TestRemovingAnEpisodeTakesEverythingOfItAlong(t *testing.T) {
	st, show, e := open(t)
	edited(t, st, e.ID, 1, "", edit.InsertClip{Sound: testkit.ID(0), Part: session.Voice, Name: "Link"})
	require.NoError(t, st.AddMixdown(ctx, store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 2, Format: "mp3", File: "a.mp3"}, session.New()))
	gone, err := st.RemoveEpisode(ctx, e.ID)
	require.NoError(t, err)
	assert.Len(t, gone, 1)
	_, err = st.Episode(ctx, e.ID)
	assert.Equal(t, "not-found", problemCode(t, err))
	_, err = st.RemoveSound(ctx, show.ID, testkit.ID(0))
	assert.NoError(t, err, "nobody uses the sound any more")
}

func TestEpisodesAreNumberedOnwards(t *testing.T) {
	st, show, _ := open(t)
	e, err := st.AddEpisode(ctx, show.ID, "Twelve", 12, session.New())
	require.NoError(t, err)
	next, err := st.AddEpisode(ctx, show.ID, "Next", 0, session.New())
	require.NoError(t, err)
	assert.Equal(t, []int{12, 13}, []int{e.Number, next.Number})
	require.NoError(t, st.RenameEpisode(ctx, next.ID, "After", 14))
	all, err := st.Episodes(ctx, show.ID)
	require.NoError(t, err)
	assert.Equal(t, "After", all[0].Title)
	_, err = st.AddEpisode(ctx, store.NewID(), "Nowhere", 0, session.New())
	assert.Equal(t, "not-found", problemCode(t, err))
}

func TestTakesAreNumberedByPlaceAndKeepWhatTheyBecame(t *testing.T) {
	st, _, e := open(t)
	add := func(track string, begins audio.Frames) store.Take {
		v, err := st.AddTake(ctx, store.Take{Episode: e.ID, Track: track, Begins: begins, Late: -5, Rate: 44100, Channels: 2, Mono: true, Device: "Quay"})
		require.NoError(t, err)
		return v
	}
	first, second, elsewhere, later := add("t1", 0), add("t1", 0), add("t2", 0), add("t1", 1)
	assert.Equal(t, []int{1, 2, 1, 1}, []int{first.Number, second.Number, elsewhere.Number, later.Number})
	assert.Equal(t, []any{store.TakeRecording, audio.Frames(-5), true, "Quay"}, []any{first.State, first.Late, first.Mono, first.Device})
	sound := testkit.ID(0)
	first.State, first.Sound, first.Length, first.Peak = store.TakeClosed, &sound, 48000, -9
	require.NoError(t, st.SetTake(ctx, first))
	closed, err := st.ClosedTakes(ctx)
	require.NoError(t, err)
	require.Len(t, closed, 1)
	assert.Equal(t, []any{first.ID, sound, audio.Frames(48000), audio.DB(-9)}, []any{closed[0].ID, *closed[0].Sound, closed[0].Length, closed[0].Peak})
	require.NoError(t, st.RemoveTake(ctx, second.ID))
	assert.Equal(t, 2, add("t1", 0).Number, "after those that there are")
	assert.Equal(t, "not-found", problemCode(t, st.RemoveTake(ctx, second.ID)))
	_, err = st.AddTake(ctx, store.Take{Episode: store.NewID(), Track: "t1", Rate: 1, Channels: 1})
	assert.Equal(t, "not-found", problemCode(t, err))
	all, err := st.Takes(ctx, e.ID)
	require.NoError(t, err)
	assert.Len(t, all, 4)
}

func TestManyWindowsMarkAScriptWithoutLosingAMark(t *testing.T) {
	st, _, e := open(t)
	_, err := st.EditScript(ctx, e.ID, 0, func(s *store.Script) { s.Text = "Two blasts." })
	require.NoError(t, err)
	var g sync.WaitGroup
	for window := range 8 {
		g.Go(func() {
			if _, err := st.EditScript(ctx, e.ID, 1, func(s *store.Script) { s.Recorded.Of[fmt.Sprint(window)] = true }); err != nil {
				t.Error(err)
			}
		})
	}
	g.Wait()
	s, err := st.Script(ctx, e.ID)
	require.NoError(t, err)
	assert.Len(t, s.Recorded.Of, 8)
	assert.Equal(t, int64(9), s.Version)
	assert.Equal(t, "Two blasts.", s.Text)
}
