// Package testkit makes the signals and sessions that tests are run on, and asks
// outside programs for reference values.
package testkit

import (
	"bytes"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
)

// Sine is a tone with the same samples in every channel; the amplitude is in dBFS, the phase in degrees.
func Sine(channels int, hertz, dbfs, phase float64, length audio.Frames) audio.PCM {
	p := audio.NewPCM(channels, length)
	amplitude := math.Pow(10, dbfs/20)
	for i := range p[0] {
		v := float32(amplitude * math.Sin(2*math.Pi*hertz*float64(i)/audio.Rate+phase*math.Pi/180))
		for c := range p {
			p[c][i] = v
		}
	}
	return p
}

// Constant is every sample at one value.
func Constant(channels int, value float32, length audio.Frames) audio.PCM {
	p := audio.NewPCM(channels, length)
	for c := range p {
		for i := range p[c] {
			p[c][i] = value
		}
	}
	return p
}

// Noise is white noise between -amplitude and amplitude, the same for the same seed.
func Noise(channels int, amplitude float64, length audio.Frames, seed uint64) audio.PCM {
	r := rand.NewPCG(seed, 1)
	p := audio.NewPCM(channels, length)
	for c := range p {
		for i := range p[c] {
			unit := float64(r.Uint64()<<11>>11) / (1 << 53) // as rand.Float64 has it
			p[c][i] = float32((2*unit - 1) * amplitude)
		}
	}
	return p
}

// Spoken is a voice of 130 Hz in phrases of two seconds with pauses of one, over a soft room: something in which speech is found.
func Spoken(length audio.Frames) audio.PCM {
	out, loud := Noise(1, 0.002, length, 1), Voice(0.9, 130, length)
	for i := range out[0] {
		if at := audio.Frames(i) % (3 * audio.Second); at < 2*audio.Second {
			out[0][i] += loud[0][i]
		}
	}
	return out
}

// Join puts sounds of one channel count one after the other.
func Join(parts ...audio.PCM) audio.PCM {
	out := make(audio.PCM, len(parts[0]))
	for _, p := range parts {
		for c := range out {
			out[c] = append(out[c], p[c]...)
		}
	}
	return out
}

// Interleave writes samples as little-endian 32-bit floats, frame by frame.
func Interleave(p audio.PCM) []byte {
	b := make([]byte, 0, 4*len(p)*len(p[0]))
	for i := range p[0] {
		for c := range p {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(p[c][i]))
		}
	}
	return b
}

// Planar reads what Interleave writes.
func Planar(data []byte, channels int) audio.PCM {
	n := len(data) / 4 / channels
	p := audio.NewPCM(channels, audio.Frames(n))
	for i := range n {
		for c := range p {
			p[c][i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*(i*channels+c):]))
		}
	}
	return p
}

// RunFFmpeg runs ffmpeg on standard input and gives what it wrote to standard output and to its log.
func RunFFmpeg(t testing.TB, stdin []byte, args ...string) (stdout, log []byte) {
	t.Helper()
	cmd := exec.Command("ffmpeg", append([]string{"-hide_banner", "-nostdin"}, args...)...)
	if stdin != nil {
		cmd.Args = append([]string{"ffmpeg", "-hide_banner"}, args...)
		cmd.Stdin = bytes.NewReader(stdin)
	}
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	require.NoError(t, cmd.Run(), errs.String())
	return out.Bytes(), errs.Bytes()
}

// RawInput is the ffmpeg arguments that read Interleave's bytes from standard input.
func RawInput(channels string) []string {
	return []string{"-f", "f32le", "-ar", "48000", "-ac", channels, "-i", "pipe:0"}
}

// WriteWAV writes a 32-bit float WAV file at 48 kHz into the test's folder and gives its path.
func WriteWAV(t testing.TB, name string, p audio.PCM) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	data, frame := Interleave(p), 4*len(p)
	var head []byte
	for _, v := range []any{
		[]byte("RIFF"), uint32(50 + len(data)), []byte("WAVEfmt "), uint32(18), uint16(3), uint16(len(p)), uint32(audio.Rate), uint32(audio.Rate * frame), uint16(frame), uint16(32), uint16(0),
		[]byte("fact"), uint32(4), uint32(p.Length()), []byte("data"), uint32(len(data)),
	} {
		head, _ = binary.Append(head, binary.LittleEndian, v)
	}
	require.NoError(t, os.WriteFile(path, append(head, data...), 0o600))
	return path
}

// ReadAudio decodes a file to 48 kHz.
func ReadAudio(t testing.TB, path string, channels int) audio.PCM {
	t.Helper()
	require.FileExists(t, path)
	out, _ := RunFFmpeg(t, nil, "-v", "error", "-i", path, "-f", "f32le", "-ar", "48000", "-ac", string(rune('0'+channels)), "pipe:1")
	return Planar(out, channels)
}

// RMS is the level of a stretch of one channel in dBFS.
func RMS(samples []float32) float64 {
	var sum float64
	for _, v := range samples {
		sum += float64(v) * float64(v)
	}
	return 10 * math.Log10(sum/float64(len(samples)))
}

// MaxDifference is the largest absolute difference between two sounds of one shape.
func MaxDifference(t testing.TB, a, b audio.PCM) float64 {
	t.Helper()
	require.Len(t, b, len(a))
	var worst float64
	for c := range a {
		require.Len(t, b[c], len(a[c]))
		for i := range a[c] {
			d := math.Abs(float64(a[c][i]) - float64(b[c][i]))
			if !(d <= worst) {
				worst = d
			}
		}
	}
	return worst
}

// WriteFile writes a file into the test's folder and gives its path.
func WriteFile(t testing.TB, name string, data []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, data, 0o644))
	return path
}
