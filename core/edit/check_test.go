package edit_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/testkit"
)

func TestASideIsChosenForARecordingInStereoAlone(t *testing.T) {
	d := session.New()
	mono, stereo := testkit.ID(0), testkit.ID(2)
	for _, id := range []string{mono, stereo} {
		s, _ := library.Catalogue(id)
		d.Sounds[id] = s
	}
	fade := session.Fade{Shape: session.Linear}
	d.Tracks = []session.Track{{ID: "t1", Name: "Voice", Part: session.Voice, Envelope: []session.Point{}, Clips: map[string]session.Clip{
		"c1": {Name: "One", Sound: mono, Length: 1000, FadeIn: fade, FadeOut: fade}, "c2": {Name: "Two", Sound: stereo, Start: 2000, Length: 1000, FadeIn: fade, FadeOut: fade},
	}}}
	next, name, err := edit.Apply(d, edit.SetSides{Sides: []edit.SideOf{{Sound: stereo, Side: session.RightSide}}}, nil)
	require.NoError(t, err)
	assert.Equal(t, "Hear the right side of a recording, in the middle", name)
	assert.Equal(t, 1, next.Sounds[stereo].Heard())
	assert.Equal(t, 2, d.Sounds[stereo].Heard(), "the document before is as it was")
	back, _, err := edit.Apply(next, edit.SetSides{Sides: []edit.SideOf{{Sound: stereo}}}, nil)
	require.NoError(t, err)
	assert.Equal(t, string(d.JSON()), string(back.JSON()))
	for _, op := range []edit.Op{
		edit.SetSides{Sides: []edit.SideOf{{Sound: mono, Side: session.LeftSide}}},
		edit.SetSides{Sides: []edit.SideOf{{Sound: testkit.ID(9), Side: session.LeftSide}}},
		edit.SetSides{Sides: []edit.SideOf{{Sound: stereo, Side: "middle"}}},
		edit.SetSides{},
	} {
		_, _, err := edit.Apply(d, op, nil)
		require.Error(t, err)
	}
}

func TestFindingsAreSetAsideWithAReasonAndTakenUpAgain(t *testing.T) {
	d := session.New()
	next, name, err := edit.Apply(d, edit.SetAside{Reason: "  meant so ", Findings: []edit.AsideFinding{{Key: "mute t2", Name: "A muted track", By: 1}}}, nil)
	require.NoError(t, err)
	assert.Equal(t, "Set aside: A muted track", name)
	assert.Equal(t, session.Aside{Reason: "meant so", By: 1}, next.Aside["mute t2"])
	again, err := session.Parse(next.JSON())
	require.NoError(t, err, "it stands in the document")
	assert.Equal(t, next.Aside, again.Aside)
	back, _, err := edit.Apply(next, edit.TakeUp{Findings: []string{"mute t2"}}, nil)
	require.NoError(t, err)
	assert.Equal(t, string(d.JSON()), string(back.JSON()))
	for _, op := range []edit.Op{
		edit.TakeUp{Findings: []string{"loop"}},
		edit.SetAside{Reason: strings.Repeat("x", 501), Findings: []edit.AsideFinding{{Key: "loop"}}},
		edit.SetAside{Findings: []edit.AsideFinding{{Key: ""}}},
	} {
		_, _, err := edit.Apply(next, op, nil)
		require.Error(t, err)
	}
}

func TestAnOperationThatIsWrittenIsReadAsItWas(t *testing.T) {
	for _, op := range edit.Ops() {
		again, err := edit.Decode(edit.Encode(op))
		require.NoError(t, err)
		want, err := json.Marshal(op)
		require.NoError(t, err)
		have, err := json.Marshal(again)
		require.NoError(t, err)
		assert.Equal(t, strings.Replace(string(want), `"type":""`, `"type":"`+edit.TypeOf(op)+`"`, 1), string(have))
	}
}
