package demo_test

import (
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/lead"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/testkit"
)

// opened is a document of the series with its plan, which reads the files beside it.
func opened(t *testing.T, dir, name string) (session.Document, *mix.Plan, mix.Sounds) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, name))
	require.NoError(t, err)
	doc, err := session.Parse(data)
	require.NoError(t, err)
	read := map[string]audio.PCM{}
	sounds := func(id string) (audio.PCM, error) {
		if read[id] == nil {
			read[id] = testkit.ReadAudio(t, filepath.Join(dir, doc.Sounds[id].Path), doc.Sounds[id].Channels)
		}
		return read[id], nil
	}
	plan, err := mix.Compile(doc, sounds, nil)
	require.NoError(t, err)
	return doc, plan, sounds
}

// leads measures the voice lead of a plan in its facts.
func leads(t *testing.T, doc session.Document, plan *mix.Plan, sounds mix.Sounds) (lead.Course, mix.Measured) {
	t.Helper()
	m, err := plan.Measure(t.Context())
	require.NoError(t, err)
	spoken, err := speech.Spoken(doc, found{sounds}, 0, math.MaxInt64)
	require.NoError(t, err)
	return lead.Along(m.Voices, m.Rest, spoken), m
}

type found struct{ sounds mix.Sounds }

func (f found) Phrases(id string, _ float64) ([]speech.Phrase, error) {
	pcm, err := f.sounds(id)
	return speech.Find(pcm), err
}

func TestTheFinishedEpisodeIsClearThroughoutAndTheRoughCutHasItsFaults(t *testing.T) {
	dir := sample(t)
	clear, _ := lead.FindAim("clear")

	doc, plan, sounds := opened(t, dir, "session.json")
	course, m := leads(t, doc, plan, sounds)
	assert.Empty(t, course.Misses(clear), "the finished episode")
	assert.InDelta(t, -16, m.Loudness.Integrated, 0.2)
	assert.Less(t, m.Loudness.TruePeak, -1.0)

	doc, plan, sounds = opened(t, dir, "rough-cut.json")
	course, m = leads(t, doc, plan, sounds)
	at := func(track, name string) session.Clip {
		for _, t := range doc.Tracks {
			for _, c := range t.Clips {
				if t.Name == track && c.Name == name {
					return c
				}
			}
		}
		require.Fail(t, "no clip "+name)
		return session.Clip{}
	}
	keeper, signOff, outro := at("Keeper", "Keeper, winter of the storm"), at("Presenter", "Sign-off"), at("Music 2", "Harbour theme, outro")
	misses := course.Misses(clear)
	require.Len(t, misses, 2, "%v", misses)
	assert.Greater(t, misses[0].From, keeper.Start-audio.Second)
	assert.Less(t, misses[0].To, keeper.End()+audio.Second)
	assert.Greater(t, misses[1].From, signOff.End()-3*audio.Second, "the last syllable")
	assert.LessOrEqual(t, misses[1].To, signOff.End()+audio.Second/2)

	out := audio.NewPCM(2, plan.Length())
	require.NoError(t, mix.NewRenderer(plan).Render(out, 0))
	archivist := at("Archivist", "Archivist, the log books")
	spoken := func(c session.Clip) float64 {
		return loudness.Measure(out.Slice(c.Start, c.End())).Integrated
	}
	assert.InDelta(t, 8, spoken(at("Presenter", "Link 2"))-spoken(archivist), 1.5, "one voice is soft")
	var quiet audio.Frames
	for i := archivist.End(); i < outro.Start+audio.Second && out.Slice(i, i+480).Peak() < 1e-3; i += 480 {
		quiet += 480
	}
	assert.InDelta(t, 6, quiet.Seconds(), 0.3, "dead air")
	second := at("Presenter", "Link 1, second half")
	jump := math.Abs(float64(out[0][second.Start]) - float64(out[0][second.Start-1]))
	assert.Greater(t, jump, 0.05, "a click at the cut")
	recording, err := sounds(signOff.Sound)
	require.NoError(t, err)
	assert.Greater(t, recording[:1].Peak(), float32(0.1))
	assert.Zero(t, recording[1:].Peak(), "nothing on the right")
	assert.NotEmpty(t, m.Voices)
}
