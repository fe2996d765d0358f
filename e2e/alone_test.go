package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// alone is a producer who has the keyboard alone. What is pressed is counted, without what is typed as a text.
type alone struct {
	*Window
	pressed int
	tasks   []string
	// files are what is chosen in the dialog of the browser.
	files []string
}

const inFocus = `document.activeElement && document.activeElement !== document.body && document.activeElement.checkVisibility()`

func (k *alone) press(keys string, modifiers ...chromedp.Modifier) {
	k.t.Helper()
	k.pressed += len([]rune(keys))
	k.Key(keys, modifiers...)
}

// timed moves the playhead to a time that is typed.
func (k *alone) timed(time string) {
	k.t.Helper()
	k.pressed++
	// As a keyboard does it: what a shortcut has taken is not written where the focus is then.
	for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeKeyDown, input.DispatchKeyEventTypeKeyUp} {
		_, err := chromedp.Call(k.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: kind, Key: "M", Code: "KeyM", Modifiers: int64(chromedp.ModifierShift)})
		require.NoError(k.t, err)
	}
	k.focused(".clock input")
	k.Key(time) // a text
	k.press(kb.Enter)
	k.Until(`!document.querySelector(".clock input")`)
}

// focused waits until the focus is on something; what is drawn late may take it a moment later.
func (k *alone) focused(css string) {
	k.t.Helper()
	k.Until(fmt.Sprintf(`document.activeElement?.matches(%q)`, css))
}

// to goes to something with a key, for so many presses at most.
func (k *alone) to(key, css string, most int, modifiers ...chromedp.Modifier) {
	k.t.Helper()
	for range most {
		if Eval[bool](k.Window, fmt.Sprintf(`document.activeElement?.matches(%q) ?? false`, css)) {
			return
		}
		k.press(key, modifiers...)
	}
	k.focused(css)
}

// find does an act that it finds by words.
func (k *alone) find(words string) {
	k.t.Helper()
	k.press("k", chromedp.ModifierCtrl)
	k.focused(".finder input")
	k.Key(words) // a text
	k.press(kb.Enter)
	k.Until(`!document.querySelector(".finder")?.checkVisibility()`)
}

// task is a part of the job. It takes so many keys at most, and at its end the focus is somewhere that can be seen.
func (k *alone) task(name string, most int, do func()) {
	k.t.Helper()
	k.pressed = 0
	do()
	k.Until(inFocus)
	k.tasks = append(k.tasks, fmt.Sprintf("%-28s %d", name, k.pressed))
	assert.LessOrEqual(k.t, k.pressed, most, name)
}

// givesFiles answers the dialog of the browser in which files are chosen.
func (k *alone) givesFiles() {
	k.t.Helper()
	require.NoError(k.t, chromedp.Listen(k.ctx, func(event any) {
		if e, ok := event.(*page.EventFileChooserOpened); ok {
			go chromedp.Call(k.ctx, dom.SetFileInputFiles, dom.SetFileInputFilesParams{Files: k.files, BackendNodeID: e.BackendNodeID})
		}
	}))
	_, err := chromedp.Call(k.ctx, page.SetInterceptFileChooserDialog, page.SetInterceptFileChooserDialogParams{Enabled: true})
	require.NoError(k.t, err)
}

func TestTheWholeJobIsDoneByTheKeyboardAlone(t *testing.T) {
	t.Parallel()
	k := &alone{Window: OpenWindow(t, base)}
	w := k.Window
	defer func() { t.Log("keys pressed:\n" + strings.Join(k.tasks, "\n")) }()
	k.files = []string{spoken(t, "Lamp room.wav", 40)}
	k.givesFiles()
	w.Go("/")
	w.UntilText("LUFS")
	var episode string
	document := func(condition func(session.Document) bool) session.Document { return untilKept(w, episode, condition) }

	skip := func(name string) {
		k.t.Helper()
		for range 4 {
			if Eval[string](w, `document.activeElement.innerText`) == name {
				break
			}
			k.press(kb.Tab)
		}
		k.press(kb.Enter)
	}
	k.task("make a show", 6, func() {
		skip("Begin a show")
		k.focused("#new-name")
		k.Key("Night Watch")
		k.press(kb.Enter)
		w.UntilText("There is no episode in this show yet")
	})
	k.task("make an episode", 8, func() {
		w.Until(`document.activeElement?.matches("main h2")`)
		k.to(kb.Tab, ".title .filled", 6)
		k.press(kb.Enter)
		k.focused("#new-name")
		k.Key("The lamp room")
		k.press(kb.Enter)
		w.UntilText("Nothing is on the desk yet")
		episode = Eval[string](w, `location.pathname.split("/").pop()`)
	})
	k.task("import a voice", 4, func() {
		k.find("choose files")
		w.untilClips(1)
	})
	k.task("find music, place it at 0:10", 12, func() {
		k.timed("0:10.0")
		k.find("music and effects")
		k.focused("aside input")
		k.Key("calm")
		w.Until(`document.querySelectorAll("aside [data-piece]").length > 0`)
		k.to(kb.Tab, `[aria-label$="at the playhead"]`, 8)
		k.press(kb.Enter)
		w.untilClips(2)
		document(func(d session.Document) bool {
			return len(d.Tracks) == 2 && clipsOf(d, 1)[0].Start == 10*audio.Second
		})
	})
	k.task("choose the voice", 6, func() {
		k.press(kb.F6)
		k.to(kb.ArrowUp, `[data-row="track:t1"] [data-stop]`, 4)
		k.to(kb.ArrowRight, `[data-stop^="clip:"]`, 2)
		k.press(kb.Enter)
		w.Until(`document.activeElement.getAttribute("aria-selected") === "true"`)
	})
	k.task("cut a slip, close the gap", 8, func() {
		k.timed("0:02")
		k.press(";")
		k.press(kb.ArrowRight, chromedp.ModifierCtrl)
		k.press("'")
		w.Until(`document.querySelector('[data-stop="stretch"]')`)
		k.press(kb.Delete, chromedp.ModifierShift)
		document(func(d session.Document) bool {
			c := clipsOf(d, 0)
			return len(c) == 2 && (c[1].Offset-c[0].Length).Seconds() > 0.97 && (c[1].Offset-c[0].Length).Seconds() < 1.01
		})
	})
	k.task("choose the music", 4, func() {
		k.to(kb.ArrowDown, `[data-row="track:t3"] [data-stop]`, 3)
		k.to(kb.ArrowRight, `[data-stop^="clip:"]`, 1)
		k.press(kb.Enter)
		w.Until(`document.activeElement.getAttribute("aria-selected") === "true"`)
	})
	k.task("a point at 0:12.5, -18 dB", 5, func() {
		k.timed("0:12.5")
		k.press("P", chromedp.ModifierShift)
		w.Until(`document.activeElement?.matches(".el-dialog input")`)
		k.Key("-18")
		k.press(kb.Enter)
		document(func(d session.Document) bool {
			e := clipsOf(d, 1)[0].Envelope
			return len(e) == 1 && e[0].At == audio.Seconds(2.5) && e[0].Level == -18
		})
	})
	k.task("fade the music out", 6, func() {
		k.timed("1:00")
		k.find("fade out")
		document(func(d session.Document) bool { return clipsOf(d, 1)[0].FadeOut.Length > 3*audio.Second })
	})
	k.task("make room", 6, func() {
		k.find("make room for speech")
		k.focused(".room .filled")
		k.press(kb.Enter)
		document(func(d session.Document) bool { return d.Tracks[1].Way.On })
	})
	k.task("a treatment that is suggested", 10, func() {
		k.press(kb.F6)
		k.to(kb.ArrowUp, `[data-row="track:t1"] [data-stop]`, 3)
		k.press(kb.Enter)
		k.find("suggest")
		k.focused("[data-suggest]")
		k.press(kb.Enter)
		document(func(d session.Document) bool {
			return d.Tracks[0].Treatment.Compressor.On || d.Tracks[0].Treatment.Expander.On || d.Tracks[0].Treatment.Gate.On
		})
	})
	k.task("another threshold", 12, func() {
		k.to(kb.Tab, `[aria-label$="threshold, typed"]`, 12)
		k.Key("-31")
		k.press(kb.Enter)
		k.focused(`[aria-label$="threshold, typed"]`)
		document(func(d session.Document) bool {
			tr := d.Tracks[0].Treatment
			return tr.Compressor.Threshold == -31 || tr.Expander.Threshold == -31 || tr.Gate.Open == -31
		})
	})
	var found int
	k.task("mend a finding", 10, func() {
		k.press(kb.F6)
		k.press("w") // a track that is left alone is found
		k.find("findings")
		w.Until(`document.querySelectorAll("aside [data-kind] .head").length > 0 && !document.querySelector(".state")`)
		w.Until(`document.querySelectorAll("aside [data-kind] .head").length > 1`)
		found = Eval[int](w, `document.querySelectorAll("aside [data-kind] .head").length`)
		k.to(kb.Tab, `aside [data-kind] .head`, 4)
		k.press(kb.Enter)
		k.to(kb.Tab, `aside .acts .filled`, 6)
		k.press(kb.Enter)
		w.Until(fmt.Sprintf(`document.querySelectorAll("aside [data-kind] .head").length < %d && !document.querySelector(".state")`, found))
	})
	k.task("set a finding aside", 12, func() {
		found = Eval[int](w, `document.querySelectorAll("aside [data-kind] .head").length`)
		require.Positive(t, found, "there is a finding left")
		// The focus has gone on to the next one.
		w.Until(`document.activeElement.closest("aside [data-kind]")`)
		k.to(kb.Tab, `aside [data-kind] .head`, 3)
		k.press(kb.Enter)
		k.to(kb.Tab, `aside .open .acts button:last-child`, 6)
		k.press(kb.Enter)
		k.focused(`[aria-label="Why it can stay"]`)
		k.Key("It is meant so")
		k.press(kb.Enter)
		w.Until(fmt.Sprintf(`document.querySelectorAll("aside section:not([aria-label='Set aside']) [data-kind] .head").length < %d`, found))
	})
	k.task("details", 4, func() {
		k.find("details")
		k.focused("#details-description")
		k.Key("A night in the lamp room.")
		k.press(kb.Tab)
		k.Key("The keeper")
		k.press(kb.Enter)
		k.focused("#details-presenter")
		w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
	})
	k.task("a picture", 12, func() {
		k.files = []string{photo(t, 1400, 1400)}
		k.to(kb.Tab, `.artwork .acts button`, 10, chromedp.ModifierShift)
		k.press(kb.Enter)
		w.Until(`document.querySelector(".artwork img") && document.querySelector(".artwork .acts button").innerText === "Another picture"`)
		k.focused(`.artwork .acts button`)
	})
	k.task("a chapter", 8, func() {
		k.find("choose a stretch by its times")
		w.Until(`document.activeElement?.matches(".el-dialog input")`)
		k.Key("0:00")
		k.press(kb.Tab)
		k.Key("0:20")
		k.press(kb.Enter)
		w.Until(`document.querySelector('[data-stop="stretch"]')`)
		k.find("chapter of the stretch")
		k.focused("aside li .name")
		k.Key("The lamp is lit")
		k.press(kb.Enter)
		document(func(d session.Document) bool {
			for _, m := range d.Markers {
				return m.Chapter && m.Name == "The lamp is lit" && m.Length == 20*audio.Second
			}
			return false
		})
	})
	k.task("mix down", 4, func() {
		k.find("mix down")
		k.focused("aside .go")
		k.press(kb.Enter)
		w.Until(`document.querySelector("aside audio, aside [data-mixdown], aside .finished")`)
	})
	k.task("a link", 4, func() {
		k.find("share by a link")
		k.focused("aside .go")
		k.press(kb.Enter)
		k.focused("[data-link] *")
	})
	k.task("record", 24, func() {
		k.find("recording and takes")
		k.to(kb.Tab, `[aria-label="Input"]`, 4)
		k.press(kb.Enter)
		const option = `[...document.querySelectorAll(".el-select-dropdown__item%s")].filter(e => e.checkVisibility()).map(e => e.innerText)`
		w.Until(fmt.Sprintf(option, "") + `.length > 0`)
		for range 3 {
			if strings.HasPrefix(Eval[string](w, fmt.Sprintf(option, ".is-hovering")+`.join()`), "Stand-in") {
				break
			}
			before := Eval[string](w, fmt.Sprintf(option, ".is-hovering")+`.join()`)
			k.press(kb.ArrowDown)
			w.Until(fmt.Sprintf(option, ".is-hovering") + fmt.Sprintf(`.join() !== %q`, before))
		}
		k.press(kb.Enter)
		w.Until(`document.querySelector('[aria-label="Input level"]')`)
		k.timed("0:50")
		k.find("record at the playhead")
		untilRecorded(w, 1)
		k.find("record at the playhead")
		takesOf(t, base, episode, kept)
		document(func(d session.Document) bool { return len(clipsOf(d, 0)) == 3 })
	})
	k.task("remove a clip", 10, func() {
		if k.press(kb.F6); Eval[bool](w, `document.activeElement.closest("aside") !== null`) { // which goes both ways
			k.press(kb.F6)
		}
		w.Until(`document.activeElement.closest("[data-row]")`)
		k.press(kb.Home, chromedp.ModifierCtrl)
		k.to(kb.ArrowUp, `[data-row="track:t1"] *`, 4)
		k.to(kb.ArrowRight, `[aria-label^="Lamp room, part 2"]`, 3)
		k.press(kb.Enter)
		k.press(kb.Delete)
		document(func(d session.Document) bool { return len(clipsOf(d, 0)) == 2 })
		k.focused(`[data-stop^="clip:"]`) // its neighbour
	})
	k.task("another name, not taken", 4, func() {
		k.to(kb.ArrowLeft, `[data-stop^="track:"]`, 3)
		k.press(kb.F2)
		k.focused(".name-field")
		k.Key("No")
		k.press(kb.Escape)
		k.focused(`[data-stop^="track:"]`)
	})
	k.task("a stage, from within the panel", 3, func() {
		k.press(kb.F6)
		k.focused("aside [role=tab]")
		k.press("2")
		k.focused("aside[aria-label='Arrange panel'] [role=tab]")
	})
	k.task("undo ten steps", 10, func() {
		for range 10 {
			k.press("z", chromedp.ModifierCtrl)
		}
		document(func(d session.Document) bool { return !d.Tracks[1].Way.On })
	})
	k.task("back to the shelf", 2, func() {
		k.press("`")
		w.UntilText("New episode")
		k.focused(fmt.Sprintf(`main a[href="/episodes/%s"]`, episode))
	})
	for _, task := range k.tasks {
		t.Log(task)
	}
}
