package server_test

import (
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/waveform"
	"ruvel/testkit"
)

// rangesIn cuts an answer into its ranges, by their places; nil where a sound could not be read.
func rangesIn(t *testing.T, data []byte) map[int][]waveform.Peak {
	t.Helper()
	out := map[int][]waveform.Peak{}
	for len(data) > 0 {
		require.GreaterOrEqual(t, len(data), 8)
		place, n := int(binary.LittleEndian.Uint32(data)), binary.LittleEndian.Uint32(data[4:])
		require.NotContains(t, out, place)
		data = data[8:]
		if n == math.MaxUint32 {
			out[place] = nil
			continue
		}
		out[place], data = peaksIn(data[:4*n]), data[4*n:]
	}
	return out
}

func peaksIn(data []byte) []waveform.Peak {
	out := make([]waveform.Peak, len(data)/4)
	for i := range out {
		out[i] = waveform.Peak{Low: int16(binary.LittleEndian.Uint16(data[4*i:])), High: int16(binary.LittleEndian.Uint16(data[4*i+2:]))}
	}
	return out
}

func TestThePeaksOfAllThatAWindowShowsComeInOneAnswer(t *testing.T) {
	show, episode := newEpisode(t)
	tones := []audio.PCM{testkit.Noise(1, 0.5, 5*audio.Second, 71), testkit.Noise(2, 0.5, 3*audio.Second, 72)}
	ids := []string{imported(t, show, episode, "one", tones[0]), imported(t, show, episode, "two", tones[1])}
	nobody := strings.Repeat("ab", 32)
	of := []string{
		ids[0] + ":0:96000:10", ids[1] + ":5:2:100", nobody + ":3:0:10", ids[0] + ":9:0:100", ids[1] + ":2:999999999:5", ids[1] + ":2:8990:50",
	}
	status, _, answer := call(t, "GET", "/peaks?of="+strings.Join(of, ","), nil)
	require.Equal(t, 200, status)
	got := rangesIn(t, answer)
	require.Len(t, got, len(of))
	assert.Nil(t, got[2])
	assert.NotNil(t, got[4])
	assert.Empty(t, got[4])
	require.Len(t, got[0], 10)
	for i, k := range got[0] {
		assert.Equal(t, k.Low, k.High, "of one channel")
		assert.InDelta(t, tones[0][0][96000+i]*math.MaxInt16, k.Low, 1.5)
	}
	assert.Len(t, got[3], 1)
	assert.Len(t, got[5], 10, "up to the end of the sound")
	for i, r := range of {
		parts := strings.Split(r, ":")
		if got[i] == nil {
			continue
		}
		_, _, alone := call(t, "GET", fmt.Sprintf("/sounds/%s/peaks/%s?from=%s&count=%s", parts[0], parts[1], parts[2], parts[3]), nil)
		assert.Equal(t, got[i], peaksIn(alone), r)
	}
	// The file of its peaks is damaged: it is made anew, and they are what they were.
	require.NoError(t, os.WriteFile(filepath.Join(data, "cache", ids[1], "peaks"), []byte("RVPK0001"), 0o644))
	_, _, answer = call(t, "GET", "/peaks?of="+strings.Join(of, ","), nil)
	assert.Equal(t, got, rangesIn(t, answer))
}

func TestWhatIsNoRangeOfPeaksIsRefused(t *testing.T) {
	sound := strings.Repeat("ab", 32)
	for _, of := range []string{
		"", "x", sound, sound + ":1:2", sound + ":10:0:5", sound + ":1:-1:5", sound + ":1:0:0", sound + ":1:0:16385", "../../etc:1:0:5",
		sound + ":1:0:5,", strings.Repeat(sound+":1:0:5,", 48) + sound + ":1:0:5",
	} {
		code, _ := refused(t, 422, "GET", "/peaks?of="+of, nil)
		assert.Equal(t, "bad-request", code)
	}
}
