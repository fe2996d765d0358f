package splice_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/splice"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// quietestByHand tries every place.
func quietestByHand(left, right audio.PCM, half audio.Frames) (least float64) {
	least = math.Inf(1)
	n := left.Length()
	for off := -(n/2 - half); n/2+off+half <= n; off++ {
		sum := 0.0
		for _, p := range []audio.PCM{left, right} {
			for _, channel := range p {
				for _, v := range channel[n/2+off-half : n/2+off+half] {
					sum += float64(v) * float64(v)
				}
			}
		}
		least = math.Min(least, sum)
	}
	return least
}

func TestTheQuietestPlaceIsTheOneThatTryingAllFinds(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		half := audio.Frames(rapid.IntRange(1, 20).Draw(t, "half"))
		n := 2 * (half + audio.Frames(rapid.IntRange(0, 30).Draw(t, "reach")))
		left := testkit.Noise(1, 0.5, n, uint64(rapid.IntRange(1, 1000).Draw(t, "left")))
		right := testkit.Noise(2, 0.5, n, uint64(rapid.IntRange(1, 1000).Draw(t, "right")))
		off := splice.Quietest(left, right, half)
		sum := 0.0
		for _, p := range []audio.PCM{left, right} {
			for _, channel := range p {
				for _, v := range channel[n/2+off-half : n/2+off+half] {
					sum += float64(v) * float64(v)
				}
			}
		}
		if want := quietestByHand(left, right, half); sum > want+1e-9 {
			t.Fatalf("%v frames off there is %v, elsewhere %v", off, sum, want)
		}
	})
}

func TestWhereAllIsAlikeAJoinStaysWhereItIs(t *testing.T) {
	flat := testkit.Constant(1, 0.5, 500)
	assert.Zero(t, splice.Quietest(flat, flat, 100))
}

func TestTheRoomIsFoundBetweenTheWordsAndDigitalSilenceIsNoRoom(t *testing.T) {
	p := testkit.Join(
		testkit.Noise(1, 0.4, 2*audio.Second, 1), audio.NewPCM(1, audio.Second), // an edit of somebody else's
		testkit.Noise(1, 0.4, 2*audio.Second, 2), testkit.Noise(1, 0.003, audio.Second, 3),
		testkit.Noise(1, 0.4, audio.Second, 4))
	at, found := splice.Room(p, audio.Second/2)
	require.True(t, found)
	assert.GreaterOrEqual(t, at, 5*audio.Second)
	assert.LessOrEqual(t, at+audio.Second/2, 6*audio.Second+audio.Second/100)
	_, found = splice.Room(p.Slice(0, 100), 50)
	assert.False(t, found)
	_, found = splice.Room(audio.NewPCM(1, audio.Second), audio.Second/2)
	assert.False(t, found)
}

// pulse is a decaying knock every so many frames, with weaker ones between.
func pulse(length audio.Frames, period float64) audio.PCM {
	p := testkit.Noise(2, 0.002, length, 9)
	for k := 0; ; k++ {
		at := audio.Frames(math.Round(float64(k) * period / 2))
		if at+2000 > length {
			return p
		}
		strength := 0.6
		if k%2 == 1 {
			strength = 0.15
		}
		for i := range audio.Frames(2000) {
			v := float32(strength * math.Exp(-float64(i)/400) * math.Sin(float64(i)/9))
			p[0][at+i] += v
			p[1][at+i] += v
		}
	}
}

func TestTheBeatOfAPieceIsFound(t *testing.T) {
	for _, tempo := range []float64{72, 96, 104.5, 120, 133, 160} {
		period := 60 / tempo * audio.Rate
		got, found := splice.Beat(pulse(25*audio.Second, period))
		require.True(t, found, tempo)
		ratio := got / period
		octave := math.Exp2(math.Round(math.Log2(ratio)))
		assert.InDelta(t, 1, ratio/octave, 0.002, "%v beats a minute: %v", tempo, ratio)
	}
}

func TestSpeechAndSwellHaveNoBeat(t *testing.T) {
	_, found := splice.Beat(testkit.Noise(1, 0.3, 20*audio.Second, 5))
	assert.False(t, found)
	_, found = splice.Beat(audio.NewPCM(1, 20*audio.Second))
	assert.False(t, found)
	_, found = splice.Beat(testkit.Sine(1, 200, -10, 0, 20*audio.Second))
	assert.False(t, found)
	length, onBeat := splice.Loop(testkit.Noise(1, 0.3, 20*audio.Second, 5), 1000)
	assert.False(t, onBeat)
	assert.Equal(t, 20*audio.Second-1000, length)
}

func TestALoopBeginsAgainOnTheBeatToTheSample(t *testing.T) {
	const period = 24000 // which a repetition can meet exactly
	p := pulse(20*audio.Second, period)
	length, onBeat := splice.Loop(p, 1440)
	require.True(t, onBeat)
	assert.Zero(t, length%(4*period), "whole bars: %v", length)
}
