package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/envelope"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// laidOut is a session with a bed of 60 s under an empty place from 10 to 20 s, an outro that
// begins within the place and goes on beyond it, a second place and a chapter after it.
func laidOut(t *testing.T) *show {
	s := &show{&desk{t: t, doc: session.New()}, map[string]audio.PCM{
		testkit.ID(0): tone(60*second, 200), testkit.ID(1): tone(40*second, 300), testkit.ID(2): tone(25*second, 100), testkit.ID(3): tone(4*second, 100),
	}}
	s.do(edit.AddTrack{Part: session.Voice, Name: "Presenter"})                                 // t1
	s.do(edit.AddTrack{Part: session.Music, Name: "Bed"})                                       // t2
	s.do(edit.AddTrack{Part: session.Music, Name: "Outro"})                                     // t3
	s.do(edit.InsertClip{Sound: testkit.ID(0), Track: "t2", Name: "Bed", Length: 30 * second})  // c4, 0 to 30
	s.do(edit.InsertClip{Sound: testkit.ID(1), Track: "t3", Name: "Outro", Start: 18 * second}) // c5, 18 to 58
	s.do(edit.AddPlace{Track: "t1", At: 10 * second, Length: 10 * second, Name: "Link"})        // m6
	s.do(edit.AddPlace{Track: "t1", At: 24 * second, Length: 2 * second})                       // m7
	s.do(edit.AddMarker{At: 0, Length: 30 * second, Name: "All of it", Chapter: true})          // m8
	s.do(edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c4"}, At: 20 * second, Level: -20}, {Line: edit.Line{Clip: "c4"}, At: 22 * second}}})
	return s
}

func TestWhatFillsAnEmptyPlaceBeginsThereAndAllThatFollowsMovesAlong(t *testing.T) {
	s := laidOut(t)
	assert.Equal(t, "Something for Presenter", s.doc.Markers["m7"].Name)
	s.do(edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Name: "My link", Start: 13 * second}) // 25 s: 15 more than was thought
	voice := s.clips(0)
	require.Len(t, voice, 1)
	assert.Equal(t, []audio.Frames{10 * second, 25 * second}, []audio.Frames{voice[0].Start, voice[0].Length})
	assert.Equal(t, []string{"m7"}, s.doc.EmptyPlaces(), "it is not empty any more")
	assert.Equal(t, 25*second, s.doc.Markers["m6"].Length)
	bed, outro := s.doc.Tracks[1].Clips["c4"], s.doc.Tracks[2].Clips["c5"]
	assert.Equal(t, []audio.Frames{0, 45 * second}, []audio.Frames{bed.Start, bed.Length}, "the bed lies under all of it")
	assert.Equal(t, 33*second, outro.Start, "the outro keeps its distance from the end")
	assert.Equal(t, 39*second, s.doc.Markers["m7"].At)
	assert.Equal(t, 45*second, s.doc.Markers["m8"].Length)
	line := envelope.New(bed.Envelope)
	assert.InDelta(t, -20, level(line, 34*second), 0.1, "the ramp up comes after the last word")
	assert.InDelta(t, 0, level(line, 37*second), 0.1)
	s.do(edit.PlaceTake{Sound: testkit.ID(3), Track: "t1", Start: 40 * second, Name: "Take 1"})
	assert.Equal(t, 39*second, s.clips(0)[1].Start, "a recording, too, begins where the place does")
	assert.Empty(t, s.doc.EmptyPlaces())

	// Another take in its place, and what follows moves along with that; without any, the place is empty again.
	s.do(edit.PlaceTake{Sound: testkit.ID(2), Track: "t1", Start: 39 * second, Name: "Take 2", Instead: []string{testkit.ID(3)}})
	assert.Equal(t, []audio.Frames{39 * second, 25 * second}, []audio.Frames{s.clips(0)[1].Start, s.doc.Markers["m7"].Length})
	assert.Len(t, s.clips(0), 2)
	take := func() (id string) {
		for id, c := range s.doc.Tracks[0].Clips {
			if c.Start == 39*second {
				return id
			}
		}
		return ""
	}()
	s.do(edit.RemoveClips{Clips: []string{take}})
	assert.Equal(t, []string{"m7"}, s.doc.EmptyPlaces())
	s.do(edit.RemoveMarkers{Markers: []string{"m7"}})

	// What the device heard late stands before the place that it was begun at, and is skipped.
	s.do(edit.AddPlace{Track: "t1", At: 100 * second, Length: 5 * second})
	s.do(edit.PlaceTake{Sound: testkit.ID(3), Track: "t1", Start: 100*second - 2000, Name: "Take 2"})
	late := s.clips(0)[1]
	assert.Equal(t, []audio.Frames{100 * second, 2000, 4*second - 2000}, []audio.Frames{late.Start, late.Offset, late.Length})
	assert.Equal(t, 33*second, s.doc.Tracks[2].Clips["c5"].Start, "what began before the place stays")
}

func level(c envelope.Curve, at audio.Frames) float64 { return float64(audio.Level(c.GainAt(at))) }

func TestAShorterOneBringsWhatFollowsNearer(t *testing.T) {
	s := laidOut(t)
	s.do(edit.InsertClip{Sound: testkit.ID(3), Track: "t1", Name: "Short", Start: 10 * second}) // 4 s
	bed, outro := s.doc.Tracks[1].Clips["c4"], s.doc.Tracks[2].Clips["c5"]
	assert.Equal(t, 24*second, bed.Length)
	assert.Equal(t, 12*second, outro.Start)
	assert.Equal(t, 18*second, s.doc.Markers["m7"].At)
	line := envelope.New(bed.Envelope)
	assert.InDelta(t, 0, level(line, 17*second), 0.1)
	// A bed that is not long enough ends where its sound ends.
	s = laidOut(t)
	s.sounds[testkit.ID(4)] = tone(55*second, 100)
	s.do(edit.InsertClip{Sound: testkit.ID(4), Track: "t1", Start: 10 * second})
	assert.Equal(t, 60*second, s.doc.Tracks[1].Clips["c4"].Length)
}

func TestAPlaceGoesWithItsTrackAndIsNoChapter(t *testing.T) {
	s := laidOut(t)
	yes := true
	_, _, err := edit.ApplyFrom(s.doc, s.doc.Next, edit.SetMarkers{Markers: []edit.MarkerChange{{Marker: "m6", Chapter: &yes}}}, s.material())
	assert.ErrorContains(t, err, "no chapter")
	s.do(edit.RemoveTracks{Tracks: []string{"t1"}})
	assert.Len(t, s.doc.Markers, 1)
	_, _, err = edit.ApplyFrom(s.doc, s.doc.Next, edit.AddPlace{Track: "t1", At: 0, Length: second}, s.material())
	assert.ErrorContains(t, err, "not in the session any more")
}

func TestFillingAPlaceWithAnyLengthMakesAValidSession(t *testing.T) {
	base := laidOut(t)
	law.Check(t, func(t *rapid.T) {
		length := audio.Frames(rapid.Int64Range(1, int64(30*second)).Draw(t, "length"))
		at := audio.Frames(rapid.Int64Range(0, int64(24*second)-1).Draw(t, "at")) // in the first place, or in none
		doc, _, err := edit.ApplyFrom(base.doc, base.doc.Next, edit.InsertClip{Sound: testkit.ID(0), Track: "t1", Start: at, Length: length}, base.material())
		if err != nil {
			t.Fatalf("%v long at %v: %v", length, at, err)
		}
		if err := doc.Validate(); err != nil {
			t.Fatal(err)
		}
		before, after := base.doc.Tracks[2].Clips["c5"], doc.Tracks[2].Clips["c5"]
		if before.Length != after.Length {
			t.Fatal("the outro keeps its length")
		}
	})
}
