package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/accessibility"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/testkit"
)

// stops is what the Tab key comes to within a part of the page.
const stops = `[...document.querySelectorAll(%q)].flatMap(part => [...part.querySelectorAll("a[href], button, input, select, textarea, [tabindex]")])
	.filter(e => e.tabIndex >= 0 && !e.disabled && e.checkVisibility()).length`

func TestTheTimelineIsOneStopWithArrowsInsideAndFocusChoosesNothing(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	// An hour of speech in six hundred clips.
	episode := copyOf(w, demo.EpisodeTitle, "Six hundred clips", func(d *session.Document) {
		track := &d.Tracks[0]
		var one session.Clip
		for _, one = range track.Clips {
		}
		one.Length, one.FadeIn.Length, one.FadeOut.Length, one.Envelope = audio.Second, 0, 0, []session.Point{}
		track.Clips = map[string]session.Clip{}
		for i := range 600 {
			one.Name, one.Start = fmt.Sprintf("Part %03d", i+1), audio.Frames(6*i)*audio.Second
			track.Clips[fmt.Sprintf("c%d", 1000+i)] = one
		}
		d.Next = 2000
	})
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 9`)
	w.Settle()
	assert.Equal(t, 1, Eval[int](w, fmt.Sprintf(stops, "#timeline")), "stops in the timeline")
	w.Press("Balance")

	named := func(name string) {
		w.Until(fmt.Sprintf(`document.activeElement?.getAttribute("aria-label")?.startsWith(%q) || document.activeElement?.innerText?.startsWith(%[1]q)`, name))
	}
	presenter := Eval[string](w, `document.querySelector('[data-stop^="track:"]').innerText`)
	w.Focus(`[data-stop^="track:"]`)
	w.Key(kb.ArrowRight)
	named("Part 001")
	assert.Empty(t, Eval[[]string](w, `[...document.querySelectorAll('[role=gridcell][aria-selected="true"]')].map(e => e.ariaLabel)`), "nothing is chosen by going there")
	w.Key(kb.ArrowRight)
	named("Part 002")
	w.Key(kb.End, chromedp.ModifierCtrl)
	named("Part 600") // which was far out of sight
	w.Key(kb.ArrowLeft)
	named("Part 599")
	assert.Equal(t, 1, Eval[int](w, fmt.Sprintf(stops, "#timeline")))

	// Chosen, its panel is a key away, and it is a key back; with Tab it is a few.
	w.Key(kb.Enter)
	w.Until(`document.activeElement.getAttribute("aria-selected") === "true"`)
	w.Until(`document.querySelector("aside h2").innerText === "Part 599"`)
	w.Key(kb.F6)
	w.Until(`document.activeElement.matches("aside [role=tab]")`)
	w.Key(kb.F6)
	named("Part 599")
	keys := 0
	for !Eval[bool](w, `document.activeElement.closest("aside") !== null`) && keys < 10 {
		w.Key(kb.Tab)
		keys++
	}
	for !Eval[bool](w, `document.activeElement.closest("#timeline") !== null`) && keys < 20 {
		w.Key(kb.Tab, chromedp.ModifierShift)
		keys++
	}
	assert.Less(t, keys, 10, "into the panel and back by Tab")
	named("Part 599")

	// At its end the page is left.
	w.Focus(`footer .el-slider__button-wrapper`)
	w.Key(kb.Tab)
	w.Until(`!document.activeElement?.closest("footer")`)
	w.Key(kb.F6)
	if Eval[bool](w, `document.activeElement.closest("aside") !== null`) {
		w.Key(kb.F6)
	}
	named("Part 599")

	// Enter goes into what is chosen, Esc comes out; up and down go from row to row.
	w.Key(kb.Enter)
	w.Until(`document.activeElement.getAttribute("role") === "slider"`)
	w.Key(kb.Escape)
	named("Part 599")
	w.Until(`document.activeElement.getAttribute("aria-selected") === "true"`) // what is chosen stays so
	w.Key(kb.Home, chromedp.ModifierCtrl)
	named(presenter)
	w.Key(kb.ArrowUp)
	w.Until(`document.activeElement.closest("[data-row]").dataset.row === "marks"`)
	w.Key(kb.ArrowUp)
	w.Until(`document.activeElement.closest("[data-row]").dataset.row === "blocks"`)
	view := Eval[string](w, `document.querySelector(".frame").getAttribute("style")`)
	w.Key(kb.Enter) // shows the block
	w.Until(fmt.Sprintf(`document.querySelector(".frame").getAttribute("style") !== %q`, view))
}

// Whoever has pressed on the timeline has the keys of the desk, also when a button is switched off and on meanwhile.
func TestWhatAPressHasLedAwayFromIsNotComeBackTo(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Led away")
	w.Press("Balance")
	w.Click(music + " .head")
	w.Type(`[aria-label="Depth of the dip"]`, "12")
	w.Until(`document.activeElement.ariaLabel === "Depth of the dip"`)
	clickRuler(w, 0.8)
	w.Until(`document.activeElement === document.body`)
	for marked := range 3 {
		w.Key("n") // Undo can be pressed then
		untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 1 })
		w.Key("z", chromedp.ModifierCtrl)
		untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 0 })
		w.Settle()
		assert.True(t, Eval[bool](w, `document.activeElement === document.body`), "after %d", marked)
	}
}

// heardAloud collects what is read out.
const heardAloud = `(() => {
	window.__said = [];
	new MutationObserver(changes => changes.forEach(c => c.addedNodes.forEach(n => n.textContent && window.__said.push(n.textContent))))
		.observe(document.querySelector('[role="log"]'), {childList: true, subtree: true});
})()`

func TestWhatIsDoneIsReadOutByItsNameAndNothingWhileSomethingIsHeard(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Read out")
	w.Settle()
	w.Do(chromedp.Evaluate[chromedp.Void](heardAloud))
	said := func(text string) { w.Until(fmt.Sprintf(`window.__said.some(s => s.startsWith(%q))`, text)) }
	w.Focus(voiceClip)
	w.Key(kb.Enter)
	w.Key(kb.ArrowRight, chromedp.ModifierCtrl)
	w.Key("h")
	said("Done: Split")
	w.Key("z", chromedp.ModifierCtrl)
	said("Undone: Split")
	w.Key("z", chromedp.ModifierCtrl|chromedp.ModifierShift)
	w.Until(`window.__said.filter(s => s.startsWith("Done: Split")).length === 2`)
	assert.Less(t, Eval[int](w, `window.__said.length`), 6, "one thing is said of one act")

	// What is heard is not talked into.
	before := Eval[int](w, `window.__said.length`)
	w.Key(" ")
	w.Until(`document.querySelector('[aria-label="Pause"]')`)
	w.Key("n")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 1 })
	w.Until(`document.querySelector(".clock .now").innerText >= "0:02.50"`)
	assert.Equal(t, before, Eval[int](w, `window.__said.length`), "%s", Eval[[]string](w, `window.__said`))
	w.Key(" ")
	w.Until(`document.querySelector('[aria-label="Play"]')`)

	// Long work is told at its start and its end.
	w.Press("Hand over")
	pressMixDown(w)
	said("Mixing down")
	w.Until(`window.__said.some(s => /^Mixing down .*: done\.$/.test(s))`)
	assert.LessOrEqual(t, Eval[int](w, `window.__said.filter(s => s.startsWith("Mixing down")).length`), 5)
	// What speaks by itself is that one voice and what went wrong.
	assert.Empty(t, Eval[[]string](w, `[...document.querySelectorAll('[aria-live="polite"], [role="status"], [role="log"]')].filter(e => e.textContent.trim()).map(e => e.className).filter(c => c !== "visually-hidden")`))
}

// views are the views, tabs and dialogs of the whole.
func (w *Window) views(see func(name string)) {
	w.t.Helper()
	w.Go("/")
	w.UntilText("LUFS")
	see("shelf")
	w.Press("New episode")
	w.Until(`document.activeElement?.id === "new-name"`)
	w.Settle()
	see("a new episode")
	w.Key(kb.Escape)
	openSample(w)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	tabs := map[string][]string{
		"Gather": {"Sounds", "Music", "Record", "Credits"}, "Arrange": {"Order", "Markers", "Pauses", "Fit", "History"},
		"Balance": {"Level", "Treatment", "Room", "Voices"}, "Check": {"Findings", "Loudness", "Compare", "Notes"}, "Hand over": {"Files", "Details", "Share", "Feed"},
	}
	for _, stage := range []string{"Gather", "Arrange", "Balance", "Check", "Hand over"} {
		w.Press(stage)
		w.Settle()
		there := Eval[[]string](w, `[...document.querySelectorAll("aside [role=tab]")].map(e => e.innerText.trim())`)
		require.Len(w.t, there, len(tabs[stage]), "%s: %v", stage, there)
		for _, tab := range there {
			w.Press(tab)
			w.Settle()
			see(stage + ", " + tab)
		}
	}
	w.Key("k", chromedp.ModifierCtrl)
	w.Until(`document.activeElement?.matches(".finder input")`)
	see("finding an act")
	w.Key(kb.Escape)
	w.Until(`!document.querySelector(".finder")?.checkVisibility()`)
	w.Key("?", chromedp.ModifierShift)
	w.UntilText("Put a point on the level line at the playhead")
	w.Settle()
	see("all keys")
}

func TestAxeFindsNothingAtAllOnAnyViewTabOrDialog(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	for _, width := range []int64{1280, 640, 320} {
		t.Run(fmt.Sprint(width), func(t *testing.T) {
			t.Parallel()
			w := OpenWindow(t, base)
			w.Do(chromedp.EmulateViewport(width, 800))
			w.views(func(view string) { noFault(t, w, string(axe), view) })
		})
	}
}

// noFault has axe look at a window, its best practices included.
func noFault(t *testing.T, w *Window, axe, view string) {
	t.Helper()
	if !Eval[bool](w, `"axe" in window`) {
		w.Do(chromedp.Evaluate[chromedp.Void](axe))
	}
	found := Eval[json.RawMessage](w, `axe.run(document, {resultTypes: ["violations"]}).then(r => r.violations.map(v => v.id + ": " + v.nodes.slice(0, 4).map(n => n.target.join(" ") + " (" + (n.any[0] ?? n.all[0] ?? n.none[0])?.message + ")").join(", ")))`)
	var faults []string
	require.NoError(t, json.Unmarshal(found, &faults))
	assert.Empty(t, faults, view)
}

// The tree of what is read out in each stage, without figures, which come from measurements. RUVEL_TREES=write writes it anew.
func TestWhatIsReadOutInEachStageIsAsItIsWritten(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	// In a show of its own, which nobody adds a sound to.
	answer, err := http.Get(base + "/api/episodes/" + copyOf(w, demo.EpisodeTitle, "To be read out", nil) + "/archive")
	require.NoError(t, err)
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, errors.Join(err, answer.Body.Close()))
	show, err := house.Store.AddShow(t.Context(), "Read out")
	require.NoError(t, err)
	w.Go("/shows/" + show.ID)
	w.UntilText("There is no episode in this show yet.")
	w.Do(chromedp.SetUploadFiles(`[aria-label="Archives to open"]`, []string{testkit.WriteFile(t, "sample.zip", data)}))
	w.Until(`document.querySelector("main li .name")`)
	w.Click("main li .name")
	w.Until(`document.querySelectorAll(".clip").length === 9`)
	w.Focus(`[aria-label^="Harbour theme, bed"]`)
	w.Key(kb.Enter)
	for _, stage := range []string{"Gather", "Arrange", "Balance", "Check", "Hand over"} {
		w.Press(stage)
		if stage == "Gather" { // which all came at once
			w.Choose(`[aria-label="In which order"]`, "By name")
		}
		w.Settle()
		w.Until(`!document.querySelector(".state") && !document.querySelector(".lead-card small.figures")`)
		file := filepath.Join("testdata", "trees", strings.ToLower(strings.ReplaceAll(stage, " ", "-"))+".txt")
		now := tree(t, w)
		if os.Getenv("RUVEL_TREES") == "write" {
			require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
			require.NoError(t, os.WriteFile(file, []byte(now), 0o644))
		}
		was, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, string(was), now, "%s; RUVEL_TREES=write go test ./e2e -run ReadOut writes it anew", stage)
	}
}

var figures = regexp.MustCompile(`[−-]?\d[\d:.,]*`)

// tree is what a screen reader has of a window, a line for each thing that has a name or can be operated.
func tree(t *testing.T, w *Window) string {
	t.Helper()
	got, err := chromedp.Call(w.ctx, accessibility.GetFullAXTree, accessibility.GetFullAXTreeParams{})
	require.NoError(t, err)
	byID := map[accessibility.NodeID]*accessibility.Node{}
	for _, n := range got.Nodes {
		byID[n.NodeID] = n
	}
	var out strings.Builder
	text := func(v *accessibility.Value) string {
		if v == nil {
			return ""
		}
		var s string
		_ = json.Unmarshal(v.Value, &s)
		return s
	}
	var walk func(n *accessibility.Node, depth int)
	walk = func(n *accessibility.Node, depth int) {
		role, name := text(n.Role), text(n.Name)
		passed := n.Ignored || role == "none" || role == "generic" || role == "InlineTextBox" || role == "ListMarker" || role == "paragraph" && name == "" || role == "log" || role == "tooltip"
		if role == "StaticText" || role == "image" && name == "" {
			passed = true // it is the name of what it lies in, or is read along with it
		}
		if !passed {
			fmt.Fprintf(&out, "%s%s %s%s\n", strings.Repeat("  ", depth), role, figures.ReplaceAllString(name, "0"), stateOf(n))
			depth++
		}
		for _, id := range n.ChildIDs {
			// A list that has just closed hangs in the page for a moment.
			if child := byID[id]; child != nil && role != "log" && role != "tooltip" {
				walk(child, depth)
			}
		}
	}
	walk(got.Nodes[0], 0)
	return out.String()
}

// stateOf is what a thing is set to, and whether it is chosen, pressed or open.
func stateOf(n *accessibility.Node) (said string) {
	var role string
	_ = json.Unmarshal(n.Role.Value, &role)
	if n.Value != nil && (role == "combobox" || role == "slider") {
		var value any
		_ = json.Unmarshal(n.Value.Value, &value)
		said = " = " + figures.ReplaceAllString(fmt.Sprint(value), "0")
	}
	for _, p := range n.Properties {
		switch state := strings.Trim(string(p.Value.Value), `"`); p.Name {
		case "selected", "pressed", "checked", "expanded":
			if state == "true" {
				said += ", " + string(p.Name)
			}
		}
	}
	return said
}

func TestInColoursThatTheSystemHasChosenNothingLosesItsMark(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "Forced colours")
	_, err := chromedp.Call(w.spoilt(), emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "forced-colors", Value: "active"}}})
	require.NoError(t, err)
	require.True(t, Eval[bool](w, `matchMedia("(forced-colors: active)").matches`))
	w.Click(voiceHead)
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	w.Until(`document.querySelector('.switch[aria-pressed="true"]')`)
	style := func(css, property string) string {
		return Eval[string](w, fmt.Sprintf(`getComputedStyle(document.querySelector(%q))[%q]`, css, property))
	}
	ground := style("body", "backgroundColor")
	assert.NotEqual(t, ground, style(".playhead", "backgroundColor"), "the playhead")
	assert.NotEqual(t, style(`.switch[aria-pressed="false"]`, "backgroundColor"), style(`.switch[aria-pressed="true"]`, "backgroundColor"), "mute")
	assert.NotEqual(t, style(".stage:not(.current)", "borderBottomColor"), style(".stage.current", "borderBottomColor"), "the stage")
	assert.Equal(t, "solid", style(".clip.chosen", "outlineStyle"), "the chosen clip")
	assert.NotEqual(t, style(".fader .el-slider__runway", "backgroundColor"), style(".fader .el-slider__button", "backgroundColor"), "a fader")
	assert.NotEqual(t, style(`[role="tab"][aria-selected="false"]`, "backgroundColor"), style(`[role="tab"][aria-selected="true"]`, "backgroundColor"), "a tab")
	// And every word can be read on its ground, the blocks of the running order among them.
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	w.Go("/episodes/" + copyOf(w, demo.EpisodeTitle, "Forced blocks", nil))
	w.Until(`document.querySelectorAll(".block").length > 3`)
	for _, stage := range []string{"Gather", "Arrange", "Balance", "Check", "Hand over"} {
		w.Press(stage)
		w.Settle()
		noFault(t, w, string(axe), stage)
	}
}

// What a finger can hit of the small things on the desk: 24 pixels each way (WCAG 2.2, 2.5.8).
func TestWhatIsSmallToTheEyeIsLargeEnoughForAFinger(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/episodes/" + copyOf(w, demo.RoughTitle, "Small things", nil))
	w.Until(`document.querySelectorAll(".clip").length > 0 && document.querySelectorAll(".finding").length > 0`)
	w.Settle()
	small := Eval[[]string](w, `[...document.querySelectorAll(".finding, .flag, .block, .arm, .more, .switch, .row-button, header button, footer button, .fold, .miss")]
		.filter(e => e.checkVisibility() && e.getBoundingClientRect().width > 0)
		.map(e => {
			const r = e.getBoundingClientRect(), after = e.classList.contains("reach") ? 24 : 0;
			return [e, Math.max(r.width, after), Math.max(r.height, after)];
		})
		.filter(([e, width, height]) => width < 24 && !e.matches(".block") || height < 24)
		.map(([e, width, height]) => e.className + " " + (e.ariaLabel ?? e.innerText) + " " + width + " x " + height)`)
	assert.Empty(t, small)
	// With letters, words and lines as far apart as WCAG 1.4.12 has it no name is cut in its height.
	w.Do(chromedp.Evaluate[chromedp.Void](`document.head.append(Object.assign(document.createElement("style"), {textContent: "* { line-height: 1.5 !important; letter-spacing: 0.12em !important; word-spacing: 0.16em !important; }"}))`))
	assert.Empty(t, Eval[[]string](w, `[...document.querySelectorAll(".block, .tick, .named .what, .flag, .miss span, .card .name, .stage")]
		.filter(e => e.checkVisibility() && e.scrollHeight > e.clientHeight + 1).map(e => e.className + " " + e.innerText)`))
	assert.Empty(t, Eval[[]string](w, `[...document.querySelectorAll(".tick, .named, .flag")].filter(e => {
		const r = e.getBoundingClientRect(), box = e.closest(".ruler").getBoundingClientRect();
		return r.top < box.top - 1 || r.bottom > box.bottom + 1;
	}).map(e => e.innerText)`))
	w.Do(chromedp.Evaluate[chromedp.Void](`document.head.lastElementChild.remove()`))
	// And by what answers there: a point, half a finger beside its middle.
	w.Click(`[aria-label^="Harbour theme"] .head`)
	w.Until(`document.querySelector(".clip .point")`)
	assert.True(t, Eval[bool](w, `(() => {
		const r = [...document.querySelectorAll(".clip .point")].map(p => p.getBoundingClientRect()).find(r => r.x > 250 && r.x < 900);
		const at = document.elementFromPoint(r.x + r.width / 2 + 10, r.y + r.height / 2);
		return at.matches(".reached, .point");
	})()`))
}
