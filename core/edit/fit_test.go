package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/envelope"
	"ruvel/core/fit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit"
)

func TestAPieceIsLaidInPartsThatCrossAndAreOrdinaryClips(t *testing.T) {
	s := newShow(t, tone(60*second, 200), tone(60*second, 320))
	softer := audio.DB(-6)
	s.do(edit.SetClips{Clips: []edit.ClipChange{{Clip: "c4", Gain: &softer}}})
	s.do(edit.SetFades{Fades: []edit.ClipFades{{Clip: "c4", In: &edit.NewFade{Length: second, Shape: session.Smooth}, Out: &edit.NewFade{Length: second / 2, Shape: session.Linear}}}})
	before := s.doc.JSON()
	parts := []fit.Section{{From: 0, To: 10 * second}, {From: 30 * second, To: 40 * second, Same: true}, {From: 50 * second, To: 59 * second}}
	s.do(edit.FitClips{Clips: []string{"c4"}, Parts: parts, FadeOut: 2 * second})
	clips := s.clips(1)
	require.Len(t, clips, 3)
	assert.Equal(t, "Fit “Theme” to 0:28.95", s.name)
	for i, c := range clips {
		assert.Equal(t, parts[i].From, c.Offset)
		assert.Equal(t, parts[i].To-parts[i].From, c.Length)
		assert.Equal(t, audio.DB(-6), c.Gain)
		if i > 0 {
			assert.Equal(t, clips[i-1].End()-fit.Cross, c.Start, "each crosses into the one before")
			assert.Zero(t, c.FadeIn.Length)
		}
	}
	assert.Equal(t, []session.Law{"", session.CrossGain, session.CrossPower}, []session.Law{clips[0].Crossing, clips[1].Crossing, clips[2].Crossing})
	assert.Equal(t, []audio.Frames{second, 0, 2 * second}, []audio.Frames{clips[0].FadeIn.Length, clips[1].FadeOut.Length, clips[2].FadeOut.Length})
	// Where the sound meets itself in step, nothing is heard of the join: the tone goes on as loud.
	out := s.render()
	at := clips[1].Start + fit.Cross/2
	assert.InDelta(t, testkit.RMS(out[0][at-4800:at-2400]), testkit.RMS(out[0][at-1200:at+1200]), 0.05)

	// The row is one piece, and can be fitted again, whichever of its clips is meant.
	row, err := edit.Run(s.doc, "c6")
	require.NoError(t, err)
	assert.Len(t, row, 3)
	s.do(edit.FitClips{Clips: row, Parts: []fit.Section{{From: 0, To: 60 * second}}})
	assert.Len(t, s.clips(1), 1)
	assert.Equal(t, 60*second, s.clips(1)[0].Length)
	assert.Equal(t, 2*second, s.clips(1)[0].FadeOut.Length, "the fade at the end stays")
	assert.NotEqual(t, before, s.doc.JSON())
}

func TestTheLevelLineStaysOverTheTimeOfTheSession(t *testing.T) {
	s := newShow(t, tone(60*second, 200), tone(60*second, 300))
	bed := edit.Line{Clip: "c4"}
	s.do(edit.AddPoints{Points: []edit.NewPoint{{Line: bed, At: 5 * second}, {Line: bed, At: 12 * second, Level: -12, Bend: 0.5}, {Line: bed, At: 20 * second, Level: -6}}})
	was := envelope.New(s.clips(1)[0].Envelope)
	s.do(edit.FitClips{Clips: []string{"c4"}, Parts: []fit.Section{{From: 0, To: 10 * second}, {From: 30 * second, To: 45 * second}}})
	for _, c := range s.clips(1) {
		now := envelope.New(c.Envelope)
		for at := c.Start; at < c.End(); at += second / 7 {
			assert.InDelta(t, was.GainAt(at-10), now.GainAt(at-c.Start+c.Offset), 1e-4, "at %v", at) // the bed begins at frame 10
		}
	}
}

func TestPartsThatAreNoneAreRefused(t *testing.T) {
	s := newShow(t, tone(60*second, 200), tone(60*second, 300))
	whole := []fit.Section{{From: 0, To: 60 * second}}
	for code, op := range map[string]edit.FitClips{
		"nothing-chosen": {Clips: []string{"c4"}},
		"unknown-clip":   {Clips: []string{"c99"}, Parts: whole},
		"not-one-piece":  {Clips: []string{"c4", "c3"}, Parts: whole},
		"bad-range":      {Clips: []string{"c4"}, Parts: []fit.Section{{From: 0, To: 61 * second}}},
	} {
		_, _, err := edit.ApplyFrom(s.doc, s.doc.Next, op, s.material())
		var p problem.Problem
		require.ErrorAs(t, err, &p, code)
		assert.Equal(t, code, p.Code)
	}
	_, err := edit.Run(s.doc, "c99")
	assert.Error(t, err)
}
