package e2e

import (
	"context"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/episodes"
	"ruvel/internal/store"
	"ruvel/testkit"
)

// numbered is a sound that says of each of its frames which one it is: on the right it is
// constant, and on the left it grows with the frame. Whatever gain both have had, their
// ratio is the place and the right one the gain.
func numbered(t testing.TB) (file string) {
	const seconds = numberedLength / audio.Rate
	file = filepath.Join(t.TempDir(), "Numbered.wav")
	n := fmt.Sprint(seconds * audio.Rate)
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "aevalsrc=0.5*n/"+n+"|0.5:s=48000:d="+fmt.Sprint(seconds), "-c:a", "pcm_f32le", file)
	return file
}

// numberedLength is how long it is, in frames.
const numberedLength = 40 * audio.Rate

var withOneNumbered = Kind{clips: 1, prepare: func(w *Window) string { return dropOn(w, "Numbered", numbered(w.t)) }}

// withNumbered opens a new episode with such a sound on it, of so many frames, and has what the page plays heard.
func withNumbered(t *testing.T, title string) (w *Window, episode string, length float64) {
	t.Helper()
	w = OpenWindow(t, base)
	w.Hear()
	episode = withOneNumbered.Open(w, title)
	w.Press("Play") // the first time, the page gets its sound ready
	w.Until(`document.querySelector(".now").innerText >= "0:00.50"`)
	w.Press("Pause")
	return w, episode, numberedLength
}

func TestAFaderThatIsDraggedWhileItPlaysIsHeardWhereItWasLeft(t *testing.T) {
	t.Parallel()
	w, episode, _ := withNumbered(t, "Dragged")
	w.Key(kb.Home)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:01.00"`)
	x, y := w.Find(`.el-slider.fader .el-slider__button`).At(0.5, 0.5)
	w.Drag(x, y, x-14, y)
	doc := untilKept(w, episode, func(doc session.Document) bool { return doc.Tracks[0].Fader < -3 })
	w.Until(fmt.Sprintf(`window.__heard.some(b => b[1].every(v => Math.abs(v - %v) < 1e-4))`, 0.5*doc.Tracks[0].Fader.Gain()))
	w.Press("Pause")
}

func TestTheJoinsTheStretchAndWhatThePlayheadPassesAreHeard(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Hear()
	episode := withTwoClips(t, w, "Joins")
	w.Press("Arrange")
	voice := `[aria-label^="Keeper at the door"]`
	w.Click(voice + " .head")
	for i, at := range []float64{3, 9} {
		x := xOf(w, at)
		_, y := w.Find(".ruler").At(0.5, 0.8)
		w.Drag(x, y, x, y)
		w.Key("H", chromedp.ModifierShift)
		untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == i+2 })
	}
	w.Key(kb.Home)
	// The times that the clock shows while it plays, until it stops.
	times := func(key string, modifiers ...chromedp.Modifier) []float64 {
		w.Key(key, modifiers...)
		w.Until(`document.querySelector('[aria-label="Pause"]')`)
		return Eval[[]float64](w, `(async () => {
			const out = [];
			while (document.querySelector('[aria-label="Pause"]')) {
				await new Promise(requestAnimationFrame);
				out.push(document.querySelector(".now").innerText.split(":").reduce((s, v) => s * 60 + Number(v), 0));
			}
			return out;
		})()`)
	}
	in := func(at, from, to float64) bool { return at > from-0.25 && at < to+0.25 }
	seen := [2]int{}
	for _, at := range times("C", chromedp.ModifierShift) {
		switch {
		case in(at, 2, 4):
			seen[0]++
		case in(at, 8, 10):
			seen[1]++
		default:
			assert.Less(t, at, 0.1, "the clock stands somewhere else")
		}
	}
	assert.Positive(t, seen[0])
	assert.Positive(t, seen[1])

	stretch(w, 5, 6)
	for _, at := range times("c") {
		assert.True(t, in(at, 5, 6), "%v", at)
	}
	w.Key(kb.Home, chromedp.ModifierShift)
	w.Until(`document.querySelector(".now").innerText.startsWith("0:0" + 5) || document.querySelector(".now").innerText.startsWith("0:04.9")`)

	// The playhead is dragged along, and something is heard; where the hand lets go, it is silent.
	w.Until(`window.__heard.slice(-3).every(b => b[0].every(v => v === 0))`)
	Eval[bool](w, `(window.__heard.length = window.__came.length = 0, true)`)
	x, y := w.Find(".ruler .head").At(0.5, 0.5)
	hold := func(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonLeft, 1 }
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, hold))
	for i := 1; ; i++ {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+float64(4+i%40), y, hold))
		Eval[bool](w, `new Promise(r => requestAnimationFrame(() => r(true)))`)
		if Eval[bool](w, `window.__heard.some(b => b[0].some(v => Math.abs(v) > 0.05))`) {
			break
		}
		require.Less(t, i, 2000, "nothing is heard while the playhead is dragged")
	}
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x+30, y, hold))
	w.Until(`document.querySelector('footer [aria-label="Play"]')`)
	w.Until(`window.__heard.slice(-3).every(b => b[0].every(v => v === 0))`)
}

func TestTheOverMarkStaysUntilItIsCleared(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "Over")
	w.Type(`[aria-label="Fader of Voice 1 in dB"]`, "12")
	w.Type(`[aria-label="Fader of Music 1 in dB"]`, "12")
	w.Press("Play")
	w.Until(`document.querySelector(".meter .over").innerText.startsWith("over")`)
	w.Until(`parseFloat(document.querySelector(".track-meter div").style.transform.slice("scaleY(".length)) > 0.5`)
	w.Until(`/^[−-]?\d/.test([...document.querySelectorAll(".reading .figures")][1].innerText)`)
	// A change goes on where it is heard, and so does the loudness of the last moments.
	w.Until(`/^[−-]?\d/.test([...document.querySelectorAll(".reading .figures")][1].innerText)`)
	w.Type(`[aria-label="Fader of Voice 1 in dB"]`, "11")
	gaps := Eval[int](w, `(async () => {
		let gaps = 0;
		for (let i = 0; i < 40; i++) {
			await new Promise(requestAnimationFrame);
			gaps += [...document.querySelectorAll(".reading .figures")].slice(0, 2).filter(f => f.innerText === "–").length;
		}
		return gaps;
	})()`)
	assert.Zero(t, gaps)
	w.Press("Pause")
	w.Until(`document.querySelector(".meter .over.lit")`)
	w.Press("Over the ceiling: clear the mark")
	w.Until(`!document.querySelector(".meter .over.lit")`)
}

func TestTheLoudnessOfTheShowFollowsTheHandAndIsThatOfTheMix(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Follows the hand")
	estimated := func() balance.Estimated {
		return get[balance.Estimated](t, "/api/episodes/"+episode+"/loudness/estimate")
	}
	whole := `document.querySelector(".whole .figures").innerText`
	w.Until(`/^−?\d/.test(` + whole + `)`)
	before := Eval[string](w, whole)
	w.Type(`[aria-label="Fader of Music 1 in dB"]`, "-20")
	w.Type(`[aria-label="Fader of Voice 1 in dB"]`, "-12")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Fader == -12 })
	w.Until(whole + ` !== ` + fmt.Sprintf("%q", before))
	about := estimated()
	require.Eventually(t, func() bool {
		m := get[balance.Measured](t, "/api/episodes/"+episode+"/loudness")
		return m.Version == about.Version && !m.Measuring
	}, patience, patience/1000)
	m := get[balance.Measured](t, "/api/episodes/"+episode+"/loudness")
	assert.InDelta(t, m.Loudness.Integrated, about.Integrated, 0.5)
	t.Logf("estimated %.2f, measured %.2f LUFS", about.Integrated, m.Loudness.Integrated)
	w.Until(fmt.Sprintf(`%s.startsWith(%q)`, whole, strings.ReplaceAll(fmt.Sprintf("%.1f", m.Loudness.Integrated), "-", "−")))

	// On the sample, too, in which voices and music of all kinds lie over each other.
	for _, show := range get[[]store.Show](t, "/api/shows") {
		for _, e := range get[[]episodes.Episode](t, "/api/shows/"+show.ID+"/episodes") {
			if e.Loudness == nil || e.Title != "The Last Fog Signal" {
				continue
			}
			if got := get[balance.Estimated](t, "/api/episodes/"+e.ID+"/loudness/estimate"); got.Version == e.Version {
				t.Logf("the sample: estimated %.2f, measured %.2f LUFS", got.Integrated, e.Loudness.Integrated)
				assert.InDelta(t, e.Loudness.Integrated, got.Integrated, 0.5)
			}
		}
	}
}

// It takes all places of listeners that there are, and so runs by itself.
func TestAChangeWhoseStreamIsRefusedIsHeardAsSoonAsThereIsOne(t *testing.T) {
	w := OpenWindow(t, base)
	w.Hear()
	episode := withTwoClips(t, w, "Refused")
	w.Press("Play")
	w.Until(`window.__heard.some(b => b[0].some(v => Math.abs(v) > 0.05))`)
	// Others take all the places there are for listeners.
	ctx, leave := context.WithCancel(t.Context())
	defer leave()
	for full := false; !full; {
		r, err := http.NewRequestWithContext(ctx, "GET", base+"/api/episodes/"+episode+"/listen?from=0&loop=true&to=480000", nil)
		require.NoError(t, err)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		if full = answer.StatusCode == http.StatusServiceUnavailable; full {
			answer.Body.Close()
		}
	}
	for _, track := range []string{"Voice 1", "Music 1"} {
		w.Click(fmt.Sprintf(`[aria-label="Track %s"] .switch`, track))
	}
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute && d.Tracks[1].Mute })
	w.UntilText("The sound does not arrive; trying again.")
	leave()
	w.Until(`document.querySelector('[aria-label="Pause"]') && window.__heard.slice(-4).every(b => b[0].every(v => v === 0))`)
}
