package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/episodes"
	"ruvel/testkit"
)

// get asks the API for what the page is built from.
func get[T any](t testing.TB, path string) T {
	t.Helper()
	return getFrom[T](t, base, path)
}

func getFrom[T any](t testing.TB, address, path string) (v T) {
	t.Helper()
	r, err := http.Get(address + path)
	require.NoError(t, err)
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, r.StatusCode, string(data))
	require.NoError(t, json.Unmarshal(data, &v), string(data))
	return v
}

// newEpisode makes an episode in the first show of a window's server, opens it, and gives its id.
func newEpisode(w *Window, title string) string {
	w.t.Helper()
	return newEpisodeOf(w, getFrom[[]struct{ ID string }](w.t, w.base, "/api/shows")[0].ID, title)
}

// newEpisodeOf makes one of another show.
func newEpisodeOf(w *Window, show, title string) string {
	w.t.Helper()
	id := of[struct{ ID string }](w.t, w.base, "POST", "/shows/"+show+"/episodes", map[string]any{"title": title}).ID
	w.Go("/episodes/" + id)
	w.UntilText("Nothing is on the desk yet")
	return id
}

// episodeByHand makes an episode by the dialog on the shelf and gives its id.
func episodeByHand(w *Window, title string) string {
	w.t.Helper()
	w.Go("/")
	w.Press("New episode")
	w.Click("#new-name")
	w.Key(title)
	w.Choose("#new-layout", "an empty session")
	w.Press("Make the episode")
	w.UntilText("Nothing is on the desk yet")
	return strings.TrimPrefix(Eval[string](w, "location.pathname"), "/episodes/")
}

// dropped makes the two files of the newcomer: a voice in mono at 44.1 kHz and a piece of music in stereo.
func dropped(t testing.TB) (voice, music string) {
	voice = filepath.Join(t.TempDir(), "Keeper at the door.wav")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "sine=frequency=300:sample_rate=44100:duration=12", "-af", "volume=6dB", "-ac", "1", voice)
	music = filepath.Join(t.TempDir(), "Slack water.flac")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "sine=frequency=1000:sample_rate=48000:duration=40",
		"-f", "lavfi", "-i", "sine=frequency=1250:sample_rate=48000:duration=40", "-filter_complex", "[0][1]join=inputs=2:channel_layout=stereo,volume=6dB", music)
	return voice, music
}

func desk(t testing.TB, episode string) episodes.Desk {
	return get[episodes.Desk](t, "/api/episodes/"+episode)
}

// clipNamed finds a clip by its name.
func clipNamed(t testing.TB, d session.Document, name string) (track session.Track, id string, clip session.Clip) {
	t.Helper()
	for _, tr := range d.Tracks {
		for id, c := range tr.Clips {
			if c.Name == name {
				return tr, id, c
			}
		}
	}
	require.Fail(t, "no clip is named "+name)
	return
}

// untilKept waits until all edits have been answered and gives the document.
func untilKept(w *Window, episode string, condition func(session.Document) bool) session.Document {
	w.t.Helper()
	w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
	deadline := time.Now().Add(patience)
	for {
		d := desk(w.t, episode).Document
		if condition(d) {
			return d
		}
		if time.Now().After(deadline) {
			path := w.pictured()
			require.Fail(w.t, "the document does not become what was done", "the window is in %s: %s", path, d.JSON())
		}
		Eval[bool](w, `new Promise(r => requestAnimationFrame(() => r(true)))`)
	}
}

// xOf is where a session time stands on the screen.
func xOf(w *Window, seconds float64) float64 {
	w.t.Helper()
	return Eval[float64](w, fmt.Sprintf(`(() => {
		const ticks = [...document.querySelectorAll(".tick")];
		const at = t => t.innerText.split(":").reduce((s, v) => s * 60 + Number(v), 0);
		const [a, b] = [ticks[0], ticks[ticks.length - 1]];
		const [xa, xb] = [a.getBoundingClientRect().x, b.getBoundingClientRect().x];
		return xa + (%v - at(a)) / (at(b) - at(a)) * (xb - xa);
	})()`, seconds))
}

const music = `[aria-label^="Slack water"]`

func TestANewcomerMakesAMixFromTwoFiles(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Hear()
	episode := episodeByHand(w, "A night on the quay")
	voiceFile, musicFile := dropped(t)

	// Two files dropped beside the tracks find tracks of their own.
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, voiceFile, musicFile)
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	doc := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 2 })
	assert.Equal(t, []session.Part{session.Voice, session.Music}, []session.Part{doc.Tracks[0].Part, doc.Tracks[1].Part})
	_, _, voice := clipNamed(t, doc, "Keeper at the door")
	assert.Equal(t, 12*audio.Second, voice.Length, "44.1 kHz comes out at the right length")
	w.Press("Balance")

	// The voice is dragged to ten seconds, and then typed to be exact.
	head := `[aria-label^="Keeper at the door"] .head`
	x, y = w.Find(head).At(0.5, 0.5)
	w.Drag(x, y, x+xOf(w, 10)-xOf(w, 0), y, chromedp.ModifierAlt)
	doc = untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Keeper at the door")
		return math.Abs(c.Start.Seconds()-10) < 0.15
	})
	w.Press("Arrange")
	w.Type(`[aria-label="Start of Keeper at the door"]`, "0:10")
	untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Keeper at the door")
		return c.Start == 10*audio.Second
	})
	w.Press("Balance")

	// Four points on the music's level line; the middle two are pulled down under the voice.
	for i, at := range []float64{8, 9.5, 23, 25} {
		w.Over(music)
		line := w.Find(music + " .hit")
		px := xOf(w, at)
		py := Eval[float64](w, fmt.Sprintf(`(() => { const p = document.querySelector(%q); const s = p.ownerSVGElement.getBoundingClientRect();
			for (let y = 0; y < s.height; y++) if (p.isPointInStroke(new DOMPoint(%v - s.x, y))) return s.y + y + 4; })()`, music+" .hit", px))
		require.Positive(t, line.Width)
		w.Drag(px, py, px, py)
		w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length === %d`, music+" .point", i+1))
	}
	for i := 1; i <= 2; i++ {
		p := Eval[Box](w, fmt.Sprintf(`(() => { const r = document.querySelectorAll(%q)[%d].getBoundingClientRect(); return {X: r.x, Y: r.y, Width: r.width, Height: r.height} })()`, music+" .point", i))
		px, py := p.At(0.5, 0.5)
		w.Drag(px, py, px, py+70, chromedp.ModifierAlt)
	}
	doc = untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Slack water")
		return len(c.Envelope) == 4 && c.Envelope[1].Level < -12 && c.Envelope[2].Level < -12
	})
	assert.Contains(t, desk(t, episode).Undo, "Level of “Slack water”", "a drag is one step of the history")
	// One of them is typed.
	w.Click(music + " .point:nth-of-type(2)")
	w.Type(`[aria-label="Level of the point"]`, "12.6%")
	untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Slack water")
		return math.Abs(float64(c.Envelope[1].Level)+17.99) < 0.01
	})

	// Fades at both ends, dragged by their grips.
	for grip, by := range map[string]float64{".grip.in": 40, ".grip.out": -50} {
		w.Over(music)
		x, y = w.Find(music+" "+grip).At(0.5, 0.3)
		w.Drag(x, y, x+by, y)
	}
	doc = untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Slack water")
		return c.FadeIn.Length > audio.Second && c.FadeOut.Length > 2*audio.Second
	})

	// A fader is moved, by hand and by number; mute and solo; undo and redo.
	x, y = w.Find(`[aria-label="Track Music 1"] .el-slider__button`).At(0.5, 0.5)
	w.Drag(x, y, x-8, y)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Fader < -3 })
	w.Type(`[aria-label="Fader of Music 1 in dB"]`, "-6")
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute && d.Tracks[1].Fader == -6 })
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return !d.Tracks[0].Mute })
	w.Press("Redo")
	doc = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute })

	// What is heard is what the document says.
	heardIsTheMix(t, w, episode)

	// With the voice muted, the file carries the music at the drawn level.
	w.DownloadsTo(t.TempDir())
	wav := mixDown(t, w, "WAV, 24 bit")
	_, _, clip := clipNamed(t, doc, "Slack water")
	levelsAreDrawn(t, wav, clip, doc.Tracks[1].Fader)
	mp3 := mixDown(t, w, "MP3")
	formatsAgree(t, wav, mp3)

	// Everything muted is digital silence.
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .switch`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Mute })
	assert.Zero(t, mixDown(t, w, "WAV, 32 bit float").Peak())

	// A reload shows everything as it was.
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	w.Over(music)
	w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length === 4`, music+" .point"))
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return !d.Tracks[1].Mute })
}

// mixDown chooses a format, mixes down, downloads the file and decodes it.
func mixDown(t *testing.T, w *Window, format string) audio.PCM {
	t.Helper()
	dir := t.TempDir()
	w.DownloadsTo(dir)
	w.Press("Hand over")
	w.Press("As it is")
	w.Until(`document.querySelector(".format .el-select")`)
	w.Click(".format .el-select")
	option := fmt.Sprintf(`[...document.querySelectorAll(".el-select-dropdown__item")].find(e => e.innerText.trim() === %q && e.getBoundingClientRect().height > 0)`, format)
	w.ClickOn(option)
	before := Eval[int](w, `document.querySelectorAll("aside li").length`)
	pressMixDown(w)
	w.Until(fmt.Sprintf(`document.querySelectorAll("aside li").length === %d`, before+1))
	w.Until(fmt.Sprintf(`document.querySelector("aside li p").innerText.includes(%q)`, format))
	row := Eval[string](w, `document.querySelector("aside li").innerText`)
	assert.Contains(t, row, "LUFS")
	assert.Contains(t, row, "dBTP")
	w.Click("aside li a[download]")
	path := waitForFile(t, dir)
	pcm := testkit.ReadAudio(t, path, 2)
	assert.Equal(t, 40*audio.Second, pcm.Length(), format)
	return pcm
}

// waitForFile waits for the one download in a folder to be complete.
func waitForFile(t *testing.T, dir string) string {
	t.Helper()
	var path string
	require.Eventually(t, func() bool {
		all, _ := filepath.Glob(filepath.Join(dir, "*"))
		if len(all) == 1 && !strings.HasSuffix(all[0], ".crdownload") {
			path = all[0]
			info, err := os.Stat(path)
			return err == nil && info.Size() > 0
		}
		return false
	}, patience, 20*time.Millisecond)
	return path
}

// levelsAreDrawn compares the music in the file, in stretches of 50 ms, with the level line, the fades and the fader.
func levelsAreDrawn(t *testing.T, file audio.PCM, clip session.Clip, fader audio.DB) {
	t.Helper()
	line := envelope.New(clip.Envelope)
	const stretch = audio.Rate / 20
	source := -18.06 - 3.01 + 6 // ffmpeg's sine has an amplitude of 1/8; its RMS; the volume filter
	for at := audio.Frames(0); at+stretch <= file.Length(); at += stretch {
		middle := at + stretch/2
		want := source + float64(audio.Level(line.GainAt(middle))) + float64(fader)
		switch {
		case middle < clip.FadeIn.Length: // equal power: sin(pi t / 2)
			want += 20 * math.Log10(math.Sin(math.Pi/2*float64(middle)/float64(clip.FadeIn.Length)))
		case middle > clip.Length-clip.FadeOut.Length:
			want += 20 * math.Log10(math.Sin(math.Pi/2*float64(clip.Length-middle)/float64(clip.FadeOut.Length)))
		}
		if want < -55 || nearPoint(clip.Envelope, middle, stretch) || middle < 3*stretch || middle > file.Length()-3*stretch {
			continue
		}
		for c := range file {
			require.InDelta(t, want, testkit.RMS(file[c][at:at+stretch]), 0.1, "channel %d at %v", c, middle)
		}
	}
}

// nearPoint says whether a stretch holds a corner of the line, where its mean is not that of its middle.
func nearPoint(points []session.Point, at, stretch audio.Frames) bool {
	for _, p := range points {
		if d := p.At - at; d > -stretch && d < stretch {
			return true
		}
	}
	return false
}

func formatsAgree(t *testing.T, wav, mp3 audio.PCM) {
	t.Helper()
	for at := 0; at+audio.Rate <= len(wav[0]); at += audio.Rate {
		a, b := testkit.RMS(wav[0][at:at+audio.Rate]), testkit.RMS(mp3[0][at:at+audio.Rate])
		if a > -60 {
			assert.InDelta(t, a, b, 0.1, "second %d", at/audio.Rate)
		}
	}
}

// heardIsTheMix plays across the ramp and looks for what was heard in a render of the document.
func heardIsTheMix(t *testing.T, w *Window, episode string) {
	t.Helper()
	x := xOf(w, 7.5)
	_, y := w.Find(".ruler").At(0.5, 0.8)
	w.Drag(x, y, x, y)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:11.00"`)
	w.Until(`/^−\d/.test([...document.querySelectorAll(".reading .figures")][0].innerText)`)
	w.Press("Pause")
	heard := Eval[[][]float64](w, `(() => { const flat = c => { const out = []; for (const b of window.__heard) out.push(...b[c]); return out }; return [flat(0), flat(1)] })()`)
	mix := listen(t, episode, 6*audio.Second, 13*audio.Second)
	// The first sample that sounds is looked for in the mix; from there on both are compared.
	begin := 0
	for begin < len(heard[0]) && math.Abs(heard[0][begin]) < 1e-4 {
		begin++
	}
	begin += 2000 // past the beginning
	require.Less(t, begin+2*audio.Rate, len(heard[0]), "something was heard")
	// On the ramp no two periods of the tones are alike, so there is one place where it fits.
	offset, worst := align(heard, mix, begin+audio.Rate)
	offset -= audio.Rate
	require.Less(t, worst, 1e-4, "what was heard is in the mix, at frame %d", offset)
	differing := 0
	for i := range 2 * audio.Rate {
		for c := range 2 {
			if math.Abs(heard[c][begin+i]-float64(mix[c][offset+i])) > 1e-4 {
				differing++
			}
		}
	}
	assert.Zero(t, differing, "of two seconds, no sample differs")
}

// align finds where a stretch of what was heard lies in the mix.
func align(heard [][]float64, mix audio.PCM, begin int) (offset int, worst float64) {
	worst = math.Inf(1)
	for o := 0; o+300 < len(mix[0]); o++ {
		d := 0.0
		for i := 0; i < 300 && d < worst; i++ {
			d = max(d, math.Abs(heard[0][begin+i]-float64(mix[0][o+i])), math.Abs(heard[1][begin+i]-float64(mix[1][o+i])))
		}
		if d < worst {
			offset, worst = o, d
		}
	}
	return offset, worst
}

// listen is what is heard of an episode, without the time that hearing takes: rendered in windows, as it is for listeners.
func listen(t *testing.T, episode string, from, to audio.Frames) audio.PCM {
	t.Helper()
	plan, err := house.Plans.Current(t.Context(), episode, 0)
	require.NoError(t, err)
	defer plan.Close()
	renderer := mix.NewRenderer(plan.Plan)
	out := audio.NewPCM(2, to-from)
	for at := from; at < to; at += audio.Block {
		require.NoError(t, renderer.Render(out.Slice(at-from, min(at-from+audio.Block, out.Length())), at))
	}
	return out
}

// openSample opens the finished episode of the sample series from the shelf.
func openSample(w *Window) {
	w.t.Helper()
	openEpisode(w, demo.EpisodeTitle)
}

// openEpisode opens an episode from the shelf by its title.
func openEpisode(w *Window, title string) {
	w.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll("a[href^='/episodes/']")].find(a => a.querySelector(".name")?.innerText.trim() === %q)`, title)
	w.ClickOn(find)
}

// clickRuler puts the playhead at a place of the ruler, from 0 to 1.
func clickRuler(w *Window, at float64) {
	w.t.Helper()
	x, y := w.Find(".ruler").At(at, 0.8)
	w.Drag(x, y, x, y)
}
