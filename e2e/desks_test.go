package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"syscall"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/testkit"
)

// episodeOf makes an episode with two tracks in the first show, through the API, and gives its id.
func episodeOf(w *Window, title string) string {
	w.t.Helper()
	return Eval[string](w, fmt.Sprintf(`(async () => {
		const json = r => r.json();
		const post = (path, body) => fetch("/api" + path, {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify(body)}).then(json);
		const shows = await fetch("/api/shows").then(json);
		const made = await post("/shows/" + shows[0].id + "/episodes", {title: %q});
		await post("/episodes/" + made.id + "/edits", {base: 1, op: {type: "add-track", part: "voice", name: %q}});
		await post("/episodes/" + made.id + "/edits", {base: 2, op: {type: "add-track", part: "music"}});
		return made.id;
	})()`, title, title+" voice"))
}

// openByLink follows the link to an episode on the shelf, within the page.
func openByLink(w *Window, id string) {
	w.t.Helper()
	w.ClickOn(fmt.Sprintf(`document.querySelector("a[href='/episodes/%s']")`, id))
}

func TestADeskThatIsLeftWhileItLoadsChangesNothingOfTheNext(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	w.Go("/")
	w.UntilText("New episode")
	a, b := episodeOf(w, "Left early"), episodeOf(w, "Stayed on")
	w.Go("/")
	w.Until(fmt.Sprintf(`document.querySelector("a[href='/episodes/%s']")`, b))
	letGo := gate.Hold("GET", "/api/episodes/"+a)
	openByLink(w, a)
	require.Eventually(t, func() bool { return gate.Count("GET", "/api/episodes/"+a) > 0 }, patience, tick)
	w.Back()
	openByLink(w, b)
	w.Until(`document.querySelector('[aria-label="Track Stayed on voice"]')`)
	letGo()
	w.Settle()
	assert.Contains(t, Eval[string](w, `document.querySelector(".title").innerText`), "Stayed on")
	w.Click(`[aria-label="Track Stayed on voice"] .switch`)
	untilKept(w, b, func(d session.Document) bool { return d.Tracks[0].Mute })
	assert.False(t, desk(t, a).Document.Tracks[0].Mute, "the edit went to the episode that is shown")
	assert.True(t, Eval[bool](w, `!document.querySelector('[aria-label="Track Left early voice"]')`))
}

func TestTwoWindowsEditingAtOnceLoseNothing(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/")
	w.UntilText("New episode")
	episode := episodeOf(w, "Two at once")
	second := w.OpenSecond()
	for _, window := range []*Window{w, second} {
		window.Go("/episodes/" + episode)
		window.Until(`document.querySelectorAll(".lane").length === 2`)
	}
	// Each presses twelve times without waiting: markers, and one of them mutes and one solos the same track.
	press := func(window *Window, what string) {
		window.Key("nnnnnnnnnnnn")
		window.Click(`[aria-label="Track Two at once voice"] .switch:nth-of-type(` + what + `)`)
	}
	var both sync.WaitGroup
	both.Go(func() { press(w, "1") })
	both.Go(func() { press(second, "2") })
	both.Wait()
	doc := untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 24 && d.Tracks[0].Mute && d.Tracks[0].Solo })
	assert.Len(t, doc.Markers, 24)
	for _, window := range []*Window{w, second} {
		window.Until(`document.querySelectorAll('[aria-label="Track Two at once voice"] .switch[aria-pressed="true"]').length === 2`)
		window.Until(`document.querySelectorAll(".ruler .flag").length === 24`)
	}
}

func TestTheServerAwayForTenSecondsInTheMiddleOfADragLosesNothing(t *testing.T) {
	t.Parallel()
	line := StartLine(t, base)
	w := OpenWindow(t, line.Address)
	episode := withTwoClips(t, w, "Away")
	mouse := func(kind input.DispatchMouseEventType, x, y float64) {
		w.Do(chromedp.MouseEvent(kind, x, y, func(p *input.DispatchMouseEventParams) {
			p.Button, p.Buttons, p.ClickCount = input.MouseButtonLeft, 1, 1
			chromedp.ButtonModifiers(chromedp.ModifierAlt)(p)
		}))
	}
	x, y := w.Find(`[aria-label^="Keeper at the door"] .head`).At(0.5, 0.5)
	end := x + xOf(w, 12) - xOf(w, 0)
	mouse(input.DispatchMouseEventTypeMousePressed, x, y)
	for i := 1.0; i <= 4; i++ {
		mouse(input.DispatchMouseEventTypeMouseMoved, x+(end-x)*i/10, y)
	}
	w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
	line.Cut()
	for i := 5.0; i <= 8; i++ {
		mouse(input.DispatchMouseEventTypeMouseMoved, x+(end-x)*i/10, y)
	}
	w.UntilText("Connection lost, your changes wait…")
	away := Eval[float64](w, `performance.now()`)
	w.Until(fmt.Sprintf(`performance.now() - %v > 10000`, away))
	for i := 9.0; i <= 10; i++ {
		mouse(input.DispatchMouseEventTypeMouseMoved, x+(end-x)*i/10, y)
	}
	mouse(input.DispatchMouseEventTypeMouseReleased, end, y)
	// Edits that are no drag wait as well, and are not done twice.
	w.Key("n")
	w.Click(`[aria-label="Track Music 1"] .switch`)
	line.Mend()
	doc := untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Mute })
	_, _, clip := clipNamed(t, doc, "Keeper at the door")
	assert.InDelta(t, 12, clip.Start.Seconds(), 0.3)
	assert.Len(t, doc.Markers, 1)
	// Undo goes back step by step: the mute, the marker, and the whole drag as one.
	for range 3 {
		w.Press("Undo")
	}
	untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Keeper at the door")
		return c.Start == 0 && len(d.Markers) == 0 && !d.Tracks[1].Mute
	})
}

func TestAnEpisodeRemovedUnderAnOpenWindowIsSaid(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/")
	w.UntilText("New episode")
	for _, when := range []string{"while it is open", "while the connection was lost"} {
		line := StartLine(t, base)
		episode := episodeOf(w, "Removed "+when)
		window := w.OpenSecond()
		window.base = line.Address
		window.Go("/episodes/" + episode)
		window.Until(`document.querySelectorAll(".lane").length === 2`)
		window.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
		if when != "while it is open" {
			line.Cut()
			window.UntilText("Connection lost")
		}
		request, err := http.NewRequest(http.MethodDelete, base+"/api/episodes/"+episode, nil)
		require.NoError(t, err)
		answer, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		line.Mend()
		window.UntilText("This episode was removed.")
		assert.NotContains(t, Eval[string](window, `document.body.innerText`), "Connection lost")
		window.Click(".gone a")
		window.UntilText("New episode")
		assert.True(t, Eval[bool](window, fmt.Sprintf(`!document.querySelector("a[href='/episodes/%s']")`, episode)))
	}
}

func TestAChangeThatDoesNotFitIsMadeGoodAndTheEditsBehindItGoOn(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	w.Go("/")
	w.UntilText("New episode")
	episode := episodeOf(w, "Spoilt")
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".lane").length === 2`)
	// The answer to one edit names a track that is not there, and the edits behind it wait for that answer; nothing else tells of it meanwhile.
	gate.Spoil("POST", "/edits", func(answer []byte) []byte {
		var change map[string]any
		require.NoError(t, json.Unmarshal(answer, &change))
		change["patch"] = []any{map[string]any{"op": "replace", "path": "/tracks/99/mute", "value": true}}
		out, err := json.Marshal(change)
		require.NoError(t, err)
		return out
	})
	letGo := gate.Hold("POST", "/edits")
	w.Click(`[aria-label="Track Spoilt voice"] .switch`)
	w.Click(`[aria-label="Track Music 1"] .switch`)
	w.Key("n")
	letGo()
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute && d.Tracks[1].Mute && len(d.Markers) == 1 })
	w.Until(`document.querySelectorAll('.switch[aria-pressed="true"]').length === 2 && document.querySelectorAll(".ruler .flag").length === 1`)
}

func TestSeveralChosenClipsAreChangedInOneStep(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Several")
	x, y := w.Find(`[aria-label^="Keeper at the door"] .head`).At(0.5, 0.5)
	w.Drag(x, y, x, y)
	x, y = w.Find(`[aria-label^="Slack water"] .head`).At(0.5, 0.5)
	w.Drag(x, y, x, y, chromedp.ModifierShift)
	w.Until(`document.querySelectorAll(".clip.chosen").length === 2`)
	before := desk(t, episode).Version
	w.Key(kb.ArrowDown + kb.ArrowDown + kb.ArrowDown)
	gains := func(d session.Document) (out []audio.DB) {
		for _, name := range []string{"Keeper at the door", "Slack water"} {
			_, _, c := clipNamed(t, d, name)
			out = append(out, c.Gain)
		}
		return out
	}
	untilKept(w, episode, func(d session.Document) bool { return assert.ObjectsAreEqual([]audio.DB{-3, -3}, gains(d)) })
	assert.Equal(t, before+3, desk(t, episode).Version, "three presses are three edits, however many clips")
	assert.Equal(t, "Gain of 2 clips", desk(t, episode).Undo)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return assert.ObjectsAreEqual([]audio.DB{-2, -2}, gains(d)) })
}

func TestAFewTracksGrowAndEachCanBeMadeTallerForFineWork(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Heights")
	height := func(n int) float64 {
		return Eval[float64](w, fmt.Sprintf(`document.querySelectorAll(".lane")[%d].getBoundingClientRect().height`, n))
	}
	own := height(0)
	assert.Greater(t, own, 150.0, "two tracks use the height of the window")
	x, y := w.Find(`[aria-label="Height of Voice 1"]`).At(0.5, 0.5)
	w.Drag(x, y, x, y+60)
	w.Until(fmt.Sprintf(`Math.abs(document.querySelectorAll(".lane")[0].getBoundingClientRect().height - %v) < 3`, own+60))
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	assert.InDelta(t, own+60, height(0), 3, "it is kept")
	w.Key("u") // all of them, since none is chosen
	w.Until(`[...document.querySelectorAll(".lane")].every(l => l.getBoundingClientRect().height < 60)`)
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Key("o")
	w.Until(`document.querySelectorAll(".lane")[1].getBoundingClientRect().height > 200`)
	assert.Less(t, height(0), 60.0)

	// On a tall track a pixel with Shift is less than a tenth of a dB.
	w.Over(music)
	line := w.Find(music + " .hit")
	px := line.X + line.Width/2
	py := Eval[float64](w, fmt.Sprintf(`(r => r.y + r.height / 2)(document.querySelector(%q).getBoundingClientRect())`, music+" .hit"))
	w.Drag(px, py, px, py)
	w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length === 1`, music+" .point"))
	px, py = w.Find(music+" .point").At(0.5, 0.5)
	w.Drag(px, py, px, py+6, chromedp.ModifierShift, chromedp.ModifierAlt)
	untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Slack water")
		return len(c.Envelope) == 1 && c.Envelope[0].Level < 0 && c.Envelope[0].Level > -0.4
	})
	w.Key("i")
	w.Until(`document.querySelectorAll(".lane")[1].getBoundingClientRect().height > 60`)
}

func TestChosenFilesAreLaidOnTracksAndASoundHasAButtonThatDoesIt(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Chosen")
	voiceFile, musicFile := dropped(t)
	w.UntilText("Choose files")
	w.Do(chromedp.SetUploadFiles(`input[data-files]`, []string{voiceFile, musicFile}))
	w.UntilText("Each on a track of its own")
	w.Press("Import")
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	doc := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 2 })
	assert.Equal(t, []session.Part{session.Voice, session.Music}, []session.Part{doc.Tracks[0].Part, doc.Tracks[1].Part})

	// In the next episode the sounds are there, and the page says how they get onto the desk.
	next := newEpisode(w, "Chosen again")
	w.UntilText("This show has sounds already")
	w.UntilText("beside a sound to lay it on the desk")
	w.Press("Insert Slack water at the playhead")
	w.Until(`document.querySelectorAll(".clip").length === 1`)
	doc = untilKept(w, next, func(d session.Document) bool { return len(d.Tracks) == 1 })
	assert.Equal(t, 40*audio.Second, doc.Length())
}

func TestNamesThatAreLongUnbrokenOrBlank(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Names")
	x, y := w.Find(".lanes").At(0.6, 0.9)
	long := ""
	for range 12 {
		long += "Unbroken_recording"
	}
	w.Drop(x, y, testkit.WriteFile(t, long+".wav", []byte("no sound at all, and long enough to be looked at")))
	w.UntilText("This is not a sound file that Ruvel can read")
	for _, stage := range []string{"Gather", "Arrange", "Balance", "Hand over", "Gather"} {
		w.Press(stage)
		w.Settle()
		assert.True(t, Eval[bool](w, `(a => a.scrollWidth <= a.clientWidth)(document.querySelector("aside"))`), stage)
		outside := Eval[[]string](w, `[...document.querySelectorAll("aside *")].filter(e => e.getBoundingClientRect().right > innerWidth + 1 && getComputedStyle(e).overflow !== "hidden" && !e.closest(".visually-hidden, .cut")).map(e => e.outerHTML.slice(0, 90))`)
		assert.Empty(t, outside, stage)
	}
	// A track is not renamed to nothing.
	w.DoubleClick(`[aria-label="Track Voice 1"] .name`)
	w.Type(`[aria-label="Name of the track"]`, "   ")
	w.UntilText("A name cannot be empty.")
	assert.Equal(t, "Voice 1", desk(t, episode).Document.Tracks[0].Name)
	w.Click(".title")
	w.Type(`[aria-label="Title of the episode"]`, "  ")
	w.Until(`[...document.querySelectorAll(".el-message")].filter(m => m.innerText.includes("cannot be empty")).length > 0`)
	assert.Equal(t, "Names", desk(t, episode).Episode.Title)
}

func TestTheDatabaseKilledUnderAnOpenDeskLosesNoEdit(t *testing.T) {
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Killed database")
	for round := range 3 {
		require.NoError(t, syscall.Kill(house.DatabaseProcess(), syscall.SIGKILL))
		w.Key("nn")
		w.Click(`[aria-label="Track Music 1"] .switch`)
		doc := untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 2*(round+1) })
		assert.Equal(t, round%2 == 0, doc.Tracks[1].Mute)
		w.Until(fmt.Sprintf(`document.querySelectorAll(".ruler .flag").length === %d`, 2*(round+1)))
	}
	w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
}

func TestADeskStaysWhenTheConnectionIsLostWhileTheRestOfItLoads(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	w.Go("/")
	w.UntilText("New episode")
	episode := episodeOf(w, "Half loaded")
	// The first two requests for the sounds are lost on their way, after the document has come.
	gate.Answer(2, "GET", "/sounds", 502, "", "")
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".lane").length === 2`)
	Eval[bool](w, `(document.querySelector(".lane").__same = true)`)
	w.Press("Gather")
	w.Until(`document.querySelector("[aria-label=\"Find a sound\"]")`) // the sounds come by themselves
	assert.GreaterOrEqual(t, gate.Count("GET", "/sounds"), 3, "a change of the show by somebody else asks once more")
	assert.True(t, Eval[bool](w, `document.querySelector(".lane").__same === true`), "nothing was taken off the desk meanwhile")
}
