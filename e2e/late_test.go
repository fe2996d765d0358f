package e2e

import (
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/server"
	"ruvel/testkit"
)

// ask sends a request with a body to the server of all tests, past the browser.
func ask[T any](t testing.TB, method, path string, body any) T {
	t.Helper()
	return of[T](t, base, method, strings.TrimPrefix(path, "/api"), body)
}

// change carries an operation out on an episode, past the browser.
func change(t testing.TB, episode string, op map[string]any) {
	t.Helper()
	ask[any](t, "POST", "/api/episodes/"+episode+"/edits", map[string]any{"base": desk(t, episode).Version, "op": op})
}

// head is the title of a clip, by which it is chosen and moved.
func head(name string) string { return fmt.Sprintf(`[aria-label^=%q] .head`, name) }

func TestAnEditThatIsWorkedOutLateMeansWhatItsHandSaw(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	other := copyOf(w, "The Last Fog Signal", "Laid on the desk meanwhile", nil)
	episode := copyOf(w, "The Last Fog Signal", "Left with edits under way", nil)
	d := desk(t, episode).Document
	track, clip, was := clipNamed(t, d, "Harbour theme, outro")
	change(t, episode, map[string]any{"type": "set-clips", "clips": []any{map[string]any{"clip": clip, "gain": -12}}})
	before := desk(t, other).Document
	w.Go("/episodes/" + episode)
	w.Click(head("Harbour theme, outro"))
	w.Until(`document.querySelector(".clip.chosen")`)
	letGo := gate.Hold("POST", "/edits")
	w.Key(kb.ArrowUp + kb.ArrowUp) // each by 1 dB, on what is there when its turn comes
	w.Key("..")                    // and moved by 10 ms twice
	w.Focus(fmt.Sprintf(`[aria-label="Track %s"] .el-slider__button-wrapper`, track.Name))
	w.Key(kb.ArrowUp)
	w.Click("a.brand")
	openByLink(w, other)
	w.Until(`document.querySelector(".title")?.innerText.includes("Laid on the desk meanwhile") && document.querySelectorAll(".clip").length > 5`)
	assert.Equal(t, session.Clip{}.Gain-12, desk(t, episode).Document.Tracks[indexOf(d, track.ID)].Clips[clip].Gain, "it has not arrived yet")
	letGo()
	kept := untilKept(w, episode, func(d session.Document) bool {
		c := d.Tracks[indexOf(d, track.ID)].Clips[clip]
		return c.Gain == -10 && c.Start == was.Start+960 && d.Tracks[indexOf(d, track.ID)].Fader == track.Fader+0.5
	})
	assert.Len(t, kept.Tracks, len(d.Tracks))
	assert.Equal(t, string(before.JSON()), string(desk(t, other).Document.JSON()), "clips of another episode have the same ids")
}

// indexOf is the place of a track.
func indexOf(d session.Document, id string) int {
	for i, t := range d.Tracks {
		if t.ID == id {
			return i
		}
	}
	return -1
}

func TestWhatAProxySaysInRuvelsPlaceIsSilence(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Behind a proxy")
	for name, says := range map[string]struct {
		status     int
		kind, body string
	}{
		"a bad gateway":        {502, "text/html", "<h1>Bad Gateway</h1>"},
		"an error in JSON":     {503, "application/json", `{"message": "upstream connect error"}`},
		"an error of no words": {504, "", ""},
		"a page to sign in at": {200, "text/html", "<h1>Welcome to the harbour's network</h1>"},
	} {
		muted := desk(t, episode).Document.Tracks[0].Mute
		gate.Answer(3, "POST", "/edits", says.status, says.kind, says.body)
		w.Click(`[aria-label="Track Voice 1"] .switch`)
		w.UntilText("Connection lost, your changes wait…")
		untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute != muted })
		assert.Empty(t, Eval[string](w, `document.querySelector(".el-message")?.innerText ?? ""`), name)
		gate.Answer(2, "POST", "/undo", says.status, says.kind, says.body)
		w.Press("Undo")
		untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute == muted })
		w.Press("Redo")
		untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute != muted })
	}
}

// A browser has six connections to a host: eight tabs, two of each episode, would take all of them with a stream each.
func TestEightTabsOfABrowserHearOfEverythingOverOneStream(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	w.Go("/")
	w.UntilText("New episode")
	const pairs = 4
	var episodes []string
	for i := range pairs {
		episodes = append(episodes, episodeOf(w, fmt.Sprintf("Tab %d", i+1)))
	}
	tabs := []*Window{w}
	for range 2*pairs - 1 {
		tabs = append(tabs, w.OpenSecond())
	}
	for i, tab := range tabs {
		tab.Go("/episodes/" + episodes[i%pairs])
		tab.Until(`document.querySelectorAll(".lane").length === 2`)
		tab.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
	}
	require.Eventually(t, func() bool { return gate.Streams() == 1 }, patience, tick)
	for i, tab := range tabs[:pairs] {
		tab.Key("n")
		untilKept(tab, episodes[i], func(d session.Document) bool { return len(d.Markers) == 1 })
		tabs[i+pairs].Until(`document.querySelectorAll(".ruler .flag").length === 1`)
	}
	assert.Equal(t, 1, gate.Streams())
	for i, tab := range tabs {
		assert.Equal(t, 1, Eval[int](tab, `document.querySelectorAll(".ruler .flag").length`), "tab %d", i+1)
	}
	// Those that are closed or left are told of nothing more, and a last one of everything.
	for _, tab := range tabs[1:] {
		tab.Go("/")
		tab.UntilText("New episode")
	}
	ask[any](t, "POST", "/api/episodes/"+episodes[0]+"/undo", nil)
	w.Until(`document.querySelectorAll(".ruler .flag").length === 0`)
}

func TestAScriptWrittenElsewhereMeanwhileIsShownBesideOnesOwn(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := newEpisode(w, "Two scripts")
	theirs := func(text string) {
		there := get[server.Script](t, "/api/episodes/"+episode+"/script")
		ask[server.Script](t, "PATCH", "/api/episodes/"+episode+"/script", map[string]any{"base": there.Version, "text": text})
	}
	script := func() string { return get[server.Script](t, "/api/episodes/"+episode+"/script").Text }
	w.Press("Record")
	w.Click(`textarea[aria-label="Script"]`)
	letGo := gate.Hold("PATCH", "/script")
	w.Key("Mine")
	w.UntilText("Saving…")
	theirs("Theirs")
	letGo()
	w.UntilText("The script was changed elsewhere while you wrote.")
	assert.Equal(t, "Theirs", Eval[string](w, `document.querySelector("blockquote").innerText`))
	assert.Equal(t, "Mine", Eval[string](w, `document.querySelector('textarea[aria-label="Script"]').value`))
	assert.Equal(t, "Theirs", script(), "nothing is overwritten")
	w.Key(" and more")
	w.Press("Keep mine")
	w.Until(`!document.querySelector("blockquote")`)
	require.Eventually(t, func() bool { return script() == "Mine and more" }, patience, tick)
	// Also where what was typed has not been sent, but the page has heard of the other: typing had begun before.
	letGo = gate.Hold("PATCH", "/script")
	w.Click(`textarea[aria-label="Script"]`)
	w.Key(", again")
	theirs("Theirs, again")
	letGo()
	w.UntilText("The script was changed elsewhere while you wrote.")
	w.Press("Take the other")
	w.Until(`document.querySelector('textarea[aria-label="Script"]').value === "Theirs, again"`)
	assert.Equal(t, "Theirs, again", script())
}

func TestDetailsAreChangedFieldByField(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Details of two")
	said := func() details.Details {
		return get[episodes.Desk](t, "/api/episodes/"+episode).Episode.Details
	}
	w.Press("Hand over")
	w.Press("Details")
	w.Until(`document.querySelector("#details-date")`)
	elsewhere := func(field, text string) {
		ask[any](t, "PATCH", "/api/episodes/"+episode+"/details", map[string]any{field: map[string]any{"now": text}})
	}
	elsewhere("description", "Of a lamp that went out")
	w.Type("#details-date", "2026-12-24")
	require.Eventually(t, func() bool { return said().Date == "2026-12-24" }, patience, tick)
	assert.Equal(t, "Of a lamp that went out", said().Description, "what was written elsewhere stays")

	// The same field on both sides: both are shown, and one is chosen.
	w.Click("#details-presenter")
	w.Key("Ada Quill")
	elsewhere("presenter", "Odd Strand")
	w.Key(kb.Tab)
	w.UntilText("Presenter was changed elsewhere while you wrote.")
	assert.Equal(t, []string{"Ada Quill", "Odd Strand"}, Eval[[]string](w, `[document.querySelector("#details-presenter").value, document.querySelector("blockquote").innerText]`))
	assert.Equal(t, "Odd Strand", said().Presenter)
	w.Press("Keep mine")
	require.Eventually(t, func() bool { return said().Presenter == "Ada Quill" }, patience, tick)

	// What is refused stays as it was typed, with the reason.
	w.Type("#details-language", "not a language")
	w.Until(`document.querySelector(".field .kept-note.alarm")`)
	assert.Equal(t, "not a language", Eval[string](w, `document.querySelector("#details-language").value`))
	assert.Equal(t, "2026-12-24", said().Date)
}

func TestTypingIsKeptWhereOneLeavesAtOnceAndWhereItFailsAtFirst(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := newEpisode(w, "Left while typing")
	script := func() string { return get[server.Script](t, "/api/episodes/"+episode+"/script").Text }
	w.Press("Record")
	w.Click(`textarea[aria-label="Script"]`)
	w.Key("Two blasts")
	w.Click("a.brand") // long before the hand has rested
	w.UntilText("New episode")
	require.Eventually(t, func() bool { return script() == "Two blasts" }, patience, tick)

	// Back again; it cannot be kept for a while, which is said, and the desk is left meanwhile.
	openByLink(w, episode)
	w.Press("Gather")
	w.Press("Record")
	w.Until(`document.querySelector('textarea[aria-label="Script"]')?.value === "Two blasts"`)
	gate.Answer(-1, "PATCH", "/script", 502, "text/html", "<h1>Bad Gateway</h1>")
	w.Click(`textarea[aria-label="Script"]`)
	w.Key(kb.End + ", every forty seconds")
	w.UntilText("Not kept yet: Ruvel does not answer.")
	w.UntilText("What you typed waits to be kept…")
	w.Click("a.brand")
	w.UntilText("New episode")
	openByLink(w, episode)
	w.Press("Gather")
	w.Press("Record")
	w.Until(`document.querySelector('textarea[aria-label="Script"]')?.value === "Two blasts, every forty seconds"`)
	assert.Equal(t, "Two blasts", script())
	gate.Clear()
	require.Eventually(t, func() bool { return script() == "Two blasts, every forty seconds" }, patience, tick)
	w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
}

func TestThePageAsksBeforeItIsClosedWhileSomethingWaits(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Closed too early")
	asked := make(chan bool, 10)
	require.NoError(t, chromedp.Listen(w.spoilt(), func(event any) {
		if d, ok := event.(*page.EventJavascriptDialogOpening); ok && d.Type == page.DialogTypeBeforeunload {
			asked <- true
			go func() {
				_, _ = chromedp.Call(w.ctx, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: false})
			}()
		}
	}))
	// leave tries to go to another page, which somebody who is asked does not want.
	leave := func() bool {
		Eval[bool](w, `(setTimeout(() => location.assign("/?left"), 0), true)`)
		select {
		case <-asked:
			return true
		case <-w.arrived(`/?left`):
			return false
		}
	}
	for _, waits := range []struct {
		what string
		act  func() (letGo func())
	}{
		{"an edit", func() func() {
			letGo := gate.Hold("POST", "/edits")
			w.Key("n")
			return letGo
		}},
		{"the script", func() func() {
			letGo := gate.Hold("PATCH", "/script")
			w.Press("Gather")
			w.Press("Record")
			w.Click(`textarea[aria-label="Script"]`)
			w.Key("a")
			return letGo
		}},
		{"a file", func() func() {
			letGo := gate.Hold("POST", "/api/uploads/")
			voice, _ := dropped(t)
			x, y := w.Find(".lanes").At(0.6, 0.9)
			w.Drop(x, y, voice)
			return letGo
		}},
	} {
		letGo := waits.act()
		assert.True(t, leave(), waits.what)
		letGo()
	}
	untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 1 })
	w.Until(`document.querySelectorAll(".clip").length === 3`)
	w.Until(`!document.body.innerText.includes("Saving…")`)
	assert.False(t, leave(), "nothing waits any more")
}

// asset is the address of a script of the page, by the beginning of its name.
func asset(t *testing.T, name string) string {
	t.Helper()
	found, err := filepath.Glob("../ui/dist/assets/" + name + "-*.js")
	require.NoError(t, err)
	require.Len(t, found, 1)
	return "/assets/" + filepath.Base(found[0])
}

func TestAPartOfThePageThatDoesNotComeIsSaidAndFilesAreSentAllTheSame(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	panel, sending := asset(t, "HandOverPanel"), asset(t, "browser")
	gate.Answer(-1, "GET", panel, http.StatusBadGateway, "text/html", "<h1>Bad gateway</h1>")
	gate.Answer(1, "GET", sending, http.StatusBadGateway, "text/html", "<h1>Bad gateway</h1>")
	episode := withTwoClips(t, w, "In parts")
	w.Press("Hand over")
	w.UntilText("This part of the page did not come")
	w.Press("Balance")
	w.Until(`document.querySelector("aside[aria-label='Balance panel'] h2")`)

	// The script that sends files comes late.
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, testkit.WriteWAV(t, "Late.wav", testkit.Noise(1, 0.2, audio.Second, 3)))
	w.untilClips(3)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Sounds) == 3 })

	w.Press("Hand over")
	w.UntilText("This part of the page did not come")
	gate.Clear()
	w.Press("Try again")
	w.Press("Details")
}
