package mix_test

import (
	"context"
	"math"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// allOn is a treatment with all stages on, so set that each has something to do with talk.
func allOn() session.Treatment {
	t := session.Usual()
	t.LowCut.On, t.Gate.On, t.Expander.On, t.Compressor.On, t.Limiter.On = true, true, true, true, true
	t.Limiter.Ceiling = -10
	return t
}

// talk is a row of words of noise over a floor, with pauses.
func talk(channels int, length audio.Frames, seed uint64) audio.PCM {
	out, voice := testkit.Noise(channels, 0.002, length, seed), testkit.Noise(channels, 0.5, length, seed+9)
	for c := range out {
		for i := range out[c] {
			at := float64(i) / audio.Rate
			out[c][i] += voice[c][i] * float32(max(0, math.Sin(2*math.Pi*1.7*at)*math.Sin(2*math.Pi*0.19*at+float64(seed))))
		}
	}
	return out
}

// treatedSession is two treated tracks, one with mono and stereo clips, and one that is not.
func treatedSession() (session.Document, testkit.Library) {
	library := testkit.Library{testkit.ID(0): talk(1, 40*audio.Second, 1), testkit.ID(1): talk(2, 20*audio.Second, 2)}
	d := session.New()
	for id, pcm := range library {
		d.Sounds[id] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
	}
	clip := func(sound int, start, length audio.Frames) session.Clip {
		return session.Clip{
			Name: "Clip", Sound: testkit.ID(sound), Start: start, Length: length, Envelope: []session.Point{{At: audio.Second, Level: -3}, {At: 9 * audio.Second}},
			FadeIn: session.Fade{Length: 4800, Shape: session.Linear}, FadeOut: session.Fade{Length: 4800, Shape: session.Linear},
		}
	}
	track := func(id string, clips map[string]session.Clip, t session.Treatment) {
		d.Tracks = append(d.Tracks, session.Track{ID: id, Name: id, Part: session.Voice, Envelope: []session.Point{}, Clips: clips, Treatment: t})
	}
	track("t1", map[string]session.Clip{"c1": clip(0, 30000, 38*audio.Second), "c2": clip(1, 12*audio.Second, 15*audio.Second)}, allOn())
	track("t2", map[string]session.Clip{"c3": clip(0, 5*audio.Second, 30*audio.Second)}, session.Treatment{Compressor: allOn().Compressor})
	track("t3", map[string]session.Clip{"c4": clip(1, 0, 20*audio.Second)}, session.Treatment{})
	d.Next = 9
	return d, library
}

func whole(t require.TestingT, plan *mix.Plan) audio.PCM {
	out := audio.NewPCM(2, plan.Length())
	require.NoError(t, mix.NewRenderer(plan).Render(out, 0))
	return out
}

func TestATreatedMixIsTheSameInWhateverWindowsAndOrderAndOnHoweverManyCores(t *testing.T) {
	d, library := treatedSession()
	require.NoError(t, d.Validate())
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	want := whole(t, plan)
	// Nothing of what has been computed before is used.
	plan.KeepIn(mix.NewSpans(1))
	renders := 12
	if testing.Short() { // as with the race detector, which takes ten times as long
		renders = 1
	}
	var mu sync.Mutex
	var group sync.WaitGroup
	for worker := range 4 {
		group.Go(func() {
			random := rand.New(rand.NewPCG(uint64(worker), 1))
			r := mix.NewRenderer(plan)
			for range renders {
				from := audio.Frames(random.Int64N(int64(plan.Length() - 1)))
				got := audio.NewPCM(2, min(plan.Length()-from, audio.Frames(1+random.Int64N(100000))))
				err := r.Render(got, from)
				mu.Lock()
				assert.NoError(t, err)
				assert.Zero(t, testkit.MaxDifference(t, want.Slice(from, from+got.Length()), got), "from %d", from)
				mu.Unlock()
			}
		})
	}
	group.Wait()
	at := audio.Frames(0)
	require.NoError(t, plan.Each(context.Background(), 0, plan.Length(), func(piece audio.PCM) error {
		assert.Zero(t, testkit.MaxDifference(t, want.Slice(at, at+piece.Length()), piece))
		at += piece.Length()
		return nil
	}))
	assert.Equal(t, plan.Length(), at)
}

func TestMovingEverythingByWholeSpansMovesTheOutput(t *testing.T) {
	d, library := treatedSession()
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	want := whole(t, plan)
	for i := range d.Tracks {
		for id, c := range d.Tracks[i].Clips {
			c.Start += 20 * audio.Second
			d.Tracks[i].Clips[id] = c
		}
	}
	plan, err = mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	got := whole(t, plan)
	assert.Zero(t, testkit.MaxDifference(t, want, got.Slice(20*audio.Second, plan.Length())))
	assert.Zero(t, got.Slice(0, 20*audio.Second).Peak())
}

func TestAnEditComputesOnlyTheSpansThatItReaches(t *testing.T) {
	d, library := treatedSession()
	spans := mix.NewSpans(1 << 28)
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	plan.KeepIn(spans)
	whole(t, plan)
	made := spans.Made()
	require.Greater(t, made, 6)
	change := func(what string, more int, edit func(*session.Document)) {
		t.Helper()
		edit(&d)
		if plan, err = mix.Compile(d, library.Sounds, plan); assert.NoError(t, err) {
			whole(t, plan)
		}
		assert.LessOrEqual(t, spans.Made()-made, more, what)
		made = spans.Made()
	}
	change("another track, faders, pan and lines of tracks", 0, func(d *session.Document) {
		d.Tracks[2].Fader, d.Tracks[0].Fader, d.Tracks[0].Pan = -6, 3, 0.5
		d.Tracks[1].Envelope = []session.Point{{At: 5, Level: -5}}
	})
	change("a clip is put at the end", 2, func(d *session.Document) {
		d.Tracks[1].Clips["c5"] = session.Clip{Name: "End", Sound: testkit.ID(1), Start: 38 * audio.Second, Length: audio.Second, Envelope: []session.Point{}}
	})
	change("one treatment", 5, func(d *session.Document) { d.Tracks[1].Treatment.Compressor.Threshold-- })
	change("and back", 0, func(d *session.Document) { d.Tracks[1].Treatment.Compressor.Threshold++ })
}

func TestNoBoundaryOfASpanIsHeard(t *testing.T) {
	d, library := treatedSession()
	c := d.Tracks[0].Clips["c1"]
	c.Start, c.Length, c.Envelope, c.FadeIn, c.FadeOut = 0, 40*audio.Second, []session.Point{}, session.Fade{Shape: session.Linear}, session.Fade{Shape: session.Linear}
	d.Tracks[0].Clips = map[string]session.Clip{"c1": c}
	d.Tracks = d.Tracks[:1]
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	got := whole(t, plan)
	want := audio.PCM{append([]float32{}, library[testkit.ID(0)][0]...)}
	treat.Apply(d.Tracks[0].Treatment, want)
	for i := range want[0] {
		want[0][i] *= float32(math.Sqrt2 / 2) // of pan in the middle
	}
	end := 39 * audio.Second // what lies further on is the end of the sound itself
	assert.Less(t, testkit.MaxDifference(t, audio.PCM{want[0][:end]}, audio.PCM{got[0][:end]}), 3.2e-5, "-90 dBFS")
}

func TestTreatedSpansAreBounded(t *testing.T) {
	d, library := treatedSession()
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	spans := mix.NewSpans(8 << 20)
	plan.KeepIn(spans)
	whole(t, plan)
	made := spans.Made()
	assert.LessOrEqual(t, spans.Bytes(), 8<<20)
	whole(t, plan)
	assert.Greater(t, spans.Made(), made, "what had to go is computed again")
}

func TestRandomSessionsThatAreTreatedAreRenderedInWindowsAsWhole(t *testing.T) {
	library := testkit.NewLibrary()
	law.Check(t, func(t *rapid.T) {
		d := library.Session(t)
		for i := range d.Tracks {
			if rapid.Bool().Draw(t, "treated") {
				d.Tracks[i].Treatment = allOn()
				d.Tracks[i].Treatment.Gate.On = rapid.Bool().Draw(t, "gate")
			}
		}
		plan, err := mix.Compile(d, library.Sounds, nil)
		require.NoError(t, err)
		want := whole(t, plan)
		if plan.Length() == 0 {
			return
		}
		from := audio.Frames(rapid.Int64Range(0, int64(plan.Length())-1).Draw(t, "from"))
		got := audio.NewPCM(2, min(plan.Length()-from, audio.Frames(rapid.Int64Range(1, 9000).Draw(t, "length"))))
		plan.KeepIn(mix.NewSpans(0))
		require.NoError(t, mix.NewRenderer(plan).Render(got, from))
		for c := range got {
			assert.Equal(t, want[c][from:from+got.Length()], got[c])
		}
	})
}

func BenchmarkSixTreatedVoicesStartAnywhere(b *testing.B) {
	d := session.New()
	pcm := talk(1, 60*audio.Second, 1)
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: pcm.Length()}
	for range 6 {
		d.Tracks = append(d.Tracks, session.Track{Treatment: allOn(), Clips: map[string]session.Clip{"c": {Sound: testkit.ID(0), Length: pcm.Length()}}})
	}
	plan, err := mix.Compile(d, func(string) (audio.PCM, error) { return pcm, nil }, nil)
	require.NoError(b, err)
	out := audio.NewPCM(2, audio.Block)
	for b.Loop() {
		plan.KeepIn(mix.NewSpans(1 << 28)) // of one track: the keys of all are alike
		for i := range 6 {
			d.Tracks[i].Treatment.Compressor.Threshold = audio.DB(-20 - float64(i)/10)
		}
		plan, _ = mix.Compile(d, func(string) (audio.PCM, error) { return pcm, nil }, plan)
		require.NoError(b, mix.NewRenderer(plan).Render(out, 25*audio.Second))
	}
}
