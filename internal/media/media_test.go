package media_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/internal/disk"
	"ruvel/internal/media"
	"ruvel/testkit"
)

var ctx = context.Background()

func decode(path string) (media.Info, audio.PCM, error) {
	info, err := media.Probe(ctx, path)
	if err != nil {
		return info, nil, err
	}
	pcm := make(audio.PCM, info.Channels)
	n, err := media.Decode(ctx, path, info, func(p audio.PCM) error {
		for c := range pcm {
			pcm[c] = append(pcm[c], p[c]...)
		}
		return nil
	})
	if err == nil && n != pcm.Length() {
		err = fmt.Errorf("%d frames announced, %d given", n, pcm.Length())
	}
	return info, pcm, err
}

func make3s(t *testing.T, name string, args ...string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	testkit.RunFFmpeg(t, nil, append(append([]string{"-v", "error", "-f", "lavfi", "-i", "sine=frequency=440:sample_rate=96000:duration=3"}, args...), path)...)
	return path
}

// pitch counts upward zero crossings.
func pitch(samples []float32) float64 {
	n := 0
	for i := 1; i < len(samples); i++ {
		if samples[i-1] < 0 && samples[i] >= 0 {
			n++
		}
	}
	return float64(n) * audio.Rate / float64(len(samples))
}

func TestEveryFormatAndRateComesInAtTheRightLengthPitchAndLevel(t *testing.T) {
	// Source of the level: ffmpeg's sine has an amplitude of 1/8, -21.07 dB RMS.
	for _, c := range []struct {
		file     string
		args     []string
		lossless bool
	}{
		{"a.wav", []string{"-ar", "44100"}, true},
		{"b.wav", []string{"-ar", "8000", "-c:a", "pcm_u8"}, false},
		{"c.wav", []string{"-ar", "96000", "-c:a", "pcm_s24le"}, true},
		{"d.wav", []string{"-ar", "22050", "-c:a", "pcm_f32le", "-ac", "2"}, true},
		{"e.aiff", []string{"-ar", "48000"}, true},
		{"f.flac", []string{"-ar", "11025"}, true},
		{"g.mp3", []string{"-ar", "44100", "-b:a", "192k", "-af", "volume=1.0309278"}, false}, // LAME turns it down by 0.97
		{"h.m4a", []string{"-ar", "44100", "-b:a", "160k"}, false},
		{"i.ogg", []string{"-ar", "32000", "-c:a", "libvorbis", "-q:a", "6"}, false},
		{"j.opus", []string{"-c:a", "libopus", "-b:a", "128k"}, false},
		{"k.aac", []string{"-ar", "48000", "-b:a", "160k"}, false},
		{"l.wav", []string{"-ar", "48000", "-ac", "6"}, true},
	} {
		t.Run(c.file, func(t *testing.T) {
			info, pcm, err := decode(make3s(t, c.file, c.args...))
			require.NoError(t, err)
			tolerance := 0.0
			if !c.lossless {
				tolerance = 3000 // frames: what lossy formats pad
			}
			assert.InDelta(t, float64(3*audio.Second), float64(pcm.Length()), tolerance)
			assert.LessOrEqual(t, info.Channels, 2)
			middle := pcm[0][audio.Rate/2 : 5*audio.Rate/2]
			assert.InDelta(t, 440, pitch(middle), 1)
			if info.Channels == 1 {
				assert.InDelta(t, -21.07, testkit.RMS(middle), 0.1)
			}
		})
	}
}

func TestFilesMadeBySoxComeInToTheFrame(t *testing.T) {
	// Source of length, pitch and level: sox's own synthesiser, which makes so many samples of a sine at -9 dBFS.
	for _, c := range []struct {
		file    string
		rate    int
		samples int
		args    []string
	}{
		{"a.wav", 8000, 20001, []string{"-b", "8", "-e", "unsigned-integer"}},
		{"b.wav", 11025, 30000, []string{"-b", "16"}},
		{"c.wav", 44100, 132301, []string{"-b", "24"}},
		{"d.wav", 88200, 264600, []string{"-b", "32", "-e", "signed-integer"}},
		{"e.wav", 48000, 144001, []string{"-b", "32", "-e", "floating-point"}},
		{"f.wav", 192000, 576003, []string{"-b", "64", "-e", "floating-point"}},
		{"g.wav", 16000, 48000, []string{"-e", "a-law"}},
		{"h.aiff", 32000, 96001, []string{"-b", "24"}},
		{"i.aifc", 44100, 132300, []string{"-b", "16"}},
		{"j.flac", 96000, 288007, []string{"-b", "24"}},
		{"k.flac", 22050, 66151, []string{"-b", "16"}},
		{"l.ogg", 44100, 132300, []string{"-C", "6"}},
		{"m.w64", 48000, 144000, []string{"-b", "24"}},
	} {
		t.Run(c.file, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), c.file)
			args := append([]string{"-D", "-r", strconv.Itoa(c.rate), "-n", "-c", "1"}, c.args...)
			out, err := exec.Command("sox", append(args, path, "synth", strconv.Itoa(c.samples)+"s", "sine", "500", "gain", "-9")...).CombinedOutput()
			require.NoError(t, err, string(out))
			info, pcm, err := decode(path)
			require.NoError(t, err)
			assert.Equal(t, c.rate, info.Rate)
			assert.InDelta(t, float64(c.samples)*audio.Rate/float64(c.rate), float64(pcm.Length()), 1, "length")
			middle := pcm[0][audio.Rate/2 : 2*audio.Rate]
			assert.InDelta(t, 500, pitch(middle), 0.7)
			assert.InDelta(t, -9-3.01, testkit.RMS(middle), 0.1)
		})
	}
}

func TestChangingTheRateAddsNothingThatCouldBeHeard(t *testing.T) {
	for _, hertz := range []float64{997, 9000, 15000} {
		path := filepath.Join(t.TempDir(), "tone.wav")
		testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("aevalsrc=0.5*sin(2*PI*%v*t):s=44100:d=2", hertz), "-c:a", "pcm_f32le", path)
		_, pcm, err := decode(path)
		require.NoError(t, err)
		x := pcm[0][audio.Rate/2 : 3*audio.Rate/2]
		// What is left of the tone once its best fit has been taken away.
		var re, im float64
		for i, v := range x {
			s, c := math.Sincos(2 * math.Pi * hertz * float64(i) / audio.Rate)
			re, im = re+2*float64(v)*c/float64(len(x)), im+2*float64(v)*s/float64(len(x))
		}
		assert.InDelta(t, 0.5, math.Hypot(re, im), 0.001, "%v Hz", hertz)
		rest := make([]float32, len(x))
		for i, v := range x {
			s, c := math.Sincos(2 * math.Pi * hertz * float64(i) / audio.Rate)
			rest[i] = v - float32(re*c+im*s)
		}
		assert.Less(t, testkit.RMS(rest), -105.0, "%v Hz", hertz)
	}
}

func TestFilesThatAreNoWholeSoundAreRefusedByName(t *testing.T) {
	cut := func(name string, keep int64, args ...string) string {
		path := make3s(t, name, args...)
		require.NoError(t, os.Truncate(path, keep))
		return path
	}
	video := filepath.Join(t.TempDir(), "video.mp4")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "color=size=32x32:duration=1", video)
	secret := testkit.WriteWAV(t, "secret.wav", testkit.Sine(1, 440, -10, 0, audio.Second))
	for name, c := range map[string]struct{ path, code string }{
		"a text called mp3":            {testkit.WriteFile(t, "text.mp3", []byte("It was a dark and foggy night.\n")), "not-a-sound"},
		"an empty file":                {testkit.WriteFile(t, "empty.wav", nil), "empty-file"},
		"a video without sound":        {video, "no-sound"},
		"a playlist naming a file":     {testkit.WriteFile(t, "list.m3u8", []byte("#EXTM3U\n#EXTINF:1,\nfile://"+secret+"\n")), "not-a-sound"},
		"a concat list naming a file":  {testkit.WriteFile(t, "list.ffconcat", []byte("ffconcat version 1.0\nfile "+secret+"\n")), "not-a-sound"},
		"a WAV cut off":                {cut("a.wav", 100000), "truncated"},
		"a WAV cut off in its head":    {cut("a.wav", 6), "truncated"},
		"an AIFF cut off":              {cut("a.aiff", 100000), "truncated"},
		"a FLAC cut off":               {cut("a.flac", 60000), "truncated"},
		"an MP3 cut off":               {cut("a.mp3", 12000), "truncated"},
		"an M4A without its end":       {cut("a.m4a", 12000), "truncated"},
		"a recording of 3 hours and 1": {longSilence(t, 3*3600+1), "too-long"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := decode(c.path)
			var p problem.Problem
			require.ErrorAs(t, err, &p)
			assert.Equal(t, c.code, p.Code, p.Message)
			assert.Regexp(t, `^[A-Z].*\.$`, p.Message, "a sentence")
		})
	}
}

// longSilence is a FLAC file of silence, which is small however long it is.
func longSilence(t *testing.T, seconds int) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "long.flac")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("anullsrc=r=8000:cl=mono:d=%d", seconds), "-compression_level", "0", path)
	return path
}

func TestDecodingStopsWhenItIsCancelled(t *testing.T) {
	path := longSilence(t, 3000)
	info, err := media.Probe(ctx, path)
	require.NoError(t, err)
	cancelled, cancel := context.WithCancel(ctx)
	_, err = media.Decode(cancelled, path, info, func(audio.PCM) error { cancel(); return nil })
	require.ErrorIs(t, err, context.Canceled)
	full := errors.New("full")
	_, err = media.Decode(ctx, path, info, func(audio.PCM) error { return full })
	require.ErrorIs(t, err, full)
}

func write(t *testing.T, key string, channels int, pcm audio.PCM) string {
	t.Helper()
	set, err := media.Set(key, "", 0, channels)
	require.NoError(t, err)
	return writeAs(t, set, media.Label{}, pcm)
}

// writeAs writes a file in pieces of a second, as it is written when a mix is.
func writeAs(t *testing.T, set media.Setting, label media.Label, pcm audio.PCM) string {
	t.Helper()
	return writeKnowing(t, set, label, pcm, media.ShortPieces(25))
}

func writeKnowing(t *testing.T, set media.Setting, label media.Label, pcm audio.PCM, known *media.Pieces) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "out."+set.Format.Extension)
	sink, err := media.Create(ctx, path, set, label, known)
	require.NoError(t, err)
	for at := audio.Frames(0); at < pcm.Length(); at += audio.Second {
		require.NoError(t, sink.Write(pcm.Slice(at, min(at+audio.Second, pcm.Length()))))
	}
	require.NoError(t, sink.Close())
	return path
}

func TestWhatIsWrittenComesBack(t *testing.T) {
	pcm := testkit.Join(testkit.Noise(2, 0.5, audio.Second, 7), audio.NewPCM(2, 100))
	for key, worst := range map[string]float64{"wav-32f": 0, "wav-24": 1.0 / (1 << 23), "wav-16": 2.0 / (1 << 15)} {
		back := testkit.ReadAudio(t, write(t, key, 2, pcm), 2)
		assert.LessOrEqual(t, testkit.MaxDifference(t, pcm, back), worst, key)
	}
	mono := write(t, "wav-24", 1, pcm[:1])
	out, err := exec.Command("soxi", "-c", mono).Output()
	require.NoError(t, err)
	assert.Equal(t, "1\n", string(out), "sox reads the mono file too")
}

func TestAnMP3IsAsLoudAsItsSource(t *testing.T) {
	pcm := testkit.Sine(2, 997, -12, 0, 4*audio.Second)
	back := testkit.ReadAudio(t, write(t, "mp3", 2, pcm), 2)
	require.Equal(t, pcm.Length(), back.Length())
	middle := func(p audio.PCM) float64 { return testkit.RMS(p[0][audio.Rate : 3*audio.Rate]) }
	assert.InDelta(t, middle(pcm), middle(back), 0.02)
}

func TestSixteenBitsAreDitheredWithoutDistortion(t *testing.T) {
	// A tone below the last bit survives only with dither.
	pcm := testkit.Sine(1, 1000, -98, 0, 4*audio.Second)
	back := testkit.ReadAudio(t, write(t, "wav-16", 1, pcm), 1)
	var re, im float64
	for i, v := range back[0] {
		s, c := math.Sincos(2 * math.Pi * 1000 * float64(i) / audio.Rate)
		re, im = re+float64(v)*c, im+float64(v)*s
	}
	level := 20 * math.Log10(2*math.Hypot(re, im)/float64(len(back[0])))
	assert.InDelta(t, -98, level, 1)
}

func TestAFullDiskIsSaidInWords(t *testing.T) {
	err := os.WriteFile("/dev/full", []byte("x"), 0)
	require.ErrorIs(t, err, syscall.ENOSPC)
	var p problem.Problem
	require.ErrorAs(t, disk.Full(fmt.Errorf("store: %w", err)), &p)
	assert.Equal(t, "disk-full", p.Code)
	other := errors.New("other")
	assert.Equal(t, other, disk.Full(other))

	e, err := media.CreateWAV("/dev/full", 24, 2, audio.Rate)
	require.NoError(t, err)
	for range 200 {
		if e.Write(testkit.Noise(2, 0.5, audio.Second/10, 1)) != nil {
			break
		}
	}
	require.ErrorAs(t, e.Close(), &p)
	assert.Equal(t, "disk-full", p.Code)
}

func TestTagsAreReadAtImport(t *testing.T) {
	info, err := media.Probe(ctx, make3s(t, "tagged.mp3", "-metadata", "title=Slack water", "-metadata", "artist=The quay band"))
	require.NoError(t, err)
	assert.Equal(t, "Slack water", info.Tags["title"])
	assert.Equal(t, "The quay band", info.Tags["artist"])
}

func FuzzAnyBytesAreASoundOrAProblem(f *testing.F) {
	f.Add([]byte("RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00\x80\xbb\x00\x00\x00\x77\x01\x00\x02\x00\x10\x00data\x00\x00\x00\x00"))
	f.Add([]byte("fLaC\x00\x00\x00\x22"))
	f.Add([]byte("OggS\x00\x02"))
	f.Fuzz(func(t *testing.T, data []byte) {
		path := filepath.Join(t.TempDir(), "file")
		require.NoError(t, os.WriteFile(path, data, 0o644))
		began := time.Now()
		_, pcm, err := decode(path)
		require.Less(t, time.Since(began), 20*time.Second)
		if err == nil {
			require.Positive(t, pcm.Length())
			return
		}
		var p problem.Problem
		require.ErrorAs(t, err, &p)
	})
}
