package edit_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// stageSet carries out an operation on the document of the examples.
func stageSet(t *testing.T, ops ...edit.Op) session.Document {
	t.Helper()
	doc, err := edit.Example()
	require.NoError(t, err)
	for _, op := range ops {
		doc, _, err = edit.Apply(doc, op, edit.ExampleSounds)
		require.NoError(t, err)
	}
	return doc
}

func TestASettingOfAStageChangesAndTheOthersStay(t *testing.T) {
	gate := func(settings map[string]any) edit.Op {
		return edit.SetStage{Tracks: []string{"t1"}, Stage: "gate", Settings: settings}
	}
	usual := session.Usual().Gate
	for name, c := range map[string]struct {
		ops  []edit.Op
		want session.Gate
	}{
		"what is named alone":               {[]edit.Op{gate(map[string]any{"hold": 300})}, func() session.Gate { g := usual; g.Hold = 300; return g }()},
		"the lower threshold is pushed":     {[]edit.Op{gate(map[string]any{"open": -60})}, func() session.Gate { g := usual; g.Open, g.Close = -60, -60; return g }()},
		"and pushes the upper one":          {[]edit.Op{gate(map[string]any{"close": -30})}, func() session.Gate { g := usual; g.Open, g.Close = -30, -30; return g }()},
		"neither is, where there is room":   {[]edit.Op{gate(map[string]any{"open": -40})}, func() session.Gate { g := usual; g.Open = -40; return g }()},
		"one after the other, both of them": {[]edit.Op{gate(map[string]any{"on": true}), gate(map[string]any{"range": 30})}, func() session.Gate { g := usual; g.On, g.Range = true, 30; return g }()},
	} {
		assert.Equal(t, c.want, stageSet(t, c.ops...).Tracks[0].Treatment.Gate, name)
	}
}

func TestACompressorThatMakesUpByItselfTakesOrdinarySpeechForWhatItsDetectorSees(t *testing.T) {
	ordinary := map[session.Detector]audio.DB{session.Peaks: -12.5, session.Level: -21}
	set := func(settings map[string]any, known map[session.Detector]audio.DB) audio.DB {
		return stageSet(t, edit.SetStage{Tracks: []string{"t1"}, Stage: "compressor", Settings: settings, Ordinary: known}).Tracks[0].Treatment.Compressor.Speech
	}
	assert.Equal(t, audio.DB(-21), set(map[string]any{"auto": true}, ordinary))
	assert.Equal(t, audio.DB(-12.5), set(map[string]any{"detector": "peak"}, ordinary))
	assert.Equal(t, session.Usual().Compressor.Speech, set(map[string]any{"auto": true}, nil), "what is not known stays")
	assert.Equal(t, session.Usual().Compressor.Speech, set(map[string]any{"ratio": 4}, ordinary), "and so it does where nothing asks for it")
}

func TestAStageIsSetOnAllTracksThatAreMeantAsItIsOnTheFirst(t *testing.T) {
	doc := stageSet(
		t,
		edit.SetStage{Tracks: []string{"t1"}, Stage: "lowCut", Settings: map[string]any{"on": true, "corner": 120}},
		edit.SetStage{Tracks: []string{"t1", "t2"}, Stage: "limiter", Settings: map[string]any{"on": true}},
	)
	assert.Equal(t, doc.Tracks[0].Treatment, doc.Tracks[doc.FindTrack("t2")].Treatment)
	assert.InDelta(t, 120, doc.Tracks[doc.FindTrack("t2")].Treatment.LowCut.Corner, 0)
}

func TestWhatIsNoSettingOfAStageIsRefused(t *testing.T) {
	doc := stageSet(t)
	for name, c := range map[string]struct {
		op   edit.SetStage
		code string
	}{
		"a stage that there is not":      {edit.SetStage{Tracks: []string{"t1"}, Stage: "reverb"}, "unknown-stage"},
		"a setting of another":           {edit.SetStage{Tracks: []string{"t1"}, Stage: "gate", Settings: map[string]any{"ratio": 2}}, "bad-settings"},
		"a word where a number is meant": {edit.SetStage{Tracks: []string{"t1"}, Stage: "gate", Settings: map[string]any{"hold": "long"}}, "bad-settings"},
		"what is no number at all":       {edit.SetStage{Tracks: []string{"t1"}, Stage: "gate", Settings: map[string]any{"hold": math.NaN()}}, "bad-settings"},
		"a value out of its range":       {edit.SetStage{Tracks: []string{"t1"}, Stage: "gate", Settings: map[string]any{"hold": 2001}}, "setting-out-of-range"},
		"another detector":               {edit.SetStage{Tracks: []string{"t1"}, Stage: "compressor", Settings: map[string]any{"detector": "ear"}}, "bad-detector"},
		"a track that there is not":      {edit.SetStage{Tracks: []string{"t99"}, Stage: "gate"}, "unknown-track"},
		"no track":                       {edit.SetStage{Stage: "gate"}, "nothing-chosen"},
	} {
		_, _, err := edit.Apply(doc, c.op, edit.ExampleSounds)
		var p problem.Problem
		if assert.ErrorAs(t, err, &p, name) {
			assert.Equal(t, c.code, p.Code, name)
		}
	}
	_, _, err := edit.Apply(doc, edit.SetStage{Tracks: []string{"t1"}, Stage: "lowCut", Settings: map[string]any{"ratio": 2}}, edit.ExampleSounds)
	assert.EqualError(t, err, `The stage lowCut has no setting "ratio". It has on, corner.`)
	_, _, err = edit.Apply(doc, edit.SetStage{Tracks: []string{"t1"}, Stage: "gate", Settings: map[string]any{"hold": "long"}}, edit.ExampleSounds)
	assert.EqualError(t, err, "The setting hold of the stage gate takes a number, not a string.")
}

func TestAClipFadesOutByATime(t *testing.T) {
	before := stageSet(t)
	_, was, _ := before.FindClip("c7")
	for at, length := range map[audio.Frames]audio.Frames{was.Start + 10*audio.Second: 3 * audio.Second, was.Start + 4*audio.Second: 2 * audio.Second} {
		_, c, _ := stageSet(t, edit.FadeOutBy{Clip: "c7", At: at}).FindClip("c7")
		assert.Equal(t, at, c.End())
		assert.Equal(t, length, c.FadeOut.Length)
		assert.Equal(t, session.Smooth, c.FadeOut.Shape)
	}
}

func TestRangesAreThoseThatATreatmentIsHeldTo(t *testing.T) {
	ranges := session.Ranges()
	assert.Equal(t, session.Range{Low: 0.1, High: 100}, ranges["gate"]["attack"])
	assert.Equal(t, session.Range{Low: 20, High: 20000}, ranges["way"]["up"])
	assert.NotContains(t, ranges["gate"], "on")
	n := 0
	for stage, own := range ranges {
		for name, r := range own {
			if stage == "way" {
				continue
			}
			for value, fits := range map[float64]bool{r.Low: true, r.High: true, r.Low - 0.05: false, r.High + 0.05: false} {
				doc, err := edit.Example()
				require.NoError(t, err)
				_, _, err = edit.Apply(doc, edit.SetStage{Tracks: []string{"t1"}, Stage: stage, Settings: map[string]any{name: value}}, edit.ExampleSounds)
				assert.Equal(t, fits, err == nil, "%s of %s at %g: %v", name, stage, value, err)
				n++
			}
		}
	}
	assert.Greater(t, n, 80)
}
