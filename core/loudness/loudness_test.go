package loudness_test

import (
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// step is a stretch of a test signal: a 1 kHz stereo sine, the same in both channels.
type step struct{ dbfs, seconds float64 }

func signal(steps ...step) audio.PCM {
	var parts []audio.PCM
	for _, s := range steps {
		parts = append(parts, testkit.Sine(2, 1000, s.dbfs, 0, audio.Seconds(s.seconds)))
	}
	return testkit.Join(parts...)
}

func repeat(times int, steps ...step) (out []step) {
	for range times {
		out = append(out, steps...)
	}
	return out
}

func TestProgrammeLoudnessOfTheMinimumRequirementSignals(t *testing.T) {
	// Source: EBU Tech 3341, table 1, cases 1 to 5 (values from memory), tolerance 0.1 LU.
	for _, c := range []struct {
		name  string
		steps []step
		want  float64
	}{
		{"case 1", []step{{-23, 20}}, -23},
		{"case 2", []step{{-33, 20}}, -33},
		{"case 3", []step{{-36, 10}, {-23, 60}, {-36, 10}}, -23},
		{"case 4", []step{{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}, -23},
		{"case 5", []step{{-26, 20}, {-20, 20.1}, {-26, 20}}, -23},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := loudness.Measure(signal(c.steps...))
			assert.InDelta(t, c.want, r.Integrated, 0.1)
			if len(c.steps) == 1 {
				assert.InDelta(t, c.want, r.MaxMomentary, 0.1)
				assert.InDelta(t, c.want, r.MaxShortTerm, 0.1)
			}
		})
	}
}

func TestASineOfFullScaleReadsMinusThreeInOneChannelAndZeroInTwo(t *testing.T) {
	// Source: ITU-R BS.1770, 997 Hz at 0 dBFS reads -3.01 LKFS (value from memory).
	assert.InDelta(t, -3.01, loudness.Measure(testkit.Sine(1, 997, 0, 0, 5*audio.Second)).Integrated, 0.02)
	assert.InDelta(t, 0, loudness.Measure(testkit.Sine(2, 997, 0, 0, 5*audio.Second)).Integrated, 0.1)
}

func TestShortTermAndMomentaryStayConstantOnTheirPeriodicSignals(t *testing.T) {
	// Source: EBU Tech 3341, cases 9 and 12 (values from memory).
	follow := func(pcm audio.PCM, settle float64, read func(*loudness.Meter) float64) {
		m := loudness.NewMeter(2)
		for at := audio.Frames(0); at+4800 <= pcm.Length(); at += 4800 {
			m.Write(pcm.Slice(at, at+4800))
			if at.Seconds() > settle {
				require.InDelta(t, -23, read(m), 0.1, "at %v", at)
			}
		}
	}
	follow(signal(repeat(5, step{-20, 1.34}, step{-30, 1.66})...), 3.2, (*loudness.Meter).ShortTerm)
	follow(signal(repeat(25, step{-20, 0.18}, step{-30, 0.22})...), 1, (*loudness.Meter).Momentary)
}

func TestLoudnessRangeOfTheMinimumRequirementSignals(t *testing.T) {
	// Source: EBU Tech 3342, minimum requirements 1 to 4 (values from memory), tolerance 1 LU.
	for _, c := range []struct {
		steps []step
		want  float64
	}{
		{[]step{{-20, 20}, {-30, 20}}, 10},
		{[]step{{-20, 20}, {-15, 20}}, 5},
		{[]step{{-40, 20}, {-20, 20}}, 20},
		{[]step{{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}, 15},
	} {
		assert.InDelta(t, c.want, loudness.Measure(signal(c.steps...)).Range, 1, "%v", c.steps)
	}
}

func TestTruePeakOfTonesWhoseSamplesMissTheCrest(t *testing.T) {
	// Source: EBU Tech 3341, cases 15 to 19 (values from memory), tolerance +0.2/-0.4 dB.
	for _, c := range []struct{ divisor, phase, amplitude, want float64 }{
		{4, 0, 0.5, -6}, {4, 45, 0.5, -6}, {6, 60, 0.5, -6}, {8, 67.5, 0.5, -6}, {4, 45, 1.41, 3},
	} {
		pcm := testkit.Sine(2, audio.Rate/c.divisor, 20*math.Log10(c.amplitude), c.phase, audio.Second)
		faded := pcm.Slice(0, pcm.Length())
		for i := range 480 { // the signals of the standard are faded in and out
			for ch := range faded {
				g := float32(i) / 480
				faded[ch][i] *= g
				faded[ch][len(faded[ch])-1-i] *= g
			}
		}
		got := loudness.Measure(faded).TruePeak
		assert.LessOrEqual(t, got, c.want+0.2, "fs/%v at %v degrees", c.divisor, c.phase)
		assert.GreaterOrEqual(t, got, c.want-0.4, "fs/%v at %v degrees", c.divisor, c.phase)
	}
}

func TestTheTruePeaksOfAWholeChannelAreThoseOfAMeterThatIsFedStretchByStretch(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		channel := rapid.SliceOfN(rapid.Float32Range(-1, 1), 0, 400).Draw(t, "channel")
		every, floor := rapid.IntRange(16, 70).Draw(t, "every"), rapid.Float32Range(0, 1.2).Draw(t, "floor")
		skipped := rapid.IntRange(0, 9).Draw(t, "skipped")
		got := map[int]float32{}
		loudness.Over(channel, every, floor, func(k int) bool { return k == skipped }, func(k int, peak float32) { got[k] = peak })
		want := map[int]float32{}
		var meter loudness.TruePeak
		for k := 0; k*every < len(channel); k++ {
			meter.Reset()
			if peak := meter.Write(channel[k*every : min((k+1)*every, len(channel))]); peak > floor && k != skipped {
				want[k] = peak
			}
		}
		assert.Equal(t, want, got)
	})
}

func TestSkippingQuietStretchesDoesNotChangeTheTruePeak(t *testing.T) {
	pcm := testkit.Noise(1, 0.4, 40000, 3)
	for i := 7000; i < 7040; i++ {
		pcm[0][i] *= 2
	}
	var whole loudness.TruePeak
	want := whole.Write(pcm[0])
	var highest float32
	for at := 0; at < 40000; at += 100 { // forgetting the peak each time leaves nothing to skip against
		var piece loudness.TruePeak
		piece.Write(pcm[0][max(0, at-64):at])
		piece.Reset()
		highest = max(highest, piece.Write(pcm[0][at:at+100]))
	}
	assert.InDelta(t, highest, want, 1e-6)
}

func TestTheTruePeakIsThatOfEveryTapOfTheFilter(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		channel := make([]float32, rapid.IntRange(1, 600).Draw(t, "length"))
		step := rapid.Float64Range(0, math.Pi).Draw(t, "step")
		noise := rapid.Float64Range(0, 1).Draw(t, "noise")
		dice := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		swell := rapid.Float64Range(0, 0.1).Draw(t, "swell")
		for i := range channel {
			channel[i] = float32((math.Sin(step*float64(i))*(1-noise) + (2*dice.Float64()-1)*noise) * (1 - 0.5*math.Cos(swell*float64(i))))
		}
		var meter loudness.TruePeak
		cut := rapid.IntRange(0, len(channel)).Draw(t, "cut")
		meter.Write(channel[:cut])
		assert.InDelta(t, loudness.TruePeakOfAll(channel), meter.Write(channel[cut:]), 1e-6)
	})
}

func TestAMeterReadsTheSameHoweverTheSoundArrives(t *testing.T) {
	pcm := testkit.Noise(2, 0.3, 5*audio.Second, 9)
	whole := loudness.Measure(pcm)
	m := loudness.NewMeter(2)
	for at, n := audio.Frames(0), audio.Frames(1); at < pcm.Length(); at, n = at+n, n*2%9973+1 {
		n = min(n, pcm.Length()-at)
		m.Write(pcm.Slice(at, at+n))
	}
	got := m.Result()
	assert.InDelta(t, whole.Integrated, got.Integrated, 1e-9)
	assert.InDelta(t, whole.TruePeak, got.TruePeak, 1e-6)
	assert.Equal(t, whole.Length, got.Length)
}

func TestSilenceAndVeryShortSoundsHaveNoLoudness(t *testing.T) {
	for _, length := range []audio.Frames{0, 1, 4800, audio.Second} {
		r := loudness.Measure(audio.NewPCM(2, length))
		assert.InDelta(t, loudness.Floor, r.Integrated, 0)
		assert.InDelta(t, loudness.Floor, r.TruePeak, 0)
		assert.Zero(t, r.Range)
	}
}

func TestTheMeterAgreesWithFFmpeg(t *testing.T) {
	// Source: ffmpeg's ebur128 filter. Tolerances: 0.1 LU, 0.5 LU, 0.2 dB.
	music := testkit.Join(testkit.Noise(2, 0.05, 8*audio.Second, 1), signal(step{-14, 6}), testkit.Noise(2, 0.4, 9*audio.Second, 2))
	_, log := testkit.RunFFmpeg(t, testkit.Interleave(music), append(testkit.RawInput("2"), "-af", "ebur128=peak=true", "-f", "null", "-")...)
	read := func(pattern string) float64 {
		all := regexp.MustCompile(pattern).FindAllSubmatch(log, -1)
		require.NotEmpty(t, all, pattern)
		v, err := strconv.ParseFloat(string(all[len(all)-1][1]), 64)
		require.NoError(t, err)
		return v
	}
	ours := loudness.Measure(music)
	assert.InDelta(t, read(`I:\s+(-?[\d.]+) LUFS`), ours.Integrated, 0.1)
	assert.InDelta(t, read(`LRA:\s+(-?[\d.]+) LU\n`), ours.Range, 0.5)
	assert.InDelta(t, read(`Peak:\s+(-?[\d.]+) dBFS`), ours.TruePeak, 0.2)
}

func TestEveryTargetCanBeFoundByItsKey(t *testing.T) {
	for _, want := range loudness.Targets() {
		got, ok := loudness.FindTarget(want.Key)
		assert.True(t, ok)
		assert.Equal(t, want, got)
	}
	_, ok := loudness.FindTarget("loud")
	assert.False(t, ok)
}

func BenchmarkMeterPerSecondOfStereo(b *testing.B) {
	pcm := testkit.Noise(2, 0.3, audio.Second, 1)
	m := loudness.NewMeter(2)
	for b.Loop() {
		m.Write(pcm)
	}
}
