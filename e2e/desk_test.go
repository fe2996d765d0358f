package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/handover"
	"ruvel/testkit"
)

// withTwoClips opens a new episode with the newcomer's voice and music on it.
func withTwoClips(t *testing.T, w *Window, title string) (episode string) {
	t.Helper()
	return twoClips.Open(w, title)
}

func TestASecondWindowFollowsWhatTheFirstOneDoes(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Two desks")
	second := w.OpenSecond()
	second.Go("/episodes/" + episode)
	second.Until(`document.querySelectorAll(".clip").length === 2`)
	w.Press("Add a track")
	w.Press("for effects")
	second.Until(`document.querySelectorAll(".lane").length === 3`)
	second.Press("Undo")
	w.Until(`document.querySelectorAll(".lane").length === 2`)
	w.Press("Redo")
	second.Until(`document.querySelectorAll(".lane").length === 3`)
	// Both at once: neither loses its edit.
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	second.Click(`[aria-label="Track Music 1"] .switch`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute && d.Tracks[1].Mute })
	for _, window := range []*Window{w, second} {
		window.Until(`document.querySelectorAll('.switch[aria-pressed="true"]').length === 2`)
	}
}

func TestFilesThatCannotBeTakenInAreNamedAndChangeNothing(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Bad files")
	before := desk(t, episode)
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, testkit.WriteFile(t, "Notes on fog.mp3", []byte("The fog came at four.\n")), testkit.WriteFile(t, "Nothing at all.wav", nil))
	w.UntilText("Notes on fog.mp3: This is not a sound file that Ruvel can read")
	w.UntilText("Nothing at all.wav: The file is empty.")
	assert.Equal(t, string(before.Document.JSON()), string(desk(t, episode).Document.JSON()))
	for _, name := range []string{"Notes on fog.mp3", "Nothing at all.wav"} {
		w.Press("Close the message about " + name)
		w.Until(fmt.Sprintf(`!document.body.innerText.includes(%q)`, name))
	}
}

func TestEditsStayInOrderAndAreKeptWhenTheDeskIsLeft(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Quick hands")
	w.Click(`[aria-label="Track Voice 1"] .switch:nth-of-type(2)`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Solo })
	// An edit and its undo in one breath: the undo means that edit, not the one before it.
	letGo := gate.Hold("POST", "/edits")
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	w.Press("Undo")
	letGo()
	doc := untilKept(w, episode, func(session.Document) bool { return desk(t, episode).Redo == "Mute “Voice 1”" })
	assert.False(t, doc.Tracks[0].Mute)
	assert.Len(t, doc.Tracks[1].Clips, 1)
	// Two edits, and off to the shelf before either has been answered.
	letGo = gate.Hold("POST", "/edits")
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	w.Click(`[aria-label="Track Music 1"] .switch`)
	w.Click("a.brand")
	letGo()
	w.UntilText("New episode")
	require.Eventually(t, func() bool {
		d := desk(t, episode).Document
		return d.Tracks[0].Mute && d.Tracks[1].Mute
	}, patience, 20*time.Millisecond)
}

func TestEverythingOnTheDeskCanBeDoneFromTheKeyboard(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Keys")
	focus := w.Focus
	musicClip := func(d session.Document) session.Clip { _, _, c := clipNamed(t, d, "Slack water"); return c }

	focus(`[aria-label^="Slack water"]`)
	w.Key(kb.Enter)
	for range 3 {
		w.Key(kb.ArrowRight, chromedp.ModifierCtrl)
	}
	w.Key("p")
	untilKept(w, episode, func(d session.Document) bool {
		e := musicClip(d).Envelope
		return len(e) == 1 && e[0].At == 3*audio.Second
	})
	w.Until(fmt.Sprintf(`document.querySelector(%q)`, music+" .point"))
	focus(music + " .point")
	w.Key(kb.ArrowDown)
	w.Until(`document.querySelector(".point").getAttribute("aria-valuetext").startsWith("−1.0 dB")`)
	w.Key(kb.ArrowDown, chromedp.ModifierShift)
	untilKept(w, episode, func(d session.Document) bool { return math.Abs(float64(musicClip(d).Envelope[0].Level)+1.1) < 1e-6 })

	focus(`[aria-label^="Slack water"]`)
	w.Key(kb.ArrowDown, chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return musicClip(d).Gain == -1 })
	w.Key(".")
	untilKept(w, episode, func(d session.Document) bool { return musicClip(d).Start == 480 })
	w.Key("g")
	untilKept(w, episode, func(d session.Document) bool { return musicClip(d).Start == 3*audio.Second })
	w.Key(kb.ArrowRight, chromedp.ModifierCtrl)
	w.Key("h")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 2 })
	w.Key("z", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 1 })
	w.Key("j")
	untilKept(w, episode, func(d session.Document) bool { return musicClip(d).Length == audio.Second })
	w.Key("d", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 2 })
	w.Key("q")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Mute })
	w.Key("n")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 1 })
	const first = `[aria-label^="Slack water, part 1"]`
	focus(first)
	if !Eval[bool](w, fmt.Sprintf(`document.querySelector('%s').ariaSelected === "true"`, first)) {
		w.Key(kb.Enter)
	}
	w.Until(fmt.Sprintf(`document.querySelector('%s').ariaSelected === "true"`, first))
	w.Key(kb.Delete)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 1 })
	w.Key("5")
	w.UntilText("Mix down")
	w.Key("?", chromedp.ModifierShift)
	w.UntilText("Put a point on the level line at the playhead")
}

func TestAChangeWhilePlayingIsHeardAndItGoesOn(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Hear()
	episode := withTwoClips(t, w, "Live")
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:01.00"`)
	// On the left there are tones of 300 and of 1000 Hz; solo leaves the second, in which every period of 48 frames is as
	// the one before. Then it is muted, and there is silence.
	alone := `(b => b.some(v => Math.abs(v) > 0.01) && b.every((v, i) => i < 48 || Math.abs(v - b[i - 48]) < 1e-3))(window.__heard.at(-1)?.[0] ?? [])`
	w.Until(`window.__heard.length > 0 && !` + alone)
	w.Click(`[aria-label="Track Music 1"] .switch:nth-of-type(2)`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Solo })
	w.Until(alone)
	w.Click(`[aria-label="Track Music 1"] .switch`)
	w.Until(`window.__heard.slice(-4).every(b => b[0].every(v => v === 0))`)
	w.Until(`document.querySelector('[aria-label="Pause"]') && document.querySelector(".now").innerText >= "0:02.00"`)
}

func TestASelectedRangeIsLoopedAndMixedDown(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Range")
	_, y := w.Find(".ruler").At(0.5, 0.8)
	w.Drag(xOf(w, 4), y, xOf(w, 6), y)
	w.Until(`document.querySelector(".ruler .chosen")`)
	w.Key("l")
	w.Press("Play")
	// Round and round: the time falls back again and again, and stays within the range.
	seen := Eval[[]float64](w, `(async () => {
		const read = () => document.querySelector(".now").innerText.split(":").reduce((s, v) => s * 60 + Number(v), 0);
		let low = 1e9, high = 0, falls = 0, last = 0;
		while (falls < 2) {
			await new Promise(requestAnimationFrame);
			const now = read();
			if (now < last - 1) falls++;
			if (now > 0) { low = Math.min(low, now); high = Math.max(high, now); }
			last = now;
		}
		return [low, high];
	})()`)
	w.Press("Pause")
	assert.InDelta(t, 4, seen[0], 0.25)
	assert.InDelta(t, 6, seen[1], 0.25)

	w.Press("Hand over")
	w.Press("Chosen stretch")
	pressMixDown(w)
	w.Until(`document.querySelectorAll("aside li").length === 1`)
	list := get[[]handover.Mixdown](t, "/api/episodes/"+episode+"/mixdowns")
	require.Len(t, list, 1)
	assert.InDelta(t, 4, list[0].From.Seconds(), 0.2)
	assert.InDelta(t, 6, list[0].To.Seconds(), 0.2)
	assert.Equal(t, list[0].To-list[0].From, list[0].Loudness.Length)
	assert.Contains(t, list[0].File, " - part.")
}

// noSeriousFault has axe look at what the window shows, or at the parts of it that selectors name.
func noSeriousFault(t *testing.T, w *Window, axe, view string, parts ...string) {
	t.Helper()
	if !Eval[bool](w, `"axe" in window`) {
		w.Do(chromedp.Evaluate[chromedp.Void](axe))
	}
	where := "document"
	if len(parts) > 0 {
		said, err := json.Marshal(parts)
		require.NoError(t, err)
		where = string(said)
	}
	found := Eval[json.RawMessage](w, `axe.run(`+where+`, {resultTypes: ["violations"]}).then(r => r.violations.filter(v => v.impact === "serious" || v.impact === "critical").map(v => v.id + ": " + v.nodes.map(n => n.target.join(" ")).join(", ")))`)
	var faults []string
	require.NoError(t, json.Unmarshal(found, &faults))
	assert.Empty(t, faults, view)
}

func TestNoViewHasASeriousFaultForThoseWhoCannotSeeOrUseAPointer(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	w := OpenWindow(t, base)
	check := func(view string, parts ...string) { noSeriousFault(t, w, string(axe), view, parts...) }
	const panel = "aside" // all that a stage or a tab changes
	w.Go("/")
	w.UntilText("LUFS")
	check("shelf")
	openSample(w)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Settle()
	for _, stage := range []string{"Arrange", "Balance", "Check", "Hand over", "Gather"} {
		w.Press(stage)
		w.Settle()
		if stage == "Arrange" {
			check("the desk")
		}
		check(stage, panel, "header")
		if stage == "Check" {
			for _, tab := range []string{"Loudness", "Compare"} {
				w.Press(tab)
				w.Settle()
				check(tab, panel)
			}
		}
		if stage == "Hand over" {
			w.Press("Details")
			w.Until(`document.querySelector("#details-credits")`)
			w.Settle()
			check("details", panel)
		}
		if stage == "Balance" {
			w.Press("Voices")
			w.Until(`document.querySelectorAll("aside tbody tr").length === 5`)
			w.Settle()
			check("evening out", panel)
		}
		if stage != "Arrange" {
			continue
		}
		for _, tab := range []string{"Markers", "Pauses", "History"} {
			w.Press(tab)
			w.Settle()
			check(tab, panel)
		}
		x, y := w.Find(`[aria-label^="Harbour theme, bed"] .head`).At(0.5, 0.5)
		w.secondary(x, y)
		w.Until(`document.querySelector(".menu")`)
		check("the menu of a clip")
		w.Key(kb.Escape)
	}
	w.Click(`[data-sound="Gulls and swell"] .name`)
	w.UntilText("Name title, author, source and licence.")
	check("a sound with what is known of it", panel)
	for _, tab := range []string{"Music", "Credits", "Record"} {
		w.Press(tab)
		w.Settle()
		check(tab, panel)
	}
	choose(w, "Input", "Stand-in microphone")
	w.Until(`document.querySelector('[aria-label="Input level"]')`)
	check("the input's level", panel)
	w.Press("Read it in large type (T)")
	w.Until(`document.querySelector(".current")`)
	check("the reading view")

	withTwoClips(t, w, "To be treated")
	w.Press("Balance")
	w.Press("Room")
	w.Settle()
	check("room for speech", panel)
	w.Press("Treatment")
	w.Click(`[aria-label="Track Voice 1"] .name`)
	w.ClickOn(`document.querySelectorAll("aside label.stage input")[3]`)
	w.Until(`document.querySelector("aside [data-mark]")`)
	w.Settle()
	check("the treatment of a track")
	w.Go("/episodes/" + copyOf(w, demo.RoughTitle, "Findings to be read", nil))
	w.Press("Check")
	w.Click(`[data-kind="covered"] .head`)
	w.Press("Set aside…")
	w.Press("Limits of this show")
	w.Settle()
	check("findings, one of them open")
}

func TestSixTracksFitWithThePanelOpenAndASmallerWindowStillWorks(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/")
	w.UntilText("The Last Fog Signal")
	openSample(w)
	w.Until(`document.querySelectorAll(".lane").length === 6`)
	for _, width := range []int64{1280, 1024} {
		w.Do(chromedp.EmulateViewport(width, 800))
		w.Settle()
		deck := w.Find("footer").Y
		lowest := Eval[float64](w, `Math.max(...[...document.querySelectorAll(".lane")].map(l => l.getBoundingClientRect().bottom))`)
		assert.LessOrEqual(t, lowest, deck, "all six tracks at %d", width)
		assert.LessOrEqual(t, Eval[float64](w, `document.documentElement.scrollWidth`), float64(width))
		cut := Eval[[]string](w, `[...document.querySelectorAll("header button, header a, footer button, footer .reading, aside h2, aside button")]
			.filter(e => { const r = e.getBoundingClientRect(); return r.width > 0 && (r.right > innerWidth + 1 || r.left < 0) }).map(e => e.outerHTML.slice(0, 80))`)
		assert.Empty(t, cut, "outside the window at %d", width)
		w.Press("Gather")
		for _, tab := range []string{"Sounds", "Music", "Record", "Credits"} {
			w.Press(tab)
			w.Settle()
			assert.True(t, Eval[bool](w, `(a => a.scrollWidth <= a.clientWidth)(document.querySelector("aside"))`), "%s fits at %d", tab, width)
		}
		w.Press("Balance")
	}
}

func TestALongNameAndAnEmptyShowAreShownWhole(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/")
	w.Press("New show")
	name := "Notes from the lower harbour " + strings.Repeat("and the long breakwater ", 6)
	w.Click("#new-name")
	w.Key(strings.TrimSpace(name))
	w.Press("Make the show")
	w.UntilText("There is no episode in this show yet.")
	w.Until(`[...document.querySelectorAll(".el-overlay")].every(o => o.style.display === "none")`)
	assert.LessOrEqual(t, Eval[float64](w, `document.documentElement.scrollWidth`), 1280.0)
	w.Press("Make the first episode")
	w.Click("#new-name")
	w.Key(strings.TrimSpace(name))
	w.Press("Make the episode")
	w.UntilText("Nothing is on the desk yet")
	stages := w.Find("nav").X
	title := w.Find(".what")
	assert.LessOrEqual(t, title.X+title.Width, stages)
}
