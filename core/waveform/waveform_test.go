package waveform_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/waveform"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func build(pcm audio.PCM, piece audio.Frames) waveform.Pyramid {
	var b waveform.Builder
	for at := audio.Frames(0); at < pcm.Length(); at += piece {
		b.Write(pcm.Slice(at, min(at+piece, pcm.Length())))
	}
	return b.Pyramid()
}

func TestAPeakHoldsTheLowestAndHighestSampleOfBothChannels(t *testing.T) {
	pcm := audio.NewPCM(2, 200)
	pcm[0][70], pcm[1][100], pcm[1][199] = 0.5, -0.25, 2
	p := build(pcm, 33)
	require.Len(t, p.Levels[0], 4)
	assert.Equal(t, []waveform.Peak{{}, {Low: -8192, High: 16384}, {}, {High: 32767}}, p.Levels[0])
	assert.Equal(t, []waveform.Peak{{Low: -8192, High: 32767}}, p.Levels[1])
}

func TestNoViewOfASoundHidesASample(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		pcm := testkit.Noise(1, 0.9, audio.Frames(rapid.IntRange(1, 60000).Draw(t, "length")), rapid.Uint64().Draw(t, "seed"))
		p := build(pcm, audio.Frames(rapid.IntRange(1, 5000).Draw(t, "piece")))
		from := rapid.IntRange(0, int(pcm.Length())-1).Draw(t, "from")
		to := rapid.IntRange(from+1, int(pcm.Length())).Draw(t, "to")
		k := p.Between(audio.Frames(from), audio.Frames(to))
		for _, v := range pcm[0][from:to] {
			if float64(v)*32767 > float64(k.High) || float64(v)*32767 < float64(k.Low) {
				t.Fatalf("%v lies outside %v", v, k)
			}
		}
	})
}

func TestAPyramidComesBackFromItsBinaryForm(t *testing.T) {
	p := build(testkit.Noise(2, 1, 100000, 5), 4096)
	data, err := p.MarshalBinary()
	require.NoError(t, err)
	var q waveform.Pyramid
	require.NoError(t, q.UnmarshalBinary(data))
	assert.Equal(t, p, q)
	for _, n := range []int{0, 5, 8, 11, len(data) - 1} {
		require.ErrorIs(t, new(waveform.Pyramid).UnmarshalBinary(data[:n]), waveform.ErrMalformed, "%d bytes", n)
	}
	require.ErrorIs(t, new(waveform.Pyramid).UnmarshalBinary(append(data, 0)), waveform.ErrMalformed)
}

func FuzzReadingPeaks(f *testing.F) {
	data, _ := build(testkit.Noise(1, 1, 1000, 5), 64).MarshalBinary()
	f.Add(data)
	f.Add([]byte("RVPK0001\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, data []byte) {
		var p waveform.Pyramid
		if p.UnmarshalBinary(data) == nil {
			p.Between(0, 1<<40)
		}
	})
}
