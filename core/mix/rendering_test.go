package mix_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit"
)

// placedRendering renders clips of a session to a sound and puts it in their place.
func placedRendering(t *testing.T, d session.Document, library testkit.Library, r edit.Rendering) (session.Document, session.Span) {
	t.Helper()
	alone, span, err := r.Alone(d)
	require.NoError(t, err)
	plan, err := mix.Compile(alone, library.Sounds, nil)
	require.NoError(t, err)
	pcm := audio.NewPCM(2, span.To-span.From)
	require.NoError(t, mix.NewRenderer(plan).Render(pcm, span.From))
	if r.Channels(alone) == 1 {
		pcm = pcm[:1]
		for i := range pcm[0] {
			pcm[0][i] *= math.Sqrt2
		}
	}
	library[testkit.ID(7)] = pcm
	out, name, err := edit.Apply(d, edit.PlaceRendering{Sound: testkit.ID(7), Name: "Guest, treated", Start: span.From, Clips: r.Clips}, library.Catalogue)
	require.NoError(t, err)
	assert.Equal(t, "Render to “Guest, treated”", name)
	return out, span
}

func mixed(t *testing.T, d session.Document, library testkit.Library) audio.PCM {
	t.Helper()
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	return whole(t, plan)
}

func TestARenderingInThePlaceOfItsClipsSoundsAsTheyDid(t *testing.T) {
	d, library := treatedSession()
	d.Tracks[1].Fader, d.Tracks[1].Pan = -4, 0.3
	d.Tracks = append(d.Tracks, session.Track{ID: "t8", Name: "Shore", Part: session.Effect, Envelope: []session.Point{}, Clips: map[string]session.Clip{}})
	want := mixed(t, d, library)
	for name, clips := range map[string][]string{"a mono clip beside the middle": {"c3"}, "mono and stereo clips": {"c1", "c2"}, "a stereo clip": {"c4"}, "all": {"c1", "c2", "c3", "c4"}} {
		out, _ := placedRendering(t, d, library, edit.Rendering{Clips: clips, Treatment: true, Lines: true})
		assert.Less(t, testkit.MaxDifference(t, want, mixed(t, out, library)), 1e-5, name)
		var order []string
		for _, track := range out.Tracks {
			order = append(order, track.ID)
		}
		first, _, _ := d.FindClip(clips[0])
		assert.Equal(t, slices.Insert([]string{"t1", "t2", "t3", "t8"}, first, "t9"), order, "it stands above, and nothing else is moved")
	}
	d.Tracks[1].Pan = 0
	want = mixed(t, d, library)
	out, _ := placedRendering(t, d, library, edit.Rendering{Clips: []string{"c3"}, Treatment: true, Lines: true})
	assert.Equal(t, 1, out.Sounds[testkit.ID(7)].Channels, "what lies in the middle is mono")
	assert.Less(t, testkit.MaxDifference(t, want, mixed(t, out, library)), 1e-5)
}

func TestARenderedStretchTakesOverAndGivesBackWithoutAStep(t *testing.T) {
	d, library := treatedSession()
	want := mixed(t, d, library)
	// Of a track that is not treated, what is heard of the rest does not change with what is silenced.
	out, span := placedRendering(t, d, library, edit.Rendering{Clips: []string{"c4"}, From: 6 * audio.Second, To: 9 * audio.Second, Lines: true})
	assert.Equal(t, session.Span{From: 6 * audio.Second, To: 9 * audio.Second}, span)
	assert.Less(t, testkit.MaxDifference(t, want, mixed(t, out, library)), 0.01, "what goes and what comes add up")
}

func TestARenderingLeavesOutWhatIsNotWanted(t *testing.T) {
	d, library := treatedSession()
	d.Tracks[0].Mute, d.Tracks[2].Solo = true, true
	plain, _, err := edit.Rendering{Clips: []string{"c1"}}.Alone(d)
	require.NoError(t, err)
	got := mixed(t, plain, library)
	c := d.Tracks[0].Clips["c1"]
	middle := got.Slice(c.Start+15*audio.Second, c.Start+16*audio.Second)
	dry := library[c.Sound].Slice(15*audio.Second, 16*audio.Second)
	for i := range dry[0] {
		require.InDelta(t, dry[0][i]*math.Sqrt2/2, middle[0][i], 1e-6, "neither treated nor with its line, though the track is muted")
	}
	far := d.Tracks[2].Clips["c4"]
	far.Name, far.Start = "Far", 4*3600*audio.Second
	d.Tracks[2].Clips["c6"] = far
	for code, r := range map[string]edit.Rendering{
		"unknown-clip":      {Clips: []string{"c99"}},
		"nothing-to-render": {Clips: []string{"c4"}, From: 30 * audio.Second},
		"too-long":          {Clips: []string{"c4", "c6"}},
	} {
		_, _, err := r.Alone(d)
		var p problem.Problem
		require.ErrorAs(t, err, &p)
		assert.Equal(t, code, p.Code)
	}
}
