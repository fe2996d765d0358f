package mix_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/core/waveform"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// unlike are sounds of some seconds that have nothing to do with each other.
var unlike = map[string]audio.PCM{
	testkit.ID(0): testkit.Noise(1, 0.3, 12*audio.Second, 11),
	testkit.ID(1): testkit.Noise(2, 0.1, 12*audio.Second, 12),
	testkit.ID(2): testkit.Noise(1, 0.02, 12*audio.Second, 13),
	testkit.ID(3): testkit.Noise(2, 0.5, 12*audio.Second, 14),
}

// known are sounds of which the powers have been measured, and phrases found.
type known struct {
	sounds  mix.Sounds
	phrases map[string][]speech.Phrase
	powers  map[string]loudness.Series
}

func knownOf(library map[string]audio.PCM, phrases map[string][]speech.Phrase) known {
	k := known{testkit.Library(library).Sounds, phrases, map[string]loudness.Series{}}
	for id, pcm := range library {
		k.powers[id] = loudness.Powers(pcm)
	}
	return k
}

func (k known) Samples(id string) (audio.PCM, error)                  { return k.sounds(id) }
func (k known) Phrases(id string, _ float64) ([]speech.Phrase, error) { return k.phrases[id], nil }
func (k known) Powers(id string) (loudness.Series, error)             { return k.powers[id], nil }

// estimated is what a plan is taken to be as loud as.
func estimated(t require.TestingT, plan *mix.Plan) float64 {
	b, err := plan.Balance()
	require.NoError(t, err)
	return b.Estimate()
}

func seriesOf(id string) (loudness.Series, error) { return loudness.Powers(unlike[id]), nil }

func TestTheLoudnessOfAMixIsKnownWithoutRenderingItToHalfAUnit(t *testing.T) {
	source := knownOf(unlike, nil)
	worst := 0.0
	law.Check(t, func(t *rapid.T) {
		doc := session.New()
		frames := func(name string, low, high float64) audio.Frames {
			return audio.Frames(rapid.Float64Range(low, high).Draw(t, name) * audio.Rate)
		}
		db := func(name string) audio.DB { return audio.DB(rapid.Float64Range(-30, 6).Draw(t, name)) }
		line := func(high float64) []session.Point {
			points := []session.Point{}
			at := audio.Frames(0)
			for range rapid.IntRange(0, 4).Draw(t, "points") {
				at += 1 + frames("gap", 0, high/3)
				points = append(points, session.Point{At: at, Level: db("level"), Bend: rapid.Float64Range(-1, 1).Draw(t, "bend")})
			}
			return points
		}
		for i := range 4 {
			id := testkit.ID(i)
			pcm := unlike[id]
			doc.Sounds[id] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
			shape := rapid.SampledFrom([]session.Shape{session.Linear, session.EqualPower, session.Exponential})
			track := session.Track{
				ID: fmt.Sprintf("t%d", 2*i+1), Name: "Track", Part: session.Voice, Fader: db("fader"), Pan: rapid.Float64Range(-1, 1).Draw(t, "pan"),
				Mute: rapid.IntRange(0, 4).Draw(t, "mute") == 0, Envelope: line(30), Clips: map[string]session.Clip{},
			}
			offset := frames("offset", 0, 4)
			track.Clips[fmt.Sprintf("c%d", 2*i+2)] = session.Clip{
				Name: "Clip", Sound: id, Start: frames("start", 0, 8), Offset: offset, Length: frames("length", 4, 8), Gain: db("gain"),
				FadeIn:   session.Fade{Length: frames("in", 0, 4), Shape: shape.Draw(t, "in")},
				FadeOut:  session.Fade{Length: frames("out", 0, 4), Shape: shape.Draw(t, "out")},
				Envelope: line(15), Hushed: []session.Span{{From: offset + 2*audio.Second, To: offset + 3*audio.Second}},
			}
			doc.Tracks = append(doc.Tracks, track)
		}
		plan, err := mix.CompileFrom(doc, source, nil)
		if err != nil {
			t.Fatalf("compile: %v", err)
		}
		estimate := estimated(t, plan)
		out := audio.NewPCM(2, doc.Length())
		if err := mix.NewRenderer(plan).Render(out, 0); err != nil {
			t.Fatalf("render: %v", err)
		}
		powers := summed(loudness.Powers(out))
		measured := loudness.Integrated(powers)
		// Where much lies just at the relative gate, a hair decides whether it counts.
		low, high := measured, measured
		for _, gate := range []float64{-10.5, -10.25, -9.75, -9.5} {
			low, high = min(low, gated(powers, gate)), max(high, gated(powers, gate))
		}
		worst = math.Max(worst, max(low-estimate, estimate-high))
		if estimate < low-0.5 || estimate > high+0.5 {
			t.Fatalf("estimated %.2f, measured %.2f, with another gate %.2f to %.2f LUFS", estimate, measured, low, high)
		}
	})
	t.Logf("at most %.3f LU away", worst)
}

// gated is the integrated loudness (BS.1770-4) with a relative gate of one's own.
func gated(powers []float64, relative float64) float64 {
	over := func(threshold float64) (mean float64) {
		var sum, n float64
		for k := 3; k < len(powers); k++ {
			if p := (powers[k] + powers[k-1] + powers[k-2] + powers[k-3]) / 4; lufs(p) > threshold {
				sum, n = sum+p, n+1
			}
		}
		return lufs(sum / max(1, n))
	}
	return max(loudness.Floor, over(max(-70, over(-70)+relative)))
}

func lufs(power float64) float64 { return -0.691 + 10*math.Log10(power+1e-20) }

func summed(s loudness.Series) []float64 {
	sum := make([]float64, len(s[0]))
	for _, channel := range s {
		for k, v := range channel {
			sum[k] += float64(v)
		}
	}
	return sum
}

func TestTheEstimateOfASilentMixIsSilence(t *testing.T) {
	plan, err := mix.CompileFrom(session.New(), knownOf(nil, nil), nil)
	require.NoError(t, err)
	assert.InDelta(t, loudness.Floor, estimated(t, plan), 0)
}

func TestTheLoudnessOfATreatedMixIsKnownBeforeItIsRenderedAndExactlyAfterwards(t *testing.T) {
	d, library := treatedSession()
	for i := range d.Tracks {
		d.Tracks[i].Treatment.Compressor.Ratio, d.Tracks[i].Treatment.Compressor.MakeUp = 5, 9
	}
	d.Tracks[0].Pan, d.Tracks[1].Fader = 0.4, -5
	d.Tracks[1].Envelope = []session.Point{{At: 12 * audio.Second}, {At: 20 * audio.Second, Level: -12}}
	plan, err := mix.CompileFrom(d, knownOf(library, nil), nil)
	require.NoError(t, err)
	plan.KeepIn(mix.NewSpans(1 << 28))
	before := estimated(t, plan)
	measured := loudness.Measure(whole(t, plan)).Integrated
	assert.InDelta(t, measured, before, 0.7, "guessed from a few spans")
	assert.InDelta(t, measured, estimated(t, plan), 0.1, "all of it has been rendered")
	for i := range d.Tracks {
		d.Tracks[i].Treatment = session.Treatment{}
	}
	bare, err := mix.CompileFrom(d, knownOf(library, nil), nil)
	require.NoError(t, err)
	assert.Greater(t, math.Abs(measured-estimated(t, bare)), 1.0, "without its treatment it is another mix")
}

// anHour is a session of an hour with so many voices and pieces of music, whose samples nobody asks for, and 2000 phrases.
func anHour(voices, music int) (session.Document, known) {
	const length = 3600 * audio.Second
	doc := session.New()
	id := testkit.ID(0)
	doc.Sounds[id] = session.Sound{Channels: 1, Length: length}
	for i := range voices + music {
		t := session.Track{ID: fmt.Sprintf("t%d", i+1), Part: session.Voice, Clips: map[string]session.Clip{
			fmt.Sprintf("c%d", i+100): {Sound: id, Length: length},
		}}
		if i >= voices {
			t.Part, t.Way = session.Music, duck.Starts()[i%3].Way
			t.Envelope = []session.Point{{At: 9}, {At: 99 * audio.Second, Level: -9}}
		}
		doc.Tracks = append(doc.Tracks, t)
	}
	hops := make([]float32, 36000)
	for i := range hops {
		hops[i] = 0.01
	}
	var phrases []speech.Phrase
	for i := range audio.Frames(2000) {
		phrases = append(phrases, speech.Phrase{From: i * length / 2000, To: i*length/2000 + audio.Seconds(1.2+0.3*float64(i%2))})
	}
	samples := audio.PCM{make([]float32, length)}
	return doc, known{func(string) (audio.PCM, error) { return samples, nil }, map[string][]speech.Phrase{id: phrases}, map[string]loudness.Series{id: {hops}}}
}

func BenchmarkEstimateOfAnHourWithSixteenTracks(b *testing.B) {
	doc, source := anHour(16, 0)
	for i := range doc.Tracks {
		doc.Tracks[i].Envelope = []session.Point{{At: 9}, {At: 99 * audio.Second, Level: -9}}
	}
	b.ResetTimer()
	for b.Loop() {
		plan, err := mix.CompileFrom(doc, source, nil)
		if err != nil {
			b.Fatal(err)
		}
		estimated(b, plan)
	}
}

// What follows from an edit of an hour with 2000 phrases and 8 tracks, of which 5 make way: one clip has been moved.
func BenchmarkPlanningAnHourThatMakesWay(b *testing.B) {
	doc, source := anHour(3, 5)
	plan, err := mix.CompileFrom(doc, source, nil)
	require.NoError(b, err)
	plan.KeepIn(mix.NewSpans(1 << 28))
	estimated(b, plan)
	moved := doc.Tracks[0].Clips["c100"]
	moved.Length -= 100 * audio.Second
	for b.Loop() {
		moved.Start += 480
		doc.Tracks[0].Clips = map[string]session.Clip{"c100": moved}
		if plan, err = mix.CompileFrom(doc, source, plan); err != nil {
			b.Fatal(err)
		}
		if _, err := plan.Balance(); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.Elapsed().Milliseconds())/float64(b.N), "ms/plan")
}

func TestHowLoudAClipIsHeardIsWhatItsTrackAloneMeasures(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		track := session.Track{
			ID: "t1", Name: "Voice", Part: session.Voice, Fader: audio.DB(rapid.Float64Range(-12, 6).Draw(t, "fader")), Pan: rapid.Float64Range(-1, 1).Draw(t, "pan"),
			Clips: map[string]session.Clip{"c1": {
				Name: "Clip", Sound: testkit.ID(rapid.IntRange(0, len(unlike)-1).Draw(t, "sound")), Length: 2 * audio.Second, Gain: audio.DB(rapid.Float64Range(-12, 6).Draw(t, "gain")),
				Envelope: []session.Point{{At: 0, Level: audio.DB(rapid.Float64Range(-12, 0).Draw(t, "level"))}},
			}},
		}
		c := track.Clips["c1"]
		source := unlike[c.Sound]
		c.Length = min(c.Length, source.Length())
		track.Clips["c1"] = c
		d := session.New()
		d.Sounds[c.Sound] = session.Sound{Channels: len(source), Length: source.Length()}
		d.Tracks = []session.Track{track}
		plan, err := mix.Compile(d, testkit.Library(unlike).Sounds, nil)
		require.NoError(t, err)
		out := whole(t, plan)
		got, peak, err := mix.NewHearing(track, seriesOf, func(id string) (waveform.Pyramid, error) {
			var b waveform.Builder
			b.Write(unlike[id])
			return b.Pyramid(), nil
		}).Of([]string{"c1"})
		require.NoError(t, err)
		assert.InDelta(t, loudness.Measure(out).Integrated, got, 0.5)
		fixed := float64(c.Gain + track.Fader + c.Envelope[0].Level)
		assert.InDelta(t, fixed+float64(audio.Level(float64(source.Slice(0, c.Length).Peak()))), float64(peak), 0.5)
	})
}
