package master_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func atOnce(do func())  { do() }
func quietly(_ float64) {}

// of is a stretch of a sound in two channels.
func of(pcm audio.PCM, from, to audio.Frames, channels int) master.Stretch {
	return master.Stretch{From: from, To: to, Channels: channels, Renderer: func() master.Render {
		return func(dst audio.PCM, at audio.Frames) error {
			for c := range dst {
				copy(dst[c], pcm[c][at:at+dst.Length()])
			}
			return nil
		}
	}}
}

// whole is the outcome of a master.
func whole(s master.Stretch, m *master.Master) audio.PCM {
	out := audio.NewPCM(2, s.Length())
	_ = s.Renderer()(out, s.From)
	out = master.Fold(out, s.Channels)
	m.Apply(out, 0)
	return out
}

// peaky is noise in bursts, with single peaks far above it.
func peaky(length audio.Frames, peaks ...float64) audio.PCM {
	pcm := testkit.Noise(2, 0.05, length, 5)
	for _, at := range peaks {
		i := int(at * audio.Rate)
		for k := range 40 {
			v := float32(0.9 * math.Sin(2*math.Pi*float64(k)/13) * math.Sin(math.Pi*float64(k)/40))
			pcm[0][i+k] += v
			pcm[1][i+k] -= v / 2
		}
	}
	return pcm
}

func brought(t testing.TB, s master.Stretch, integrated, ceiling float64) (*master.Master, master.Course) {
	t.Helper()
	c, err := master.Along(t.(*testing.T).Context(), s, atOnce, quietly)
	require.NoError(t, err)
	m, err := master.Reach(t.(*testing.T).Context(), s, c, integrated, master.Ceiling{Level: ceiling}, atOnce, quietly)
	require.NoError(t, err)
	return m, c
}

func TestTheCourseOfAStretchIsWhatAMeterFindsInIt(t *testing.T) {
	pcm := peaky(25*audio.Second+777, 3, 9.999, 10.0001, 24)
	for _, c := range []struct {
		from, to audio.Frames
		channels int
	}{{0, pcm.Length(), 2}, {0, pcm.Length(), 1}, {123456, 1034567, 2}, {480000, 480000 + 30000, 1}} {
		s := of(pcm, c.from, c.to, c.channels)
		course, err := master.Along(t.Context(), s, atOnce, quietly)
		require.NoError(t, err)
		want := loudness.Measure(whole(s, &master.Master{}))
		assert.InDelta(t, want.Integrated, course.Loudness().Integrated, 0.001)
		assert.InDelta(t, want.TruePeak, course.Loudness().TruePeak, 0.001)
	}
}

func TestATargetIsReachedUnderItsCeilingWithTheLimiterWorkingOnlyWhereItMust(t *testing.T) {
	pcm := peaky(60*audio.Second, 5, 19.99, 30.0001, 47)
	for _, target := range loudness.Targets() {
		s := of(pcm, 0, pcm.Length(), 2)
		m, course := brought(t, s, target.Integrated, target.TruePeak)
		out := whole(s, m)
		got := loudness.Measure(out)
		assert.True(t, m.Reached, target.Name)
		assert.InDelta(t, target.Integrated, got.Integrated, 0.05, target.Name)
		assert.InDelta(t, got.Integrated, m.Loudness, 0.01, "as it was foreseen")
		assert.LessOrEqual(t, got.TruePeak, target.TruePeak, target.Name)
		// Away from the peaks there is the gain and nothing else.
		factor := float32(audio.DB(m.Gain).Gain())
		for _, at := range []float64{1, 4.9, 12, 26, 40, 58} {
			i := int(at * audio.Rate)
			assert.InDelta(t, factor*pcm[0][i], out[0][i], 1e-6)
		}
		ahead := course.Ahead(target, target.TruePeak)
		assert.InDelta(t, m.Gain, ahead.Gain, 0.1)
		if m.Most > 0 {
			assert.InDelta(t, m.Most, ahead.Most, 0.2)
			assert.InDelta(t, m.Touched, ahead.Touched, 0.01)
			assert.Less(t, m.Touched, 0.025, "four peaks in a minute")
		}
	}
}

func TestTheGainGoesOnWithoutAStepWhereOneBlockHasALowerCeiling(t *testing.T) {
	// Peaks around the borders of blocks, of which every other one came out too high.
	pcm := peaky(45*audio.Second, 9.97, 9.9995, 19.99, 20.01, 30.0003, 39.98)
	s := of(pcm, 0, pcm.Length(), 2)
	course, err := master.Along(t.Context(), s, atOnce, quietly)
	require.NoError(t, err)
	came := master.Course{True: make([]float32, len(course.True))}
	came.True[50], came.True[250], came.True[350] = 1, 1, 1
	ceiling := master.Ceiling{Level: -1}
	require.Equal(t, 3, ceiling.Lower(came, -2))
	m, err := master.Reach(t.Context(), s, course, -16, ceiling, atOnce, quietly)
	require.NoError(t, err)
	gain := testkit.Constant(1, 1, pcm.Length())
	m.Apply(gain, 0)
	for i := 1; i < len(gain[0]); i++ {
		// The limiter comes down by all that it can, to a third, in 5 ms at the fastest.
		require.InDelta(t, gain[0][i-1], gain[0][i], 0.02*float64(gain[0][0]), "at %.4f s", float64(i)/audio.Rate)
	}
	assert.LessOrEqual(t, loudness.Measure(whole(s, m)).TruePeak, -1.0)
}

func TestNothingIsLimitedThatLiesUnderTheCeiling(t *testing.T) {
	pcm := testkit.Noise(2, 0.1, 15*audio.Second, 2)
	s := of(pcm, 0, pcm.Length(), 2)
	m, _ := brought(t, s, -30, -1)
	assert.Zero(t, m.Touched)
	assert.Contains(t, m.Say(), "the limiter has nothing to do")
	out := whole(s, m)
	factor := float32(audio.DB(m.Gain).Gain())
	for i := range out[0] {
		require.InDelta(t, factor*pcm[0][i], out[0][i], 1e-7)
	}
}

func TestSilenceIsLeftAndWhatIsTooSoftIsSaid(t *testing.T) {
	s := of(audio.NewPCM(2, 12*audio.Second), 0, 12*audio.Second, 2)
	m, course := brought(t, s, -16, -1)
	assert.Zero(t, m.Gain)
	assert.Contains(t, course.Ahead(loudness.Targets()[0], -1).Text, "silent")
	faint := of(testkit.Noise(2, 0.0008, 12*audio.Second, 1), 0, 12*audio.Second, 2)
	m, course = brought(t, faint, -14, -1)
	assert.False(t, m.Reached)
	assert.InDelta(t, 40, m.Gain, 0.001)
	assert.Contains(t, course.Ahead(loudness.Targets()[4], -1).Text, "too soft, or its peaks are too high, for this target")
}

func TestAMixOfPeaksAloneSaysThatItsLimitingIsHeard(t *testing.T) {
	var peaks []float64
	for at := 0.5; at < 29; at += 0.3 {
		peaks = append(peaks, at)
	}
	pcm := peaky(30*audio.Second, peaks...)
	s := of(pcm, 0, pcm.Length(), 2)
	m, course := brought(t, s, -14, -1)
	assert.True(t, m.Heard())
	assert.LessOrEqual(t, loudness.Measure(whole(s, m)).TruePeak, -1.0)
	ahead := course.Ahead(loudness.Targets()[4], -1)
	assert.True(t, ahead.Heard)
	assert.Contains(t, ahead.Text, "So much limiting is heard: first even out and compress")
}

func TestAnyWindowIsThatOfTheWholeAndPartsAddUp(t *testing.T) {
	pcm := peaky(32*audio.Second, 5, 9.99, 10.01, 19.9999, 29)
	s := of(pcm, 0, pcm.Length(), 2)
	m, _ := brought(t, s, -14, -1)
	out := whole(s, m)
	law.Check(t, func(t *rapid.T) {
		from := audio.Frames(rapid.Int64Range(0, int64(pcm.Length())-2).Draw(t, "from"))
		to := min(pcm.Length(), from+audio.Frames(rapid.Int64Range(1, 60000).Draw(t, "length")))
		window := audio.NewPCM(2, to-from)
		_ = s.Renderer()(window, from)
		half := audio.NewPCM(2, to-from)
		rest := audio.NewPCM(2, to-from)
		for c := range window {
			for i, v := range window[c] {
				half[c][i], rest[c][i] = v/4, v-v/4
			}
		}
		m.Apply(window, from)
		m.Apply(half, from)
		m.Apply(rest, from)
		for c := range window {
			for i, v := range window[c] {
				if v != out[c][from+audio.Frames(i)] {
					t.Fatalf("frame %d differs", from+audio.Frames(i))
				}
				if math.Abs(float64(half[c][i]+rest[c][i]-v)) > 1e-6 {
					t.Fatalf("parts do not add up at %d", i)
				}
			}
		}
	})
}

func TestWhateverTheSoundTheCeilingIsKept(t *testing.T) {
	law.Check(t, func(r *rapid.T) {
		pcm := testkit.Noise(2, rapid.Float64Range(0.01, 1).Draw(r, "noise"), 21*audio.Second, uint64(rapid.IntRange(1, 1000).Draw(r, "seed")))
		for range rapid.IntRange(0, 12).Draw(r, "peaks") {
			i := rapid.IntRange(0, int(pcm.Length())-3).Draw(r, "at")
			pcm[rapid.IntRange(0, 1).Draw(r, "channel")][i] = float32(rapid.Float64Range(-4, 4).Draw(r, "peak"))
		}
		channels := rapid.IntRange(1, 2).Draw(r, "channels")
		s := of(pcm, 0, pcm.Length(), channels)
		ceiling := rapid.Float64Range(-9, -0.5).Draw(r, "ceiling")
		m, _ := brought(t, s, rapid.Float64Range(-30, -14).Draw(r, "target"), ceiling)
		got := loudness.Measure(whole(s, m))
		if got.TruePeak > ceiling {
			r.Fatalf("%.2f dBTP over a ceiling of %.2f", got.TruePeak, ceiling)
		}
		if math.Abs(got.Integrated-m.Loudness) > 0.02 {
			r.Fatalf("%.2f LUFS, foreseen were %.2f", got.Integrated, m.Loudness)
		}
	})
}

func TestAnOutlineHasTheHighestPeakOfEachStretchInDecibels(t *testing.T) {
	t.Parallel()
	c := master.Course{True: []float32{1, 0.1, 0, 0.7079458, 0.0001, 0.0158489}} // 0, -20, none, -3, -80, -36 dB
	assert.Equal(t, []byte{255, 234, 0}, c.Outline(3))
	assert.Equal(t, []byte{255, 113, 0, 234, 0, 0}, c.Outline(6))
	assert.Len(t, c.Outline(400), 400, "also where there are fewer tenths of a second than heights")
	assert.Equal(t, make([]byte, 4), master.Course{}.Outline(4))
}

func TestWhatIsMeasuredOfAStretchInPartsIsWhatIsMeasuredOfIt(t *testing.T) {
	whole := testkit.Noise(2, 0.2, 47*audio.Second+333, 9)
	s := master.Stretch{From: 3, To: whole.Length(), Channels: 1, Renderer: func() master.Render {
		return func(dst audio.PCM, from audio.Frames) error {
			for c := range dst {
				copy(dst[c], whole[c][from:])
			}
			return nil
		}
	}}
	once := func(do func()) { do() }
	want, err := master.Along(t.Context(), s, once, func(float64) {})
	require.NoError(t, err)
	var got master.Course
	for first := 0; first < master.Blocks(s.Length()); first += 2 {
		part, err := master.AlongBlocks(t.Context(), s, first, min(first+2, master.Blocks(s.Length())), once, func(float64) {})
		require.NoError(t, err)
		got = got.Then(part)
	}
	assert.Equal(t, want, got)
}

func TestWhatIsDoneToAPartIsDoneToItElsewhere(t *testing.T) {
	whole := testkit.Noise(2, 0.3, 45*audio.Second, 2)
	s := master.Stretch{To: whole.Length(), Channels: 2, Renderer: func() master.Render {
		return func(dst audio.PCM, from audio.Frames) error {
			for c := range dst {
				copy(dst[c], whole[c][from:])
			}
			return nil
		}
	}}
	once := func(do func()) { do() }
	course, err := master.Along(t.Context(), s, once, func(float64) {})
	require.NoError(t, err)
	m, err := master.Reach(t.Context(), s, course, -12, master.Ceiling{Level: -13}, once, func(float64) {})
	require.NoError(t, err)
	require.Positive(t, m.Touched)
	from, to := 8*audio.Second, 31*audio.Second+5
	data, err := m.Part(from, to)
	require.NoError(t, err)
	again, err := m.Part(from, to)
	require.NoError(t, err)
	assert.Equal(t, data, again, "told the same way each time")
	elsewhere, err := master.ParsePart(data)
	require.NoError(t, err)
	here, there := copied(whole.Slice(from, to)), copied(whole.Slice(from, to))
	m.Apply(here, from)
	elsewhere.Apply(there, from)
	assert.Equal(t, here, there)
	for _, bad := range [][]byte{nil, []byte("x"), data[:len(data)/2]} {
		_, err := master.ParsePart(bad)
		assert.Error(t, err)
	}
}

func copied(pcm audio.PCM) (out audio.PCM) {
	for _, channel := range pcm {
		out = append(out, slices.Clone(channel))
	}
	return out
}
