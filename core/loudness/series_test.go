package loudness_test

import (
	"encoding"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestTheSeriesOfAMeterIsThatOfTheWholeSoundInWhateverPiecesItWasWritten(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		pcm := testkit.Noise(rapid.IntRange(1, 2).Draw(t, "channels"), 0.5, audio.Frames(rapid.IntRange(1, 30000).Draw(t, "length")), rapid.Uint64().Draw(t, "seed"))
		piece := audio.Frames(rapid.IntRange(50, 9000).Draw(t, "piece"))
		m := loudness.NewMeter(len(pcm))
		for at := audio.Frames(0); at < pcm.Length(); at += piece {
			m.Write(pcm.Slice(at, min(at+piece, pcm.Length())))
		}
		want, got := loudness.Powers(pcm), m.Series()
		require.Len(t, got, len(want))
		for c := range want {
			assert.InDeltaSlice(t, want[c], got[c], 1e-7)
		}
	})
}

func TestTheGatedLoudnessOfASeriesIsThatOfTheMeter(t *testing.T) {
	pcm := testkit.Noise(2, 0.3, 20*audio.Second, 4)
	s := loudness.Powers(pcm)
	sum := make([]float64, len(s[0]))
	for _, channel := range s {
		for i, v := range channel {
			sum[i] += float64(v)
		}
	}
	assert.InDelta(t, loudness.Measure(pcm).Integrated, loudness.Integrated(sum), 1e-4)
	assert.Equal(t, loudness.Floor, loudness.Integrated(nil))
}

func TestASeriesComesBackFromItsBinaryForm(t *testing.T) {
	s := loudness.Powers(testkit.Noise(2, 0.3, 3*audio.Second+5, 4))
	data, err := encoding.BinaryMarshaler(s).MarshalBinary()
	require.NoError(t, err)
	var back loudness.Series
	require.NoError(t, back.UnmarshalBinary(data))
	assert.Equal(t, s, back)
	for _, n := range []int{0, 8, 15, 16, len(data) - 1} {
		require.ErrorIs(t, new(loudness.Series).UnmarshalBinary(data[:n]), loudness.ErrMalformed, "%d bytes", n)
	}
	require.ErrorIs(t, new(loudness.Series).UnmarshalBinary(append(data, 0)), loudness.ErrMalformed)
}

func FuzzReadingASeries(f *testing.F) {
	data, _ := loudness.Powers(testkit.Noise(1, 1, 9000, 5)).MarshalBinary()
	f.Add(data)
	f.Add([]byte("RVPW0001\x02\x00\x00\x00\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, data []byte) {
		var s loudness.Series
		if err := s.UnmarshalBinary(data); err != nil {
			require.ErrorIs(t, err, loudness.ErrMalformed)
			return
		}
		again, err := s.MarshalBinary()
		require.NoError(t, err)
		require.Equal(t, data, again)
	})
}
