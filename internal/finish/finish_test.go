package finish_test

import (
	"archive/zip"
	"context"
	"errors"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/finish"
	"ruvel/internal/media"
	"ruvel/testkit"
)

// talk is like speech: bursts of a voice, some of them with sharp peaks.
func talk(length audio.Frames) audio.PCM {
	pcm := audio.PCM{make([]float32, length)}
	for i := range pcm[0] {
		at := float64(i) / audio.Rate
		swell := max(0, math.Sin(2*math.Pi*0.9*at)) * (0.6 + 0.4*math.Sin(2*math.Pi*0.13*at))
		v := 0.0
		for k := 1.0; k < 20; k++ {
			v += math.Sin(2*math.Pi*130*k*at+k*k) / k
		}
		pcm[0][i] = float32(0.12 * swell * v)
	}
	for _, at := range []float64{4.2, 11.9999, 17.3} {
		for k := range 30 {
			pcm[0][int(at*audio.Rate)+k] += float32(0.8 * math.Sin(float64(k)*0.7) * math.Sin(math.Pi*float64(k)/30))
		}
	}
	return pcm
}

// talked is 20 s of it, which nobody changes.
var talked = sync.OnceValue(func() audio.PCM { return talk(20 * audio.Second) })

// show is a voice over music with an effect, 24 s long.
func show(t *testing.T) *mix.Plan {
	t.Helper()
	sounds := map[string]audio.PCM{
		testkit.ID(1): talked(), testkit.ID(2): testkit.Noise(2, 0.05, 24*audio.Second, 4), testkit.ID(3): testkit.Sine(2, 700, -20, 0, 2*audio.Second),
	}
	doc := session.New()
	for id, pcm := range sounds {
		doc.Sounds[id] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
	}
	none := session.Fade{Shape: session.Linear}
	add := func(id string, part session.Part, clip, sound string, start audio.Frames, fader audio.DB) {
		doc.Tracks = append(doc.Tracks, session.Track{ID: id, Name: id, Part: part, Fader: fader, Clips: map[string]session.Clip{
			clip: {Name: clip, Sound: sound, Start: start, Length: sounds[sound].Length(), FadeIn: none, FadeOut: none},
		}})
	}
	add("t1", session.Voice, "c1", testkit.ID(1), 2*audio.Second, 0)
	add("t2", session.Music, "c2", testkit.ID(2), 0, -6)
	add("t3", session.Effect, "c3", testkit.ID(3), 21*audio.Second, -3)
	plan, err := mix.Compile(doc, func(id string) (audio.PCM, error) { return sounds[id], nil }, nil)
	require.NoError(t, err)
	return plan
}

func made(t *testing.T, plan *mix.Plan, o finish.Order) (string, finish.Made) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "made."+o.Setting.Format.Extension)
	if o.To == 0 {
		o.To = plan.Length()
	}
	m, err := finish.Make(t.Context(), plan, o, path, func(float64) {})
	require.NoError(t, err)
	left, err := os.ReadDir(filepath.Dir(path))
	require.NoError(t, err)
	require.Len(t, left, 1, "nothing lies beside it")
	return path, m
}

func setting(t *testing.T, format, quality string, rate, channels int) media.Setting {
	t.Helper()
	s, err := media.Set(format, quality, rate, channels)
	require.NoError(t, err)
	return s
}

// ebur128 is what ffmpeg's meter finds in a file.
func ebur128(t *testing.T, path string) (integrated, truePeak float64) {
	t.Helper()
	out, err := exec.Command("ffmpeg", "-nostdin", "-hide_banner", "-i", path, "-map", "0:a", "-af", "ebur128=peak=true", "-f", "null", "-").CombinedOutput()
	require.NoError(t, err)
	summary := regexp.MustCompile(`(?s)Summary:.*I:\s+(-?[\d.]+) LUFS.*True peak:\s+Peak:\s+(-?[\d.]+) dBFS`).FindSubmatch(out)
	require.NotNil(t, summary, "%s", out)
	integrated, _ = strconv.ParseFloat(string(summary[1]), 64)
	truePeak, _ = strconv.ParseFloat(string(summary[2]), 64)
	return integrated, truePeak
}

func TestEveryFormatReachesItsTargetUnderTheCeilingForAnotherMeterAsWell(t *testing.T) {
	t.Parallel()
	plan := show(t)
	for _, c := range []struct {
		format, quality string
		rate, channels  int
		target          string
	}{
		{"mp3", "high", 48000, 2, "podcast-stereo"},
		{"mp3", "small", 44100, 1, "podcast-mono"},
		{"mp3", "varying", 48000, 2, "radio-europe"},
		{"m4a", "usual", 48000, 2, "podcast-stereo"},
		{"opus", "small", 48000, 2, "podcast-stereo"},
		{"ogg", "usual", 44100, 2, "podcast-stereo"},
		{"flac", "", 48000, 1, "radio-europe"},
		{"wav-16", "", 44100, 2, "television-america"},
		{"bwf", "", 48000, 2, "radio-europe"},
	} {
		t.Run(c.format+" "+c.quality, func(t *testing.T) {
			t.Parallel()
			target, _ := loudness.FindTarget(c.target)
			path, m := made(t, plan, finish.Order{Setting: setting(t, c.format, c.quality, c.rate, c.channels), Target: &target})
			integrated, truePeak := ebur128(t, path)
			assert.InDelta(t, target.Integrated, m.Loudness.Integrated, 0.1)
			assert.InDelta(t, target.Integrated, integrated, 0.1001, "ffmpeg's meter shows tenths")
			assert.LessOrEqual(t, m.Loudness.TruePeak, target.TruePeak)
			assert.LessOrEqual(t, truePeak, target.TruePeak+0.0501, "ffmpeg's meter shows tenths")
			assert.True(t, m.Reached)
			assert.True(t, target.Judge(m.Loudness).Meets)
		})
	}
}

func TestAMixThatIsLeftAsItIsIsTheMix(t *testing.T) {
	t.Parallel()
	plan := show(t)
	want := audio.NewPCM(2, plan.Length())
	require.NoError(t, mix.NewRenderer(plan).Render(want, 0))
	path, m := made(t, plan, finish.Order{Setting: setting(t, "wav-32f", "", 0, 2)})
	assert.Zero(t, testkit.MaxDifference(t, want, testkit.ReadAudio(t, path, 2)))
	assert.Equal(t, "The mix as it is.", m.Text)
	part, _ := made(t, plan, finish.Order{Setting: setting(t, "wav-32f", "", 0, 2), From: 100_001, To: 300_007})
	assert.Zero(t, testkit.MaxDifference(t, want.Slice(100_001, 300_007), testkit.ReadAudio(t, part, 2)))
}

func TestStemsAddUpToTheMixThatIsDelivered(t *testing.T) {
	t.Parallel()
	plan := show(t)
	target, _ := loudness.FindTarget("podcast-stereo")
	whole, _ := made(t, plan, finish.Order{Setting: setting(t, "wav-32f", "", 0, 2), Target: &target})
	path, m := made(t, plan, finish.Order{Setting: setting(t, "stems", "", 0, 2), Target: &target, Name: "The show"})
	want := testkit.ReadAudio(t, whole, 2)
	archive, err := zip.OpenReader(path)
	require.NoError(t, err)
	defer archive.Close()
	sum := audio.NewPCM(2, want.Length())
	for i, f := range archive.File {
		assert.Equal(t, "The show - "+[]string{"voice", "music", "effects"}[i]+".wav", f.Name)
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		stem := testkit.ReadAudio(t, testkit.WriteFile(t, "stem.wav", data), 2)
		require.Equal(t, want.Length(), stem.Length(), "exactly as long as the mix")
		assert.Greater(t, stem.Peak(), float32(0.01))
		for c := range sum {
			for k, v := range stem[c] {
				sum[c][k] += v
			}
		}
	}
	assert.Len(t, archive.File, 3)
	difference := testkit.MaxDifference(t, want, sum)
	assert.Less(t, 20*math.Log10(difference), -90.0)
	assert.InDelta(t, target.Integrated, m.Loudness.Integrated, 0.1)
}

func TestTheSameOrderMakesTheSameBytes(t *testing.T) {
	t.Parallel()
	target, _ := loudness.FindTarget("podcast-stereo")
	for _, format := range []string{"mp3", "m4a", "opus", "ogg", "flac-16", "bwf", "stems"} {
		o := finish.Order{Setting: setting(t, format, "", 0, 2), To: 3 * audio.Second, Target: &target, Name: "Show"}
		o.Label.Title, o.Label.Date = "Fog", "2026-11-30"
		first, _ := made(t, show(t), o)
		second, _ := made(t, show(t), o)
		a, err := os.ReadFile(first)
		require.NoError(t, err)
		b, err := os.ReadFile(second)
		require.NoError(t, err)
		assert.True(t, string(a) == string(b), format)
	}
}

func TestACancelAtAnyTimeLeavesNothing(t *testing.T) {
	t.Parallel()
	plan := show(t)
	target, _ := loudness.FindTarget("podcast-stereo")
	for _, format := range []string{"mp3", "opus", "bwf", "stems"} {
		for tenth := 0; tenth < 10; tenth += 3 {
			ctx, cancel := context.WithCancel(t.Context())
			dir := t.TempDir()
			path := filepath.Join(dir, "made")
			var once sync.Once
			_, err := finish.Make(ctx, plan, finish.Order{Setting: setting(t, format, "", 0, 2), To: plan.Length(), Target: &target, Name: "x"}, path, func(p float64) {
				if p*10 >= float64(tenth) {
					once.Do(cancel)
				}
			})
			cancel()
			require.ErrorIs(t, err, context.Canceled, "%s at %d tenths", format, tenth)
			left, err := os.ReadDir(dir)
			require.NoError(t, err)
			assert.Empty(t, left, "%s at %d tenths", format, tenth)
		}
	}
}

func TestADiskThatFillsUpIsSaidAndLeavesNothing(t *testing.T) {
	t.Parallel()
	if os.Getuid() != 0 {
		t.Skip("only root can make a small disk")
	}
	dir := t.TempDir()
	out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=600k", "tmpfs", dir).CombinedOutput()
	require.NoError(t, err, "%s", out)
	defer func() { _ = exec.Command("umount", dir).Run() }()
	plan := show(t)
	for format, fits := range map[string]bool{"mp3": true, "opus": true, "flac": false, "wav-24": false, "stems": false} {
		path := filepath.Join(dir, "made")
		_, err := finish.Make(t.Context(), plan, finish.Order{Setting: setting(t, format, "", 0, 2), To: plan.Length(), Name: "x"}, path, func(float64) {})
		if fits {
			require.NoError(t, err, format)
			require.NoError(t, os.Remove(path))
		} else {
			require.ErrorContains(t, err, "disk is full", format)
		}
		left, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Empty(t, left, format)
	}
}

func TestSoundThatCannotBeReadEndsItWithThatError(t *testing.T) {
	t.Parallel()
	plan := show(t)
	_, err := finish.Make(t.Context(), plan, finish.Order{Setting: setting(t, "mp3", "", 0, 2), From: 5, To: 5}, filepath.Join(t.TempDir(), "x"), func(float64) {})
	require.ErrorContains(t, err, "nothing to mix down")
	_, err = finish.Make(t.Context(), plan, finish.Order{Setting: setting(t, "mp3", "", 0, 2), To: plan.Length()}, filepath.Join(t.TempDir(), "none", "x"), func(float64) {})
	assert.True(t, errors.Is(err, os.ErrNotExist), "%v", err)
}

// Chapters that are files of their own stay to each other as they are in the show.
func TestAPartOfAShowIsAsLoudAsItIsInIt(t *testing.T) {
	t.Parallel()
	plan := show(t)
	target, _ := loudness.FindTarget("podcast-stereo")
	wholePath, whole := made(t, plan, finish.Order{Setting: setting(t, "wav-24", "", 48000, 2), Target: &target})
	out := testkit.ReadAudio(t, wholePath, 2)
	of := &session.Span{To: plan.Length()}
	measured := 0
	var course master.Course
	known := func(measure func() (master.Course, error)) (c master.Course, err error) {
		if measured == 0 {
			course, err = measure()
		}
		measured++
		return course, err
	}
	for _, part := range []session.Span{{From: 0, To: 3 * audio.Second}, {From: 3*audio.Second + 1234, To: 19 * audio.Second}, {From: 19 * audio.Second, To: plan.Length()}} {
		path, m := made(t, plan, finish.Order{Setting: setting(t, "wav-24", "", 48000, 2), Target: &target, From: part.From, To: part.To, Of: of, Course: known})
		got := testkit.ReadAudio(t, path, 2)
		assert.LessOrEqual(t, testkit.MaxDifference(t, out.Slice(part.From, part.To), got), 1.0/(1<<22), "put one after the other they are the show")
		assert.InDelta(t, whole.Gain, m.Gain, 1e-9)
		assert.Contains(t, m.Text, "as loud as it is in the show")
	}
	assert.Equal(t, 3, measured)
	_, lossy := made(t, plan, finish.Order{Setting: setting(t, "mp3", "usual", 48000, 2), Target: &target, From: 3 * audio.Second, To: 19 * audio.Second, Of: of})
	assert.LessOrEqual(t, lossy.Loudness.TruePeak, target.TruePeak+0.01, "its ceiling is kept as well")
	_, err := finish.Make(t.Context(), plan, finish.Order{Setting: setting(t, "wav-24", "", 48000, 2), Target: &target, To: plan.Length(), Of: &session.Span{From: audio.Second, To: plan.Length()}}, filepath.Join(t.TempDir(), "x.wav"), func(float64) {})
	require.Error(t, err)
}

// What was done is said as it was: peaks over the ceiling are another reason than a loudness that the format has changed.
func TestWhyAFileWasWrittenAgainIsSaid(t *testing.T) {
	t.Parallel()
	plan := show(t)
	soft := loudness.Target{Name: "Soft", Integrated: -31, Tolerance: 1, TruePeak: -1} // far under its ceiling
	for _, format := range []string{"mp3", "opus", "m4a"} {
		_, m := made(t, plan, finish.Order{Setting: setting(t, format, "small", 48000, 1), Target: &soft})
		require.Less(t, m.Loudness.TruePeak, -1.5)
		assert.NotContains(t, m.Text, "peaks over the ceiling", format)
		assert.Equal(t, m.Again > 0, strings.Contains(m.Text, "changed the loudness"), "%s: %s", format, m.Text)
	}
}
