package speech_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/speech"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

const second = audio.Second

func TestWhereNobodySpeaksThereAreNoPhrases(t *testing.T) {
	assert.Empty(t, speech.Find(audio.NewPCM(1, 0)))
	assert.Empty(t, speech.Find(audio.NewPCM(1, 5*second)), "silence")
	assert.Empty(t, speech.Find(testkit.Noise(1, 0.2, 20*second, 1)), "steady noise")
	assert.Empty(t, speech.Find(testkit.Sine(1, 100, -20, 0, 20*second)), "hum")
	bursts := testkit.Noise(1, 0.001, 20*second, 1)
	for k := range 8 {
		copy(bursts[0][audio.Frames(2*k+1)*second:], testkit.Noise(1, 0.2, second/3, uint64(k))[0])
	}
	assert.Empty(t, speech.Find(bursts), "something that hisses now and then")
}

func TestASingleWordOnItsOwnIsFound(t *testing.T) {
	word := spokenBy(t, "slt", sentences)[8]
	for _, at := range []audio.Frames{0, second / 2} {
		p := testkit.Join(audio.NewPCM(1, at), word, audio.NewPCM(1, second/4))
		got := speech.Find(p)
		require.Len(t, got, 1, "at %v", at)
		assert.InDelta(t, at.Seconds(), got[0].From.Seconds(), 0.05)
		assert.InDelta(t, (at + word.Length()).Seconds(), got[0].To.Seconds(), 0.05)
	}
}

func TestBothChannelsAreHeardTogether(t *testing.T) {
	mono := laid(t, "slt", -20).Room(42).PCM
	assert.Equal(t, speech.Find(mono), speech.Find(audio.PCM{mono[0], mono[0]}))
	left := speech.Find(audio.PCM{mono[0], make([]float32, mono.Length())})
	assert.Len(t, left, len(speech.Find(mono)), "a voice on one side alone is heard as well")
}

func TestItDoesNotMatterInWhichPiecesARecordingIsHeard(t *testing.T) {
	pcm := laid(t, "rms", -20).Room(40).PCM.Slice(0, 12*second)
	want := speech.Find(pcm)
	law.Check(t, func(t *rapid.T) {
		l := speech.NewListener()
		for at := audio.Frames(0); at < pcm.Length(); {
			n := min(pcm.Length()-at, audio.Frames(rapid.Int64Range(1, 200_000).Draw(t, "frames")))
			l.Write(pcm.Slice(at, at+n))
			at += n
		}
		assert.Equal(t, want, l.Phrases())
	})
}

func TestPhrasesLieInOrderAndInsideWhateverIsHeard(t *testing.T) {
	voices := laid(t, "awb", -20).PCM
	law.Check(t, func(t *rapid.T) {
		length := audio.Frames(rapid.Int64Range(0, int64(8*second)).Draw(t, "length"))
		from := audio.Frames(rapid.Int64Range(0, int64(voices.Length()-length)).Draw(t, "from"))
		pcm := testkit.Noise(1, rapid.Float64Range(0, 1).Draw(t, "noise"), length, rapid.Uint64().Draw(t, "seed"))
		gain := rapid.Float32Range(0, 4).Draw(t, "gain")
		for i := range pcm[0] {
			pcm[0][i] += gain * voices[0][from+audio.Frames(i)]
		}
		last := audio.Frames(-1)
		for _, p := range speech.Find(pcm) {
			assert.Greater(t, p.From, last, "they are apart")
			assert.Less(t, p.From, p.To)
			last = p.To
		}
		assert.LessOrEqual(t, last, length)
	})
}

func BenchmarkAMinuteOfSpeech(b *testing.B) {
	pcm := testkit.Noise(1, 0.001, 60*second, 1)
	for i := range pcm[0] {
		if i/audio.Rate%3 > 0 && i%400 < 100 { // a buzz of 120 Hz with rests
			pcm[0][i] += 0.3
		}
	}
	b.ResetTimer()
	for range b.N {
		speech.Find(pcm)
	}
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N)*60, "s/hour")
}
