package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/testkit"
)

// Hold presses the button at a place and moves to others in steps, without letting go.
func (w *Window) Hold(x, y float64, to ...[2]float64) {
	w.t.Helper()
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, held))
	for _, next := range to {
		w.MoveHeld(x, y, next[0], next[1])
		x, y = next[0], next[1]
	}
}

// MoveHeld goes on from one place to another with the button held.
func (w *Window) MoveHeld(x, y, toX, toY float64) {
	w.t.Helper()
	const steps = 6
	for i := 1.0; i <= steps; i++ {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+(toX-x)*i/steps, y+(toY-y)*i/steps, held))
	}
}

// Release lets the button go at a place.
func (w *Window) Release(x, y float64) {
	w.t.Helper()
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x, y, held))
}

func held(p *input.DispatchMouseEventParams) {
	p.Button, p.Buttons, p.ClickCount = input.MouseButtonLeft, 1, 1
}

// body is a place in the body of the voice of two clips, over its waves and under its level line, at a session time.
func body(w *Window, css string, seconds float64) (x, y float64) {
	w.t.Helper()
	box := w.Find(css)
	return xOf(w, seconds), box.Y + box.Height*0.8
}

const tagText = `(document.querySelector(".tag")?.innerText ?? "")`

func TestAStretchIsChosenOverAClipAndASlipIsCutOutOfIt(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "A slip")
	before := desk(t, episode)
	x, y := body(w, voiceClip, 3)
	toX, _ := body(w, voiceClip, 6)
	w.Hold(x, y, [2]float64{toX, y})
	w.Until(tagText + `.includes(" s")`)
	assert.Regexp(t, `^0:0\d.* to 0:0\d.*, \d.*s$`, Eval[string](w, tagText), "its ends and its length are told at the pointer")
	// On this track alone, and over its clips: it is painted after them.
	w.Until(`document.querySelectorAll(".lane .range").length === 1`)
	assert.Equal(t, before.Document.Tracks[0].ID, Eval[string](w, `document.querySelector(".lane .range").closest("[data-track]").dataset.track`))
	over := Eval[bool](w, `(() => { const [r, c] = [".lane .range", ".lane canvas"].map(s => document.querySelector(s)); return Number(getComputedStyle(r).zIndex) > 0 && getComputedStyle(c).zIndex === "auto" })()`)
	assert.True(t, over)
	w.Release(toX, y)
	w.Until(`!document.querySelector(".tag") && document.querySelector(".lane .range").innerText.includes("s")`)
	w.Key(kb.Delete, chromedp.ModifierShift)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	cut := before.Document.Tracks[0]
	assert.InDelta(t, 9, (clipsOf(d, 0)[0].Length + clipsOf(d, 0)[1].Length).Seconds(), 0.5, "three of %v seconds are gone", oneClip(cut).Length.Seconds())
	assert.InDelta(t, clipsOf(d, 0)[0].End().Seconds(), clipsOf(d, 0)[1].Start.Seconds(), 0.02, "and the gap is closed")
	assert.Equal(t, before.Document.Tracks[1], d.Tracks[1], "the music has not moved")
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })

	// A click chooses the clip and sets the playhead; a click on the title chooses and sets nothing.
	w.Key(kb.Escape)
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Drag(x, y, x, y)
	w.Until(`document.querySelector(".clip.chosen")?.matches('` + voiceClip + `')`)
	w.Until(`document.querySelector(".now").innerText.startsWith("0:03") || document.querySelector(".now").innerText.startsWith("0:02.9")`)
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Click(voiceHead)
	w.Until(`document.querySelector(".clip.chosen")?.matches('` + voiceClip + `')`)
	assert.Regexp(t, `^0:0[23]`, Eval[string](w, `document.querySelector(".now").innerText`))

	// With Shift it is chosen on the chosen tracks; from the ruler on all.
	w.Click(`[aria-label="Track Voice 1"] .name`)
	cx, cy := w.Find(`[aria-label="Track Music 1"] .facts`).At(0.3, 0.5)
	w.Drag(cx, cy, cx, cy, chromedp.ModifierShift)
	w.Until(`document.querySelectorAll(".card.chosen").length === 2`)
	w.Drag(x, y, toX, y, chromedp.ModifierShift)
	w.Until(`document.querySelectorAll(".lane .range").length === 2`)
	w.Key(kb.Escape)
	w.Until(`document.querySelectorAll(".lane .range").length === 0`)
	stretch(w, 2, 5)
	w.Until(`document.querySelectorAll(".lane .range").length === 2`)
	assert.Equal(t, before.Version+2, desk(t, episode).Version, "choosing changes nothing")
}

func TestADragGoesWithTheHandFromLaneToLaneAndLeavesNoTraceWhenItIsBrokenOff(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Broken off")
	before := desk(t, episode)
	x, y := w.Find(voiceHead).At(0.5, 0.5)
	_, below := lane(w, 1, 0)
	by := xOf(w, 15) - xOf(w, 0)
	// Down to the other lane, along there, and up again: the clip is where the hand is, however often it was drawn anew.
	w.Hold(x, y, [2]float64{x, below}, [2]float64{x + by, below})
	untilKept(w, episode, func(d session.Document) bool {
		return len(d.Tracks[0].Clips) == 0 && len(d.Tracks[1].Clips) == 2 && clipNameAt(d, "Keeper at the door") > 14*audio.Second
	})
	w.MoveHeld(x+by, below, x+by, y)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })
	w.Until(tagText + ` !== ""`)
	w.Key(kb.Escape)
	w.Until(`!document.querySelector(".tag")`)
	untilKept(w, episode, func(d session.Document) bool { return assert.ObjectsAreEqual(before.Document.Tracks, d.Tracks) })
	after := desk(t, episode)
	assert.Equal(t, []string{before.Undo, before.Redo}, []string{after.Undo, after.Redo}, "no step of the history is left")
	w.MoveHeld(x+by, y, x, y)
	w.Release(x, y)
	assert.Equal(t, after.Version, desk(t, episode).Version, "the hand holds nothing any more")

	// Let go of unseen, as outside a window: the next move without a button ends it where it was.
	w.Hold(x, y, [2]float64{x + by, y})
	w.Until(tagText + ` !== ""`)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+by+5, y+5))
	w.Until(`!document.querySelector(".tag")`)
	d := untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Start > 14*audio.Second })
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y))
	w.Release(x, y)
	assert.Equal(t, d, desk(t, episode).Document)

	// A stretch that is broken off gives back the one before.
	stretch(w, 30, 35)
	was := Eval[string](w, `document.querySelector(".ruler .chosen").getAttribute("style")`)
	bx, byY := body(w, music, 5)
	w.Hold(bx, byY, [2]float64{bx + 80, byY})
	w.Until(fmt.Sprintf(`document.querySelector(".ruler .chosen").getAttribute("style") !== %q`, was))
	w.Key(kb.Escape)
	w.Until(fmt.Sprintf(`document.querySelector(".ruler .chosen").getAttribute("style") === %q`, was))
	w.Release(bx+80, byY)
}

// clipNameAt is where the clip with a name begins.
func clipNameAt(d session.Document, name string) audio.Frames {
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			if c.Name == name {
				return c.Start
			}
		}
	}
	return -1
}

func TestAfterAnyControlWasTouchedSpacePlaysAndUndoUndoes(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Hear()
	episode := withTwoClips(t, w, "Touched")
	w.Press("Balance")
	playing := `document.querySelector('footer [aria-label="Pause"]')`
	playsAndPauses := func() {
		t.Helper()
		w.Key(" ")
		w.Until(playing)
		w.Key(" ")
		w.Until(`!` + playing)
	}
	// A switch: Space plays, and does not press it again.
	w.Click(`[aria-label="Track Music 1"] .switch`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Mute })
	playsAndPauses()
	assert.True(t, desk(t, episode).Document.Tracks[1].Mute)
	w.Key("z", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return !d.Tracks[1].Mute })
	// A fader.
	x, y := w.Find(`[aria-label="Track Music 1"] .el-slider__button`).At(0.5, 0.5)
	w.Drag(x, y, x-8, y)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Fader < 0 })
	playsAndPauses()
	w.Key("z", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Fader == 0 })
	// A box, a tab, a list.
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Click(`aside .lines input`)
	playsAndPauses()
	w.Press("Voices")
	playsAndPauses()
	choose(w, "What is evened out", "Speaker by speaker")
	playsAndPauses()
	// Come to with the keyboard, a button answers Space itself, and a field keeps its keys.
	w.Focus(`[aria-label="Track Music 1"] .switch`)
	w.Key(" ")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Mute })
	assert.False(t, Eval[bool](w, `!!`+playing))
	w.Click(`[aria-label="Fader of Music 1 in dB"]`)
	w.Key(" 1 ")
	assert.False(t, Eval[bool](w, `!!`+playing))
	w.Key(kb.Escape)
}

func TestOnAMacCmdIsWhatCtrlIsElsewhere(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	agent := Eval[string](w, `navigator.userAgent`)
	_, err := chromedp.Call(w.spoilt(), emulation.SetUserAgentOverride, emulation.SetUserAgentOverrideParams{UserAgent: agent, Platform: "MacIntel"})
	require.NoError(t, err)
	episode := withTwoClips(t, w, "On a Mac")
	before := desk(t, episode)
	w.Click(voiceHead)
	w.Key("d", chromedp.ModifierMeta)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	w.Key("z", chromedp.ModifierCtrl)
	w.Settle()
	assert.Equal(t, before.Version+1, desk(t, episode).Version, "Ctrl means nothing here")
	w.Key("z", chromedp.ModifierMeta)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })
	// With Ctrl a press is for the menu alone: nothing is copied, chosen or moved.
	w.Key(kb.Escape)
	version := desk(t, episode).Version
	x, y := w.Find(voiceHead).At(0.5, 0.5)
	w.Drag(x, y, x+100, y, chromedp.ModifierCtrl)
	w.Settle()
	assert.Equal(t, version, desk(t, episode).Version)
	w.Drag(x, y, x+xOf(w, 20)-xOf(w, 0), y, chromedp.ModifierMeta)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	w.Press("Keys")
	w.UntilText("Cmd Z")
	w.UntilText("Option")
	assert.NotContains(t, Eval[string](w, `document.querySelector(".groups").innerText`), "Ctrl")
}

// offered is what the field that finds acts shows: names, keys, and why they cannot be done.
const offered = `[...document.querySelectorAll("#found-acts [role=option]")]`

func TestOneFieldFindsAnyActAndDoesItOrSaysWhyNot(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Found by words")
	ask := func(key, words string, modifiers ...chromedp.Modifier) {
		t.Helper()
		w.Key(key, modifiers...)
		w.Until(`document.activeElement?.getAttribute("aria-label") === "What do you want to do?"`)
		w.Paste(words)
		w.Until(fmt.Sprintf(`document.activeElement.value === %q`, words))
	}
	gone := `!document.querySelector("#found-acts")?.offsetParent`
	w.Key(kb.Escape)
	ask("/", "join")
	w.Until(offered + `[0]?.innerText.includes("Join the chosen clips")`)
	assert.Contains(t, Eval[string](w, offered+`[0].innerText`), "Choose two clips")
	assert.Contains(t, Eval[string](w, offered+`[0].innerText`), "K", "with its key")
	w.Key(kb.Enter)
	w.Settle()
	assert.False(t, Eval[bool](w, gone), "what cannot be done is not done")
	w.Key(kb.Escape)
	w.Until(gone)
	clickRuler(w, float64(xOf(w, 4)-w.Find(".ruler").X)/w.Find(".ruler").Width)
	w.Click(`[aria-label="Track Voice 1"] .name`)
	ask("k", "split", chromedp.ModifierCtrl)
	w.Until(offered + `[0]?.innerText.startsWith("Split at the playhead")`)
	w.Key(kb.Enter)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	w.Until(gone)
	for words, first := range map[string]string{"close gap": "Close the gap at the playhead", "compare": "Compare with another version", "duck": ""} {
		ask("/", words)
		w.Until(offered + `.length > 0`)
		assert.Contains(t, Eval[string](w, offered+`[0].innerText`), first)
		w.Key(kb.Escape)
		w.Until(gone)
	}
	ask("/", "compare")
	w.Key(kb.Enter)
	w.Until(`document.querySelector("aside [role=tab][aria-selected=true]")?.innerText.trim() === "Compare"`)
	w.Until(`document.title === "Found by words · Check · Ruvel"`)
}

func TestKeysAreChangedKeptAndTurnedOff(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Keys of one's own")
	clips := func(n int) func(d session.Document) bool {
		return func(d session.Document) bool { return len(d.Tracks[0].Clips) == n }
	}
	closed := func() {
		w.Key(kb.Escape)
		w.Until(`!document.querySelector(".key-row")?.offsetParent`)
	}
	at := func(s float64) {
		clickRuler(w, float64(xOf(w, s)-w.Find(".ruler").X)/w.Find(".ruler").Width)
		w.Click(`[aria-label="Track Voice 1"] .name`)
	}
	w.Press("Keys")
	w.UntilText("The ten to begin with")
	assert.Equal(t, 10, Eval[int](w, `document.querySelector(".groups section").querySelectorAll(".key-row").length`))
	assert.Equal(t, []string{"The ten to begin with", "Hear", "Gather", "Choose", "Cut and move", "Level and balance", "Check and hand over", "See", "Go to"},
		Eval[[]string](w, `[...document.querySelectorAll(".groups h3")].map(h => h.innerText)`), "in the order of the work")
	w.Click(`[aria-label="Key of “Split at the playhead”: H. Change it"]`)
	w.UntilText("press it…")
	w.Key("k")
	w.UntilText("K was “Join the chosen clips that a split has parted”")
	closed()
	at(4)
	w.Key("h")
	w.Key("k")
	untilKept(w, episode, clips(2))
	// It is kept with the browser, and comes along in the menu.
	w.Go("/episodes/" + episode)
	w.untilClips(3)
	at(6)
	w.Key("k")
	untilKept(w, episode, clips(3))
	// Exported as a file, put back, and read from it again.
	dir := t.TempDir()
	w.DownloadsTo(dir)
	w.Press("Keys")
	w.UntilText("The ten to begin with")
	arrived := w.arrived(filepath.Join(dir, "ruvel-keys.json"))
	w.Press("Export")
	<-arrived
	w.Press("All as they came")
	w.UntilText("All keys are as they came.")
	w.Until(`document.querySelector('[aria-label="Key of “Split at the playhead”: H. Change it"]')`)
	w.Do(chromedp.SetUploadFiles("[data-keys-file]", []string{testkit.WriteFile(t, "wrong.json", []byte("no keys"))}))
	w.UntilText("This is no file of keys")
	w.Do(chromedp.SetUploadFiles("[data-keys-file]", []string{filepath.Join(dir, "ruvel-keys.json")}))
	w.Until(`document.querySelector('[aria-label="Key of “Split at the playhead”: K. Change it"]')`)
	// Without letters, digits and signs none of them acts; what is held with Ctrl does.
	w.Click(`.foot .el-switch`)
	closed()
	at(8)
	w.Key("k")
	w.Key("/")
	w.Key("4")
	w.Settle()
	untilKept(w, episode, clips(3))
	assert.False(t, Eval[bool](w, `!!document.querySelector("#found-acts")?.offsetParent`))
	w.Key("k", chromedp.ModifierCtrl)
	w.Until(`document.activeElement?.getAttribute("aria-label") === "What do you want to do?"`)
	data, err := os.ReadFile(filepath.Join(dir, "ruvel-keys.json"))
	require.NoError(t, err)
	assert.Contains(t, string(data), `"split"`)
}

func TestFilesThatAreDroppedTogetherAreLaidInTheOrderOfTheirNames(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "In a row")
	var files []string
	for i, name := range []string{"Part 10.wav", "Part 2.wav", "Part 1.wav"} {
		files = append(files, testkit.WriteWAV(t, name, testkit.Sine(1, 300, -20, 0, audio.Frames(3-i)*audio.Second)))
	}
	data := &input.DragData{Items: []*input.DragDataItem{}, Files: files, DragOperationsMask: 1}
	drag := func(kind input.DispatchDragEventType, x, y float64) {
		t.Helper()
		_, err := chromedp.Call(w.ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: kind, X: x, Y: y, Data: data})
		require.NoError(t, err)
	}
	x, y := w.Find(".lanes").At(0.6, 0.9)
	drag(input.DispatchDragEventTypeDragEnter, x, y)
	drag(input.DispatchDragEventTypeDragOver, x, y)
	x, y = w.Find("[data-lined]").At(0.5, 0.5)
	drag(input.DispatchDragEventTypeDragOver, x, y)
	drag(input.DispatchDragEventTypeDragOver, x, y) // as it goes on while the hand rests
	w.Until(`document.querySelector("[data-lined].over")`)
	drag(input.DispatchDragEventTypeDrop, x, y)
	w.untilClips(3)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 1 && len(d.Tracks[0].Clips) == 3 })
	for i, name := range []string{"Part 1", "Part 2", "Part 10"} {
		c := clipsOf(d, 0)[i]
		assert.Equal(t, name, c.Name)
		assert.Equal(t, audio.Frames(i*(i+1)/2)*audio.Second, c.Start)
	}
}

func TestOneKeyLeadsFromWhatIsChosenIntoItsPanelAndBack(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "There and back")
	w.Press("Balance")
	w.Focus(voiceClip)
	w.Key(kb.Enter)
	w.Key(kb.F6)
	w.Until(`document.querySelector("aside").contains(document.activeElement)`)
	w.Key(kb.F6)
	w.Until(`document.activeElement?.matches('` + voiceClip + `')`)
	// A value that cannot be read is said beside its field and stays to be mended.
	field := `[aria-label="Gain, typed"]`
	w.Type(field, "loud")
	w.Until(`document.querySelector(".not-read")?.innerText.includes("“loud” cannot be read")`)
	assert.Equal(t, "loud", Eval[string](w, fmt.Sprintf(`document.querySelector(%q).value`, field)))
	beside, at := w.Find(".not-read"), w.Find(field)
	assert.InDelta(t, at.Y+at.Height, beside.Y, 8)
	w.Type(field, "-3")
	w.Until(`!document.querySelector(".not-read")`)
	w.Until(fmt.Sprintf(`document.querySelector(%q).value.startsWith("−3.0")`, field))
	// A dialog has the focus in its first field.
	w.Go("/")
	w.Press("New show")
	w.Until(`document.activeElement?.id === "new-name"`)
}

func TestAFingerScrollsHoldsAndActs(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "By finger")
	_, err := chromedp.Call(w.spoilt(), emulation.SetTouchEmulationEnabled, emulation.SetTouchEmulationEnabledParams{Enabled: true, MaxTouchPoints: 2})
	require.NoError(t, err)
	w.Do(chromedp.EmulateViewport(820, 1180))
	w.untilClips(2)
	for range 4 {
		w.Key("+")
	}
	w.Settle()
	touch := func(kind input.DispatchTouchEventType, at ...[2]float64) {
		t.Helper()
		params := input.DispatchTouchEventParams{Type: kind, TouchPoints: []*input.TouchPoint{}}
		for i, p := range at {
			finger := float64(i)
			params.TouchPoints = append(params.TouchPoints, &input.TouchPoint{X: p[0], Y: p[1], ID: &finger})
		}
		_, err := chromedp.Call(w.ctx, input.DispatchTouchEvent, params)
		require.NoError(t, err)
	}
	before := desk(t, episode)
	// A swipe over a clip scrolls along time, and grabs nothing.
	box := w.Find(music)
	y := box.Y + box.Height*0.7
	from := xOf(w, 1)
	touch(input.DispatchTouchEventTypeTouchStart, [2]float64{600, y})
	for x := 590.0; x >= 400; x -= 10 {
		touch(input.DispatchTouchEventTypeTouchMove, [2]float64{x, y})
	}
	touch(input.DispatchTouchEventTypeTouchEnd)
	w.Until(`document.querySelectorAll(".tick").length > 0 && !document.querySelector(".lane .range")`)
	assert.InDelta(t, from-200, xOf(w, 1), 25)
	assert.Equal(t, before.Version, desk(t, episode).Version)
	// A finger that rests on a title takes hold of the clip; a second one puts it back.
	w.Key("0")
	w.Settle()
	x, y := w.Find(voiceHead).At(0.5, 0.5)
	touch(input.DispatchTouchEventTypeTouchStart, [2]float64{x, y})
	w.Until(`document.documentElement.classList.contains("dragging")`)
	for by := 10.0; by <= 60; by += 10 {
		touch(input.DispatchTouchEventTypeTouchMove, [2]float64{x + by, y})
	}
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Start > audio.Second })
	touch(input.DispatchTouchEventTypeTouchStart, [2]float64{x + 60, y}, [2]float64{x + 160, y})
	untilKept(w, episode, func(d session.Document) bool { return assert.ObjectsAreEqual(before.Document.Tracks, d.Tracks) })
	touch(input.DispatchTouchEventTypeTouchEnd)
	w.Until(`!document.querySelector(".tag")`)
	// A tap chooses, and a bar brings what can be done, wide enough for a finger.
	tap := func(x, y float64) {
		t.Helper()
		touch(input.DispatchTouchEventTypeTouchStart, [2]float64{x, y})
		touch(input.DispatchTouchEventTypeTouchEnd)
	}
	bx, by := body(w, voiceClip, 5)
	tap(bx, by)
	w.Until(`document.querySelector(".clip.chosen")?.matches('` + voiceClip + `')`)
	w.Until(`document.querySelector('[role=toolbar][aria-label="What can be done with what is chosen"]')`)
	assert.GreaterOrEqual(t, w.Find(w.Button("Split")).Height, 40.0)
	tap(w.Find(w.Button("Split")).At(0.5, 0.5))
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	assert.InDelta(t, 5, clipsOf(d, 0)[1].Start.Seconds(), 0.3)
	tap(w.Find(`.acts button:nth-of-type(7)`).At(0.5, 0.5))
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })
}

func TestTheNightDeskHasNoSeriousFaultEither(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	w := OpenWindow(t, base)
	w.Go("/")
	w.UntilText("LUFS")
	day := Eval[string](w, `getComputedStyle(document.body).backgroundColor`)
	w.ClickOn(`document.querySelector('[aria-label^="Light as the system wishes"]')`)
	w.Until(`document.documentElement.dataset.light === "night"`)
	assert.NotEqual(t, day, Eval[string](w, `getComputedStyle(document.body).backgroundColor`))
	noSeriousFault(t, w, string(axe), "the shelf at night")
	openSample(w)
	w.Until(`document.querySelectorAll(".clip").length === 9`)
	w.Until(`document.documentElement.dataset.light === "night"`)
	w.Click(`[aria-label^="Harbour theme, bed"] .head`)
	for _, stage := range []string{"Balance", "Room", "Treatment", "Check", "Hand over", "Arrange", "Gather"} {
		w.Press(stage)
		w.Settle()
		noSeriousFault(t, w, string(axe), stage+" at night")
	}
	// The waves are drawn in the colours of the night, also when it falls while the desk is open.
	drawn := `document.querySelector(".lane canvas").toDataURL()`
	night := Eval[string](w, drawn)
	w.ClickOn(`document.querySelector('[aria-label^="Night desk"]')`)
	w.Until(`document.documentElement.dataset.light === "day"`)
	w.Until(fmt.Sprintf(`%s.length > 0 && %s !== window.__night`, drawn, drawn))
	assert.NotEqual(t, night, Eval[string](w, drawn))
}

// The whole job: two files become a show. Before stretches were chosen over clips and room was made from the strip, the slip took
// three acts (the ruler, the clip, the key), the room four and the treatment one more of scrolling.
func TestTheJobIsDoneInThirteenActs(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Few acts")
	said := testkit.Join(testkit.Noise(1, 0.0005, audio.Second, 1), testkit.Voice(0.8, 120, 6*audio.Second), testkit.Noise(1, 0.0005, audio.Second, 2))
	wide := testkit.Sine(2, 1000, -14, 0, 30*audio.Second)
	wide[1] = testkit.Sine(1, 700, -14, 0, 30*audio.Second)[0]
	files := []string{testkit.WriteWAV(t, "keeper.wav", said), testkit.WriteWAV(t, "harbour.wav", wide)}
	acts := map[string]int{}
	act := func(of string, carryOut func()) {
		carryOut()
		acts[of]++
	}
	x, y := w.Find(".lanes").At(0.6, 0.9)
	act("files in", func() { w.Drop(x, y, files...) })
	w.untilClips(2)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 2 && parted(d) })
	w.Settle()
	voice := `[aria-label^="keeper"]`
	x, y = w.Find(voice+" .head").At(0.5, 0.5)
	by := xOf(w, 10) - xOf(w, 0)
	act("voice at 10 s", func() { w.Drag(x, y, x+by, y) })
	untilKept(w, episode, func(d session.Document) bool {
		return trackOf(d, session.Voice).ID != "" && oneClip(trackOf(d, session.Voice)).Start > 9*audio.Second
	})
	w.Settle()
	x, y = body(w, voice, 13)
	act("slip out", func() { w.Drag(x, y, xOf(w, 14), y, chromedp.ModifierAlt) })
	act("slip out", func() { w.Key(kb.Delete, chromedp.ModifierShift) })
	untilKept(w, episode, func(d session.Document) bool { return len(trackOf(d, session.Voice).Clips) == 2 })
	w.Until(`document.querySelector(".miss")`)
	act("room made", func() { w.Press("Make room…") })
	w.Until(`document.querySelectorAll(".room li").length === 1`)
	act("room made", func() { w.Press("Make room") })
	d := untilKept(w, episode, func(d session.Document) bool { return trackOf(d, session.Music).Way.On })
	act("treated", func() { w.Click(fmt.Sprintf(`[aria-label="Track %s"] .name`, trackOf(d, session.Voice).Name)) })
	act("treated", func() { w.Press("Treatment") })
	act("treated", func() { w.Press("Suggest") })
	untilKept(w, episode, func(d session.Document) bool { return trackOf(d, session.Voice).Treatment.Compressor.On })
	act("checked", func() { w.Press("Check") })
	w.Until(`document.querySelector("aside [data-kind]")`)
	assert.Zero(t, Eval[int](w, `document.querySelectorAll('aside [data-kind="covered"]').length`))
	act("handed over", func() { w.Press("Hand over") })
	act("handed over", func() { w.Press("Mix down") })
	act("handed over", func() { w.Press("Mix down all the same") }) // nobody has said under which licence the music may be used
	w.Until(`document.querySelectorAll("aside audio").length === 1`)
	sum := 0
	for _, n := range acts {
		sum += n
	}
	t.Logf("%v: %d acts", acts, sum)
	assert.Equal(t, 13, sum)
}

// outOfReach are the buttons, fields and lists of a part of the page that cannot be brought to where a finger meets them.
func outOfReach(w *Window, part string) []string {
	w.t.Helper()
	return Eval[[]string](w, fmt.Sprintf(`[...document.querySelectorAll(%q)].flatMap(part => [...part.querySelectorAll("button, input:not([type=file]), textarea, a[href], [role=slider]")]).filter(e => {
		if (!e.checkVisibility() || e.closest(".visually-hidden, .skips") || e.matches(".visually-hidden")) return false;
		e.scrollIntoView({block: "center", inline: "center"});
		const r = (e.closest(".el-select, .el-slider, label") ?? e).getBoundingClientRect();
		const meets = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2);
		return !(meets && (e.contains(meets) || meets.contains(e) || e.closest(".el-select, .el-slider, label")?.contains(meets)));
	}).map(e => e.getAttribute("aria-label") ?? e.innerText ?? e.outerHTML.slice(0, 60))`, part))
}

func TestNothingIsOutOfReachInASmallWindow(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "Small windows")
	for _, size := range [][2]int64{{640, 400}, {820, 1180}, {1024, 768}} { // the first is 1280 by 800 at 200 %
		w.Do(chromedp.EmulateViewport(size[0], size[1]))
		w.Click(voiceHead)
		for _, stage := range []string{"Gather", "Arrange", "Balance", "Check", "Hand over"} {
			w.Press(stage)
			w.Settle()
			assert.Empty(t, outOfReach(w, "header, aside, footer, .card"), "%s in %v", stage, size)
		}
		assert.LessOrEqual(t, Eval[int](w, `document.documentElement.scrollWidth - document.documentElement.clientWidth`), 0)
	}
	w.Go("/")
	w.UntilText("Small windows")
	w.Do(chromedp.EmulateViewport(320, 640))
	w.Settle()
	assert.Empty(t, outOfReach(w, ".shelf"))
	assert.LessOrEqual(t, Eval[int](w, `document.documentElement.scrollWidth - document.documentElement.clientWidth`), 0)
}
