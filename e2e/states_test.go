package e2e

import (
	"fmt"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/testkit"
)

func TestWhatIsLeftBeforeItsAnswerChangesNothing(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := copyOf(w, demo.RoughTitle, "Left before the answer", nil)
	track := desk(t, episode).Document.Tracks[0]
	change(t, episode, map[string]any{"type": "move-faders", "faders": []any{map[string]any{"track": track.ID, "level": track.Fader + 6}}})
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 5`)

	// A comparison: the mix would be heard softer.
	w.Press("Check")
	w.Press("Compare")
	letGo := gate.Hold("GET", "/compare")
	chooseStep(w, 1)
	require.Eventually(t, func() bool { return gate.Count("GET", "/compare") > 0 }, patience, tick)
	w.Press("Findings")
	letGo()
	w.Until(`!document.querySelector(".state")`)
	w.Settle()
	w.Click(`footer [aria-label="Play"]`)
	require.Eventually(t, func() bool { return gate.Last("GET", "/api/episodes/"+episode+"/listen") != nil }, patience, tick)
	assert.Empty(t, gate.Last("GET", "/api/episodes/"+episode+"/listen").Get("gain"), "nobody compares any more")
	w.Click(`footer [aria-label="Pause"]`)

	// Making room: what is proposed would be drawn as if it were so.
	w.Press("Balance")
	w.Until(`document.querySelector("[data-lead=typical]") && !document.querySelector("[data-lead=typical]").innerText.startsWith("≈")`)
	lead := Eval[string](w, `document.querySelector(".lead-card .numbers").innerText`)
	letGo = gate.Hold("GET", "/room")
	w.Press("Room")
	w.Press("Make room for speech…")
	require.Eventually(t, func() bool { return gate.Count("GET", "/room") > 0 }, patience, tick)
	w.Press("Arrange")
	letGo()
	w.Settle()
	assert.Equal(t, lead, Eval[string](w, `document.querySelector(".lead-card .numbers").innerText`))
	// It would have been drawn otherwise, and is so while it is looked at.
	w.Press("Balance")
	w.Press("Room")
	w.Press("Make room for speech…")
	w.Until(fmt.Sprintf(`document.querySelector(".lead-card .numbers").innerText !== %q`, lead))
	w.Press("Check")
	w.Until(fmt.Sprintf(`document.querySelector(".lead-card .numbers").innerText === %q`, lead))
}

func TestOneThingIsHeardAtATime(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "One at a time")
	w.Press("Gather")
	w.Press("Sounds")
	playing := `document.querySelector('footer [aria-label="Pause"]')`
	heard := `document.querySelector('aside [aria-label^="Stop "]')`
	w.Click(`footer [aria-label="Play"]`)
	w.Until(playing)
	w.Press("Hear Slack water")
	w.Until(heard + ` && !` + playing)
	w.Key(" ") // the button has the focus, and answers the key itself
	w.Until(`!` + heard)
	w.Press("Hear Slack water")
	w.Until(heard)
	w.Click(`footer [aria-label="Play"]`)
	w.Until(playing + ` && !` + heard)
}

func TestNothingIsPlayedIntoATakeThatIsBeingRecorded(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address, flags...)
	episode := copyOf(w, demo.RoughTitle, "Clicked into", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".miss").length > 0`)
	w.Settle()
	openRecording(w, "")
	withoutCountIn(w)
	recordFor(w, 1)
	asked := gate.Count("GET", "/listen")
	require.Positive(t, asked)
	w.Click(".miss")
	w.UntilText("A take is being recorded. End it first; then this can be heard.")
	x, y := w.Find(".lead .strip").At(0.7, 0.8)
	w.Drag(x, y, x, y)
	w.Press("Sounds")
	w.ClickOn(`document.querySelector('aside [aria-label^="Hear "]')`)
	w.Press("Record")
	untilRecorded(w, 2.5)
	assert.Equal(t, asked, gate.Count("GET", "/listen"), "what it is spoken to plays on in one go")
	assert.False(t, Eval[bool](w, `[...document.querySelectorAll("aside [aria-label^='Stop ']")].some(b => b.getAttribute("aria-label") !== "Stop the take" && b.innerText === "")`))
	w.Press("Stop")
	list := takesOf(t, base, episode, kept)
	isStretchOf(t, original(t, house.Data, list[0].Sound), source)
}

func TestWhatIsMeasuredIsKnownAlsoIfNobodyTellsOfIt(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	gate.Answer(-1, "GET", "/api/events", 502, "text/html", "<h1>Bad Gateway</h1>")
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Never told")
	_, bed, _ := clipNamed(t, desk(t, episode).Document, "Slack water")
	change(t, episode, map[string]any{"type": "loop-clip", "clip": bed, "length": 300 * 48000}) // which takes its time
	w.Key("n")
	w.Until(`document.querySelectorAll(".clip").length > 2`)
	w.Press("Check")
	measured := `document.querySelector("footer").innerText.includes("LUFS") && !document.querySelector("footer").innerText.includes("≈") && !document.querySelector(".state")`
	w.Until(measured)
	before := Eval[string](w, `document.querySelector("footer").innerText.match(/Whole show\s+(\S+)/)[1]`)
	change(t, episode, map[string]any{"type": "move-faders", "faders": []any{map[string]any{"track": desk(t, episode).Document.Tracks[1].ID, "level": -9}}})
	w.Key("n") // whose answer finds the other change
	w.Until(fmt.Sprintf(measured+` && document.querySelector("footer").innerText.match(/Whole show\s+(\S+)/)[1] !== %q`, before))
	w.Until(`!document.body.innerText.includes("measuring ") && !document.body.innerText.includes("Measuring the mix")`)
}

func TestALoopOfTheWholeShowGrowsWithIt(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Round and round")
	listen := "/api/episodes/" + episode + "/listen"
	w.Key("l")
	w.Click(`footer [aria-label="Play"]`)
	require.Eventually(t, func() bool { return gate.Last("GET", listen).Get("to") == fmt.Sprint(40*48000) }, patience, tick)
	w.Click(head("Slack water"))
	w.Key(">>>>") // 100 ms later, four times
	end := desk(t, episode)
	untilKept(w, episode, func(d session.Document) bool { end = desk(t, episode); return d.Length() == 40*48000+4*4800 })
	require.Eventually(t, func() bool { return gate.Last("GET", listen).Get("to") == fmt.Sprint(int64(end.Document.Length())) }, patience, tick)
}

func TestAMessageThatWasPutAwayStaysAway(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Put away")
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, testkit.WriteFile(t, "Notes on tides.mp3", []byte("High water at four.\n")))
	w.UntilText("This is not a sound file that Ruvel can read")
	// It cannot be put away just now: it stays, and that is said.
	gate.Answer(1, "POST", "/put-away", 502, "text/html", "<h1>Bad Gateway</h1>")
	w.Press("Close the message about Notes on tides.mp3")
	w.Until(`document.querySelector(".el-message")`)
	w.UntilText("This is not a sound file that Ruvel can read")
	w.Press("Close the message about Notes on tides.mp3")
	w.Until(`!document.body.innerText.includes("This is not a sound file that Ruvel can read")`)
	w.Go("/episodes/" + episode)
	w.Press("Gather")
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	w.Settle()
	assert.NotContains(t, Eval[string](w, `document.body.innerText`), "This is not a sound file that Ruvel can read")
}

func TestWhatFailsInAnEpisodeIsSaidOnItsDeskAndOnNoOther(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "Where it fails")
	w.Press("Gather")
	another := OpenWindow(t, base)
	withTwoClips(t, another, "Beside it")
	another.Press("Gather")
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, testkit.WriteFile(t, "Soundings.mp3", []byte("Two fathoms, sand and shells.\n")))
	w.UntilText("Soundings.mp3")
	w.UntilText("This is not a sound file that Ruvel can read")
	// What is asked for afterwards has come: the other desk knows of it, and says nothing.
	another.Press("Record")
	another.Press("Sounds")
	another.Until(`document.querySelector("[aria-label=\"Find a sound\"]")`)
	another.Settle()
	assert.NotContains(t, Eval[string](another, `document.body.innerText`), "Soundings.mp3")
	another.Do(chromedp.Reload())
	another.untilClips(2)
	another.Press("Gather")
	another.Until(`document.querySelector("[aria-label=\"Find a sound\"]")`)
	another.Settle()
	assert.NotContains(t, Eval[string](another, `document.body.innerText`), "Soundings.mp3")
}

func TestTheOpenerOfArchivesRestsAfterAFileThatFailed(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	w.Go("/")
	w.UntilText("New episode")
	w.Do(chromedp.SetUploadFiles(`input[aria-label="Archives to open"]`, []string{testkit.WriteFile(t, "Nothing.zip", nil)}))
	w.UntilText("The file is empty.")
	asked := gate.Count("GET", "/jobs")
	begun := Eval[float64](w, `performance.now()`)
	w.Until(fmt.Sprintf(`performance.now() - %v > 2500`, begun))
	assert.LessOrEqual(t, gate.Count("GET", "/jobs"), asked+1, "it looked every half second")
}

func TestWhatIsShownGoesWhenItIsOver(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Over")
	change(t, episode, map[string]any{"type": "add-track", "part": "voice"})
	w.Until(`document.querySelectorAll(".lane").length === 3`)
	// A box whose change is refused shows what is.
	w.Press("Balance")
	w.Press("Room")
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Click(`.el-switch:has([aria-label="Make way for speech"])`)
	w.Press("More settings")
	box := func(n int) string {
		return fmt.Sprintf(`[...document.querySelectorAll("aside fieldset input[type=checkbox]")][%d]`, n)
	}
	w.Until(box(1) + `?.checked`)
	w.ClickOn(box(1))
	untilKept(w, episode, func(d session.Document) bool {
		return slices.ContainsFunc(d.Tracks, func(t session.Track) bool { return len(t.Way.For) == 1 })
	})
	w.ClickOn(box(0))
	w.UntilText("It makes way for one voice at least.")
	w.Until(box(0) + `.checked && !` + box(1) + `.checked`)

	// The veil over a picture that is dropped.
	w.Press("Hand over")
	w.Press("Details")
	picture := filepath.Join(t.TempDir(), "Buoy.png")
	file, err := os.Create(picture)
	require.NoError(t, err)
	small := image.NewRGBA(image.Rect(0, 0, 1400, 1400))
	for i := range small.Pix {
		small.Pix[i] = color.RGBA{R: 120, A: 255}.R
	}
	require.NoError(t, png.Encode(file, small))
	require.NoError(t, file.Close())
	x, y := w.Find(".artwork").At(0.7, 0.5)
	w.Drop(x, y, picture)
	w.Until(`document.querySelector(".artwork img")`)
	w.Until(`!document.querySelector(".dropping")`)

	// The tag at the pointer over a strip that is put away.
	w.Press("Check")
	w.Press("Loudness")
	w.Until(`document.querySelector(".loudness-strip canvas") && document.querySelector("aside tbody tr")`)
	x, y = w.Find(".loudness-strip .place").At(0.5, 0.5)
	w.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, x, y))
	w.Until(`document.querySelector(".tag")`)
	w.Key("1")
	w.Until(`!document.querySelector(".loudness-strip")`)
	assert.True(t, Eval[bool](w, `!document.querySelector(".tag")`))
}

func TestARealDoubleClickRenamesATrackTwice(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Twice named")
	for _, name := range []string{"Presenter", "Keeper"} {
		before := desk(t, episode).Document.Tracks[0].Name
		w.DoubleClick(fmt.Sprintf(`[aria-label="Track %s"] .name`, before))
		w.Until(`document.activeElement?.getAttribute("aria-label") === "Name of the track"`)
		w.Key(name + kb.Enter)
		untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Name == name })
		w.Until(`document.activeElement?.matches(".card .name")`)
	}
	// Esc leaves it as it was, and the focus where it was.
	version := desk(t, episode).Version
	w.Key(kb.F2)
	w.Until(`document.activeElement?.getAttribute("aria-label") === "Name of the track"`)
	w.Key("Nobody" + kb.Escape)
	w.Until(`document.activeElement?.matches(".card .name") && document.activeElement.innerText.trim() === "Keeper"`)
	assert.Equal(t, version, desk(t, episode).Version)
}

func TestNothingIsAskedForEachEditOfARow(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Fifteen edits")
	const rest = 400 * time.Millisecond // that the page waits for at least
	// row changes a clip fifteen times and counts the questions with these endings. The most is what may be asked in the time
	// that it took: each of them where the hand rested, which it may have done between edits on a busy machine.
	row := func(endings ...string) (asked, most int) {
		count := func() (n int) {
			for _, e := range endings {
				n += gate.Count("GET", e)
			}
			return n
		}
		w.Settle()
		before := count()
		version := desk(t, episode).Version
		w.Click(head("Slack water"))
		letGo := gate.Hold("POST", "/edits")
		w.Key(strings.Repeat(kb.ArrowDown, 15))
		letGo() // so that they come one upon the other, however slow the keys were
		begun := time.Now()
		untilKept(w, episode, func(session.Document) bool { return desk(t, episode).Version == version+15 })
		require.Eventually(t, func() bool { return count() > before }, patience, tick, "in the end it is asked")
		w.Settle()
		return count() - before, len(endings) * (2 + int(time.Since(begun)/rest))
	}
	w.Press("Gather")
	w.Press("Credits")
	credits, mostCredits := row("/credits")
	w.Press("Check")
	w.Press("Compare")
	chooseStep(w, 15)
	w.Until(`document.querySelector('[aria-label="Which is heard"]')`)
	compared, mostCompared := row("/compare", "/history", "/versions")
	t.Logf("fifteen edits without a pause: credits asked for %d times, comparison, history and versions %d times", credits, compared)
	assert.LessOrEqual(t, credits, mostCredits)
	assert.LessOrEqual(t, compared, mostCompared)
}
