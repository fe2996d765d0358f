// Package bench times whole paths against their references, in one run each:
//
//	go test -run '^$' -bench . -benchtime 3x ./bench
package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/fileblob"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/finish"
	"ruvel/internal/media"
	"ruvel/internal/running"
	"ruvel/internal/server"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/testkit"
)

var ctx = context.Background()

// against runs ours and theirs in turn and reports the medians and their ratio.
func against(b *testing.B, seconds float64, ours, theirs func()) {
	b.Helper()
	timed := func(f func()) float64 {
		begun := time.Now()
		f()
		return time.Since(begun).Seconds()
	}
	var a, r, q []float64
	for b.Loop() {
		x, y := timed(ours), timed(theirs)
		a, r, q = append(a, x), append(r, y), append(q, x/y)
	}
	b.ReportMetric(seconds/median(a), "x-real-time")
	b.ReportMetric(median(a), "s-ours")
	b.ReportMetric(median(r), "s-reference")
	b.ReportMetric(median(q), "ours/reference")
}

func median(v []float64) float64 {
	slices.Sort(v)
	return v[len(v)/2]
}

func run(b *testing.B, arguments ...string) {
	b.Helper()
	out, err := exec.Command("ffmpeg", append([]string{"-hide_banner", "-nostdin", "-y"}, arguments...)...).CombinedOutput()
	require.NoError(b, err, string(out))
}

// speechAndMusic makes ten minutes of a voice-like mono file and a music-like stereo file.
func speechAndMusic(b *testing.B) (voice, music string) {
	b.Helper()
	voice, music = filepath.Join(b.TempDir(), "voice.wav"), filepath.Join(b.TempDir(), "music.wav")
	run(b, "-v", "error", "-f", "lavfi", "-i", "anoisesrc=r=48000:c=pink:d=600:seed=1", "-af", "tremolo=f=3:d=0.95,volume=0.5", "-ac", "1", voice)
	run(b, "-v", "error", "-f", "lavfi", "-i", "anoisesrc=r=48000:c=brown:d=600:seed=2", "-af", "tremolo=f=0.5:d=0.6,aecho=0.8:0.7:40:0.4", "-ac", "2", music)
	return voice, music
}

func load(b *testing.B, path string) audio.PCM {
	b.Helper()
	info, err := media.Probe(ctx, path)
	require.NoError(b, err)
	pcm := make(audio.PCM, info.Channels)
	_, err = media.Decode(ctx, path, info, func(p audio.PCM) error {
		for c := range pcm {
			pcm[c] = append(pcm[c], p[c]...)
		}
		return nil
	})
	require.NoError(b, err)
	return pcm
}

// two is a session of one voice and one music clip, with a level line, fades, faders and pan.
func two(voice, music audio.PCM) (session.Document, mix.Sounds) {
	d := session.New()
	for n, pcm := range []audio.PCM{voice, music} {
		d.Sounds[testkit.ID(n)] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
		d.Tracks = append(d.Tracks, session.Track{
			ID: fmt.Sprintf("t%d", n+1), Name: "Track", Part: session.Voice, Fader: -3, Pan: 0.1 * float64(n),
			Clips: map[string]session.Clip{fmt.Sprintf("c%d", n+3): {
				Name: "Clip", Sound: testkit.ID(n), Length: pcm.Length(), Gain: -2,
				FadeIn:   session.Fade{Length: audio.Second, Shape: session.EqualPower},
				FadeOut:  session.Fade{Length: audio.Second, Shape: session.EqualPower},
				Envelope: []session.Point{{At: 0, Level: 0}, {At: 200 * audio.Second, Level: -18}, {At: 500 * audio.Second, Level: -18}, {At: 590 * audio.Second, Level: 0}},
			}},
		})
	}
	d.Next = 9
	return d.Clone(), func(id string) (audio.PCM, error) {
		return map[string]audio.PCM{testkit.ID(0): voice, testkit.ID(1): music}[id], nil
	}
}

// The same stages in ffmpeg: gains, level line, fades, pan, sum, loudness and true peak.
const graph = "[0]volume=-5dB,afade=t=in:d=1:curve=qsin,afade=t=out:st=599:d=1:curve=qsin,volume='pow(10,-18*min(1,t/200)/20)':eval=frame,pan=stereo|c0=0.7071*c0|c1=0.7071*c0[a];" +
	"[1]volume=-5dB,afade=t=in:d=1:curve=qsin,afade=t=out:st=599:d=1:curve=qsin,volume='pow(10,-18*min(1,t/200)/20)':eval=frame[b];" +
	"[a][b]amix=inputs=2:normalize=0,ebur128=peak=true:framelog=verbose"

func BenchmarkMixWithLoudnessAndTruePeak(b *testing.B) {
	voice, music := speechAndMusic(b)
	doc, source := two(load(b, voice), load(b, music))
	plan, err := mix.Compile(doc, source, nil)
	require.NoError(b, err)
	against(b, 600, func() {
		meter := loudness.NewMeter(2)
		require.NoError(b, plan.Each(ctx, 0, plan.Length(), func(p audio.PCM) error { meter.Write(p); return nil }))
		require.Less(b, meter.Result().Integrated, 0.0)
	}, func() {
		run(b, "-i", voice, "-i", music, "-filter_complex", graph, "-f", "null", "-")
	})
}

// The same with all stages of a treatment on the voice: low cut, gate, a downward expander (as a second gate), compressor, limiter.
var treatedGraph = strings.Replace(graph, "[0]", "[0]highpass=f=80:poles=2,agate=threshold=0.0056:range=0.125:attack=2:release=250,"+
	"agate=threshold=0.0056:ratio=2:range=0.25:attack=5:release=150,acompressor=threshold=0.079:ratio=3:knee=2:attack=8:release=150:detection=rms,alimiter=limit=0.89:level=false,", 1)

func BenchmarkTreatedMixWithLoudnessAndTruePeak(b *testing.B) {
	voice, music := speechAndMusic(b)
	doc, source := two(load(b, voice), load(b, music))
	t := session.Usual()
	t.LowCut.On, t.Gate.On, t.Expander.On, t.Compressor.On, t.Limiter.On = true, true, true, true, true
	doc.Tracks[0].Treatment = t
	plan, err := mix.Compile(doc, source, nil)
	require.NoError(b, err)
	against(b, 600, func() {
		plan.KeepIn(mix.NewSpans(64 << 20)) // nothing has been treated before
		meter := loudness.NewMeter(2)
		require.NoError(b, plan.Each(ctx, 0, plan.Length(), func(p audio.PCM) error { meter.Write(p); return nil }))
		require.Less(b, meter.Result().Integrated, 0.0)
	}, func() {
		run(b, "-i", voice, "-i", music, "-filter_complex", treatedGraph, "-f", "null", "-")
	})
}

// handedOver makes a file of a whole plan as it is, or brought to a target.
func handedOver(b *testing.B, plan *mix.Plan, path, format string, target *loudness.Target) {
	b.Helper()
	set, err := media.Set(format, "", 0, 2)
	require.NoError(b, err)
	_, err = finish.Make(ctx, plan, finish.Order{Setting: set, To: plan.Length(), Target: target}, path, func(float64) {})
	require.NoError(b, err)
}

// tenMinutes is the sample episode, mixed, five times over, and 2 dB softer than it is.
func tenMinutes(b *testing.B) *mix.Plan {
	b.Helper()
	dir := b.TempDir()
	require.NoError(b, demo.Write(ctx, dir))
	data, err := os.ReadFile(filepath.Join(dir, "session.json"))
	require.NoError(b, err)
	doc, err := session.Parse(data)
	require.NoError(b, err)
	episode, err := mix.Compile(doc, func(id string) (audio.PCM, error) { return load(b, filepath.Join(dir, doc.Sounds[id].Path)), nil }, nil)
	require.NoError(b, err)
	wav := filepath.Join(dir, "episode.wav")
	handedOver(b, episode, wav, "wav-32f", nil)
	pcm := load(b, wav)
	long := session.New()
	id := testkit.ID(0)
	long.Sounds[id] = session.Sound{Channels: 2, Length: pcm.Length()}
	track := session.Track{ID: "t1", Name: "Episodes", Part: session.Voice, Clips: map[string]session.Clip{}}
	for n := range 5 {
		track.Clips[fmt.Sprintf("c%d", n+2)] = session.Clip{Name: "Episode", Sound: id, Start: audio.Frames(n) * pcm.Length(), Length: pcm.Length(), Gain: -2, FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear}}
	}
	long.Tracks = append(long.Tracks, track)
	plan, err := mix.Compile(long, func(string) (audio.PCM, error) { return pcm, nil }, nil)
	require.NoError(b, err)
	return plan
}

// BenchmarkHandOver makes finished files of a mix whose loudness is known, as it is while somebody works on it: as
// they are, and brought to a target, which also measures what has become of them. The reference is ffmpeg
// encoding the finished WAV on one core.
func BenchmarkHandOver(b *testing.B) {
	plan := tenMinutes(b)
	_, err := plan.Measure(ctx)
	require.NoError(b, err)
	dir := b.TempDir()
	wav := filepath.Join(dir, "mix.wav")
	handedOver(b, plan, wav, "wav-24", nil)
	target := loudness.Targets()[0]
	for _, f := range []struct {
		format string
		theirs []string
	}{
		{"mp3", []string{"-b:a", "192k", "-f", "mp3"}},
		{"flac", []string{"-c:a", "flac", "-f", "flac"}},
		{"opus", []string{"-c:a", "libopus", "-b:a", "96k", "-f", "opus"}},
		{"m4a", []string{"-c:a", "aac", "-b:a", "192k", "-f", "ipod"}},
	} {
		for _, t := range []*loudness.Target{nil, &target} {
			name := f.format + map[bool]string{true: "/as it is", false: "/to a target"}[t == nil]
			b.Run(name, func(b *testing.B) {
				against(b, plan.Length().Seconds(), func() { handedOver(b, plan, filepath.Join(dir, "ours"), f.format, t) }, func() {
					run(b, append(append([]string{"-v", "error", "-threads", "1", "-i", wav}, f.theirs...), filepath.Join(dir, "theirs"))...)
				})
			})
		}
	}
}

func BenchmarkImportAnHour(b *testing.B) {
	dir := b.TempDir()
	file := filepath.Join(dir, "hour.flac")
	run(b, "-v", "error", "-f", "lavfi", "-i", "anoisesrc=r=44100:c=pink:d=3600:seed=1", "-af", "tremolo=f=3:d=0.9", "-ac", "2", "-sample_fmt", "s16", file)
	data, err := os.ReadFile(file)
	require.NoError(b, err)
	bucket, err := fileblob.OpenBucket(filepath.Join(dir, "originals"), &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
	require.NoError(b, err)
	defer bucket.Close()
	library, err := sounds.New(bucket, filepath.Join(dir, "cache"))
	require.NoError(b, err)
	id, _, err := library.Put(ctx, bytes.NewReader(data))
	require.NoError(b, err)
	against(b, 3600, func() {
		_, err := library.Import(ctx, id, func(float64) {})
		require.NoError(b, err)
		require.NoError(b, os.RemoveAll(filepath.Join(dir, "cache", id)))
	}, func() {
		run(b, "-v", "error", "-i", file, "-f", "f32le", "-ar", "48000", filepath.Join(dir, "theirs.raw"))
	})
}

// BenchmarkEditOfALargeSession posts edits to an hour of 16 tracks and 200 clips.
func BenchmarkEditOfALargeSession(b *testing.B) {
	dir, err := os.MkdirTemp("", "ruvel-bench")
	require.NoError(b, err)
	defer os.RemoveAll(dir)
	require.NoError(b, os.Chmod(dir, 0o755))
	house, err := running.Start(ctx, running.Settings{Data: dir})
	require.NoError(b, err)
	defer house.Close()
	l, err := server.Listen(0)
	require.NoError(b, err)
	serving, stop := context.WithCancel(ctx)
	defer stop()
	go func() { _ = house.Serve(serving, l) }()
	show, err := house.Store.AddShow(ctx, "Bench")
	require.NoError(b, err)
	doc := large()
	for id, s := range doc.Sounds {
		require.NoError(b, house.Store.AddSound(ctx, store.Sound{Show: show.ID, ID: id, Name: "S", Part: session.Voice, Channels: s.Channels, Length: s.Length}))
	}
	episode, err := house.Store.AddEpisode(ctx, show.ID, "Bench", 1, doc)
	require.NoError(b, err)
	address := fmt.Sprintf("http://127.0.0.1:%d/api/episodes/%s/edits", l.Addr().(*net.TCPAddr).Port, episode.ID)
	var took []float64
	version := int64(1)
	for b.Loop() {
		for range 100 {
			body, _ := json.Marshal(map[string]any{"base": version, "gesture": fmt.Sprint(version / 10), "op": map[string]any{
				"type": "move-clips", "moves": []map[string]any{{"clip": "c120", "start": version * 1000}},
			}})
			begun := time.Now()
			answer, err := http.Post(address, "application/json", bytes.NewReader(body))
			require.NoError(b, err)
			took = append(took, time.Since(begun).Seconds()*1000)
			require.Equal(b, 200, answer.StatusCode)
			_ = answer.Body.Close()
			version++
		}
	}
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], "ms-p50")
	b.ReportMetric(took[len(took)*95/100], "ms-p95")
}

// large is 16 tracks with 200 clips over an hour, each with a few points.
func large() session.Document {
	d := session.New()
	for s := range 20 {
		d.Sounds[testkit.ID(s)] = session.Sound{Channels: 1 + s%2, Length: 600 * audio.Second}
	}
	for t := range 16 {
		track := session.Track{ID: fmt.Sprintf("t%d", t+1), Name: fmt.Sprintf("Track %d", t+1), Part: session.Voice, Clips: map[string]session.Clip{}}
		d.Tracks = append(d.Tracks, track)
	}
	for c := range 200 {
		d.Tracks[c%16].Clips[fmt.Sprintf("c%d", c+20)] = session.Clip{
			Name: fmt.Sprintf("Clip %d", c), Sound: testkit.ID(c % 20), Start: audio.Frames(c) * 17 * audio.Second, Length: 200 * audio.Second,
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
			Envelope: []session.Point{{At: 0, Level: 0}, {At: audio.Second, Level: -18}, {At: 9 * audio.Second, Level: -18}, {At: 11 * audio.Second, Level: 0}},
		}
	}
	d.Next = 300
	return d.Clone()
}
