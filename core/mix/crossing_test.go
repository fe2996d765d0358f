package mix_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// overlapping is a track with two clips of constant sounds, the second of which begins in
// the first, and what they render to.
func overlapping(t require.TestingT, one, two float32, sounds [2]int, overlap, length audio.Frames, law session.Law) (session.Document, mix.Sounds) {
	doc := session.New()
	doc.Tracks = []session.Track{{ID: "t1", Name: "A", Part: session.Voice, Envelope: []session.Point{}, Clips: map[string]session.Clip{}}}
	plain := session.Clip{Name: "A", Length: length, FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear}}
	first, second := plain, plain
	first.Sound, second.Sound = testkit.ID(sounds[0]), testkit.ID(sounds[1])
	second.Start, second.Crossing = length-overlap, law
	doc.Tracks[0].Clips["c2"], doc.Tracks[0].Clips["c3"] = first, second
	for _, s := range sounds {
		doc.Sounds[testkit.ID(s)] = session.Sound{Channels: 2, Length: length}
	}
	doc.Next = 4
	require.NoError(t, doc.Validate())
	return doc, func(id string) (audio.PCM, error) {
		if id == first.Sound {
			return testkit.Constant(2, one, length), nil
		}
		return testkit.Constant(2, two, length), nil
	}
}

func TestTheGainsOfACrossingObeyTheirLawAtEveryFrame(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		overlap := audio.Frames(rapid.IntRange(1, 4000).Draw(t, "overlap"))
		for _, c := range []struct {
			law session.Law
			sum func(a, b float64) float64
		}{
			{session.CrossGain, func(a, b float64) float64 { return a + b }},      // g1 + g2 = 1
			{session.CrossPower, func(a, b float64) float64 { return a*a + b*b }}, // g1^2 + g2^2 = 1
		} {
			var gains [2]audio.PCM
			for i, only := range [][2]float32{{1, 0}, {0, 1}} {
				doc, sounds := overlapping(t, only[0], only[1], [2]int{0, 1}, overlap, 5000, c.law)
				plan, err := mix.Compile(doc, sounds, nil)
				require.NoError(t, err)
				gains[i] = audio.NewPCM(2, plan.Length())
				require.NoError(t, mix.NewRenderer(plan).Render(gains[i], 0))
			}
			for i := range gains[0][0] {
				if sum := c.sum(float64(gains[0][0][i]), float64(gains[1][0][i])); math.Abs(sum-1) > 1e-6 {
					t.Fatalf("%s over %d frames: frame %d sums to %v", c.law, overlap, i, sum)
				}
			}
		}
	})
}

func TestClipsThatAreLaidOverEachOtherAreBothHeardInFull(t *testing.T) {
	doc, sounds := overlapping(t, 0.25, 0.5, [2]int{0, 1}, 1000, 5000, session.LaidOver)
	out := renderAll(t, doc, sounds, 9000)
	assert.InDelta(t, 0.75, out[0][4500], 1e-6)
	doc.Tracks[0].Clips["c3"] = func(c session.Clip) session.Clip { c.Silent = true; return c }(doc.Tracks[0].Clips["c3"])
	out = renderAll(t, doc, sounds, 9000)
	assert.InDelta(t, 0.25, out[0][4500], 1e-6)
	assert.Zero(t, out[0][6000])
}

func TestAnOldSessionInWhichThreeClipsLieOverEachOtherSoundsAsItDidAndCanBeEdited(t *testing.T) {
	clip := func(start int) string {
		return fmt.Sprintf(`{"name":"A","sound":%q,"start":%d,"offset":0,"length":5000,"gain":0,"fadeIn":{"length":0,"shape":"linear"},"fadeOut":{"length":0,"shape":"linear"},"envelope":[]}`, testkit.ID(0), start)
	}
	old := fmt.Sprintf(`{"format":"ruvel.session/1","target":"podcast-stereo","next":9,"sounds":{%q:{"channels":2,"length":5000}},"tracks":[{"id":"t1","name":"A","part":"voice","fader":0,"pan":0,"mute":false,"solo":false,"envelope":[],"clips":{"c2":%s,"c3":%s,"c4":%s}}],"markers":{"m5":{"name":"Here","at":7,"length":0}}}`,
		testkit.ID(0), clip(0), clip(1000), clip(2000))
	doc, err := session.Parse([]byte(old))
	require.NoError(t, err)
	assert.Equal(t, old, string(doc.JSON()), "it is written as it was")
	sounds := func(string) (audio.PCM, error) { return testkit.Constant(2, 0.25, 5000), nil }
	out := renderAll(t, doc, sounds, 7000)
	for at, want := range map[int]float64{500: 0.25, 1500: 0.5, 3000: 0.75, 6500: 0.25} {
		assert.InDelta(t, want, out[0][at], 1e-6)
	}
	for _, op := range []edit.Op{
		edit.MoveClips{Moves: []edit.Move{{Clip: "c4", Start: 2500}}}, // which leaves no more clips over each other than there were
		edit.SetClips{Clips: []edit.ClipChange{{Clip: "c2", Silent: new(bool)}}},
		edit.SplitClips{Clips: []string{"c3"}, At: 2300},
	} {
		next, _, err := edit.Apply(doc, op, nil)
		require.NoError(t, err, "%T", op)
		doc = next
	}
	assert.Empty(t, doc.Tracks[0].Crossings(), "what lay over each other goes on doing so")
}

func TestTheLevelInACrossingIsSaid(t *testing.T) {
	doc, _ := overlapping(t, 1, 1, [2]int{0, 1}, 1000, 5000, session.CrossPower)
	for _, id := range []string{"c2", "c3"} {
		l, err := mix.LevelsAt(doc, id, 4500, nil)
		require.NoError(t, err)
		assert.InDelta(t, -3.01, float64(l.Crossing), 0.01)
		assert.InDelta(t, -3.01, float64(l.Total), 0.01)
	}
}

// A tone that goes on through a cut whose halves were joined again is the tone.
func TestJoiningWhatASplitCutChangesNoSample(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		ids := doc.Tracks[0].ClipsInOrder()
		if len(ids) == 0 {
			t.Skip("no clips")
		}
		id := rapid.SampledFrom(ids).Draw(t, "clip")
		_, c, _ := doc.FindClip(id)
		before := string(doc.JSON())
		if c.Length < 2 {
			t.Skip("too short")
		}
		at := c.Start + audio.Frames(rapid.IntRange(1, int(c.Length)-1).Draw(t, "at"))
		parted, _, err := edit.Apply(doc, edit.SplitClips{Clips: []string{id}, At: at}, nil)
		if err != nil {
			t.Skip("refused")
		}
		var right string
		for other := range parted.Tracks[0].Clips {
			if _, _, was := doc.FindClip(other); !was {
				right = other
			}
		}
		joined, _, err := edit.Apply(parted, edit.JoinClips{Clips: []string{id, right}}, nil)
		if err != nil {
			t.Fatalf("join: %v", err)
		}
		joined.Next = doc.Next
		if crossings(doc) == crossings(joined) { // otherwise one was cut, and goes on as fades
			assert.Equal(t, before, string(joined.JSON()))
		}
		a, b := render(t, doc, 0, 120000), render(t, joined, 0, 120000)
		if d := difference(a, b); d > 1e-5 {
			t.Fatalf("changed by %v", d)
		}
	})
}

func crossings(doc session.Document) (n int) {
	for _, tr := range doc.Tracks {
		n += len(tr.Crossings())
	}
	return n
}

func difference(a, b audio.PCM) (most float64) {
	for c := range a {
		for i, v := range a[c] {
			most = max(most, math.Abs(float64(v-b[c][i])))
		}
	}
	return most
}
