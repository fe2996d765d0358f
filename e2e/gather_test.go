package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/session"
	"ruvel/internal/server"
	"ruvel/internal/takes"
	"ruvel/testkit"
)

func TestSeveralTakesOfOnePlaceAreHeardSwappedAndDiscarded(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Takes")
	openRecording(w, "Stand-in microphone")
	withoutCountIn(w)
	onTrack := func() string {
		all := desk(t, episode).Document.Tracks[0].Clips
		if len(all) != 1 {
			return fmt.Sprintf("%d clips", len(all))
		}
		for _, c := range all {
			return c.Name
		}
		return ""
	}
	take := func(seconds float64) {
		untilRecorded(w, seconds)
		w.Press("Stop")
		w.UntilText("Hear it")
	}
	w.Key("r") // from the keyboard
	take(1)
	assert.Equal(t, "Voice 1, take 1", onTrack())
	w.Press("Hear it")
	w.Until(`[...document.querySelectorAll(".card button")].some(b => b.innerText === "Stop")`)
	w.Press("Another take")
	take(2)
	untilKept(w, episode, func(session.Document) bool { return onTrack() == "Voice 1, take 2" })
	w.Press("Keep")
	w.Click(".clip .head")
	w.UntilText("Takes of this place")
	w.Press("Use take 1")
	untilKept(w, episode, func(session.Document) bool { return onTrack() == "Voice 1, take 1" })
	w.Press("Undo")
	untilKept(w, episode, func(session.Document) bool { return onTrack() == "Voice 1, take 2" })

	// Remove and go again, from the same place.
	w.Press("To the start")
	w.Click(`footer [aria-label="Record"]`)
	take(1)
	w.Press("Remove and go again")
	take(1)
	untilKept(w, episode, func(session.Document) bool { return onTrack() == "Voice 1, take 4" })
	list := takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 4 })
	assert.Equal(t, []string{"kept", "discarded"}, []string{string(list[0].State), string(list[1].State)})
	for _, v := range list {
		assert.Equal(t, list[0].Begins, v.Begins)
	}
	w.Press("1 removed take")
	w.Press("Take take 3 back")
	untilKept(w, episode, func(session.Document) bool { return onTrack() == "Voice 1, take 3" })
	// Stopped with discard while it is recorded.
	w.Press("To the start")
	w.Click(`footer [aria-label="Record"]`)
	untilRecorded(w, 1)
	w.Press("Stop and remove")
	takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 5 && l[0].State == "discarded" })
	assert.Equal(t, "Voice 1, take 3", onTrack())
	w.Press("Delete take 5 for good")
	takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 4 })
	// Called off during the count-in, nothing is left of it.
	w.Click(`.switches label:first-child .el-switch`)
	w.Click(`footer [aria-label="Record"]`)
	w.Until(`document.querySelector(".going .count")?.innerText === "3"`)
	w.Key(" ")
	w.Until(`!document.querySelector(".going")`)
	takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 4 })
}

func TestWithAnOpenMicrophoneTheRoomIsSilentWhileItRecords(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Hear()
	withTwoClips(t, w, "Open microphone")
	openRecording(w, "Stand-in microphone")
	withoutCountIn(w)
	w.Click(`.switches label:nth-child(2) .el-switch`)
	w.Press("To the start")
	recordFor(w, 2)
	assert.Zero(t, Eval[float64](w, `Math.max(0, ...window.__heard.map(b => Math.max(...b[0])))`))
	w.Press("Stop")
	w.UntilText("Hear it")
	w.Press("To the start")
	w.Press("Play")
	w.Until(`Math.max(0, ...window.__heard.map(b => Math.max(...b[0]))) > 0.05`)
}

func TestALoudAndAFaintInputAreTold(t *testing.T) {
	t.Parallel()
	for level, words := range map[string]string{"volume=14dB": "Overloaded!", "volume=-42dB": "Too low.", "volume=-120dB": "Nothing arrives."} {
		path := filepath.Join(t.TempDir(), "m.wav")
		testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "sine=frequency=440:sample_rate=44100:duration=20", "-af", "volume=18dB,"+level, "-ac", "2", path)
		w := OpenWindow(t, base, chromedp.Flag("use-fake-ui-for-media-stream", true), chromedp.Flag("use-fake-device-for-media-stream", true), chromedp.Flag("use-file-for-fake-audio-capture", path))
		newEpisode(w, "Level")
		openRecording(w, "")
		w.UntilText(words)
		assert.True(t, Eval[bool](w, `!!document.querySelector(".meter.bad")`))
	}
}

func TestTheScriptIsWrittenReadInLargeTypeAndMarked(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Script")
	w.Press("Record")
	w.Click(`textarea[aria-label="Script"]`)
	w.Paste("# Fog\n\nTwo blasts, every forty seconds, all night if it had to.\n\n[pause]\n\nThen it fell silent.\n\nFor good.\n\n" + strings.Repeat("And more words to be read aloud. ", 60))
	w.UntilText("437 words · about 2:57")
	w.Press("Read it in large type (T)")
	current := func(text string) {
		w.Until(fmt.Sprintf(`document.querySelector(".reading .current").innerText.startsWith(%q)`, text))
	}
	current("Two blasts")
	assert.GreaterOrEqual(t, Eval[float64](w, `parseFloat(getComputedStyle(document.querySelector(".reading .current")).fontSize)`), 28.0)
	w.Key(kb.ArrowDown)
	current("Then it fell silent")
	w.Key("m")
	w.Until(`document.querySelector(".reading .current.recorded")`)
	w.Key(kb.ArrowRight)
	w.UntilText("160 words/min")
	for range 14 {
		w.Key(kb.ArrowRight)
	}
	w.UntilText("300 words/min")
	w.UntilText("437 words · about 1:29")
	w.Key("+")
	// It scrolls by itself, at the reader's pace, from part to part.
	w.Key(kb.ArrowDown)
	current("For good")
	w.Key("s")
	current("And more words")
	top := Eval[float64](w, `document.querySelector(".page").scrollTop`)
	w.Until(fmt.Sprintf(`document.querySelector(".page").scrollTop > %v + 60`, top))
	w.Key("s")
	still := Eval[float64](w, `document.querySelector(".page").scrollTop`)
	Eval[bool](w, `new Promise(r => { let frames = 20; const next = () => --frames ? requestAnimationFrame(next) : r(true); next() })`)
	assert.InDelta(t, still, Eval[float64](w, `document.querySelector(".page").scrollTop`), 1)
	w.Key(kb.Escape)
	w.Until(`!document.querySelector('[aria-label="Script in large type"]')`)
	sc := get[server.Script](t, "/api/episodes/"+episode+"/script")
	assert.Equal(t, 300, int(sc.Pace))
	recorded := 0
	for _, p := range sc.Reading.Parts {
		if p.Recorded {
			recorded++
			assert.Equal(t, "Then it fell silent.", p.Text)
		}
	}
	assert.Equal(t, 1, recorded)
	// After a reload it is all there.
	w.Go("/episodes/" + episode)
	w.Press("Record")
	w.Until(`document.querySelector('textarea[aria-label="Script"]').value.startsWith("# Fog")`)
	// A second window sees it, and does not overwrite it unseen.
	second := w.OpenSecond()
	second.Go("/episodes/" + episode)
	second.Press("Record")
	second.Until(`document.querySelector('textarea[aria-label="Script"]').value.startsWith("# Fog")`)
}

func TestASoundIsDescribedMarkedInsertedAndReplaced(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	show := of[struct{ ID string }](t, base, "POST", "/shows", map[string]any{"name": "Sounds of its own"}).ID
	episode := newEpisodeOf(w, show, "Sounds")
	voiceFile, musicFile := dropped(t)
	drop(w, voiceFile, musicFile)
	w.Press("Gather")
	w.Press("Sounds")
	row := `[data-sound="Slack water"]`
	w.Until(fmt.Sprintf(`document.querySelector(%q).innerText.includes("no credit yet")`, row))

	// Heard from the middle of its little waveform.
	x, y := w.Find(row+" .wave").At(0.5, 0.5)
	w.Drag(x, y, x, y)
	w.Until(fmt.Sprintf(`(e => e && parseFloat(e.style.left) > 50 && parseFloat(e.style.left) < 60)(document.querySelector(%q))`, row+" .head"))
	w.Press("Stop Slack water")

	// A stretch is marked, then typed to be exact, and only that is inserted, from the keyboard.
	w.Click(row + " .name")
	x0, y0 := w.Find(row+" .wave").At(0.25, 0.5)
	x1, _ := w.Find(row+" .wave").At(0.5, 0.5)
	w.Drag(x0, y0, x1, y0)
	w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length === 2`, row+" .edge"))
	w.Type(`[aria-label="Start of the stretch of Slack water"]`, "10")
	w.Type(`[aria-label="End of the stretch of Slack water"]`, "0:12.5")
	w.Press("Insert this stretch at the playhead")
	untilKept(w, episode, func(d session.Document) bool {
		for _, tr := range d.Tracks {
			for _, c := range tr.Clips {
				if c.Offset == 10*audio.Second && c.Length == audio.Seconds(2.5) {
					return true
				}
			}
		}
		return false
	})

	// Title, author, source, licence: the credit is complete, and is copied.
	field := func(name string) string {
		css := fmt.Sprintf(`.details .field:has(> .label) input[data-field=%q]`, name)
		w.Until(fmt.Sprintf(`(() => { const l = [...document.querySelectorAll(".details .field")].find(l => l.querySelector(".label")?.innerText === %q); const i = l?.querySelector("input"); if (i) i.dataset.field = %q; return i })()`, name, name))
		return css
	}
	w.Type(field("Title"), "Slack water at night")
	w.Type(field("Author"), "The Low Quay Trio")
	w.Type(field("Source"), "https://example.org/slack")
	w.Type(field("Licence"), "CC BY 4.0")
	w.UntilText("Name title, author, source and licence.")
	w.Until(fmt.Sprintf(`!document.querySelector(%q).innerText.includes("no credit yet")`, row))
	_, err := chromedp.CallBrowser(w.spoilt(), browser.SetPermission, browser.SetPermissionParams{
		Permission: &browser.PermissionDescriptor{Name: "clipboard-write"}, Setting: browser.PermissionSettingGranted,
		BrowserContextID: chromedp.FromContext(w.ctx).BrowserContextID,
	})
	require.NoError(t, err)
	w.Do(chromedp.Evaluate[chromedp.Void](`navigator.clipboard.writeText = async text => { window.__copied = text }`))
	w.Press("Credits")
	w.UntilText("“Slack water at night” by The Low Quay Trio")
	list := get[credits.List](t, "/api/episodes/"+episode+"/credits")
	for form, text := range map[string]string{"Text": list.Text, "Markdown": list.Markdown, "HTML": list.HTML} {
		w.Press("Copy as " + form)
		w.Until(fmt.Sprintf(`window.__copied === %q`, text))
	}

	// A sound in use cannot be removed; the message says where it is used.
	w.Press("Sounds")
	w.Click(row + " .name")
	w.Press("Remove from the show")
	w.UntilText("This sound is used in")
	w.UntilText("“Sounds”. Remove its clips there first.")
	// Another file takes its place everywhere.
	w.Press("Replace…")
	other := filepath.Join(t.TempDir(), "High water.wav")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "sine=frequency=700:sample_rate=48000:duration=50", "-ac", "2", other)
	w.Do(chromedp.SetUploadFiles(`.replace input[type=file]`, []string{other}))
	w.Until(`document.querySelector('[data-sound="High water"]')`)
	doc := untilKept(w, episode, func(d session.Document) bool { return d.Length() == 50*audio.Second })
	high := 0
	for _, tr := range doc.Tracks {
		for _, c := range tr.Clips {
			if doc.Sounds[c.Sound].Length == 50*audio.Second {
				high++
			}
		}
	}
	assert.Equal(t, 2, high)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return d.Length() == 40*audio.Second })

	// Search, choice and order.
	w.Click(`[aria-label="Find a sound"]`)
	w.Key("trio night")
	w.Until(`document.querySelectorAll("[data-sound]").length === 1`)
	w.Key(" nowhere")
	w.UntilText("No sound matches “trio night nowhere”")
	w.Press("Show all")
	choose(w, "Which sounds", "In this episode")
	w.Until(`[...document.querySelectorAll("[data-sound]")].some(r => r.dataset.sound === "Slack water") && ![...document.querySelectorAll("[data-sound]")].some(r => r.dataset.sound === "High water")`)
	choose(w, "Which sounds", "All sounds")
	choose(w, "In which order", "By name")
	w.Until(`[...document.querySelectorAll("[data-sound]")].map(r => r.dataset.sound).every((n, i, all) => i === 0 || all[i - 1].localeCompare(n, "en", {numeric: true}) <= 0)`)
}

func TestAPieceFromTheShelfIsFoundHeardAndLaidOnATrack(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.OnNewPage(`(() => { const play = HTMLMediaElement.prototype.play; HTMLMediaElement.prototype.play = function () { window.__playing = this; return play.call(this) } })()`)
	episode := withTwoClips(t, w, "Shelf")
	w.Press("Gather")
	w.Press("Music")
	w.UntilText("26 pieces")
	choose(w, "Music or effects", "Effects")
	choose(w, "Length", "Under 10 s")
	w.Until(`document.querySelectorAll("[data-piece]").length > 4 && document.querySelectorAll("[data-piece]").length < 12`)
	w.Click(`[aria-label="Find music and effects"]`)
	w.Key("page small")
	w.UntilText("1 piece")
	w.Press("Hear A page is turned")
	w.Until(`window.__playing?.src.includes("/shelf/page-turned/audio") && window.__playing.currentTime > 0.2`)
	w.Until(`document.querySelector('[aria-label="Hear A page is turned"]')`) // it has ended
	w.Press("Insert A page is turned at the playhead")
	doc := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 3 })
	assert.Equal(t, session.Effect, doc.Tracks[2].Part)
	// Dragged onto a lane, it goes where it was dropped.
	from := w.Find(`[data-piece="page-turned"] strong`)
	lane := w.Find(`.lane[data-track="` + doc.Tracks[2].ID + `"]`)
	fx, fy := from.At(0.5, 0.5)
	_, ty := lane.At(0, 0.5)
	w.DragItem(fx, fy, xOf(w, 20), ty)
	untilKept(w, episode, func(d session.Document) bool {
		for _, c := range d.Tracks[2].Clips {
			if math.Abs(c.Start.Seconds()-20) < 0.3 {
				return len(d.Tracks[2].Clips) == 2
			}
		}
		return false
	})
	w.Click(`[aria-label="Find music and effects"]`)
	w.Key("zzz")
	w.UntilText("No piece is all of that at once.")
	w.Press("Show everything")
	w.UntilText("26 pieces")
}

func TestAnUploadSurvivesALostConnectionAndSaysHowItGoes(t *testing.T) {
	t.Parallel()
	line := StartLine(t, base)
	w := OpenWindow(t, line.Address)
	episode := newEpisode(w, "Upload")
	file := filepath.Join(t.TempDir(), "Long tide.wav")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "anoisesrc=r=48000:d=60:seed=4:a=0.2", "-ac", "2", file)
	info, err := os.Stat(file)
	require.NoError(t, err)
	line.CutAfter(info.Size() / 3)
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, file)
	require.Eventually(t, line.IsCut, patience, 5*time.Millisecond)
	w.UntilText("Connection lost, goes on by itself")
	line.CutAfter(1 << 40)
	line.Mend()
	w.Until(`document.querySelectorAll(".clip").length === 1`)
	doc := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 1 })
	assert.Equal(t, 60*audio.Second, doc.Length())
	assert.Less(t, line.Passed(), info.Size(), "what had arrived was not sent again")
}
