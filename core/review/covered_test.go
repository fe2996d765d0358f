package review_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/testkit/law"
	"ruvel/testkit/truth"
)

// coveredIn are the places in which speech is covered in a session, as they are found in its mix.
func coveredIn(t require.TestingT, s truth.Session) []review.Finding {
	plan, err := mix.CompileFrom(s.Document, s.Source, nil)
	require.NoError(t, err)
	measured, err := plan.Measure(context.Background())
	require.NoError(t, err)
	found, err := review.Of(review.Material{Document: s.Document, Plan: plan, Mix: &measured, Source: s.Source, Limits: review.Usual()})
	require.NoError(t, err)
	return slices.DeleteFunc(found, func(f review.Finding) bool { return f.Kind != "covered" })
}

// drawnWay is a way that may be off, for one voice, by a drop, or not go far enough.
func drawnWay(t *rapid.T) session.Way {
	way := duck.Starts()[rapid.IntRange(0, 2).Draw(t, "start")].Way
	way.On = rapid.IntRange(0, 3).Draw(t, "on") > 0
	way.Most = audio.DB(rapid.IntRange(0, 48).Draw(t, "most"))
	way.Lead = float64(rapid.IntRange(0, 20).Draw(t, "lead"))
	if rapid.IntRange(0, 4).Draw(t, "by") == 0 {
		way.By, way.Drop = session.ByDrop, audio.DB(rapid.IntRange(0, 20).Draw(t, "drop"))
	}
	if rapid.IntRange(0, 4).Draw(t, "for") == 0 {
		way.For = []string{"t1"}
	}
	return way
}

func TestFixingAllThatCoversSpeechLeavesNothingCovered(t *testing.T) {
	voices := [][]audio.PCM{truth.Murmur(1, 12), truth.Murmur(2, 12)}
	music := []audio.PCM{{truth.Music(1, 20*audio.Second)}, {truth.Music(2, 20*audio.Second)}, {truth.Music(3, 20*audio.Second)}}
	before := 0
	cases := law.Check(t, func(t *rapid.T) {
		s := truth.NewSession(rapid.Uint64().Draw(t, "seed"), 20, voices, music)
		s.Document.Lead = rapid.SampledFrom([]string{"present", "clear", "accessible"}).Draw(t, "aim")
		for i := range s.Document.Tracks {
			if track := &s.Document.Tracks[i]; track.Part != session.Voice {
				track.Way = drawnWay(t)
				if rapid.IntRange(0, 2).Draw(t, "line") == 0 {
					track.Envelope = []session.Point{{At: audio.Frames(rapid.Int64Range(0, int64(20*audio.Second)).Draw(t, "at")), Level: audio.DB(rapid.IntRange(-6, 12).Draw(t, "level"))}}
				}
			}
		}
		require.NoError(t, s.Document.Validate())
		found := coveredIn(t, s)
		before += len(found)
		for range 6 {
			op, taken := review.Together(found)
			if taken == 0 {
				break
			}
			var err error
			s.Document, _, err = edit.Apply(s.Document, op, nil)
			require.NoError(t, err)
			found = coveredIn(t, s)
		}
		for _, f := range found {
			assert.Fail(t, "covered still", "%s %v", f.Text, f.Fix)
		}
	})
	// How many there are is drawn: a mean of two and a half in each session, with none in many of them.
	assert.Greater(t, before, cases/4, "places in %d sessions", cases)
}

func TestAFindingSaysWhyNoMoreIsTakenAway(t *testing.T) {
	voices, music := [][]audio.PCM{truth.Murmur(1, 12)}, []audio.PCM{{truth.Music(1, 20*audio.Second)}}
	for name, c := range map[string]struct {
		way  session.Way
		says string
	}{
		"no way":       {session.Way{}, "It makes no way for speech."},
		"a drop":       {func() session.Way { w := duck.Starts()[1].Way; w.By, w.Drop = session.ByDrop, 1; return w }(), "It goes down by a fixed 1.0 dB."},
		"its most":     {func() session.Way { w := duck.Starts()[1].Way; w.Most = 0; return w }(), "It is down by its most, 0.0 dB, and its level line raises it by 6.0 dB."},
		"other voices": {func() session.Way { w := duck.Starts()[1].Way; w.For = []string{"t99"}; return w }(), "It makes way for other voices alone."},
	} {
		t.Run(name, func(t *testing.T) {
			s := truth.NewSession(4, 20, voices, music)
			for i := range s.Document.Tracks {
				if track := &s.Document.Tracks[i]; track.Part != session.Voice {
					track.Way = c.way
					track.Envelope = []session.Point{{At: 0, Level: 6}}
				}
			}
			found := coveredIn(t, s)
			require.NotEmpty(t, found)
			assert.True(t, strings.HasSuffix(found[0].Text, c.says), found[0].Text)
			require.NotNil(t, found[0].Fix)
		})
	}
}
