package edit_test

import (
	"errors"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestAStepThatNothingNeedsIsTakenBackFromUnderLaterOnes(t *testing.T) {
	d := newDesk(t)
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c3"}, At: 100, Level: -3}}})
	before := d.doc
	soft, quiet := audio.DB(-6), audio.DB(-12)
	for name, step := range map[string]edit.Op{
		"a fader":            edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &soft}}},
		"a point":            edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c3"}, At: 900, Level: -9}}},
		"a clip":             edit.InsertClip{Sound: testkit.ID(1), Track: "t2", Start: 300},
		"a clip gone":        edit.RemoveClips{Clips: []string{"c3"}},
		"the order":          edit.MoveTracks{Tracks: []string{"t2"}, Before: "t1"},
		"a track":            edit.AddTrack{Part: session.Effect},
		"a mark":             edit.AddMarker{At: 7, Name: "Fog"},
		"a track gone":       edit.RemoveTracks{Tracks: []string{"t1"}},
		"a clip's own place": edit.MoveClips{Moves: []edit.Move{{Clip: "c3", Start: 9000, Track: "t1"}}},
	} {
		t.Run(name, func(t *testing.T) {
			d := &desk{t: t, doc: before}
			d.do(step)
			after := d.doc
			d.do(edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t2", Fader: &quiet}}})
			d.do(edit.AddMarker{At: 99, Name: "Horn"})
			now := d.doc
			back, err := edit.TakeBack(before, after, now)
			require.NoError(t, err)
			require.NoError(t, back.Validate())
			other := &desk{t: t, doc: before} // without the step, had it never been
			other.do(edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t2", Fader: &quiet}}})
			other.doc.Next = now.Next - 1 // whose marker gets the number that it has
			other.do(edit.AddMarker{At: 99, Name: "Horn"})
			assert.Equal(t, string(other.doc.JSON()), string(back.JSON()))
			again, err := edit.TakeBack(now, back, back)
			require.NoError(t, err)
			assert.Equal(t, string(now.JSON()), string(again.JSON()), "and is carried out again")
		})
	}
}

func TestAStepThatALaterOneNeedsStays(t *testing.T) {
	soft, softer := audio.DB(-6), audio.DB(-7)
	for name, steps := range map[string][2]edit.Op{
		"the same fader":          {edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &soft}}}, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &softer}}}},
		"a track with a clip":     {edit.AddTrack{Part: session.Effect}, edit.InsertClip{Sound: testkit.ID(1), Track: "t4"}},
		"a clip that was moved":   {edit.InsertClip{Sound: testkit.ID(1), Track: "t2", Start: 300}, edit.MoveClips{Moves: []edit.Move{{Clip: "c4", Start: 9000, Track: "t2"}}}},
		"a point that was moved":  {edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c3"}, At: 900, Level: -9}}}, edit.MovePoints{Moves: []edit.PointMove{{Line: edit.Line{Clip: "c3"}, From: 900, At: 901, Level: -9}}}},
		"a place that was filled": {edit.RemoveClips{Clips: []string{"c3"}}, edit.RemoveTracks{Tracks: []string{"t1"}}},
	} {
		d := newDesk(t)
		before := d.doc
		d.do(steps[0])
		after := d.doc
		d.do(steps[1])
		_, err := edit.TakeBack(before, after, d.doc)
		var p problem.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Equal(t, "needed-later", p.Code, name)
	}
}

func TestTakingBackPutsBackWhatAStepChangedAndNothingElse(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		before := library.Session(t)
		next := func(doc session.Document) session.Document {
			for range 6 {
				if out, _, err := edit.Apply(doc, anyOp(t, doc), library.Catalogue); err == nil {
					return out
				}
			}
			return doc
		}
		after := next(before)
		back, err := edit.TakeBack(before, after, after)
		if err != nil || string(back.JSON()) != string(before.JSON()) {
			t.Fatalf("the last step is not taken back: %v", err)
		}
		now := after
		for range rapid.IntRange(0, 3).Draw(t, "later") {
			now = next(now)
		}
		was := string(now.JSON())
		back, err = edit.TakeBack(before, after, now)
		if string(now.JSON()) != was {
			t.Fatalf("the given document was changed")
		}
		if err != nil {
			var p problem.Problem
			if !errors.As(err, &p) || p.Code != "needed-later" {
				t.Fatalf("%v", err)
			}
			return
		}
		if err := back.Validate(); err != nil {
			t.Fatalf("an invalid document: %v", err)
		}
		// What the step left alone is as it is now, what it brought is gone, and what it took is there again.
		for _, tr := range now.Tracks {
			for id, c := range tr.Clips {
				_, x, inBefore := before.FindClip(id)
				_, y, inAfter := after.FindClip(id)
				_, z, inBack := back.FindClip(id)
				c.Crossing, x.Crossing, y.Crossing, z.Crossing = "", "", "", "" // which goes by the clips beside it
				switch {
				case inBefore == inAfter && reflect.DeepEqual(x, y) && (!inBack || !reflect.DeepEqual(c, z)):
					t.Fatalf("clip %s, which the step left alone, became %v", id, z)
				case !inBefore && inAfter && inBack:
					t.Fatalf("clip %s, which the step brought, stays", id)
				}
			}
		}
		for _, tr := range before.Tracks {
			for id := range tr.Clips {
				if _, _, inAfter := after.FindClip(id); !inAfter {
					if _, _, there := back.FindClip(id); !there {
						t.Fatalf("clip %s, which the step took, is not there again", id)
					}
				}
			}
		}
	})
}
