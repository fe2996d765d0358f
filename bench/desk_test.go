package bench

import (
	"fmt"
	"math"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/e2e"
	"ruvel/internal/running"
)

// In what follows the page makes the moves of the hand itself, on its own clock: the way from here to the browser would be
// measured with them.

// desk opens an episode of a house in a window.
func desk(b *testing.B, house *running.House, episode string, clips int) *e2e.Window {
	b.Helper()
	front := httptest.NewServer(house.Handler())
	b.Cleanup(front.Close)
	w := e2e.OpenWindow(b, front.URL, chromedp.Flag("disable-gpu", true))
	w.Hear()
	w.Go("/episodes/" + episode)
	w.Until(fmt.Sprintf(`document.querySelectorAll(".clip").length >= %d`, clips))
	return w
}

// told reports the middle and the 95th percentile of times.
func told(b *testing.B, times []float64, what string) {
	slices.Sort(times)
	b.ReportMetric(times[len(times)/2], "ms-"+what)
	b.ReportMetric(times[len(times)*95/100], "ms-"+what+"-p95")
}

// BenchmarkScrolling is how long frames take in an hour of 16 tracks while the wheel turns.
func BenchmarkScrolling(b *testing.B) {
	house, episode := hour(b)
	w := desk(b, house, episode, 150)
	for _, act := range []struct {
		what, there, back string
		turns             int
	}{
		{"zooming", "deltaY: -40, ctrlKey: true", "deltaY: 40, ctrlKey: true", 30},
		{"scrolling", "deltaY: 60, shiftKey: true", "deltaY: -60, shiftKey: true", 80},
	} {
		b.Run(act.what, func(b *testing.B) {
			var all []float64
			for b.Loop() {
				for _, wheel := range []string{act.there, act.back} {
					all = append(all, e2e.Eval[[]float64](w, fmt.Sprintf(`(async () => {
						const lanes = document.querySelector(".lanes"), r = lanes.getBoundingClientRect(), out = [];
						let last = await new Promise(requestAnimationFrame);
						for (let i = 0; i < %d; i++) {
							lanes.dispatchEvent(new WheelEvent("wheel", {%s, clientX: r.x + 500, clientY: r.y + 50, bubbles: true, cancelable: true}));
							const now = await new Promise(requestAnimationFrame);
							out.push(now - last);
							last = now;
						}
						return out;
					})()`, act.turns, wheel))...)
				}
			}
			told(b, all, "frame")
		})
	}
}

// BenchmarkPictureOfAWindow is how long after a key the first and the last change of what is drawn in the lanes come, each
// time at a place of which nothing has been fetched before.
func BenchmarkPictureOfAWindow(b *testing.B) {
	house, episode := hour(b)
	w := desk(b, house, episode, 150)
	w.Settle()
	var first, last []float64
	at := 0.0
	for b.Loop() {
		at = math.Mod(at+0.23, 0.9)
		x, y := w.Find(".ruler").At(at+0.05, 0.8)
		w.Drag(x, y, x, y)
		for _, key := range []string{"8", "0"} { // single samples, and the whole hour
			came := e2e.Eval[[]float64](w, fmt.Sprintf(`(async () => {
				const lanes = [...document.querySelectorAll(".lane canvas")].filter(c => c.getBoundingClientRect().top < 700);
				const look = () => lanes.map(c => {
					const r = c.getBoundingClientRect(), k = c.width / r.width;
					const from = Math.max(0, -(r.left - c.closest(".lane").getBoundingClientRect().left)) * k;
					const p = c.getContext("2d").getImageData(Math.round(from), Math.round(c.height / 2 - 12), 700, 1).data;
					let sum = r.left + r.width;
					for (let i = 0; i < p.length; i += 4) sum = (sum * 31 + p[i] + 7 * p[i + 1]) %% 1e9;
					return sum;
				}).join();
				let before = look();
				const begun = performance.now(), out = [];
				document.activeElement.dispatchEvent(new KeyboardEvent("keydown", {key: %[1]q, code: "Digit" + %[1]q, bubbles: true, cancelable: true}));
				while (performance.now() - begun < 700) {
					await new Promise(requestAnimationFrame);
					const now = look();
					if (now !== before) out.push(performance.now() - begun);
					before = now;
				}
				return out;
			})()`, key))
			require.NotEmpty(b, came, "nothing was drawn")
			first, last = append(first, came[0]), append(last, came[len(came)-1])
		}
	}
	told(b, first, "first")
	told(b, last, "full")
}

// numberedLength is how long the numbered sound is, in frames.
const numberedLength = 40 * audio.Rate

// numbered opens an episode with a sound that says of each of its frames which one it is: on the right it is constant, and
// on the left it grows with the frame. Whatever gain both have had, their ratio is the place and the right one the gain.
func numbered(b *testing.B) (house *running.House, episode string, w *e2e.Window) {
	b.Helper()
	house, dir := open(b)
	file := filepath.Join(dir, "numbered.wav")
	n := fmt.Sprint(numberedLength)
	run(b, "-v", "error", "-f", "lavfi", "-i", "aevalsrc=0.5*n/"+n+"|0.5:s=48000:d=40", "-c:a", "pcm_f32le", file)
	show, err := house.Store.AddShow(ctx, "Bench")
	require.NoError(b, err)
	sound := take(b, house, show.ID, file)
	doc, _, err := edit.Apply(session.New(), edit.InsertClip{Sound: sound.ID, Part: session.Music}, func(string) (session.Sound, bool) {
		return session.Sound{Channels: sound.Channels, Length: sound.Length}, true
	})
	require.NoError(b, err)
	e, err := house.Store.AddEpisode(ctx, show.ID, "Numbered", 0, doc)
	require.NoError(b, err)
	w = desk(b, house, e.ID, 1)
	w.Press("Play") // the first time, the page gets its sound ready
	w.Until(`document.querySelector(".now").innerText >= "0:00.50"`)
	w.Press("Pause")
	return house, e.ID, w
}

// loads are what else the machine has to do.
var loads = []struct {
	name  string
	begin func(b *testing.B) (end func())
}{
	{"a machine of its own", func(*testing.B) func() { return func() {} }},
	{"both cores busy", func(b *testing.B) func() {
		var others []*exec.Cmd
		for range runtime.NumCPU() {
			other := exec.Command("sh", "-c", "while :; do :; done")
			require.NoError(b, other.Start())
			others = append(others, other)
		}
		return func() {
			for _, other := range others {
				_ = other.Process.Kill()
				_ = other.Wait()
			}
		}
	}},
}

// playing plays from the beginning, with nothing heard yet.
func playing(w *e2e.Window) {
	w.Key(kb.Home)
	w.Until(`window.__heard.slice(-3).every(b => b[1].every(v => v === 0))`)
	e2e.Eval[bool](w, `(window.__heard.length = window.__came.length = 0, true)`)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:01.00"`)
}

func held(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonLeft, 1 }

// BenchmarkFaderHeard drags a fader sixty times a second while it plays, and tells how many frames were not heard one
// after the other, the largest step of the gain, and how long after the last move its level was heard.
func BenchmarkFaderHeard(b *testing.B) {
	house, episode, w := numbered(b)
	for _, load := range loads {
		b.Run(load.name, func(b *testing.B) {
			end := load.begin(b)
			defer end()
			var missing, step float64
			var heard []float64
			for b.Loop() {
				m, s, h := dragFader(b, w, house, episode)
				missing, step, heard = max(missing, float64(m)), max(step, s), append(heard, h)
			}
			b.ReportMetric(missing, "frames-missing-at-most")
			b.ReportMetric(step, "step-at-most")
			told(b, heard, "heard")
		})
	}
}

// kept is the document once all edits have been answered.
func kept(b *testing.B, w *e2e.Window, house *running.House, episode string) session.Document {
	b.Helper()
	w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
	doc, _, err := house.Store.Document(ctx, episode)
	require.NoError(b, err)
	return doc
}

func dragFader(b *testing.B, w *e2e.Window, house *running.House, episode string) (missing int, step, heard float64) {
	playing(w)
	x, y := w.Find(`.el-slider.fader .el-slider__button`).At(0.5, 0.5)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, held))
	begun := e2e.Eval[float64](w, `performance.now()`)
	const moves = 180
	last := e2e.Eval[float64](w, fmt.Sprintf(`new Promise(done => {
		let i = 0;
		const move = () => {
			const far = i === %[1]d - 1 ? -14 : 12 * Math.sin(i / %[1]d * 6 * Math.PI);
			window.dispatchEvent(new MouseEvent("mousemove", {clientX: %[2]v + far, clientY: %[3]v, buttons: 1, bubbles: true}));
			if (++i === %[1]d) { clearInterval(timer); done(performance.now()); }
		};
		const timer = setInterval(move, 1000 / 60);
	})`, moves, x, y))
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x-14, y, held))
	gain := 0.5 * kept(b, w, house, episode).Tracks[0].Fader.Gain()
	reached := fmt.Sprintf(`window.__heard.findIndex((b, i) => window.__came[i] > %v && b[1].every(v => Math.abs(v - %v) < 1e-4))`, begun, gain)
	w.Until(reached + ` >= 0`)
	heard = e2e.Eval[float64](w, `window.__came[`+reached+`]`) - last
	w.Press("Pause")
	w.Type(`[aria-label^="Fader of"][aria-label$="in dB"]`, "0")
	kept(b, w, house, episode)
	missing, step = gaps(e2e.Eval[[][]float64](w, `(() => { const flat = c => { const out = []; for (const b of window.__heard) out.push(...b[c]); return out }; return [flat(0), flat(1)] })()`))
	return missing, step, heard
}

// gaps counts the frames that are not heard one after the other, and finds the largest step of the gain.
func gaps(heard [][]float64) (missing int, step float64) {
	const silent = 1e-3
	begin, end := 0, len(heard[1])
	for begin < end && heard[1][begin] < silent {
		begin++
	}
	for end > begin && heard[1][end-1] < silent {
		end--
	}
	begin, end = begin+1000, end-2000 // the fades of playing and pausing
	place := func(i int) float64 { return heard[0][i] / heard[1][i] * numberedLength }
	for i := begin + 1; i < end; i++ {
		if heard[1][i] < silent {
			missing++
			continue
		}
		step = max(step, math.Abs(heard[1][i]-heard[1][i-1]))
		if heard[1][i-1] < silent {
			continue
		}
		if leap := place(i) - place(i-1) - 1; math.Abs(leap) > 20 {
			missing += int(math.Abs(leap))
		}
	}
	return missing, step
}

// BenchmarkPointHeard drags a point of a level line down while it plays, and tells how long after each move its level, or
// a lower one, is heard.
func BenchmarkPointHeard(b *testing.B) {
	house, episode, w := numbered(b)
	w.Over(".clip")
	x, y := w.Find(".clip .hit").At(0.5, 0.5)
	w.Drag(x, y, x, y)
	require.Len(b, clipOf(kept(b, w, house, episode)).Envelope, 1)
	for _, load := range loads {
		b.Run(load.name, func(b *testing.B) {
			end := load.begin(b)
			defer end()
			var all []float64
			for b.Loop() {
				all = append(all, dragPoint(w)...)
			}
			told(b, all, "heard")
		})
	}
}

func clipOf(d session.Document) (c session.Clip) {
	for _, c = range d.Tracks[0].Clips {
	}
	return c
}

func dragPoint(w *e2e.Window) []float64 {
	playing(w)
	w.Over(".clip")
	x, y := w.Find(".clip .point").At(0.5, 0.5)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, held))
	// A pixel at a time. The tag says which level each move means.
	const moves = 90
	e2e.Eval[bool](w, fmt.Sprintf(`new Promise(done => {
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
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x, y+moves, held))
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
	out := e2e.Eval[[]float64](w, took)
	w.Press("Pause")
	w.Press("Undo")
	return out
}
