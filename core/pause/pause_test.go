package pause_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/pause"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// known is a source that has been told.
type known map[string][]speech.Phrase

func (k known) Phrases(id string, _ float64) ([]speech.Phrase, error) { return k[id], nil }

const second = audio.Second

func talk(t require.TestingT) (session.Document, known) {
	catalogue := func(string) (session.Sound, bool) { return session.Sound{Channels: 1, Length: 60 * second}, true }
	doc := session.New()
	for _, op := range []edit.Op{
		edit.AddTrack{Part: session.Voice},
		edit.AddTrack{Part: session.Voice},
		edit.AddTrack{Part: session.Music}, // t1, t2, t3
		edit.InsertClip{Sound: testkit.ID(0), Track: "t1", Start: 2 * second},
		edit.InsertClip{Sound: testkit.ID(1), Track: "t2"},
		edit.InsertClip{Sound: testkit.ID(2), Track: "t3"},
	} {
		next, _, err := edit.Apply(doc, op, catalogue)
		require.NoError(t, err)
		doc = next
	}
	return doc, known{
		testkit.ID(0): {{From: 0, To: 4 * second}, {From: 6 * second, To: 9 * second}, {From: 20 * second, To: 25 * second}},
		testkit.ID(1): {{From: 12 * second, To: 14 * second}},
	}
}

func TestPausesAreWhereNoneOfTheTracksSpeaks(t *testing.T) {
	doc, source := talk(t)
	s := pause.Settings{Longer: second, To: second / 2, Meant: 7 * second}
	got, err := pause.Find(doc, []string{"t1"}, source, s)
	require.NoError(t, err)
	quarter := second / 4
	assert.Equal(t, []pause.Pause{
		{6 * second, 8 * second, 6*second + quarter, 8*second - quarter, true},
		{11 * second, 22 * second, 11*second + quarter, 22*second - quarter, false}, // longer than is tightened unasked
	}, got)
	got, err = pause.Find(doc, []string{"t1", "t2"}, source, s)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, []audio.Frames{14 * second, 22 * second}, []audio.Frames{got[1].From, got[1].To}, "after what the other one says")
	_, err = pause.Find(doc, []string{"t9"}, source, s)
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	_, err = pause.Find(doc, []string{"t1"}, source, pause.Settings{Longer: 10, To: 20})
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "bad-pauses", p.Code)
}

func TestTightenedPausesAreAsLongAsWasAskedFor(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc, source := talk(t)
		to := audio.Frames(rapid.IntRange(1000, 40000).Draw(t, "to"))
		s := pause.Settings{Longer: to + audio.Frames(rapid.IntRange(1, 90000).Draw(t, "longer")), To: to}
		found, err := pause.Find(doc, []string{"t1", "t2"}, source, s)
		require.NoError(t, err)
		if len(found) == 0 {
			t.Skip("none")
		}
		var cuts []edit.Range
		for _, p := range found {
			cuts = append(cuts, edit.Range{From: p.CutFrom, To: p.CutTo})
		}
		next, _, err := edit.Apply(doc, edit.TightenPauses{Cuts: cuts}, nil)
		require.NoError(t, err)
		again, err := pause.Find(next, []string{"t1", "t2"}, source, pause.Settings{Longer: to - 1, To: min(to-2, 960)})
		require.NoError(t, err)
		n := 0
		for _, p := range again {
			if d := p.To - p.From - to; d == 0 {
				n++
			}
		}
		if n < len(found) {
			t.Fatalf("%d pauses were tightened, %d have that length: %v", len(found), n, again)
		}
	})
}
