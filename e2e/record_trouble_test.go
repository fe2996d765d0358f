package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/takes"
	"ruvel/testkit/housetest"
)

// firstEpisode makes a show and an episode on a server that has none.
func firstEpisode(w *Window, title string) string {
	w.t.Helper()
	w.Go("/")
	w.UntilText("Make the first show")
	id := Eval[string](w, fmt.Sprintf(`(async () => {
		const post = (path, body) => fetch("/api" + path, {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify(body)}).then(r => r.json());
		const show = await post("/shows", {name: "Harbour Hours"});
		return (await post("/shows/" + show.id + "/episodes", {title: %q})).id;
	})()`, title))
	w.Go("/episodes/" + id)
	w.UntilText("Nothing is on the desk yet")
	return id
}

func TestATabKilledWhileRecordingLosesLessThanASecond(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	w := OpenWindow(t, base, flags...)
	second := w.OpenSecond() // keeps the browser open
	episode := newEpisode(w, "Killed tab")
	openRecording(w, "")
	withoutCountIn(w)
	recordFor(w, 4)
	w.Crash()
	there := takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 1 && !l[0].Live })
	assert.Greater(t, there[0].Length.Seconds(), 3.0, "all but the last second")
	assert.Equal(t, "recording", string(there[0].State))

	// At the next start the take is offered, and rescued.
	second.Go("/episodes/" + episode)
	second.UntilText("A take was not finished.")
	second.Press("Rescue take 1")
	second.Until(`document.querySelectorAll(".clip").length === 1`)
	list := takesOf(t, base, episode, kept)
	take := original(t, house.Data, list[0].Sound)
	assert.InDelta(t, there[0].Length.Seconds(), float64(len(take))/deviceRate, 0.001)
	isStretchOf(t, take, source)
	second.Until(`!document.body.innerText.includes("A take was not finished.")`)
}

func TestAServerKilledWhileRecordingCatchesUpWithoutLosingAFrame(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	program := StartProgram(t)
	w := OpenWindow(t, program.Address, flags...)
	episode := firstEpisode(w, "Killed server")
	openRecording(w, "")
	withoutCountIn(w)
	recordFor(w, 2)
	program.Kill()
	w.UntilText("The server cannot be reached. Go on speaking")
	untilRecorded(w, 6)
	program.Again()
	w.Until(`document.querySelector(".going").innerText.includes("Kept as you speak")`)
	untilRecorded(w, 8)
	w.Press("Stop")
	list := takesOf(t, program.Address, episode, kept)
	take := original(t, program.Data, list[0].Sound)
	assert.Greater(t, len(take), deviceRate*79/10)
	isStretchOf(t, take, source)
	w.Until(`document.querySelectorAll(".clip").length === 1`)

	// Killed again, between the end of a recording and its becoming a sound: the sound comes all the same.
	w.Press("Another take")
	untilRecorded(w, 2)
	program.Kill()
	w.Press("Stop")
	w.UntilText("leave this window open")
	program.Again()
	w.UntilText("Hear it")
	list = takesOf(t, program.Address, episode, func(l []takes.TakeStatus) bool { return len(l) == 2 && kept(l) })
	assert.Equal(t, 2, list[0].Number)
	isStretchOf(t, original(t, program.Data, list[0].Sound), source)
	w.Until(`document.querySelectorAll(".clip").length === 1`)
}

func TestALostNetworkInterruptsNoRecording(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	line := StartLine(t, base)
	w := OpenWindow(t, line.Address, flags...)
	episode := newEpisode(w, "Lost network")
	openRecording(w, "")
	withoutCountIn(w)
	recordFor(w, 2)
	line.Cut()
	w.UntilText("Go on speaking")
	untilRecorded(w, 5)
	line.Mend()
	w.Until(`!document.querySelector(".going").innerText.includes("Go on speaking")`)
	untilRecorded(w, 7)
	w.Press("Stop")
	list := takesOf(t, base, episode, kept)
	take := original(t, house.Data, list[0].Sound)
	assert.Greater(t, len(take), deviceRate*69/10)
	isStretchOf(t, take, source)
}

func TestAFullDiskIsSaidAndTheRecordingGoesOnWhenThereIsRoomAgain(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	house := housetest.Own(t) // other tests would find the disk full, too
	w := OpenWindow(t, house.Address, flags...)
	episode := firstEpisode(w, "Full disk")
	openRecording(w, "")
	withoutCountIn(w)
	recordFor(w, 2)
	full := func(on bool) {
		house.Space.Keep(0)
		if on {
			house.Space.Keep(math.MaxInt64 / 2)
		}
	}
	t.Cleanup(func() { full(false) })
	full(true)
	w.UntilText("The disk is full, so this was not kept.")
	w.UntilText("Go on speaking")
	untilRecorded(w, 4)
	full(false)
	w.Until(`!document.querySelector(".going").innerText.includes("The disk is full")`)
	w.Press("Stop")
	list := takesOf(t, house.Address, episode, kept)
	take := original(t, house.Data, list[0].Sound)
	assert.Greater(t, len(take), deviceRate*39/10)
	isStretchOf(t, take, source)

	// With no room at the beginning, none is begun.
	full(true)
	w.Press("Another take")
	w.UntilText("The disk is full, so this was not kept. What was kept before is there.")
	assert.Len(t, takesOf(t, house.Address, episode, func([]takes.TakeStatus) bool { return true }), 1)
}

func TestADeviceThatVanishesEndsTheTakeAndKeepsIt(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	w := OpenWindow(t, base, flags...)
	w.OnNewPage(`(() => { const get = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
		navigator.mediaDevices.getUserMedia = async c => window.__stream = await get(c); })()`)
	episode := newEpisode(w, "Gone")
	openRecording(w, "")
	withoutCountIn(w)
	recordFor(w, 2)
	// A cable is pulled: the browser ends the track.
	Eval[bool](w, `(window.__stream.getTracks().forEach(t => t.stop()), true)`)
	w.UntilText("The microphone is gone. What it heard until then is kept.")
	list := takesOf(t, base, episode, kept)
	take := original(t, house.Data, list[0].Sound)
	assert.Greater(t, len(take), deviceRate*18/10)
	isStretchOf(t, take, source)
	w.Press("Try again")
	w.Until(`document.querySelector('[aria-label="Input level"]')`)
}

func TestARefusedPermissionIsExplainedAndTheStandInIsLeft(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base, full, chromedp.Flag("use-fake-device-for-media-stream", true))
	_, err := chromedp.CallBrowser(w.spoilt(), browser.SetPermission, browser.SetPermissionParams{
		Permission: &browser.PermissionDescriptor{Name: "microphone"}, Setting: browser.PermissionSettingDenied,
	})
	require.NoError(t, err)
	newEpisode(w, "Refused")
	w.Press("Record")
	listen := `[...document.querySelectorAll("aside button")].find(b => b.innerText.trim() === "Listen to the input")`
	w.Until(`document.body.innerText.includes("The browser was told not") || ` + listen)
	w.pressIfThere(listen)
	w.UntilText("The browser was told not to let this page use a microphone.")
	choose(w, "Input", "Stand-in microphone")
	w.Until(`document.querySelector('[aria-label="Input level"]')`)
}

func TestWithoutAnyDeviceTheReasonIsSaid(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base, full, chromedp.Flag("use-fake-ui-for-media-stream", true))
	w.OnNewPage(`navigator.mediaDevices.enumerateDevices = async () => []`)
	newEpisode(w, "No device")
	w.Press("Record")
	w.UntilText("Microphone of this computer")
	w.UntilText("There is no such microphone. Connect one, or choose another input.")
}

func TestATakeThatBecomesAsLongAsOneMayBeEndsByItselfAndIsKept(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	// Takes may last five seconds here.
	gate.Spoil("GET", "/api/recording", func(answer []byte) []byte {
		var setup map[string]any
		require.NoError(t, json.Unmarshal(answer, &setup))
		setup["longest"] = 5
		out, err := json.Marshal(setup)
		require.NoError(t, err)
		return out
	})
	episode := newEpisode(w, "Long")
	openRecording(w, "Stand-in microphone")
	withoutCountIn(w)
	recordFor(w, 1)
	w.UntilText("This one ends, and is kept, in")
	w.UntilText("The take has become as long as one may be, and was kept.")
	list := takesOf(t, base, episode, kept)
	assert.InDelta(t, 4.2, list[0].Length.Seconds(), 0.7)
	w.Until(`document.querySelectorAll(".clip").length === 1`)
}
