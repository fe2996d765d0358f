package e2e

import (
	"bytes"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"ruvel/internal/demo"
)

// TestEveryViewCanBePictured opens the main views on the sample series. With
// RUVEL_PICTURES naming a folder, as docs/screenshots/make does, it keeps a PNG of each.
func TestEveryViewCanBePictured(t *testing.T) {
	dir := os.Getenv("RUVEL_PICTURES")
	if dir == "" {
		dir = t.TempDir()
	}
	w := OpenWindow(t, base)
	keep := func(name string) {
		w.Picture(filepath.Join(dir, name+".png"))
		info, err := os.Stat(filepath.Join(dir, name+".png"))
		require.NoError(t, err)
		require.Greater(t, info.Size(), int64(20000), "%s is an empty page", name)
	}
	w.Go("/")
	w.UntilText("LUFS")
	w.Until(`document.fonts.status === "loaded"`)
	keep("shelf")
	openSample(w)
	w.Until(`document.querySelectorAll(".clip").length === 9`)
	w.UntilText("−16.0")
	settle(w)
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
	clickRuler(w, 0.13)
	w.Until(`document.querySelector("[data-level=total]")?.innerText.includes("dB")`)
	settle(w)
	keep("desk-balance")
	pictureLines(w, keep)
	pictureLoop(w, keep)
	w.Key(kb.Escape)
	w.Press("Even out voices…")
	w.Until(`document.querySelectorAll("aside tbody tr").length === 5`)
	settle(w)
	keep("balance-even")
	w.Press("Done with evening out")
	w.Click(`[aria-label="Track Keeper"] .name`)
	clickRuler(w, 0.4)
	w.Until(`document.querySelector("[data-dot]") && document.querySelector("[data-over]")`)
	settle(w)
	keep("balance-treatment")
	w.Click(`[aria-label^="Keeper, winter of the storm"] .head`)
	for range 8 {
		w.Key("+")
	}
	w.Until(`[...document.querySelectorAll("aside dl div")].some(r => r.innerText.startsWith("Compressor"))`)
	settle(w)
	keep("balance-taken")
	w.Key("0")
	w.Key(kb.Escape)
	for _, stage := range []string{"Arrange", "Hand over", "Gather"} {
		w.Press(stage)
		settle(w)
		keep("desk-" + strings.ReplaceAll(strings.ToLower(stage), " ", ""))
		if stage == "Arrange" {
			w.Press("Pauses")
			w.Until(`document.querySelectorAll(".cut-out").length > 0`)
			settle(w)
			keep("arrange-pauses")
			x, y := w.Find(`[aria-label^="Keeper, winter of the storm"] .head`).At(0.3, 0.5)
			w.secondary(x, y)
			w.Until(`document.querySelector(".menu [role=menuitem]") === document.activeElement`)
			keep("arrange-menu")
			w.Key(kb.Escape)
			w.Until(`!document.querySelector(".menu")`)
		}
	}
	w.Click(`[data-sound="Gulls and swell"] .name`)
	w.UntilText("Name title, author, source and licence.")
	settle(w)
	keep("gather-sound")
	w.Press("Music")
	w.UntilText("26 pieces")
	w.Click(`[aria-label="Find music and effects"]`)
	w.Key("folk")
	w.UntilText("2 pieces")
	// Both have been fetched and drawn: their waves are higher than a line.
	w.Until(`[...document.querySelectorAll("aside .wave canvas")].filter(c => c.checkVisibility()).every(c => {
		const p = c.getContext("2d").getImageData(0, 0, c.width, Math.floor(c.height / 2) - 2).data;
		return p.some((v, i) => i % 4 === 3 && v > 0);
	})`)
	settle(w)
	keep("gather-music")
	w.Press("Credits")
	w.UntilText("Skerrow Point field recordings")
	keep("gather-credits")

	// A take that grows, over the end of the session, and the script beside it.
	episode := newEpisode(w, "Trailer")
	require.NoError(t, writeScript(episode))
	openRecording(w, "Stand-in microphone")
	w.Until(`document.querySelector('textarea[aria-label="Script"]').value.startsWith("# The Last Fog Signal")`)
	w.Until(`["Good", "A little high"].some(s => document.querySelector(".meter").innerText.includes(s))`)
	recordFor(w, 6)
	keep("recording")
	w.Press("Stop")
	w.UntilText("Hear it")
	keep("gather-record")
	w.Key("t")
	w.Until(`document.querySelector(".reading .current")`)
	recordFor(w, 3)
	keep("reading")
	w.Press("Stop")
	w.Until(`document.querySelectorAll(".clip").length === 1`)
}

// writeScript gives an episode the script of the sample episode.
func writeScript(episode string) error {
	text, err := demo.Script()
	if err != nil {
		return err
	}
	data, err := json.Marshal(map[string]any{"base": 0, "text": text})
	if err != nil {
		return err
	}
	request, err := http.NewRequest(http.MethodPatch, base+"/api/episodes/"+episode+"/script", bytes.NewReader(data))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		return err
	}
	return answer.Body.Close()
}

// openSample opens the finished episode of the sample series from the shelf.
func openSample(w *Window) {
	w.t.Helper()
	w.Until(`[...document.querySelectorAll("a[href^='/episodes/']")].some(a => a.innerText.includes("The Last Fog Signal"))`)
	Eval[bool](w, `([...document.querySelectorAll("a[href^='/episodes/']")].find(a => a.innerText.includes("The Last Fog Signal")).click(), true)`)
}

// pictureLines shows a dip under the speech, and a ramp on the line of a track while it is drawn.
func pictureLines(w *Window, keep func(string)) {
	w.t.Helper()
	points := `document.querySelectorAll('[aria-label^="Harbour theme, outro"] .point').length`
	w.Click(`[aria-label^="Harbour theme, outro"] .head`)
	w.Until(points + ` === 4`)
	w.Press("Dip under the speech")
	w.Until(points + ` > 4`)
	w.Press("Undo")
	w.Until(points + ` === 4`)
	w.Key("v")
	line := w.Find(`.row:nth-of-type(4) .track-line .hit`)
	x, y := xOf(w, 28), line.Y+line.Height/2
	hold := func(p *input.DispatchMouseEventParams) {
		p.Button, p.Buttons, p.Modifiers = input.MouseButtonLeft, 1, 2 // with Ctrl
	}
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, hold))
	for i := 1.0; i <= 10; i++ {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+12*i, y+3*i, hold))
	}
	w.Until(`document.querySelector(".ramp")`)
	settle(w)
	keep("balance-lines")
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x+120, y+30, hold))
	w.Until(`document.querySelectorAll(".track-line .point").length === 2`)
	w.Press("Undo")
	w.Until(`document.querySelectorAll(".track-line .point").length === 0`)
	w.Key("v")
	w.Until(`!document.querySelector(".track-line")`)
}

// pictureLoop shows a point that is dragged while a stretch goes round and round, and the same place as single samples.
func pictureLoop(w *Window, keep func(string)) {
	w.t.Helper()
	outro := `[aria-label^="Harbour theme, outro"]`
	w.Click(outro + " .head")
	point := w.Find(outro + " .point:nth-of-type(2)")
	stretch(w, 30, 40)
	w.Press("Loop")
	w.Press("Play")
	w.Until(`parseFloat(document.querySelector(".now").innerText.split(":")[1]) >= 31`)
	x, y := point.At(0.5, 0.5)
	hold := func(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonLeft, 1 }
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, hold))
	for i := 1.0; i <= 8; i++ {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+2*i, y+2*i, hold))
	}
	w.Until(`document.querySelector(".tag")`)
	keep("balance-loop")
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x+16, y+16, hold))
	w.Press("Pause")
	w.Press("Undo")
	w.Press("Loop")
	w.Key("8")
	settle(w)
	keep("balance-samples")
	w.Key("0")
	settle(w)
}

// settle waits until nothing is fetched any more and what is there has been drawn.
func settle(w *Window) {
	w.t.Helper()
	Eval[bool](w, `(async () => {
		const look = () => performance.getEntriesByType("resource").length + " " + [...document.querySelectorAll("canvas")].map(c => {
			if (c.width < 2 || c.height < 2 || !c.checkVisibility()) return 0;
			const p = c.getContext("2d").getImageData(0, Math.floor(c.height / 2) - 1, c.width, 1).data;
			let sum = 0;
			for (let i = 0; i < p.length; i += 4) sum = (sum * 31 + p[i] + 7 * p[i + 1]) % 1e9;
			return sum;
		}).join();
		for (let calm = 0, before = ""; calm < 12; ) {
			await new Promise(requestAnimationFrame);
			const now = look();
			calm = now === before ? calm + 1 : 0;
			before = now;
		}
		return true;
	})()`)
}

// clickRuler puts the playhead at a place of the ruler, from 0 to 1.
func clickRuler(w *Window, at float64) {
	w.t.Helper()
	x, y := w.Find(".ruler").At(at, 0.8)
	w.Drag(x, y, x, y)
}
