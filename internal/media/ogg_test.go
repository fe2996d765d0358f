package media_test

import (
	"bytes"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
	"ruvel/internal/media"
	"ruvel/testkit"
)

// pages cuts an Ogg file into its pages.
func pages(data []byte) (out [][]byte) {
	for len(data) > 0 {
		n := 27 + int(data[26])
		for _, s := range data[27:n] {
			n += int(s)
		}
		out, data = append(out, data[:n:n]), data[n:]
	}
	return out
}

// seal puts a page's checksum right: a CRC-32 with the polynomial 04c11db7, from the highest bit on (RFC 3533, section 6).
func seal(page []byte) {
	copy(page[22:26], make([]byte, 4))
	var crc uint32
	for _, b := range page {
		crc ^= uint32(b) << 24
		for range 8 {
			if crc&(1<<31) != 0 {
				crc = crc<<1 ^ 0x04c11db7
			} else {
				crc <<= 1
			}
		}
	}
	binary.LittleEndian.PutUint32(page[22:], crc)
}

func TestAnOggFileThatBreaksOffIsToldFromAWholeOne(t *testing.T) {
	for name, args := range map[string][]string{
		"a.ogg": {"-c:a", "libvorbis"}, "b.opus": {"-c:a", "libopus"}, "c.oga": {"-c:a", "flac", "-f", "ogg"},
	} {
		whole, err := os.ReadFile(make3s(t, name, args...))
		require.NoError(t, err)
		all := pages(whole)
		require.Greater(t, len(all), 3, name)
		cuts := map[string][]byte{
			"in the middle of a page":        whole[:len(whole)-len(all[len(all)-1])/2],
			"in the head of the last page":   whole[:len(whole)-len(all[len(all)-1])+10],
			"between two pages":              bytes.Join(all[:len(all)-1], nil),
			"in the middle of an early page": whole[:len(whole)/3],
		}
		for cut, data := range cuts {
			_, _, err := decode(testkit.WriteFile(t, name, data))
			var p problem.Problem
			require.ErrorAs(t, err, &p, "%s, cut %s", name, cut)
			assert.Equal(t, "truncated", p.Code, "%s, cut %s", name, cut)
		}
		for what, data := range map[string][]byte{"whole": whole, "with something behind its end": append(bytes.Clone(whole), "TAG of a program"...)} {
			_, pcm, err := decode(testkit.WriteFile(t, name, data))
			require.NoError(t, err, "%s, %s", name, what)
			assert.InDelta(t, 3*48000, float64(pcm.Length()), 3000)
		}
	}
}

// framed is an Ogg Vorbis file whose first packet has more than its framing bit set in the
// last byte: the reference decoder looks at the bit alone (Vorbis I, section 4.2.2), ffmpeg at the byte.
func framed(t *testing.T) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "framed.ogg")
	out, err := exec.Command("sox", "-D", "-r", "44100", "-n", "-c", "1", "-C", "6", path, "synth", "132300s", "sine", "500", "gain", "-9").CombinedOutput()
	require.NoError(t, err, string(out))
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	first := pages(data)[0]
	require.Equal(t, byte(1), first[len(first)-1])
	data[len(first)-1] = 0x0f
	seal(data[:len(first)])
	require.NoError(t, os.WriteFile(path, data, 0o600))
	return path
}

func TestAVorbisFileThatOneDecoderRefusesIsReadThroughTheOther(t *testing.T) {
	path := framed(t)
	_, err := media.Probe(ctx, path)
	var p problem.Problem
	require.ErrorAs(t, err, &p, "ffmpeg does not read it; if it has learnt to, this way is not needed any more")
	require.Equal(t, "not-a-sound", p.Code)
	second, err := media.SecondReader(ctx, path, t.TempDir())
	require.NoError(t, err)
	info, pcm, err := decode(second)
	require.NoError(t, err)
	assert.Equal(t, 44100, info.Rate)
	assert.InDelta(t, 3*48000, float64(pcm.Length()), 1)
	middle := pcm[0][24000:96000]
	assert.InDelta(t, 500, pitch(middle), 0.7)
	assert.InDelta(t, -12.01, testkit.RMS(middle), 0.1)

	for name, data := range map[string][]byte{"text": []byte("no sound"), "empty": nil, "half": []byte("OggS"), "other": append([]byte("OggS"), make([]byte, 100)...)} {
		second, err := media.SecondReader(ctx, testkit.WriteFile(t, name, data), t.TempDir())
		require.NoError(t, err, name)
		assert.Empty(t, second, name)
	}
	whole, err := os.ReadFile(path)
	require.NoError(t, err)
	_, err = media.SecondReader(ctx, testkit.WriteFile(t, "cut.ogg", whole[:len(whole)/2]), t.TempDir())
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "truncated", p.Code)
}

func TestARateThatCannotBeIsRefusedBeforeAnythingIsWritten(t *testing.T) {
	data, err := os.ReadFile(make3s(t, "a.wav", "-ar", "8000"))
	require.NoError(t, err)
	for rate, fine := range map[uint32]bool{1: false, 3999: false, 4000: true, 768000: true, 768001: false, 4294967295: false} {
		binary.LittleEndian.PutUint32(data[24:], rate) // where a WAV file states it
		_, err := media.Probe(ctx, testkit.WriteFile(t, "a.wav", data))
		if fine {
			require.NoError(t, err, "%d Hz", rate)
			continue
		}
		var p problem.Problem
		require.ErrorAs(t, err, &p, "%d Hz", rate)
		assert.Contains(t, []string{"odd-rate", "not-a-sound"}, p.Code, "%d Hz", rate)
	}
}
