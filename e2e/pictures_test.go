//go:build pictures

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
	"ruvel/internal/store"
)

// TestEveryViewCanBePictured opens the main views on the sample series and keeps a PNG of each in the folder that
// RUVEL_PICTURES names: docs/screenshots/make runs it.
func TestEveryViewCanBePictured(t *testing.T) {
	dir := os.Getenv("RUVEL_PICTURES")
	require.NotEmpty(t, dir)
	w := OpenWindow(t, base)
	keep := func(name string) {
		w.Picture(filepath.Join(dir, name+".png"))
		info, err := os.Stat(filepath.Join(dir, name+".png"))
		require.NoError(t, err)
		require.Greater(t, info.Size(), int64(20000), "%s is an empty page", name)
	}
	w.Go("/")
	w.Until(`document.body.innerText.includes("LUFS") && !document.body.innerText.includes("measuring")`)
	w.Until(`document.fonts.status === "loaded"`)
	keep("shelf")
	openSample(w)
	w.Until(`document.querySelectorAll(".clip").length === 9`)
	w.UntilText("−16.0")
	w.Settle()
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
	clickRuler(w, 0.13)
	w.Until(`document.querySelector("[data-level=total]")?.innerText.includes("dB")`)
	w.Settle()
	keep("desk-balance")
	pictureSizes(w, keep)
	drawLines(w)
	w.Key(kb.Escape)
	w.Press("Treatment")
	w.Click(`[aria-label="Track Keeper"] .name`)
	clickRuler(w, 0.4)
	w.Until(`document.querySelector("[data-dot]") && document.querySelector("[data-over]")`)
	w.Settle()
	keep("balance-treatment")
	w.Click(`[aria-label^="Keeper, winter of the storm"] .head`)
	for range 8 {
		w.Key("+")
	}
	w.Press("Level")
	w.Until(`[...document.querySelectorAll("aside dl div")].some(r => r.innerText.startsWith("Compressor"))`)
	w.Key("0")
	w.Key(kb.Escape)
	for _, stage := range []string{"Arrange", "Hand over", "Gather"} {
		w.Press(stage)
		if stage == "Hand over" {
			pictureHandOver(w, dir, keep)
		}
		w.Settle()
		keep("desk-" + strings.ReplaceAll(strings.ToLower(stage), " ", ""))
		if stage == "Arrange" {
			w.Press("Pauses")
			w.Until(`document.querySelectorAll(".cut-out").length > 0`)
		}
	}
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
	w.Settle()
	keep("gather-music")
	w.Press("Credits")
	w.UntilText("Skerrow Point field recordings")

	// The rough cut, in which music covers the voice.
	w.Go("/")
	openEpisode(w, demo.RoughTitle)
	w.Until(`document.querySelectorAll(".clip").length === 10`)
	w.Until(`document.querySelectorAll(".miss").length === 2 && !document.querySelector("[data-lead=typical]").innerText.includes("≈")`)
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
	clickRuler(w, 0.35)
	w.Press("Room")
	w.Press("Make room for speech…")
	w.Until(`document.querySelectorAll(".room li").length > 1 && !document.querySelector(".miss")`)
	w.Click(`.room li:nth-child(2) input`)
	w.UntilText("makes no way for speech")
	w.Settle()
	keep("balance-room")
	w.Press("Cancel")
	w.Press("Check")
	w.Until(`document.querySelectorAll("aside [data-kind]").length === 7`)
	w.Click(`[data-kind="covered"] .head`)
	w.Settle()
	keep("check-findings")
	w.Press("Loudness")
	w.Until(`document.querySelector("[data-loudness=whole]")`)
	w.Settle()
	keep("check-loudness")
	pictureComparison(w, keep)
	pictureHouse(w, keep)

	// A take that grows, over the end of the session, and the script beside it.
	episode := newEpisode(w, "Trailer")
	require.NoError(t, writeScript(episode))
	openRecording(w, "Stand-in microphone")
	w.Until(`document.querySelector('textarea[aria-label="Script"]').value.startsWith("# The Last Fog Signal")`)
	w.Until(`["Good", "A little high"].some(s => document.querySelector(".meter").innerText.includes(s))`)
	recordFor(w, 6)
	w.Press("Stop")
	w.UntilText("Hear it")
	w.Key("t")
	w.Until(`document.querySelector(".reading .current")`)
	recordFor(w, 3)
	keep("reading")
	w.Press("Stop")
	w.Until(`document.querySelectorAll(".clip").length === 1`)
	picturePeople(t, dir)
}

// picturePeople shows how somebody comes in, the people of a show, and two at one desk with a note at a place.
func picturePeople(t *testing.T, dir string) {
	st, maud, show, episode := aShowCalled(t, "Harbour Hours", demo.EpisodeTitle)
	keep := func(w *Window, name string) {
		w.Settle()
		w.Picture(filepath.Join(dir, name+".png"))
	}
	ivo := OpenWindow(t, st.Address)
	owners, err := house.Store.Members(t.Context(), show)
	require.NoError(t, err)
	i, err := st.People.InviteBy(t.Context(), &owners[0].ID, show, store.Producer, "")
	require.NoError(t, err)
	ivo.Go("/join#" + i.Link)
	ivo.UntilText("This link is good once")
	ivo.Fill(`[name="name"]`, "Ivo Tern")
	keep(ivo, "people-join")
	ivo.comesIn(i.Link, "Ivo Tern", "ivo "+show)
	ivo.Go("/episodes/" + episode)
	ivo.Until(`document.querySelectorAll(".clip").length === 9`)
	clickRuler(ivo, 0.5)
	ivo.Click(`[aria-label^="Harbour theme, bed"] .head`)
	ida := OpenWindow(t, st.Address)
	ida.comesIn(invited(t, show, store.Listener), "Ida Swell", "ida "+show)
	ida.Go("/episodes/" + episode + "/hear")
	ida.Until(`document.querySelector(".strip canvas")`)
	ida.Click(".strip")
	ida.Fill("textarea", "The gulls come in too early here: let the last word ring out first.")
	ida.Press("Note it")
	ida.UntilText("Ida Swell, today")
	maud.Until(`document.querySelector(".hands")`)
	maud.Click(`[aria-label^="Note by Ida Swell"]`)
	maud.UntilText("For those who work")
	maud.Press("Answer")
	maud.Fill(`[aria-label="Your answer"]`, "By a second. It is later now.")
	maud.Key(kb.Enter, chromedp.ModifierCtrl)
	maud.UntilText("Maud Gale, today")
	maud.UntilText("−16.0")
	keep(maud, "people-together")
	ivo.Go("/")
	maud.Go("/shows/" + show + "/people")
	maud.UntilText("Ida Swell")
	maud.Fill("#invite-note", "The archivist")
	maud.Press("Make a link")
	maud.Until(`document.querySelector("#made-link")`)
	maud.Do(chromedp.Evaluate[chromedp.Void](`document.querySelector("#made-link").value = "http://127.0.0.1:8080/join#…"`)) // one that is good for nothing
	keep(maud, "people-show")
}

// pictureSizes shows the desk with a stretch over a clip and the field that finds acts, and at night.
func pictureSizes(w *Window, keep func(string)) {
	w.t.Helper()
	x, y := body(w, `[aria-label^="Keeper, winter of the storm"]`, 44)
	w.Drag(x, y, xOf(w, 50), y)
	w.Until(`document.querySelector(".lane .range")`)
	w.Key("/")
	w.Until(`document.activeElement?.getAttribute("role") === "combobox"`)
	w.Paste("close")
	w.Until(`document.querySelectorAll("#found-acts [role=option]").length > 2`)
	w.Settle()
	keep("acts")
	w.Key(kb.Escape)
	w.Until(`!document.querySelector("#found-acts")?.offsetParent`)
	w.Key("0")
	w.Key(kb.Escape)
	w.ClickOn(`document.querySelector('[aria-label^="Light as the system wishes"]')`)
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
	w.Settle()
	keep("desk-night")
	w.ClickOn(`document.querySelector('[aria-label^="Night desk"]')`)
	w.ClickOn(`document.querySelector('[aria-label^="Day desk"]')`)
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
}

// pictureHouse shows the house sound with an episode that can be brought along, and a bed that was fitted to a length.
func pictureHouse(w *Window, keep func(string)) {
	w.t.Helper()
	episode := copyOf(w, demo.EpisodeTitle, "Fog for the news", nil)
	show := desk(w.t, episode).Episode.Show
	w.Go("/shows/" + show + "/house")
	w.UntilText("Goes there")
	w.Until(`document.querySelectorAll(".layouts canvas").length === 2`)
	w.Until(`document.fonts.status === "loaded"`)
	w.Settle()
	keep("house-sound")
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length === 9`)
	w.Press("Arrange")
	w.Press("Fit")
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
	w.UntilText("beats a minute")
	w.Type(`[aria-label="Fit to the length"]`, "0:50")
	w.UntilText("The best way")
	w.Press("Fit it so")
	w.UntilText("It is so now.")
}

// pictureHandOver shows the details, and makes a file whose row is seen then.
func pictureHandOver(w *Window, dir string, keep func(string)) {
	w.t.Helper()
	w.Press("Details")
	w.Until(`document.querySelector(".artwork img")?.complete`)
	w.Press("Files")
	w.Until(`document.querySelector(".outlook")`)
	w.Press("Mix down")
	w.Until(`document.querySelectorAll("aside audio").length === 1`)
	w.Press("Share")
	w.Press("Make a link")
	listener := OpenWindow(w.t, base)
	listener.Go(sharedAt(w))
	arrives(listener, "Chapters")
	listener.Click(`.chapters li:nth-child(4) a`)
	listener.Until(`document.querySelector("audio").currentTime > 37`)
	listener.Press("Pause")
	listener.Picture(filepath.Join(dir, "listeners-page.png"))
	w.Press("Files")
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

// pictureComparison shows a copy of the finished episode in which nothing is found, and how it differs from before a step.
func pictureComparison(w *Window, keep func(string)) {
	w.t.Helper()
	episode := copyOf(w, demo.EpisodeTitle, "An evening on the Ondine", nil)
	w.Go("/episodes/" + episode)
	w.Press("Check")
	w.UntilText("Nothing to mention.")
	w.Settle()
	w.Press("Compare")
	w.Type(`[aria-label="Fader of Presenter in dB"]`, "0")
	choose(w, "Compare with", "Before the first step")
	w.Until(`document.querySelector(".differs")`)
	w.Press("Before")
	w.Settle()
	keep("check-compare")
}

// drawLines shows a dip under the speech, and a ramp on the line of a track while it is drawn.
func drawLines(w *Window) {
	w.t.Helper()
	points := `document.querySelectorAll('[aria-label^="Harbour theme, outro"] .point').length`
	w.Click(`[aria-label^="Harbour theme, outro"] .head`)
	w.Until(points + ` === 4`)
	w.Press("Dip under the speech")
	w.Until(points + ` > 4`)
	w.Press("Undo")
	w.Until(points + ` === 4`)
	w.Key("v")
	line := w.Find(`[aria-label="Track Music 1"] .track-line .hit`)
	x, y := xOf(w, 28), line.Y+line.Height/2
	hold := func(p *input.DispatchMouseEventParams) {
		p.Button, p.Buttons, p.Modifiers = input.MouseButtonLeft, 1, 2 // with Ctrl
	}
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, hold))
	for i := 1.0; i <= 10; i++ {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+12*i, y+3*i, hold))
	}
	w.Until(`document.querySelector(".ramp")`)
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x+120, y+30, hold))
	w.Until(`document.querySelectorAll(".track-line .point").length === 2`)
	w.Press("Undo")
	w.Until(`document.querySelectorAll(".track-line .point").length === 0`)
	w.Key("v")
	w.Until(`!document.querySelector(".track-line")`)
}
