package mix_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/waveform"
	"ruvel/testkit"
)

// unlike are sounds of some seconds that have nothing to do with each other.
var unlike = map[string]audio.PCM{
	testkit.ID(0): testkit.Noise(1, 0.3, 12*audio.Second, 11),
	testkit.ID(1): testkit.Noise(2, 0.1, 12*audio.Second, 12),
	testkit.ID(2): testkit.Noise(1, 0.02, 12*audio.Second, 13),
	testkit.ID(3): testkit.Noise(2, 0.5, 12*audio.Second, 14),
}

func seriesOf(id string) (loudness.Series, error) { return loudness.Powers(unlike[id]), nil }

func TestTheLoudnessOfAMixIsKnownWithoutRenderingItToHalfAUnit(t *testing.T) {
	kept := map[string]loudness.Series{}
	for id := range unlike {
		kept[id], _ = seriesOf(id)
	}
	worst := 0.0
	rapid.Check(t, func(t *rapid.T) {
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
		estimate, err := mix.Estimate(doc, func(id string) (loudness.Series, error) { return kept[id], nil }, nil)
		if err != nil {
			t.Fatalf("estimate: %v", err)
		}
		plan, err := mix.Compile(doc, func(id string) (audio.PCM, error) { return unlike[id], nil }, nil)
		if err != nil {
			t.Fatalf("compile: %v", err)
		}
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
	doc := session.New()
	got, err := mix.Estimate(doc, seriesOf, nil)
	require.NoError(t, err)
	assert.InDelta(t, loudness.Floor, got, 0)
}

func TestTheLoudnessOfATreatedMixIsKnownBeforeItIsRenderedAndExactlyAfterwards(t *testing.T) {
	d, library := treatedSession()
	for i := range d.Tracks {
		d.Tracks[i].Treatment.Compressor.Ratio, d.Tracks[i].Treatment.Compressor.MakeUp = 5, 9
	}
	d.Tracks[0].Pan, d.Tracks[1].Fader = 0.4, -5
	d.Tracks[1].Envelope = []session.Point{{At: 12 * audio.Second}, {At: 20 * audio.Second, Level: -12}}
	series := func(id string) (loudness.Series, error) { return loudness.Powers(library[id]), nil }
	estimate := func(plan *mix.Plan) float64 {
		about, err := mix.Estimate(d, series, plan)
		require.NoError(t, err)
		return about
	}
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	plan.KeepIn(mix.NewSpans(1 << 28))
	before := estimate(plan)
	measured := loudness.Measure(whole(t, plan)).Integrated
	assert.InDelta(t, measured, before, 0.7, "guessed from a few spans")
	assert.InDelta(t, measured, estimate(plan), 0.1, "all of it has been rendered")
	assert.Greater(t, math.Abs(measured-estimate(nil)), 1.0, "without its treatment it is another mix")
}

func BenchmarkEstimateOfAnHourWithSixteenTracks(b *testing.B) {
	doc := session.New()
	id := testkit.ID(0)
	doc.Sounds[id] = session.Sound{Channels: 1, Length: 3600 * audio.Second}
	for range 16 {
		doc.Tracks = append(doc.Tracks, session.Track{Envelope: []session.Point{{At: 9}, {At: 99 * audio.Second, Level: -9}}, Clips: map[string]session.Clip{
			"c": {Sound: id, Length: 3600 * audio.Second},
		}})
	}
	hops := make([]float32, 36000)
	for i := range hops {
		hops[i] = 0.01
	}
	b.ResetTimer()
	for b.Loop() {
		if _, err := mix.Estimate(doc, func(string) (loudness.Series, error) { return loudness.Series{hops}, nil }, nil); err != nil {
			b.Fatal(err)
		}
	}
}

func TestHowLoudAClipIsHeardIsWhatItsTrackAloneMeasures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
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
		got, peak, err := mix.Heard(track, []string{"c1"}, seriesOf, func(id string) (waveform.Pyramid, error) {
			var b waveform.Builder
			b.Write(unlike[id])
			return b.Pyramid(), nil
		})
		require.NoError(t, err)
		assert.InDelta(t, loudness.Measure(out).Integrated, got, 0.5)
		fixed := float64(c.Gain + track.Fader + c.Envelope[0].Level)
		assert.InDelta(t, fixed+float64(audio.Level(float64(source.Slice(0, c.Length).Peak()))), float64(peak), 0.5)
	})
}
