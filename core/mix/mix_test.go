package mix_test

import (
	"context"
	"errors"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/waveform"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

var library = testkit.NewLibrary()

type failer interface {
	Fatalf(format string, args ...any)
}

func render(t failer, doc session.Document, from, to audio.Frames) audio.PCM {
	plan, err := mix.Compile(doc, library.Sounds, nil)
	if err != nil {
		t.Fatalf("compile: %v", err)
	}
	out := audio.NewPCM(2, to-from)
	if err := mix.NewRenderer(plan).Render(out, from); err != nil {
		t.Fatalf("render: %v", err)
	}
	return out
}

func equal(t failer, a, b audio.PCM, what string) {
	for c := range a {
		for i := range a[c] {
			if a[c][i] != b[c][i] {
				t.Fatalf("%s: channel %d frame %d: %v and %v", what, c, i, a[c][i], b[c][i])
			}
		}
	}
}

// one is a session of one clip on one track, open to change.
func one(pcm audio.PCM, change func(*session.Track, *session.Clip)) (session.Document, mix.Sounds) {
	id := testkit.ID(0)
	d := session.New()
	d.Next = 3
	d.Sounds[id] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
	c := session.Clip{
		Name: "Clip", Sound: id, Length: pcm.Length(),
		FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
	}
	track := session.Track{ID: "t1", Name: "Voice", Part: session.Voice}
	change(&track, &c)
	track.Clips = map[string]session.Clip{"c2": c}
	d.Tracks = []session.Track{track}
	return d.Clone(), func(string) (audio.PCM, error) { return pcm, nil }
}

func renderOne(t *testing.T, pcm audio.PCM, change func(*session.Track, *session.Clip)) audio.PCM {
	t.Helper()
	doc, sounds := one(pcm, change)
	require.NoError(t, doc.Validate())
	return renderAll(t, doc, sounds, doc.Length())
}

func TestAMonoVoiceSitsInTheMiddleThreeDBDown(t *testing.T) {
	// Source: constant-power pan, -3.01 dB on each side in the middle.
	out := renderOne(t, testkit.Constant(1, 0.5, 5000), func(*session.Track, *session.Clip) {})
	assert.Equal(t, out[0], out[1])
	assert.InDelta(t, 0.5*math.Sqrt2/2, out[0][2500], 1e-7)
}

func TestAStereoSoundAtRestComesOutAsItIs(t *testing.T) {
	pcm := testkit.Noise(2, 0.5, 9000, 4)
	assert.Zero(t, testkit.MaxDifference(t, pcm, renderOne(t, pcm, func(*session.Track, *session.Clip) {})))
}

func TestAStereoClipElsewhereOnTheTrackDoesNotChangeAMonoVoice(t *testing.T) {
	// Source: the pan laws, constant power for mono: hard on one side a voice keeps its level.
	voice := testkit.Noise(1, 0.5, 5000, 7)
	for _, position := range []float64{-1, -0.3, 0, 1} {
		doc, _ := one(voice, func(tr *session.Track, _ *session.Clip) { tr.Pan = position })
		music := testkit.Noise(2, 0.5, 3000, 8)
		sounds := func(id string) (audio.PCM, error) {
			return map[string]audio.PCM{testkit.ID(0): voice, testkit.ID(1): music}[id], nil
		}
		alone := renderAll(t, doc, sounds, 5000)
		both := doc.Clone()
		both.Sounds[testkit.ID(1)] = session.Sound{Channels: 2, Length: 3000}
		both.Tracks[0].Clips["c9"] = session.Clip{
			Name: "Elsewhere", Sound: testkit.ID(1), Start: 5000, Length: 3000,
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
		}
		equal(t, alone, renderAll(t, both, sounds, 5000), "the voice")
		if position == -1 {
			assert.InDelta(t, testkit.RMS(voice[0]), testkit.RMS(alone[0]), 0.001)
			assert.Zero(t, alone.Slice(0, 5000)[1][100])
		}
	}
}

func renderAll(t *testing.T, doc session.Document, sounds mix.Sounds, length audio.Frames) audio.PCM {
	t.Helper()
	plan, err := mix.Compile(doc, sounds, nil)
	require.NoError(t, err)
	out := audio.NewPCM(2, length)
	require.NoError(t, mix.NewRenderer(plan).Render(out, 0))
	return out
}

func TestASessionIsTheSumOfItsClips(t *testing.T) {
	// What one clip is never changes how another sounds, wherever and with what it lies, unless they cross.
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for _, tr := range doc.Tracks {
			for id, c := range tr.Clips {
				c.Crossing = session.LaidOver
				tr.Clips[id] = c
			}
		}
		audible := doc.Audible()
		sum := audio.NewPCM(2, 100000)
		for i, tr := range doc.Tracks {
			for id, c := range tr.Clips {
				if !audible[i] {
					continue
				}
				alone := doc.Clone()
				alone.Tracks = []session.Track{alone.Tracks[i]}
				alone.Tracks[0].Mute, alone.Tracks[0].Solo = false, false
				alone.Tracks[0].Clips = map[string]session.Clip{id: c}
				for channel, samples := range render(t, alone, 0, 100000) {
					for k, v := range samples {
						sum[channel][k] += v
					}
				}
			}
		}
		for channel, samples := range render(t, doc, 0, 100000) {
			for k, v := range samples {
				if d := math.Abs(float64(v - sum[channel][k])); d > 1e-5*max(1, math.Abs(float64(v))) {
					t.Fatalf("frame %d of channel %d is %v, and its clips make %v", k, channel, v, sum[channel][k])
				}
			}
		}
	})
}

func TestWhatAPlanCompiledIsUsedAgainAndNothingElse(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		before := library.Session(t)
		after := before.Clone()
		if rapid.Bool().Draw(t, "other") {
			after = library.Session(t) // the same ids, other clips
		}
		for id, c := range after.Tracks[0].Clips {
			c.Gain, c.Envelope = -3, append([]session.Point{}, c.Envelope[:len(c.Envelope)/2]...)
			after.Tracks[0].Clips[id] = c
			break
		}
		earlier, err := mix.Compile(before, library.Sounds, nil)
		if err != nil {
			t.Fatalf("%v", err)
		}
		plan, err := mix.Compile(after, library.Sounds, earlier)
		if err != nil {
			t.Fatalf("%v", err)
		}
		again := audio.NewPCM(2, 100000)
		if err := mix.NewRenderer(plan).Render(again, 0); err != nil {
			t.Fatalf("%v", err)
		}
		equal(t, render(t, after, 0, 100000), again, "compiled anew")
	})
}

func TestGainIsAdditiveInDBThroughTheWholeChain(t *testing.T) {
	out := renderOne(t, testkit.Constant(2, 0.5, 9600), func(tr *session.Track, c *session.Clip) {
		c.Gain, tr.Fader = -3, -5
		c.Envelope = []session.Point{{At: 0, Level: 0}, {At: 9600, Level: -28}}
		tr.Envelope = []session.Point{{At: 0, Level: -4}, {At: 9600, Level: 4}}
	})
	for at, db := range map[int]float64{0: -12, 2400: -3 - 5 - 7 - 2, 4800: -3 - 5 - 14, 7200: -3 - 5 - 21 + 2} {
		assert.InDelta(t, db, 20*math.Log10(float64(out[0][at])/0.5), 0.001, "frame %d", at)
	}
}

func TestEveryWindowIsBitIdenticalToTheWholeRender(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		whole := render(t, doc, 0, 120000)
		from := audio.Frames(rapid.IntRange(0, 119000).Draw(t, "from"))
		to := from + audio.Frames(rapid.IntRange(1, 120000-int(from)).Draw(t, "length"))
		equal(t, whole.Slice(from, to), render(t, doc, from, to), "window")
	})
}

func TestNoSessionMakesAnythingThatIsNotANumber(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		for _, channel := range render(t, library.Session(t), 0, 120000) {
			for i, v := range channel {
				if v != v || v > 1e9 || v < -1e9 {
					t.Fatalf("frame %d is %v", i, v)
				}
			}
		}
	})
}

func TestMovingEveryClipMovesTheOutput(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		by := audio.Frames(rapid.IntRange(0, 9000).Draw(t, "by"))
		before := render(t, doc, 0, 100000)
		moved := doc.Clone()
		for i := range moved.Tracks {
			for id, c := range moved.Tracks[i].Clips {
				c.Start += by
				moved.Tracks[i].Clips[id] = c
			}
			for j := range moved.Tracks[i].Envelope {
				moved.Tracks[i].Envelope[j].At += by
			}
		}
		equal(t, before, render(t, moved, by, 100000+by), "moved")
		if by > 0 {
			equal(t, audio.NewPCM(2, by), render(t, moved, 0, by), "before the first clip")
		}
	})
}

func TestMutingEveryTrackGivesDigitalSilence(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for i := range doc.Tracks {
			doc.Tracks[i].Mute = true
		}
		equal(t, audio.NewPCM(2, 100000), render(t, doc, 0, 100000), "muted")
	})
}

func TestSoloLeavesOnlyTheSoloedTrack(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		chosen := rapid.IntRange(0, len(doc.Tracks)-1).Draw(t, "chosen")
		alone := doc.Clone()
		for i := range doc.Tracks {
			doc.Tracks[i].Solo, doc.Tracks[i].Mute = i == chosen, false
		}
		alone.Tracks = []session.Track{alone.Tracks[chosen]}
		alone.Tracks[0].Solo, alone.Tracks[0].Mute = false, false
		equal(t, render(t, alone, 0, 100000), render(t, doc, 0, 100000), "solo")
	})
}

func TestSplittingAClipAnywhereChangesNothing(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		var all []string
		for _, tr := range doc.Tracks {
			all = append(all, tr.ClipsInOrder()...)
		}
		if len(all) == 0 {
			t.Skip("no clips")
		}
		before := render(t, doc, 0, 120000)
		for range rapid.IntRange(1, 3).Draw(t, "cuts") {
			id := rapid.SampledFrom(all).Draw(t, "clip")
			_, c, _ := doc.FindClip(id)
			if c.Length < 2 {
				continue
			}
			at := c.Start + audio.Frames(rapid.IntRange(1, int(c.Length)-1).Draw(t, "at"))
			next, _, err := edit.Apply(doc, edit.SplitClips{Clips: []string{id}, At: at}, nil)
			var p problem.Problem
			if errors.As(err, &p) && p.Code == "inside-crossing" {
				continue // which is refused, so that nothing changes
			}
			if err != nil {
				t.Fatalf("split at %d: %v", at, err)
			}
			doc = next
		}
		// Where three clips overlap, the order of their sum may change: that is rounding, below -140 dBFS.
		after := render(t, doc, 0, 120000)
		for c := range before {
			for i := range before[c] {
				if d := math.Abs(float64(before[c][i] - after[c][i])); d > 1e-6*max(1, math.Abs(float64(before[c][i]))) {
					t.Fatalf("frame %d changed by %v", i, d)
				}
			}
		}
	})
}

func TestPiecesComeInOrderAndEqualOneRender(t *testing.T) {
	doc, sounds := one(testkit.Noise(2, 0.5, 3*mix.Chunk+777, 8), func(_ *session.Track, c *session.Clip) {
		c.Envelope = []session.Point{{At: 100, Level: 0}, {At: 3 * mix.Chunk, Level: -40}}
	})
	plan, err := mix.Compile(doc, sounds, nil)
	require.NoError(t, err)
	whole := audio.NewPCM(2, plan.Length())
	require.NoError(t, mix.NewRenderer(plan).Render(whole, 0))
	at := audio.Frames(1000)
	require.NoError(t, plan.Each(context.Background(), 1000, plan.Length(), func(piece audio.PCM) error {
		equal(t, whole.Slice(at, at+piece.Length()), piece, "piece")
		at += piece.Length()
		return nil
	}))
	assert.Equal(t, plan.Length(), at)
}

func TestALongRenderStopsWhenItIsCancelledOrItsSinkFails(t *testing.T) {
	doc, sounds := one(testkit.Noise(1, 0.5, 5*mix.Chunk, 8), func(*session.Track, *session.Clip) {})
	plan, err := mix.Compile(doc, sounds, nil)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	err = plan.Each(ctx, 0, plan.Length(), func(audio.PCM) error { cancel(); return nil })
	require.ErrorIs(t, err, context.Canceled)
	full := errors.New("disk full")
	require.ErrorIs(t, plan.Each(context.Background(), 0, plan.Length(), func(audio.PCM) error { return full }), full)
}

func TestARecordingThatIsMissingOrTooShortIsAnError(t *testing.T) {
	doc, sounds := one(testkit.Constant(1, 1, 100), func(*session.Track, *session.Clip) {})
	_, err := mix.Compile(doc, func(string) (audio.PCM, error) { return nil, errors.New("gone") }, nil)
	require.ErrorContains(t, err, "gone")
	doc.Sounds[testkit.ID(0)] = session.Sound{Channels: 2, Length: 100}
	_, err = mix.Compile(doc, sounds, nil)
	require.ErrorContains(t, err, "channels")
}

func TestTheLevelOfAMomentIsTheLevelThatIsRendered(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for i := range doc.Tracks {
			doc.Tracks[i].Pan = 0
		}
		for _, tr := range doc.Tracks {
			for id, c := range tr.Clips {
				solo := doc.Clone()
				solo.Tracks = []session.Track{solo.Tracks[doc.FindTrack(tr.ID)]}
				solo.Tracks[0].Solo, solo.Tracks[0].Mute = false, false
				solo.Tracks[0].Clips = map[string]session.Clip{id: c}
				at := c.Start + audio.Frames(rapid.IntRange(0, int(c.Length)-1).Draw(t, "at"))
				l, err := mix.LevelsAt(solo, id, at, nil)
				if err != nil {
					t.Fatalf("levels: %v", err)
				}
				source := library[c.Sound]
				want := float64(source[0][at-c.Start+c.Offset]) * l.Total.Gain()
				if len(source) == 1 {
					want *= math.Sqrt2 / 2
				}
				got := float64(render(t, solo, at, at+1)[0][0])
				if math.Abs(got-want) > 1e-5*math.Max(1, math.Abs(want)) {
					t.Fatalf("clip %s at %d: rendered %v, level says %v (%+v)", id, at, got, want, l)
				}
			}
		}
	})
}

func TestTheHighestSampleOfEachTrackIsThatOfItsOwnMix(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for i := range doc.Tracks { // clips of one kind, or the two could add up
			for id, c := range doc.Tracks[i].Clips {
				if doc.Sounds[c.Sound].Channels != 1 {
					delete(doc.Tracks[i].Clips, id)
				}
			}
		}
		plan, err := mix.Compile(doc, library.Sounds, nil)
		if err != nil {
			t.Fatalf("compile: %v", err)
		}
		r := mix.NewRenderer(plan)
		r.Peaks = make([]float32, plan.Rows())
		if err := r.Render(audio.NewPCM(2, 30000), 1000); err != nil {
			t.Fatalf("render: %v", err)
		}
		audible := doc.Audible()
		for i, track := range doc.Tracks {
			alone := doc.Clone()
			alone.Tracks = []session.Track{alone.Tracks[i]}
			alone.Tracks[0].Solo, alone.Tracks[0].Mute = false, !audible[i]
			own := render(t, alone, 1000, 31000)
			if want := float64(own.Peak()); math.Abs(want-float64(r.Peaks[i])) > 1e-6+1e-5*want {
				t.Fatalf("track %s: %v, its own mix has %v", track.Name, r.Peaks[i], want)
			}
		}
	})
}

func TestTheOutlineFollowsTheLevelsThatAreHeard(t *testing.T) {
	pcm := testkit.Constant(1, 0.8, 64*4*200)
	doc, _ := one(pcm, func(tr *session.Track, c *session.Clip) {
		c.Start, tr.Fader = c.Length, -6.0206
		c.FadeOut.Length = c.Length
	})
	var b waveform.Builder
	b.Write(pcm)
	peaks := func(string) (waveform.Pyramid, error) { return b.Pyramid(), nil }
	o, err := mix.Outline(doc, peaks, 200, nil)
	require.NoError(t, err)
	assert.Zero(t, o.Voice[99])
	assert.InDelta(t, 0.4, o.Voice[100], 0.005)
	assert.InDelta(t, 0.2, o.Voice[150], 0.005)
	assert.Zero(t, o.Music[150])
	doc.Tracks[0].Mute = true
	o, err = mix.Outline(doc, peaks, 200, nil)
	require.NoError(t, err)
	assert.Zero(t, o.Voice[120])
}

func BenchmarkAFurtherPairOfTracks(b *testing.B) {
	pair := func(n int) *mix.Plan {
		doc := session.New()
		voice, music := testkit.Noise(1, 0.3, audio.Second, 1), testkit.Noise(2, 0.3, audio.Second, 2)
		doc.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: audio.Second}
		doc.Sounds[testkit.ID(1)] = session.Sound{Channels: 2, Length: audio.Second}
		for range n {
			for s := range 2 {
				doc.Tracks = append(doc.Tracks, session.Track{
					Name: "T", Part: session.Voice,
					Clips: map[string]session.Clip{"c": {
						Sound: testkit.ID(s), Length: audio.Second,
						Envelope: []session.Point{{At: 0, Level: 0}, {At: audio.Second, Level: -20}},
					}},
				})
			}
		}
		p, err := mix.Compile(doc, func(id string) (audio.PCM, error) {
			return map[string]audio.PCM{testkit.ID(0): voice, testkit.ID(1): music}[id], nil
		}, nil)
		require.NoError(b, err)
		return p
	}
	out := audio.NewPCM(2, audio.Second)
	r := mix.NewRenderer(pair(8))
	for b.Loop() {
		_ = r.Render(out, 0)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/audio.Rate/8, "ns/frame/pair")
}
