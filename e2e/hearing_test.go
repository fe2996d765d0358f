package e2e

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/server"
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

// dragged is what was heard while a fader was dragged.
type dragged struct {
	moves   int
	rate    float64 // changes a second
	missing int     // frames of silence, or left out, in between
	click   float64 // the largest step of the gain from one frame to the next
	heard   float64 // ms from the last move of the hand to its level being heard
}

func TestSixtyChangesASecondAreHeardWithoutADropOut(t *testing.T) {
	w, episode, length := withNumbered(t, "Sixty a second")
	for _, busy := range []bool{false, true} {
		// A machine that is busy with something else starves the sound now and then: of some tries one is whole.
		var best dragged
		for try := range tries {
			rest := func() {}
			if busy {
				rest = keepBusy(t)
			}
			d := dragWhilePlaying(t, w, episode, length)
			rest()
			if try == 0 || d.better(best) {
				best = d
			}
			t.Logf("both cores busy %v: %d changes, %.0f a second; %d frames missing, largest step %.4f; the last change heard after %.0f ms",
				busy, d.moves, d.rate, d.missing, d.click, d.heard)
			if best.sound() {
				break
			}
		}
		assert.Less(t, best.missing, whole, "frames are missing while both cores are busy: %v", busy)
		assert.Less(t, best.click, unheard)
		assert.Less(t, best.heard, soon)
	}
}

// What is asked of the sound on a machine that has other things to do, too.
const (
	tries   = 8     // of which one must be as follows: something else may have the machine in the others
	whole   = 300   // frames, 6 ms, that may be missing
	unheard = 0.02  // the largest step
	soon    = 600.0 // ms until a change is heard
)

// sound says whether nothing is missing, nothing clicks, and the last change is heard soon.
func (d dragged) sound() bool { return d.missing < whole && d.click < unheard && d.heard < soon }

// better says whether this was the better of two: the one that is sound, or that misses less.
func (d dragged) better(than dragged) bool {
	if d.sound() != than.sound() {
		return d.sound()
	}
	return d.missing < than.missing
}

// keepBusy has other programs keep all cores busy until the rest begins.
func keepBusy(t *testing.T) (rest func()) {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	var others []*exec.Cmd
	for range runtime.NumCPU() {
		other := exec.CommandContext(ctx, "sh", "-c", "while :; do :; done")
		require.NoError(t, other.Start())
		others = append(others, other)
	}
	return func() {
		stop()
		for _, other := range others {
			_ = other.Wait()
		}
	}
}

// dragWhilePlaying drags the fader of the only track down and up again while it plays.
func dragWhilePlaying(t *testing.T, w *Window, episode string, length float64) (d dragged) {
	t.Helper()
	w.Key(kb.Home)
	w.Until(`window.__heard.slice(-3).every(b => b[1].every(v => v === 0))`)
	Eval[bool](w, `(window.__heard.length = window.__came.length = 0, true)`)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:01.00"`)
	bx, by := w.Find(`.el-slider.fader .el-slider__button`).At(0.5, 0.5)
	hold := func(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonLeft, 1 }
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, bx, by), chromedp.MouseEvent(chromedp.MousePressed, bx, by, hold))
	begun := Eval[float64](w, `performance.now()`)
	// The hand moves on the page's own clock: sent from here, its moves would come too slowly.
	const moves = 180
	last := Eval[float64](w, fmt.Sprintf(`new Promise(done => {
		let i = 0;
		const move = () => {
			const far = i === %[1]d - 1 ? -14 : 12 * Math.sin(i / %[1]d * 6 * Math.PI);
			window.dispatchEvent(new MouseEvent("mousemove", {clientX: %[2]v + far, clientY: %[3]v, buttons: 1, bubbles: true}));
			if (++i === %[1]d) { clearInterval(timer); done(performance.now()); }
		};
		const timer = setInterval(move, 1000 / 60);
	})`, moves, bx, by))
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, bx-14, by, hold))
	d.moves, d.rate = moves, moves/(last-begun)*1000
	doc := untilKept(w, episode, func(doc session.Document) bool { return doc.Tracks[0].Fader < -3 })
	gain := 0.5 * doc.Tracks[0].Fader.Gain()
	reached := fmt.Sprintf(`window.__heard.findIndex((b, i) => window.__came[i] > %v && b[1].every(v => Math.abs(v - %v) < 1e-4))`, begun, gain)
	w.Until(reached + ` >= 0`)
	d.heard = Eval[float64](w, `window.__came[`+reached+`]`) - last
	w.Press("Pause")
	w.Type(`[aria-label^="Fader of"][aria-label$="in dB"]`, "0")
	heard := Eval[[][]float64](w, `(() => { const flat = c => { const out = []; for (const b of window.__heard) out.push(...b[c]); return out }; return [flat(0), flat(1)] })()`)
	d.missing, d.click = gaps(heard, length)
	return d
}

// gaps counts the frames that are not heard one after the other, and finds the largest step of the gain.
func gaps(heard [][]float64, length float64) (missing int, click float64) {
	begin, end := 0, len(heard[1])
	for begin < end && heard[1][begin] < 1e-3 {
		begin++
	}
	for end > begin && heard[1][end-1] < 1e-3 {
		end--
	}
	begin, end = begin+1000, end-2000 // the fades of playing and pausing
	place := func(i int) float64 { return heard[0][i] / heard[1][i] * length }
	for i := begin + 1; i < end; i++ {
		if heard[1][i] < 1e-3 {
			missing++
			continue
		}
		click = max(click, math.Abs(heard[1][i]-heard[1][i-1]))
		if heard[1][i-1] < 1e-3 {
			continue
		}
		if step := place(i) - place(i-1) - 1; math.Abs(step) > 20 {
			missing += int(math.Abs(step))
		}
	}
	return missing, click
}

func TestHowSoonAPointThatIsDraggedIsHeard(t *testing.T) {
	w, episode, _ := withNumbered(t, "In a blink")
	w.Over(".clip")
	line := w.Find(".clip .hit")
	x, y := line.At(0.5, 0.5)
	w.Drag(x, y, x, y)
	untilKept(w, episode, func(d session.Document) bool { return len(clipsOf(d, 0)[0].Envelope) == 1 })
	for _, busy := range []bool{false, true} {
		best := math.Inf(1)
		for range tries {
			rest := func() {}
			if busy {
				rest = keepBusy(t)
			}
			took := dragPointWhilePlaying(t, w)
			rest()
			middle, late := took[len(took)/2], took[len(took)*95/100]
			t.Logf("both cores busy %v: %d changes are heard after %.0f ms, %.0f at p95", busy, len(took), middle, late)
			if best = min(best, middle); best < soon/2 {
				break
			}
		}
		assert.Less(t, best, soon/2)
	}
}

// dragPointWhilePlaying drags the only point of the only clip down while it plays, and gives
// for each move how many ms later its level, or a lower one, is heard, in order of length.
func dragPointWhilePlaying(t *testing.T, w *Window) []float64 {
	t.Helper()
	w.Key(kb.Home)
	w.Until(`window.__heard.slice(-3).every(b => b[1].every(v => v === 0))`)
	Eval[bool](w, `(window.__heard.length = window.__came.length = 0, true)`)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:01.00"`)
	w.Over(".clip")
	x, y := w.Find(".clip .point").At(0.5, 0.5)
	hold := func(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonLeft, 1 }
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, hold))
	// The hand moves on the page's own clock, a pixel at a time. The tag says which level each move means.
	const moves = 90
	Eval[bool](w, fmt.Sprintf(`new Promise(done => {
		const point = document.querySelector(".clip .point");
		window.__moves = [];
		const move = async () => {
			const i = window.__moves.length + 4, at = performance.now();
			point.dispatchEvent(new PointerEvent("pointermove", {clientX: %v, clientY: %v + i, buttons: 1, bubbles: true, pointerId: 1}));
			window.__moves.push([at]);
			await Promise.resolve();
			await Promise.resolve();
			const level = document.querySelector(".tag").innerText.replace("−", "-").match(/(-?[\d.]+) dB/);
			window.__moves[i - 4].push(Number(level[1]));
			if (i === %d + 3) { clearInterval(timer); done(true); }
		};
		const timer = setInterval(move, 1000 / 60);
	})`, x, y, moves))
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x, y+moves, hold))
	took := `(() => {
		const moves = window.__moves, out = [];
		window.__heard.forEach((b, i) => b[1].forEach((v, n) => {
			if (v < 1e-3) return;
			const heard = 20 * Math.log10(v / 0.5);
			for (let next = moves[out.length]; next && heard < next[1] + 0.06 && window.__came[i] + n / 48 > next[0]; next = moves[out.length])
				out.push(window.__came[i] + n / 48 - next[0]);
		}));
		return out;
	})()`
	w.Until(took + fmt.Sprintf(`.length === %d`, moves))
	out := Eval[[]float64](w, took)
	w.Press("Pause")
	w.Press("Undo")
	slices.Sort(out)
	return out
}

func TestTheJoinsTheStretchAndWhatThePlayheadPassesAreHeard(t *testing.T) {
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
	estimated := func() server.Estimated {
		return get[server.Estimated](t, "/api/episodes/"+episode+"/loudness/estimate")
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
		m := get[server.Measured](t, "/api/episodes/"+episode+"/loudness")
		return m.Version == about.Version && !m.Measuring
	}, patience, patience/1000)
	m := get[server.Measured](t, "/api/episodes/"+episode+"/loudness")
	assert.InDelta(t, m.Loudness.Integrated, about.Integrated, 0.5)
	t.Logf("estimated %.2f, measured %.2f LUFS", about.Integrated, m.Loudness.Integrated)
	w.Until(fmt.Sprintf(`%s.startsWith(%q)`, whole, strings.ReplaceAll(fmt.Sprintf("%.1f", m.Loudness.Integrated), "-", "−")))

	// On the sample, too, in which voices and music of all kinds lie over each other.
	for _, show := range get[[]store.Show](t, "/api/shows") {
		for _, e := range get[[]server.Episode](t, "/api/shows/"+show.ID+"/episodes") {
			if e.Loudness == nil || e.Title != "The Last Fog Signal" {
				continue
			}
			if got := get[server.Estimated](t, "/api/episodes/"+e.ID+"/loudness/estimate"); got.Version == e.Version {
				t.Logf("the sample: estimated %.2f, measured %.2f LUFS", got.Integrated, e.Loudness.Integrated)
				assert.InDelta(t, e.Loudness.Integrated, got.Integrated, 0.5)
			}
		}
	}
}

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
