package media_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/internal/media"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestAPlainWAVIsReadAsFFmpegReadsIt(t *testing.T) {
	// The reference is ffmpeg, which reads what it has written, sample for sample.
	for _, codec := range []string{"pcm_u8", "pcm_s16le", "pcm_s24le", "pcm_s32le", "pcm_f32le", "pcm_f64le"} {
		for _, channels := range []string{"1", "2"} {
			t.Run(codec+" "+channels, func(t *testing.T) {
				t.Parallel()
				path := filepath.Join(t.TempDir(), "a.wav")
				args := append(testkit.RawInput(channels), "-c:a", codec, "-fflags", "+bitexact", path)
				sound := testkit.Noise(int(channels[0]-'0'), 0.9, 70001, 3)
				testkit.RunFFmpeg(t, testkit.Interleave(sound), args...)
				require.True(t, media.ReadsByItself(path))
				info, pcm, err := decode(path)
				require.NoError(t, err)
				assert.Equal(t, audio.Frames(70001), info.Expected)
				assert.Equal(t, audio.Rate, info.Rate)
				assert.Equal(t, "wav", info.Format)
				assert.Zero(t, testkit.MaxDifference(t, testkit.ReadAudio(t, path, info.Channels), pcm))
			})
		}
	}
}

// riff is a WAV file of chunks.
func riff(chunks ...[]byte) []byte {
	body := append([]byte("WAVE"), bytes.Join(chunks, nil)...)
	return append(binary.LittleEndian.AppendUint32([]byte("RIFF"), uint32(len(body))), body...)
}

func riffChunk(id string, body ...any) []byte {
	var b []byte
	for _, v := range body {
		b, _ = binary.Append(b, binary.LittleEndian, v)
	}
	out := append(binary.LittleEndian.AppendUint32([]byte(id), uint32(len(b))), b...)
	return append(out, make([]byte, len(b)%2)...)
}

// format is a fmt chunk of whole numbers at 48 kHz.
func format(code, channels, bits uint16, more ...any) []byte {
	frame := channels * bits / 8
	return riffChunk("fmt ", append([]any{code, channels, uint32(48000), 48000 * uint32(frame), frame, bits}, more...)...)
}

func TestWhatIsUnusualAboutAWAVIsLeftToFFmpeg(t *testing.T) {
	samples := riffChunk("data", []int16{1, -2, 3, -4, 5, -6})
	guid := []byte("\x01\x00\x00\x00\x00\x00\x10\x00\x80\x00\x00\xAA\x00\x38\x9B\x71")
	other := append([]byte{0x55}, guid[1:]...)
	twice := bytes.Repeat(samples, 2)
	for name, c := range map[string]struct {
		file   []byte
		itself bool
	}{
		"as it is usual":                  {riff(format(1, 2, 16), samples), true},
		"with a chunk of an odd length":   {riff(riffChunk("JUNK", byte(1)), format(1, 2, 16), samples), true},
		"in the extensible form":          {riff(format(0xFFFE, 2, 16, uint16(22), uint16(16), uint32(3), guid), samples), true},
		"for loudspeakers at the back":    {riff(format(0xFFFE, 2, 16, uint16(22), uint16(16), uint32(0x30), guid), samples), false},
		"of fewer bits than it takes":     {riff(format(0xFFFE, 2, 16, uint16(22), uint16(12), uint32(3), guid), samples), false},
		"of another kind":                 {riff(format(0xFFFE, 2, 16, uint16(22), uint16(16), uint32(3), other), samples), false},
		"of three channels":               {riff(format(1, 3, 16), samples), false},
		"of 12 bits":                      {riff(format(1, 2, 12), samples), false},
		"of A-law":                        {riff(format(6, 2, 8), samples), false},
		"with sound before its form":      {riff(samples, format(1, 2, 16)), false},
		"with two stretches of sound":     {riff(format(1, 2, 16), twice), false},
		"with two forms":                  {riff(format(1, 2, 16), format(1, 2, 16), samples), false},
		"without sound":                   {riff(format(1, 2, 16), riffChunk("data")), false},
		"with more behind it":             {append(riff(format(1, 2, 16), samples), 1, 2), false},
		"with a length that is not known": {append([]byte("RIFF\xff\xff\xff\xff"), riff(format(1, 2, 16), samples)[8:]...), false},
		"with a chunk beyond its end":     {riff(format(1, 2, 16), []byte("data\xff\xff\xff\x7f\x01\x02")), false},
		"of a coded stream":               {riff(format(1, 2, 16), riffChunk("data", []byte("\x72\xF8\x1F\x4E\x01\x00\x00\x08"))), false},
		"with a thousand chunks":          {riff(format(1, 2, 16), bytes.Repeat(riffChunk("JUNK"), 1000), samples), false},
	} {
		path := testkit.WriteFile(t, "a.wav", c.file)
		assert.Equal(t, c.itself, media.ReadsByItself(path), name)
		if c.itself {
			_, pcm, err := decode(path)
			require.NoError(t, err, name)
			assert.Equal(t, audio.PCM{{1.0 / 32768, 3.0 / 32768, 5.0 / 32768}, {-2.0 / 32768, -4.0 / 32768, -6.0 / 32768}}, pcm, name)
		}
	}
}

func TestWhatAWAVSaysOfItselfIsReadThoughItsSamplesArePlain(t *testing.T) {
	path := testkit.WriteFile(t, "told.wav", riff(format(1, 1, 16), riffChunk("LIST", []byte("INFOINAM\x05\x00\x00\x00Buoy\x00\x00")), riffChunk("data", []int16{1, 2, 3})))
	info, pcm, err := decode(path)
	require.NoError(t, err)
	assert.Equal(t, "Buoy", info.Tags["title"])
	assert.Equal(t, audio.Frames(3), pcm.Length())
}

func TestWhatIsNoNumberBecomesSilence(t *testing.T) {
	wild := []float32{0.5, float32(math.NaN()), float32(math.Inf(1)), 5000, -0.5}
	path := testkit.WriteFile(t, "wild.wav", riff(format(3, 1, 32), riffChunk("data", wild)))
	_, pcm, err := decode(path)
	require.NoError(t, err)
	assert.Equal(t, audio.PCM{{0.5, 0, 0, 0, -0.5}}, pcm)
}

func TestALongPlainWAVIsRefusedOrEndsWhenItIsCancelled(t *testing.T) {
	path := testkit.WriteWAV(t, "a.wav", testkit.Sine(1, 440, -10, 0, 3*audio.Second))
	info, err := media.Probe(ctx, path)
	require.NoError(t, err)
	info.Longest = 2 * audio.Second
	_, err = media.Decode(ctx, path, info, func(audio.PCM) error { return nil })
	assert.ErrorContains(t, err, "longer than")

	info.Longest = 0
	cancelled, cancel := context.WithCancel(ctx)
	_, err = media.Decode(cancelled, path, info, func(audio.PCM) error { cancel(); return nil })
	require.ErrorIs(t, err, context.Canceled)
	full := errors.New("full")
	_, err = media.Decode(ctx, path, info, func(audio.PCM) error { return full })
	require.ErrorIs(t, err, full)
}

func TestNoBytesOfAWAVAreAFault(t *testing.T) {
	whole := riff(riffChunk("JUNK", []byte("abc")), format(1, 2, 16), riffChunk("fact", uint32(3)), riffChunk("data", make([]int16, 600)))
	dir := t.TempDir()
	law.Check(t, func(r *rapid.T) {
		bent := bytes.Clone(whole)
		for range rapid.IntRange(1, 6).Draw(r, "times") {
			bent[rapid.IntRange(0, 80).Draw(r, "at")] = rapid.Byte().Draw(r, "value")
		}
		bent = bent[:rapid.IntRange(0, len(bent)).Draw(r, "length")]
		path := filepath.Join(dir, "bent.wav")
		require.NoError(r, os.WriteFile(path, bent, 0o600))
		readsOrLeaves(r, path, len(bent))
	})
}

// readsOrLeaves asks of a file of so many bytes that it is read whole, or left to ffmpeg, as that which has another rate is.
func readsOrLeaves(t require.TestingT, path string, bytes int) {
	if !media.ReadsByItself(path) {
		return
	}
	info, err := media.Probe(ctx, path)
	if err == nil && info.Rate == audio.Rate {
		info, pcm, err := decode(path)
		require.NoError(t, err)
		require.LessOrEqual(t, int(pcm.Length()), bytes)
		require.Len(t, pcm, info.Channels)
	}
}

func FuzzPlainWAV(f *testing.F) {
	f.Add(riff(format(1, 2, 16), riffChunk("data", []int16{1, -2, 3, -4})))
	f.Add(riff(format(3, 1, 64), riffChunk("data", []float64{1, 2})))
	f.Add([]byte(strings.Repeat("RIFF", 20)))
	f.Fuzz(func(t *testing.T, data []byte) {
		path := testkit.WriteFile(t, "a.wav", data)
		readsOrLeaves(t, path, len(data))
	})
}
