package e2e

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/testkit"
)

// spokenBy is the recording of a clip of the finished episode.
func spokenBy(t *testing.T, w *Window, clip string) []float32 {
	t.Helper()
	var sound string
	copyOf(w, demo.EpisodeTitle, "To take "+clip+" from", func(d *session.Document) {
		_, _, c := clipNamed(t, *d, clip)
		sound = c.Sound
	})
	return original(t, house.Data, sound)
}

// pressed opens the first finding of a kind and presses what mends it, until there is one less.
func pressed(w *Window, kind string) {
	w.t.Helper()
	row := `[data-kind="` + kind + `"]`
	w.Until(`document.querySelector('` + row + `')`)
	if !Eval[bool](w, `document.querySelector('`+row+`').matches(".open")`) {
		w.Click(row + " .head")
	}
	w.Until(`document.querySelector('` + row + `.open .filled')`)
	mend(w, kind, Eval[string](w, `document.querySelector('`+row+`.open .filled').innerText.trim()`))
}

// atHertz is the level of a tone in a stretch of sound, in dBFS of its mean square.
func atHertz(samples []float32, hertz float64) float64 {
	var re, im float64
	for i, v := range samples {
		window := 1 - math.Cos(2*math.Pi*float64(i)/float64(len(samples)))
		re += window * float64(v) * math.Cos(2*math.Pi*hertz*float64(i)/audio.Rate)
		im += window * float64(v) * math.Sin(2*math.Pi*hertz*float64(i)/audio.Rate)
	}
	n := float64(len(samples))
	return 10 * math.Log10(2*(re*re+im*im)/(n*n))
}

// quietest is the level of the softest fifth of a second, in dBFS.
func quietest(samples []float32) float64 {
	const piece = audio.Rate / 5
	least := 0.0
	for at := 0; at+piece <= len(samples); at += piece / 4 {
		least = min(least, testkit.RMS(samples[at:at+piece]))
	}
	return least
}

func TestRecordingsWithHumNoiseAndOppositeSidesAreMendedAndDelivered(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	said := spokenBy(t, w, "Keeper, winter of the storm")
	require.Greater(t, len(said), 10*audio.Rate)
	silence := make([]float32, 2*audio.Rate)
	voice := slices.Concat(silence[:audio.Rate], said[:5*audio.Rate], silence, said[5*audio.Rate:10*audio.Rate], silence)
	length := audio.Frames(len(voice))
	with := func(other audio.PCM) audio.PCM {
		out := audio.PCM{slices.Clone(voice)}
		for i := range out[0] {
			out[0][i] += other[0][i]
		}
		return out
	}
	opposite := audio.PCM{slices.Clone(voice), slices.Clone(voice)}
	for i := range opposite[1] {
		opposite[1][i] = -opposite[1][i]
	}
	episode := newEpisode(w, "Bad recordings")
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y,
		testkit.WriteWAV(t, "Hums.wav", with(testkit.Sine(1, 50, -52, 0, length))),
		testkit.WriteWAV(t, "Hisses.wav", with(testkit.Noise(1, 0.009, length, 9))),
		testkit.WriteWAV(t, "Cancels.wav", opposite))
	w.Until(`document.querySelectorAll(".clip").length === 3`)

	// All of them voices, one after the other.
	d := desk(t, episode)
	tracks := edit.SetTracks{}
	moves := edit.MoveClips{}
	part := session.Voice
	for i, tr := range d.Document.Tracks {
		tracks.Tracks = append(tracks.Tracks, edit.TrackChange{Track: tr.ID, Part: &part})
		for _, id := range tr.ClipsInOrder() {
			moves.Moves = append(moves.Moves, edit.Move{Clip: id, Start: audio.Frames(i) * 17 * audio.Second})
		}
	}
	c, err := house.Store.Edit(context.Background(), episode, d.Version, "", tracks)
	require.NoError(t, err)
	_, err = house.Store.Edit(context.Background(), episode, c.Version, "", moves)
	require.NoError(t, err)
	w.Go("/episodes/" + episode)
	w.Press("Check")
	w.Until(`["cancels", "hum", "noise"].every(k => document.querySelector('[data-kind="' + k + '"]')) && !document.querySelector(".state")`)
	for _, kind := range []string{"cancels", "hum", "noise"} {
		pressed(w, kind)
	}
	pcm := delivered(t, w, episode)
	doc := desk(t, episode).Document
	of := func(name string) (before, after []float32) {
		tr, _, c := clipNamed(t, doc, name)
		require.NotEmpty(t, tr.ID)
		return original(t, house.Data, c.Sound), pcm[0][c.Start:min(c.End(), pcm.Length())]
	}
	_, _, cancels := clipNamed(t, doc, "Cancels")
	from, to := cancels.Start+audio.Second, min(cancels.End(), pcm.Length())
	assert.Equal(t, pcm[0][from:to], pcm[1][from:to], "in the middle, so that nothing is taken away")
	assert.Greater(t, testkit.RMS(pcm[0][from:to]), -40.0)
	before, after := of("Hums")
	tone := func(samples []float32) float64 { // beside the voice, which has nothing there
		return atHertz(samples, 50) - testkit.RMS(samples)
	}
	assert.Less(t, tone(after), tone(before)-6, "the hum is taken down")
	before, after = of("Hisses")
	assert.Less(t, quietest(after), quietest(before)-10, "the pauses are closed")
}

func TestDriftAnEarlyEndAndPeaksAreMendedAndDelivered(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "Drift and peaks", func(d *session.Document) {
		for i := range d.Tracks {
			for id, c := range d.Tracks[i].Clips {
				switch c.Name {
				case "Keeper, winter of the storm": // leans back
					at := func(s float64, level audio.DB) session.Point {
						return session.Point{At: c.Offset + audio.Seconds(s), Level: level}
					}
					c.Envelope = []session.Point{at(5, 0), at(5.5, -12), at(13, -12), at(13.5, 0)}
				case "Harbour theme, bed": // stops under him
					c.Length = audio.Seconds(47) - c.Start
					c.FadeOut.Length = 9600
				case "Fog signal":
					c.Gain, d.Tracks[i].Fader = 12, -4
				}
				d.Tracks[i].Clips[id] = c
			}
		}
	})
	w.Go("/episodes/" + episode)
	w.Press("Check")
	w.Until(`["drift", "music-ends", "true-peak"].every(k => document.querySelector('[data-kind="' + k + '"]')) && !document.querySelector(".state")`)
	for _, kind := range []string{"true-peak", "music-ends", "drift"} {
		pressed(w, kind)
	}
	doc := desk(t, episode).Document
	_, _, keeper := clipNamed(t, doc, "Keeper, winter of the storm")
	pcm := delivered(t, w, episode)
	peak := max(pcm.Peak(), 0)
	assert.Less(t, float64(audio.Level(float64(peak))), -0.9, "under the ceiling")
	leaning := testkit.RMS(pcm[0][keeper.Start+6*audio.Second : keeper.Start+12*audio.Second])
	usual := testkit.RMS(pcm[0][keeper.Start+14*audio.Second : keeper.Start+20*audio.Second])
	assert.InDelta(t, usual, leaning, 4.5, "he is as loud as he is elsewhere")
	music := 0
	for _, tr := range doc.Tracks {
		for _, c := range tr.Clips {
			if tr.Part == session.Music && c.Start <= 50*audio.Second && c.End() > 50*audio.Second {
				music++
			}
		}
	}
	assert.NotZero(t, music, "the bed goes on")
}
