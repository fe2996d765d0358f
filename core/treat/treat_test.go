package treat_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// through runs sound through a filter of ffmpeg.
func through(t *testing.T, pcm audio.PCM, filter string) audio.PCM {
	t.Helper()
	channels := strconv.Itoa(len(pcm))
	out, _ := testkit.RunFFmpeg(t, testkit.Interleave(pcm), append(testkit.RawInput(channels), "-af", filter, "-f", "f32le", "-")...)
	return testkit.Planar(out, len(pcm))
}

func treated(t session.Treatment, pcm audio.PCM) (audio.PCM, treat.Trace) {
	out := audio.NewPCM(len(pcm), pcm.Length())
	for c := range pcm {
		copy(out[c], pcm[c])
	}
	return out, treat.Apply(t, out)
}

// end is the level of the last half second, in dB.
func end(pcm audio.PCM) float64 { return testkit.RMS(pcm[0][len(pcm[0])-audio.Rate/2:]) }

// The curve's formula and this value: Giannoulis, Massberg, Reiss, J. Audio Eng. Soc. 60(6), 2012.
func TestTheStaticCurveIsThatOfThePaper(t *testing.T) {
	c := session.Compressor{Threshold: -25, Ratio: 3}
	assert.InDelta(t, -20, -10+treat.Compressed(c, -10), 1e-12)
	assert.Zero(t, treat.Compressed(c, -25))
	assert.Zero(t, treat.Compressed(c, -60))
	c.Knee = 10
	assert.Zero(t, treat.Compressed(c, -30), "at the lower end of the knee")
	assert.InDelta(t, (1.0/3-1)*25/20, treat.Compressed(c, -25), 1e-12, "in its middle")
	assert.InDelta(t, (1.0/3-1)*5, treat.Compressed(c, -20), 1e-12, "at its upper end it meets the straight line")
	law.Check(t, func(t *rapid.T) {
		c := session.Compressor{
			Threshold: audio.DB(rapid.Float64Range(-60, 0).Draw(t, "threshold")), Ratio: rapid.Float64Range(1, 20).Draw(t, "ratio"),
			Knee: audio.DB(rapid.Float64Range(0, 24).Draw(t, "knee")),
		}
		low := rapid.Float64Range(-90, 10).Draw(t, "level")
		high := low + rapid.Float64Range(0, 3).Draw(t, "more")
		assert.LessOrEqual(t, treat.Compressed(c, low), 0.0)
		assert.GreaterOrEqual(t, high+treat.Compressed(c, high), low+treat.Compressed(c, low)-1e-9, "louder stays louder")
	})
}

// acompressor smooths the level in front of its curve and not, as ours, the gain behind it, so
// only steady tones are alike: there its detector, with the slowest release, stands at the peak.
func TestSteadyTonesAreCompressedAsByFFmpeg(t *testing.T) {
	for _, c := range []struct{ level, threshold, ratio, hertz float64 }{
		{-10, -25, 3, 1000}, {-20, -25, 3, 1000}, {-30, -25, 3, 440}, {-6, -18, 8, 200}, {-3, -40, 1.5, 3000},
	} {
		tone := testkit.Sine(1, c.hertz, c.level, 0, 3*audio.Second)
		want := through(t, tone, fmt.Sprintf("acompressor=threshold=%.8f:ratio=%v:attack=0.01:release=9000:knee=1:detection=peak:makeup=1", audio.DB(c.threshold).Gain(), c.ratio))
		got, _ := treated(session.Treatment{Compressor: session.Compressor{
			On: true, Threshold: audio.DB(c.threshold), Ratio: c.ratio, Attack: 5, Release: 200, Detector: session.Peaks,
		}}, tone)
		assert.InDelta(t, end(want), end(got), 0.3, "%+v", c)
		assert.InDelta(t, c.level+treat.Compressed(session.Compressor{Threshold: audio.DB(c.threshold), Ratio: c.ratio}, c.level)-3.01, end(got), 0.1, "%+v", c)
	}
}

func TestTheLevelOfASineLiesThreeDecibelsUnderItsPeak(t *testing.T) {
	tone := testkit.Sine(1, 300, -10, 0, 2*audio.Second)
	c := session.Compressor{On: true, Threshold: -30, Ratio: 4, Attack: 5, Release: 100, Detector: session.Level}
	_, trace := treated(session.Treatment{Compressor: c}, tone)
	assert.InDelta(t, treat.Compressed(c, -13.01), trace.Compressor[len(trace.Compressor)-1], 0.05)
}

// A jump of the wanted gain is 63.2 % done after the time constant: the definition in checks.
func TestTimeConstantsAreThoseOfAJump(t *testing.T) {
	for _, tau := range []session.Millis{5, 40, 300} {
		loud := testkit.Join(testkit.Constant(1, 0.01, 3*audio.Second), testkit.Constant(1, 1, 3*audio.Second), testkit.Constant(1, 0.01, 3*audio.Second))
		_, trace := treated(session.Treatment{Compressor: session.Compressor{
			On: true, Threshold: -20, Ratio: 2, Attack: tau, Release: tau, Detector: session.Peaks,
		}}, loud)
		at := func(f audio.Frames) float64 { return float64(trace.Compressor[f/treat.Step]) }
		assert.InDelta(t, -10*(1-1/math.E), at(3*audio.Second+tau.Frames()), 0.4)
		// The peak is held for 10 ms before it lets go.
		assert.InDelta(t, -10/math.E, at(6*audio.Second+tau.Frames()+464), 0.4)
		assert.InDelta(t, 0, at(3*audio.Second-treat.Step), 1e-6)
	}
}

func TestLowCutIsThatOfSox(t *testing.T) {
	noise := testkit.Noise(1, 0.5, 2*audio.Second, 3)
	for _, corner := range []float64{20, 80, 250} {
		got, _ := treated(session.Treatment{LowCut: session.LowCut{On: true, Corner: corner}}, noise)
		in, out := testkit.WriteWAV(t, "in.wav", noise), filepath.Join(t.TempDir(), "out.wav")
		message, err := exec.Command("sox", in, "-e", "floating-point", "-b", "32", out, "highpass", "-2", strconv.FormatFloat(corner, 'f', -1, 64), "0.70710678q").CombinedOutput()
		require.NoError(t, err, string(message))
		assert.Less(t, testkit.MaxDifference(t, testkit.ReadAudio(t, out, 1), got), 2e-4, "%v Hz", corner)
		tone, _ := treated(session.Treatment{LowCut: session.LowCut{On: true, Corner: corner}}, testkit.Sine(1, corner, -6, 0, 3*audio.Second))
		assert.InDelta(t, -6-3.01-3.01, end(tone), 0.02, "3 dB less at the corner")
	}
}

func TestAGateIsOpenBeforeTheWordStaysOpenAndThenClosesAsFarAsItsRange(t *testing.T) {
	quiet, word := testkit.Constant(1, 0.001, audio.Second), testkit.Sine(1, 200, -12, 0, audio.Second/2)
	sound := testkit.Join(quiet, word, quiet, quiet)
	g := session.Gate{On: true, Open: -40, Close: -46, Attack: 1, Hold: 200, Release: 50, Range: 24, Ahead: 10}
	got, trace := treated(session.Treatment{Gate: g}, sound)
	at := func(f audio.Frames) float64 { return float64(trace.Gate[f/treat.Step]) }
	state := func(f audio.Frames) treat.State { return trace.States[f/treat.Step] }
	assert.InDelta(t, -24, at(audio.Second-session.Millis(20).Frames()), 1e-3)
	assert.Greater(t, at(audio.Second), -0.01, "it is open when the word begins")
	assert.Less(t, testkit.MaxDifference(t, audio.PCM{sound[0][audio.Second : 3*audio.Second/2]}, audio.PCM{got[0][audio.Second : 3*audio.Second/2]}), 1e-3, "and lets it through whole")
	last := 3 * audio.Second / 2
	assert.Equal(t, treat.Open, state(last-treat.Step))
	assert.Equal(t, treat.Holding, state(last+session.Millis(100).Frames()))
	assert.InDelta(t, 0, at(last+session.Millis(190).Frames()), 1e-6)
	assert.Equal(t, treat.Closed, state(last+session.Millis(250).Frames()))
	assert.InDelta(t, -24, at(3*audio.Second), 1e-3)
	g.Range = 120
	got, _ = treated(session.Treatment{Gate: g}, sound)
	assert.Zero(t, got[0][len(got[0])-1], "silence, where that is asked for")
	// Between the thresholds it stays as it was: closed before, open after.
	between := testkit.Constant(1, float32(audio.DB(-43).Gain()), audio.Second)
	_, trace = treated(session.Treatment{Gate: g}, testkit.Join(between, word, between))
	assert.Equal(t, treat.Closed, trace.States[audio.Second/2/treat.Step])
	assert.Equal(t, treat.Open, trace.States[len(trace.States)-1])
}

// agate multiplies by its range below the threshold with a ratio that is as good as endless,
// so a steady tone far below it is alike.
func TestASteadyToneUnderTheThresholdIsGatedAsByFFmpeg(t *testing.T) {
	tone := testkit.Sine(1, 500, -50, 0, 3*audio.Second)
	want := through(t, tone, fmt.Sprintf("agate=threshold=%v:range=%v:ratio=9000:attack=1:release=50:knee=1:detection=peak", audio.DB(-40).Gain(), audio.DB(-18).Gain()))
	got, _ := treated(session.Treatment{Gate: session.Gate{On: true, Open: -40, Close: -44, Attack: 1, Hold: 10, Release: 50, Range: 18}}, tone)
	assert.InDelta(t, end(want), end(got), 0.3)
}

func TestAnExpanderTakesAwayForEveryDecibelThatIsMissingAndNoMoreThanItsRange(t *testing.T) {
	for _, c := range []struct{ level, want float64 }{{-30, 0}, {-40, 0}, {-44, -4}, {-48, -8}, {-70, -12}} {
		tone := testkit.Sine(1, 500, c.level, 0, 2*audio.Second)
		_, trace := treated(session.Treatment{Expander: session.Expander{On: true, Threshold: -40, Ratio: 2, Attack: 5, Release: 80, Range: 12}}, tone)
		assert.InDelta(t, c.want, trace.Expander[len(trace.Expander)-1], 0.05, "%v dBFS", c.level)
	}
}

func truePeak(pcm audio.PCM) float64 { return loudness.Measure(pcm).TruePeak }

func TestNothingComesOverTheCeilingOfALimiter(t *testing.T) {
	square := testkit.Constant(1, 1, 4800)
	for i := range square[0] {
		if i/37%2 == 1 {
			square[0][i] = -1
		}
	}
	between := testkit.Sine(1, audio.Rate/4, 0, math.Pi/4, 4800) // its peaks lie between the samples
	single := audio.NewPCM(1, 4800)
	single[0][2400] = 1
	for name, sound := range map[string]audio.PCM{
		"a full-scale square": square, "peaks between the samples": between, "a single sample": single,
		"bursts and silence":  testkit.Join(audio.NewPCM(1, 4800), testkit.Noise(1, 4, 1000, 2), audio.NewPCM(1, 4800), square),
		"a sample at its end": testkit.Join(audio.NewPCM(1, 4799), testkit.Constant(1, 3, 1)),
	} {
		for _, ceiling := range []audio.DB{-1, -12} {
			got, _ := treated(session.Treatment{Limiter: session.Limiter{On: true, Ceiling: ceiling, Release: 5}}, sound)
			assert.LessOrEqual(t, truePeak(got), float64(ceiling)+0.1, "%s, %v", name, ceiling)
		}
	}
	law.Check(t, func(t *rapid.T) {
		sound := audio.NewPCM(rapid.IntRange(1, 2).Draw(t, "channels"), audio.Frames(rapid.IntRange(1, 6000).Draw(t, "length")))
		for range rapid.IntRange(0, 6).Draw(t, "pieces") {
			at := rapid.IntRange(0, int(sound.Length())-1).Draw(t, "at")
			length := rapid.IntRange(1, 2000).Draw(t, "long")
			piece := testkit.Noise(1, rapid.Float64Range(0.01, 8).Draw(t, "loud"), audio.Frames(length), rapid.Uint64().Draw(t, "seed"))[0]
			c := rapid.IntRange(0, len(sound)-1).Draw(t, "channel")
			for i := at; i < min(at+length, len(sound[c])); i++ {
				sound[c][i] += piece[i-at]
			}
		}
		l := session.Limiter{On: true, Ceiling: audio.DB(rapid.Float64Range(-20, 0).Draw(t, "ceiling")), Release: session.Millis(rapid.Float64Range(5, 1000).Draw(t, "release"))}
		got, trace := treated(session.Treatment{Limiter: l}, sound)
		assert.LessOrEqual(t, truePeak(got), float64(l.Ceiling)+0.1)
		if truePeak(sound) < float64(l.Ceiling)-0.01 {
			assert.Equal(t, sound, got, "what does not reach the ceiling is not touched: %v", trace.Limiter)
		}
	})
}

// alimiter has no oversampling, so a tone whose samples meet its peaks is alike.
func TestASteadyToneIsLimitedAsByFFmpeg(t *testing.T) {
	tone := testkit.Sine(1, 1000, 0, 0, 3*audio.Second)
	want := through(t, tone, fmt.Sprintf("alimiter=limit=%v:attack=5:release=50:level=false", audio.DB(-6).Gain()))
	got, _ := treated(session.Treatment{Limiter: session.Limiter{On: true, Ceiling: -6, Release: 50}}, tone)
	assert.InDelta(t, end(want), end(got), 0.3)
}

// anyTreatment is a valid one with some stages on.
func anyTreatment(t *rapid.T) session.Treatment {
	float := func(name string, low, high float64) float64 { return rapid.Float64Range(low, high).Draw(t, name) }
	on := func(name string) bool { return rapid.Bool().Draw(t, name) }
	open := audio.DB(float("open", -80, 0))
	return session.Treatment{
		LowCut: session.LowCut{On: on("low cut"), Corner: float("corner", 20, 250)},
		Gate: session.Gate{
			On: on("gate"), Open: open, Close: max(-90, open-audio.DB(float("below", 0, 20))), Attack: session.Millis(float("gate attack", 0.1, 100)),
			Hold: session.Millis(float("hold", 0, 500)), Release: session.Millis(float("gate release", 5, 500)), Range: audio.DB(float("range", 1, 120)), Ahead: session.Millis(float("ahead", 0, 50)),
		},
		Expander: session.Expander{
			On: on("expander"), Threshold: audio.DB(float("expander threshold", -80, 0)), Ratio: float("expander ratio", 1, 10),
			Attack: session.Millis(float("expander attack", 0.1, 200)), Release: session.Millis(float("expander release", 5, 500)), Range: audio.DB(float("expander range", 1, 60)),
		},
		Compressor: session.Compressor{
			On: on("compressor"), Threshold: audio.DB(float("threshold", -60, 0)), Ratio: float("ratio", 1, 20), Knee: audio.DB(float("knee", 0, 24)),
			Attack: session.Millis(float("attack", 0.1, 200)), Release: session.Millis(float("release", 5, 500)), MakeUp: audio.DB(float("make-up", -12, 24)),
			Detector: rapid.SampledFrom([]session.Detector{session.Peaks, session.Level}).Draw(t, "detector"),
		},
		Limiter: session.Limiter{On: on("limiter"), Ceiling: audio.DB(float("ceiling", -20, 0)), Release: session.Millis(float("limiter release", 5, 500))},
	}
}

func TestWhateverComesInNoSampleThatIsNoNumberComesOut(t *testing.T) {
	odd := []float32{float32(math.NaN()), float32(math.Inf(1)), float32(math.Inf(-1)), math.MaxFloat32, -math.MaxFloat32, math.SmallestNonzeroFloat32, 1, 0}
	law.Check(t, func(t *rapid.T) {
		settings := anyTreatment(t)
		sound := testkit.Noise(rapid.IntRange(1, 2).Draw(t, "channels"), 0.5, audio.Frames(rapid.IntRange(0, 5000).Draw(t, "length")), 1)
		for range rapid.IntRange(0, 5).Draw(t, "odd ones") {
			if n := int(sound.Length()); n > 0 {
				sound[0][rapid.IntRange(0, n-1).Draw(t, "at")] = rapid.SampledFrom(odd).Draw(t, "value")
			}
		}
		got, _ := treated(settings, sound)
		for _, channel := range got {
			for _, v := range channel {
				if math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) {
					t.Fatalf("%v comes out", v)
				}
			}
		}
	})
}

// speech is a row of words of noise over a floor, with pauses.
func speech(seconds int, seed uint64) audio.PCM {
	sound := testkit.Noise(1, 0.0015, audio.Frames(seconds)*audio.Second, seed)
	voice := testkit.Noise(1, 0.4, sound.Length(), seed+1)
	for i := range sound[0] {
		at := float64(i) / audio.Rate
		word := math.Sin(2*math.Pi*2.3*at) * math.Sin(2*math.Pi*0.21*at+float64(seed))
		sound[0][i] += voice[0][i] * float32(max(0, word))
	}
	return sound
}

func TestWhatLiesFurtherBackThanTheMemoryIsForgotten(t *testing.T) {
	usual := session.Usual()
	usual.LowCut.On, usual.Gate.On, usual.Expander.On, usual.Compressor.On, usual.Limiter.On = true, true, true, true, true
	usual.Limiter.Ceiling = -9
	sound := speech(20, 5)
	whole, _ := treated(usual, sound)
	from := (12*audio.Second - treat.Memory(usual)) / treat.Step * treat.Step
	part, _ := treated(usual, sound.Slice(from, 20*audio.Second))
	at := 12 * audio.Second
	assert.Less(t, testkit.MaxDifference(t, whole.Slice(at, 19*audio.Second), part.Slice(at-from, 19*audio.Second-from)), 3e-5, "-90 dBFS")
	assert.Greater(t, testkit.MaxDifference(t, whole, sound), 0.05, "it does something")
}

func TestOffIsOff(t *testing.T) {
	sound := speech(1, 2)
	got, trace := treated(session.Usual(), sound)
	assert.Equal(t, sound, got)
	assert.Equal(t, treat.Trace{}, trace)
}

func BenchmarkAllStagesOnAVoice(b *testing.B) {
	settings := session.Usual()
	settings.LowCut.On, settings.Gate.On, settings.Expander.On, settings.Compressor.On, settings.Limiter.On = true, true, true, true, true
	sound := speech(15, 1)
	for b.Loop() {
		treated(settings, sound)
	}
	b.ReportMetric(b.Elapsed().Seconds()*1e9/float64(b.N)/float64(sound.Length()), "ns/frame")
}

// For what the ceiling of the limiter holds, by ffmpeg's ebur128 (another filter of ITU-R BS.1770-4, annex 2): of sound below
// 18 kHz within 0.1 dB, of white noise, half of whose power lies where that filter sees little, within 0.8.
func TestWhatTheCeilingHoldsFor(t *testing.T) {
	tones := audio.NewPCM(1, 4*audio.Second)
	random := rand.New(rand.NewPCG(7, 9))
	for range 300 {
		w, phase := 2*math.Pi*(100+17900*random.Float64())/audio.Rate, 2*math.Pi*random.Float64()
		for i := range tones[0] {
			tones[0][i] += float32(0.06 * math.Sin(w*float64(i)+phase))
		}
	}
	for name, c := range map[string]struct {
		pcm  audio.PCM
		over float64
	}{
		"below 18 kHz": {tones, 0.1},
		"white noise":  {testkit.Noise(1, 1.2, 4*audio.Second, 3), 0.8},
	} {
		treat.Apply(session.Treatment{Limiter: session.Limiter{On: true, Ceiling: -6, Release: 60}}, c.pcm)
		path := testkit.WriteWAV(t, "limited.wav", c.pcm)
		out, err := exec.Command("ffmpeg", "-nostdin", "-hide_banner", "-i", path, "-af", "ebur128=peak=true", "-f", "null", "-").CombinedOutput()
		require.NoError(t, err)
		found := regexp.MustCompile(`True peak:\s+Peak:\s+(-?[\d.]+) dBFS`).FindSubmatch(out)
		require.NotNil(t, found, "%s", out)
		peak, err := strconv.ParseFloat(string(found[1]), 64)
		require.NoError(t, err)
		t.Logf("%s: %.1f dBTP under a ceiling of -6", name, peak)
		assert.LessOrEqual(t, peak, -6+c.over+0.05, "%s: it shows tenths", name)
	}
}
