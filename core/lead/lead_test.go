package lead_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/lead"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

const second = audio.Second

func powers(pcm audio.PCM) []float64 {
	sum := make([]float64, pcm.Length()/loudness.Hop)
	for _, channel := range loudness.Powers(pcm) {
		for i := range sum {
			sum[i] += float64(channel[i])
		}
	}
	return sum
}

func spans(seconds ...float64) (out []session.Span) {
	for i := 0; i+1 < len(seconds); i += 2 {
		out = append(out, session.Span{From: audio.Seconds(seconds[i]), To: audio.Seconds(seconds[i+1])})
	}
	return out
}

// The loudness of a stereo sine at 997 Hz is its level in dBFS, within 0.1 LU (BS.1770-4); so two of
// them stand to each other as their levels do.
func TestTheLeadOfSignalsOfKnownLoudness(t *testing.T) {
	for _, under := range []float64{0, 6, 14.5, 20, 33} {
		voices := powers(testkit.Sine(2, 997, -20, 0, 20*second))
		rest := powers(testkit.Sine(2, 997, -20-under, 90, 20*second))
		c := lead.Along(voices, rest, spans(2, 8, 10, 18))
		for i := range c.Long {
			at := float64(i) / 10
			if at >= 2 && at < 8 || at >= 10 && at < 18 {
				assert.InDelta(t, under, c.Short[i], 0.1, "at %g s", at)
				assert.InDelta(t, under, c.Long[i], 0.1, "at %g s", at)
			} else {
				assert.True(t, math.IsNaN(c.Short[i]) && math.IsNaN(c.Long[i]), "nobody speaks at %g s", at)
			}
		}
		assert.InDelta(t, under, c.Sum().Typical, 0.1)
		assert.InDelta(t, under, c.Sum().Lowest, 0.1)
	}
}

func flat(level float64, hops int) []float64 {
	out := make([]float64, hops)
	for i := range out {
		out[i] = math.Pow(10, level/10)
	}
	return out
}

func TestSpeechAloneHasTheMostAndMusicOverSilenceTheLeast(t *testing.T) {
	c := lead.Along(flat(-20, 50), make([]float64, 50), spans(0, 5))
	assert.Equal(t, lead.Sum{Typical: lead.Most, Lowest: lead.Most}, c.Sum())
	c = lead.Along(flat(-59, 50), flat(0, 50), spans(0, 5))
	assert.InDelta(t, -lead.Most, c.Sum().Lowest, 0)
	assert.True(t, math.IsNaN(lead.Along(flat(-60, 50), flat(0, 50), spans(0, 5)).Sum().Lowest), "softer than -60 LUFS nobody is heard to speak")
	none := lead.Along(flat(-20, 50), flat(-20, 50), nil).Sum()
	assert.True(t, math.IsNaN(none.Typical))
	assert.Empty(t, lead.Along(nil, nil, spans(0, 5)).Misses(lead.Aims()[1]))
}

func clear() lead.Aim { t, _ := lead.FindAim(""); return t }

func TestAPlaceThatIsCoveredIsFoundWhereItIsCovered(t *testing.T) {
	voices, rest := flat(-20, 600), flat(-38, 600)
	for i := 200; i < 230; i++ { // gulls for 3 s, 10 dB louder than the bed
		rest[i] = math.Pow(10, -2.8)
	}
	got := lead.Along(voices, rest, spans(5, 55)).Misses(clear())
	require.Len(t, got, 1)
	assert.InDelta(t, 20, got[0].From.Seconds(), 0.2)
	assert.InDelta(t, 23, got[0].To.Seconds(), 0.2)
	assert.InDelta(t, 8, got[0].Lead, 0.5)
	assert.InDelta(t, 7, got[0].Short, 0.5)
	assert.Empty(t, lead.Along(voices, rest, spans(5, 19, 25, 55)).Misses(clear()), "nobody speaks under them")
}

func TestALastSyllableUnderARisingOutroIsFound(t *testing.T) {
	voices, rest := flat(-20, 300), flat(-40, 300)
	for i := 193; i < 300; i++ { // it rises 0.7 s before the end of the speech
		rest[i] = math.Pow(10, -2.3)
	}
	got := lead.Along(voices, rest, spans(10, 20)).Misses(clear())
	require.Len(t, got, 1)
	assert.InDelta(t, 20, got[0].To.Seconds(), 0.11)
	assert.InDelta(t, 19.3, got[0].From.Seconds(), 0.3)
}

func TestSpeechMaySwingAboutItsTarget(t *testing.T) {
	voices, rest := flat(-20, 600), flat(-35, 600)
	for i := range voices {
		voices[i] *= math.Pow(10, 0.2*math.Sin(float64(i)/9)) // by 2 dB
	}
	assert.Empty(t, lead.Along(voices, rest, spans(0, 60)).Misses(clear()))
	present, _ := lead.FindAim("present")
	assert.Empty(t, lead.Along(voices, flat(-31, 600), spans(0, 60)).Misses(present))
	assert.NotEmpty(t, lead.Along(voices, flat(-31, 600), spans(0, 60)).Misses(clear()))
}

// WCAG 2.2, 1.4.7: with the exception of occasional sounds, which last for only one or two seconds.
func TestOccasionalSoundsOfASecondOrTwoAreExcused(t *testing.T) {
	accessible, known := lead.FindAim("accessible")
	require.True(t, known)
	assert.InDelta(t, 20, accessible.Lead, 0)
	voices, rest := flat(-20, 600), flat(-45, 600)
	for i := 200; i < 215; i++ {
		rest[i] = math.Pow(10, -2.5)
	}
	for i := 400; i < 440; i++ {
		rest[i] = math.Pow(10, -2.5)
	}
	got := lead.Along(voices, rest, spans(0, 60)).Misses(accessible)
	require.Len(t, got, 2)
	assert.True(t, got[0].Excused)
	assert.False(t, got[1].Excused)
}

func TestTheLawsOfMisses(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 400).Draw(t, "hops")
		level := rapid.Float64Range(-60, 0)
		voices, rest := make([]float64, n), make([]float64, n)
		var a, b float64
		for i := range n {
			if i%20 == 0 {
				a, b = level.Draw(t, "voice"), level.Draw(t, "rest")
			}
			voices[i], rest[i] = math.Pow(10, a/10), math.Pow(10, b/10)
		}
		c := lead.Along(voices, rest, spans(3, 9, 11, 30))
		last := audio.Frames(-1)
		for _, m := range c.Misses(clear()) {
			assert.Greater(t, m.From, last)
			assert.GreaterOrEqual(t, m.To-m.From, second/2)
			assert.LessOrEqual(t, m.To, audio.Frames(n)*loudness.Hop)
			assert.Less(t, m.Lead, clear().Lead-lead.Swing)
			assert.InDelta(t, clear().Lead, m.Lead+m.Short, 1e-9)
			last = m.To
		}
		// 10 dB less of everything else is 10 LU more, where that can be told.
		for i := range rest {
			rest[i] /= 10
		}
		more := lead.Along(voices, rest, spans(3, 9, 11, 30))
		for i, v := range c.Long {
			if v == v && math.Abs(v) < 29 {
				assert.InDelta(t, v+10, more.Long[i], 1e-6)
			}
		}
	})
}
