package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/running"
	"ruvel/internal/server"
	"ruvel/internal/store"
)

// open is a house that ends with the benchmark.
func open(b *testing.B) (house *running.House, dir string) {
	b.Helper()
	dir, err := os.MkdirTemp("", "ruvel-bench")
	require.NoError(b, err)
	b.Cleanup(func() { _ = os.RemoveAll(dir) })
	require.NoError(b, os.Chmod(dir, 0o755))
	house, err = running.Start(ctx, running.Settings{Data: dir})
	require.NoError(b, err)
	b.Cleanup(house.Close)
	return house, dir
}

// take takes a file into a show.
func take(b *testing.B, house *running.House, show, file string) store.Sound {
	b.Helper()
	f, err := os.Open(file)
	require.NoError(b, err)
	defer f.Close()
	id, _, err := house.Sounds.Put(ctx, f)
	require.NoError(b, err)
	facts, err := house.Sounds.Import(ctx, id, func(float64) {})
	require.NoError(b, err)
	s := store.Sound{Show: show, ID: id, Name: "S", Part: session.Voice, Channels: facts.Channels, Rate: 48000, Format: "wav", Length: facts.Loudness.Length}
	require.NoError(b, house.Store.AddSound(ctx, s))
	return s
}

// hour is a house with an episode of an hour of 16 tracks and 200 clips, in which music makes way, and its id.
func hour(b *testing.B) (house *running.House, episode string) {
	house, dir := open(b)
	show, err := house.Store.AddShow(ctx, "Bench")
	require.NoError(b, err)
	var sounds []store.Sound
	for i := range 4 {
		file := filepath.Join(dir, fmt.Sprintf("%d.wav", i))
		source := fmt.Sprintf("anoisesrc=color=pink:seed=%d:duration=300:amplitude=0.3:sample_rate=48000", i)
		if i < 2 { // a buzz with pauses
			source = fmt.Sprintf("aevalsrc='0.3*sin(2*PI*%d*t)*(1+sin(2*PI*%d*t))*lt(mod(t,3),2)+0.0005*random(0)':d=300:s=48000", 130+i*20, 260+i*40)
		}
		run(b, "-v", "error", "-f", "lavfi", "-i", source, "-ac", fmt.Sprint(1+i/2), file)
		sounds = append(sounds, take(b, house, show.ID, file))
	}
	e, err := house.Store.AddEpisode(ctx, show.ID, "Bench", 1, talked(sounds))
	require.NoError(b, err)
	return house, e.ID
}

// BenchmarkMeasuringAnHour measures an hour as a whole, and then after a clip of 20 s has been moved: until loudness and
// lead of the whole show are exact again.
func BenchmarkMeasuringAnHour(b *testing.B) {
	house, episode := hour(b)
	exact := func(version int64) time.Duration {
		begun := time.Now()
		house.Measure.Ask(episode, version)
		for {
			if _, there := house.Measure.Latest(episode, version); there {
				return time.Since(begun)
			}
			time.Sleep(time.Millisecond)
		}
	}
	whole := exact(1)
	var took []float64
	version := int64(1)
	for b.Loop() {
		version++
		change, err := house.Store.Edit(context.Background(), episode, version-1, "", edit.MoveClips{Moves: []edit.Move{{Clip: "c40", Start: 1000*audio.Second + audio.Frames(version)*4800}}})
		require.NoError(b, err)
		version = change.Version
		took = append(took, float64(exact(version).Milliseconds()))
	}
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], "ms-p50")
	b.ReportMetric(took[len(took)*95/100], "ms-p95")
	b.ReportMetric(3600/whole.Seconds(), "x-real-time-whole")
}

// BenchmarkCheckOfAnHour checks the same session after a clip of 20 s was moved, until what is found in the mix as a
// whole is right again: from the edit to the answer.
func BenchmarkCheckOfAnHour(b *testing.B) {
	house, episode := hour(b)
	handler := house.Handler()
	check := func(version int64) server.Findings {
		for {
			w := httptest.NewRecorder()
			r := httptest.NewRequest(http.MethodGet, fmt.Sprintf("http://localhost/api/episodes/%s/findings?rev=%d", episode, version), nil)
			handler.ServeHTTP(w, r)
			require.Equal(b, http.StatusOK, w.Code, w.Body.String())
			var f server.Findings
			require.NoError(b, json.Unmarshal(w.Body.Bytes(), &f))
			if f.Measured && f.Version >= version {
				return f
			}
		}
	}
	found := len(check(1).Findings)
	var took []float64
	version := int64(1)
	for b.Loop() {
		version++
		begun := time.Now()
		change, err := house.Store.Edit(context.Background(), episode, version-1, "", edit.MoveClips{Moves: []edit.Move{{Clip: "c40", Start: 1000*audio.Second + audio.Frames(version)*4800}}})
		require.NoError(b, err)
		version = change.Version
		check(version)
		took = append(took, float64(time.Since(begun).Milliseconds()))
	}
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], "ms-p50")
	b.ReportMetric(took[len(took)*95/100], "ms-p95")
	b.ReportMetric(float64(found), "findings")
}

// talked is an hour of six voices that take turns, with music and effects under and between them.
func talked(sounds []store.Sound) session.Document {
	d := session.New()
	for _, s := range sounds {
		d.Sounds[s.ID] = session.Sound{Channels: s.Channels, Length: s.Length}
	}
	for t := range 16 {
		track := session.Track{ID: fmt.Sprintf("t%d", t+1), Name: fmt.Sprintf("Track %d", t+1), Part: session.Voice, Clips: map[string]session.Clip{}}
		if t >= 6 {
			track.Part, track.Fader, track.Way = session.Music, -6, duck.Starts()[1].Way
		}
		d.Tracks = append(d.Tracks, track)
	}
	for c := range 200 {
		track := &d.Tracks[c%16]
		sound := sounds[c%2]
		if track.Part != session.Voice {
			sound = sounds[2+c%2]
		}
		track.Clips[fmt.Sprintf("c%d", c+20)] = session.Clip{
			Name: fmt.Sprintf("Clip %d", c), Sound: sound.ID, Start: audio.Frames(c) * 18 * audio.Second, Length: 20 * audio.Second,
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
		}
	}
	d.Next = 300
	return d.Clone()
}
