package mix_test

import (
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

// gatedSession is a voice track with a gate and a sound in two clips that follow one another, and what renders it.
func gatedSession(t require.TestingT, pcm audio.PCM, gate session.Gate, lowCut bool) (session.Document, *mix.Plan) {
	d := session.New()
	treatment := session.Usual()
	treatment.Gate, treatment.LowCut.On = gate, lowCut
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: pcm.Length()}
	none := session.Fade{Shape: session.Linear}
	d.Tracks = []session.Track{{ID: "t1", Name: "Voice", Part: session.Voice, Pan: -1, Treatment: treatment, Clips: map[string]session.Clip{
		"c2": {Name: "Voice", Sound: testkit.ID(0), Length: 2 * audio.Second, FadeIn: none, FadeOut: none},
		"c3": {Name: "Voice", Sound: testkit.ID(0), Start: 2 * audio.Second, Offset: 2 * audio.Second, Length: pcm.Length() - 2*audio.Second, FadeIn: none, FadeOut: none},
	}}}
	plan, err := mix.Compile(d, testkit.Library{testkit.ID(0): pcm}.Sounds, nil)
	require.NoError(t, err)
	return d, plan
}

func gateOf(open, shut audio.DB, hold session.Millis) session.Gate {
	return session.Gate{On: true, Open: open, Close: shut, Attack: 1, Hold: hold, Release: 50, Range: 40}
}

func TestAGateBetweenItsThresholdsGoesOnWithWhatItDidHoweverLongAgo(t *testing.T) {
	pcm := testkit.Join(testkit.Sine(1, 300, -20, 0, audio.Second), testkit.Sine(1, 300, -40, 0, 59*audio.Second))
	_, plan := gatedSession(t, pcm, gateOf(-30, -50, 0), false)
	out := whole(t, plan)
	for at := 2; at < 59; at++ {
		assert.InDelta(t, -43.01, testkit.RMS(out[0][at*audio.Rate:(at+1)*audio.Rate]), 0.1, "after %d s it is as open as it was", at)
	}
	window := audio.NewPCM(2, 2*audio.Second)
	require.NoError(t, mix.NewRenderer(plan).Render(window, 39*audio.Second))
	assert.Zero(t, testkit.MaxDifference(t, out.Slice(39*audio.Second, 41*audio.Second), window), "also of a window alone")

	shut := testkit.Join(testkit.Sine(1, 300, -60, 0, audio.Second), testkit.Sine(1, 300, -40, 0, 59*audio.Second))
	_, plan = gatedSession(t, shut, gateOf(-30, -50, 0), false)
	out = whole(t, plan)
	assert.InDelta(t, -83.01, testkit.RMS(out[0][45*audio.Rate:46*audio.Rate]), 0.1, "nothing has ever opened it")
}

func TestASpanIsKnownByWhatItsGateDidBefore(t *testing.T) {
	loud := testkit.Join(testkit.Sine(1, 300, -20, 0, audio.Second), testkit.Sine(1, 300, -40, 0, 49*audio.Second))
	d, first := gatedSession(t, loud, gateOf(-30, -50, 0), false)
	before := whole(t, first)
	d = d.Clone()
	c := d.Tracks[0].Clips["c2"]
	c.Silent = true // what opened it is gone
	d.Tracks[0].Clips["c2"] = c
	second, err := mix.Compile(d, testkit.Library{testkit.ID(0): loud}.Sounds, first) // with the spans of the first at hand
	require.NoError(t, err)
	after := whole(t, second)
	assert.InDelta(t, -43, testkit.RMS(before[0][40*audio.Rate:41*audio.Rate]), 0.1)
	assert.InDelta(t, -83, testkit.RMS(after[0][40*audio.Rate:41*audio.Rate]), 0.1, "far away from what was changed")
	made := 0
	for n := range first.Spans() {
		a, err := first.FactsKey(n)
		require.NoError(t, err)
		b, err := second.FactsKey(n)
		require.NoError(t, err)
		if a != b {
			made++
		}
	}
	assert.Equal(t, first.Spans(), made, "all depend on it here")

	// Where something in between decides, what lies before that changes nothing.
	decided := testkit.Join(loud.Slice(0, 20*audio.Second), audio.NewPCM(1, audio.Second), testkit.Sine(1, 300, -20, 0, 30*audio.Second))
	d, first = gatedSession(t, decided, gateOf(-30, -50, 0), false)
	d = d.Clone()
	d.Tracks[0].Clips["c2"] = c
	second, err = mix.Compile(d, testkit.Library{testkit.ID(0): decided}.Sounds, first)
	require.NoError(t, err)
	for _, n := range []int{4} { // that before begins to be computed before the pause
		a, err := first.FactsKey(n)
		require.NoError(t, err)
		b, err := second.FactsKey(n)
		require.NoError(t, err)
		assert.Equal(t, a, b)
	}
}

// What a gate does is what one that has heard all from the beginning does, at the borders of spans and anywhere else.
func TestAGateInSpansDoesWhatOneThatHasHeardAllDoes(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		hold := session.Millis(rapid.SampledFrom([]int{0, 20, 400, 2000}).Draw(t, "hold"))
		gate := gateOf(-30, -50, hold)
		gate.Ahead = session.Millis(rapid.SampledFrom([]int{0, 20}).Draw(t, "ahead"))
		pcm := audio.NewPCM(1, 0)
		for pcm.Length() < 45*audio.Second {
			level := rapid.SampledFrom([]float64{-20, -40, -40, -40, -60}).Draw(t, "level")
			length := rapid.SampledFrom([]audio.Frames{audio.Second / 10, audio.Second, 9 * audio.Second, 14 * audio.Second}).Draw(t, "length")
			pcm[0] = append(pcm[0], testkit.Sine(1, 400, level, 0, length)[0]...)
		}
		_, plan := gatedSession(t, pcm, gate, false)
		want := pcm.Slice(0, pcm.Length())
		want[0] = append([]float32{}, want[0]...)
		treatment := session.Treatment{Gate: gate}
		trace := treat.Apply(treatment, want)
		got := whole(t, plan)
		for at := audio.Second; at+audio.Second <= pcm.Length(); at += audio.Second / 2 {
			if closed := float64(trace.Gate[at/treat.Step]); closed < -39 || closed > -1 { // settled
				a, b := testkit.RMS(want[0][at:at+4800]), testkit.RMS(got[0][at:at+4800])
				if b > -100 || a > -100 {
					require.InDelta(t, a, b, 0.2, "at %v", at)
				}
			}
		}
	})
}
