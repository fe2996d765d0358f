package e2e

import (
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/internal/episodes"
	"ruvel/testkit"
)

// tickStage switches a stage of the treatment in the panel on or off.
func tickStage(w *Window, name string) {
	w.ClickOn(fmt.Sprintf(`[...document.querySelectorAll("aside label.stage")].find(l => l.innerText.trim().startsWith(%q))?.querySelector("input")`, name))
	w.Settle() // its settings and its curve come after it, and move what lies there
}

func TestATrackIsTreatedAsItsCurveSaysAndHeardSo(t *testing.T) {
	t.Parallel()
	w, episode, _ := withNumbered(t, "Treated")
	w.Press("Balance")
	w.Press("Treatment")
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.UntilText("makes loud things softer")
	tickStage(w, "Compressor")
	d := untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.On })
	usual := session.Usual()
	usual.Compressor.On = true
	assert.Equal(t, usual, d.Tracks[0].Treatment, "it begins with what is usual")
	w.Type(`[aria-label="Compressor threshold, typed"]`, "-26")
	w.Type(`[aria-label="Compressor ratio, typed"]`, "2")
	w.Type(`[aria-label="Compressor knee, typed"]`, "0")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Knee == 0 })
	c := d.Tracks[0].Treatment.Compressor
	assert.Equal(t, []any{audio.DB(-26), 2.0}, []any{c.Threshold, c.Ratio})
	w.Until(`document.querySelector("[data-mark=compressor]").getAttribute("aria-valuenow") === "-26"`)

	// The constant of the right channel lies 6.02 dB under full scale and comes out by so much softer.
	pcm := listen(t, episode, 10*audio.Second, 12*audio.Second)
	want := 0.5 * audio.DB(treat.Compressed(c, 20*math.Log10(0.5))).Gain()
	assert.InDelta(t, want, float64(pcm[1][audio.Second]), 1e-4)
	// A constant has its level at its peak: by either it is the same.
	choose(w, "What the compressor goes by", "goes by peaks")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Detector == session.Peaks })
	assert.InDelta(t, want, float64(listen(t, episode, 10*audio.Second, 11*audio.Second)[1][9000]), 1e-4)
	w.Type(`[aria-label="Compressor ratio, typed"]`, "1")
	w.UntilText("At 1:1 it does nothing yet.")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Ratio == 1 })
	assert.InDelta(t, 0.5, float64(listen(t, episode, 10*audio.Second, 11*audio.Second)[1][9000]), 1e-6)

	// Two things in one breath: neither is lost.
	tickStage(w, "Low cut")
	tickStage(w, "Limiter")
	untilKept(w, episode, func(d session.Document) bool {
		return d.Tracks[0].Treatment.LowCut.On && d.Tracks[0].Treatment.Limiter.On
	})
	for range 2 {
		w.Press("Undo")
	}
	untilKept(w, episode, func(d session.Document) bool {
		return !d.Tracks[0].Treatment.LowCut.On && !d.Tracks[0].Treatment.Limiter.On
	})

	// The lower threshold of a gate goes along with the upper one, and no setting leaves its range.
	tickStage(w, "Gate")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Gate.On })
	w.Type(`[aria-label="Gate threshold, typed"]`, "-99")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Gate.Open == -80 })
	assert.Equal(t, audio.DB(-80), d.Tracks[0].Treatment.Gate.Close)
	for range 2 {
		w.Press("Undo")
	}
	d = untilKept(w, episode, func(d session.Document) bool { return !d.Tracks[0].Treatment.Gate.On })
	assert.Equal(t, 1.0, d.Tracks[0].Treatment.Compressor.Ratio)
}

// tallest is an expression for how many pixels of a colour lie one over the other in a clip at most.
func tallest(clip, token string) string {
	return fmt.Sprintf(`(() => {
		const one = document.createElement("canvas").getContext("2d");
		one.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--%s");
		one.fillRect(0, 0, 1, 1);
		const c = one.getImageData(0, 0, 1, 1).data;
		const clip = document.querySelector('%s').getBoundingClientRect();
		const canvas = document.querySelector('%s').closest(".lane").querySelector("canvas"), box = canvas.getBoundingClientRect();
		const width = Math.floor(clip.width) - 4, from = Math.round(clip.left - box.left) + 2;
		const p = canvas.getContext("2d").getImageData(from, 0, width, canvas.height).data, out = Array(width).fill(0), first = [];
		for (let i = 0; i < p.length; i += 4) { // from its upper to its lower end: a level line may cross it
			const x = i / 4 %% width, y = Math.floor(i / 4 / width);
			if (p[i] === c[0] && p[i+1] === c[1] && p[i+2] === c[2]) out[x] = y + 1 - (first[x] ??= y);
		}
		return Math.max(...out);
	})()`, token, clip, clip)
}

// dragThreshold drags the threshold of the compressor down on its curve while the sample plays, and
// gives what it then takes away, in dB, which is heard.
func dragThreshold(w *Window, episode string) (taken float64) {
	w.t.Helper()
	w.Key(kb.Home)
	w.Until(`window.__heard.slice(-3).every(b => b[1].every(v => v === 0))`)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:01.00"`)
	x, y := w.Find("[data-mark=compressor] .touch").At(0.5, 0.6)
	hold := func(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonLeft, 1 }
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, hold))
	for i := range 20 {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x-4*float64(i+1), y, hold))
	}
	moved := Eval[float64](w, `performance.now()`)
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, x-80, y, hold))
	d := untilKept(w, episode, func(d session.Document) bool {
		return fmt.Sprint(d.Tracks[0].Treatment.Compressor.Threshold) == Eval[string](w, `document.querySelector("[data-mark=compressor]").getAttribute("aria-valuenow")`)
	})
	c := d.Tracks[0].Treatment.Compressor
	assert.InDelta(w.t, -25, float64(c.Threshold), 1, "80 of 284 pixels that are 78 dB")
	taken = treat.Compressed(c, 20*math.Log10(0.5))
	w.Until(fmt.Sprintf(`window.__heard.some((b, i) => window.__came[i] > %v && b[1].every(v => Math.abs(v - %v) < 0.005))`, moved, 0.5*audio.DB(taken).Gain()))
	w.Press("Pause")
	return taken
}

func TestAThresholdIsDraggedOnTheCurveSeenAlongTheClipHeardAndDelivered(t *testing.T) {
	t.Parallel()
	w, episode, _ := withNumbered(t, "Drawn threshold")
	w.Press("Balance")
	w.Press("Treatment")
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.UntilText("makes loud things softer")
	tickStage(w, "Compressor")
	w.Type(`[aria-label="Compressor knee, typed"]`, "0")
	w.Type(`[aria-label="Compressor threshold, typed"]`, "-3")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Threshold == -3 })
	w.Until(`document.querySelector("[data-cause=compressor] b").innerText === "0.0"`)
	w.Until(tallest(".clip", "took-compressor") + ` === 0`)

	taken := dragThreshold(w, episode)

	// What is seen: the band, as high as what is taken away, the wave as high as it is heard, and the figures.
	want := fmt.Sprintf("−%.1f", -taken)
	w.Until(`document.querySelector("[data-cause=compressor] b").innerText === "` + want + `"`)
	body := w.Find(".clip").Height - 20
	w.Until(fmt.Sprintf(`Math.abs(%s - %v) <= 2`, tallest(".clip", "took-compressor"), min(20, -taken)/20*0.5*body))
	w.Press("Level")
	w.Click(".clip .head")
	clickRuler(w, 0.2)
	w.Until(`document.querySelector("[data-level=total]").innerText === "` + want + ` dB"`)
	w.Until(`[...document.querySelectorAll("aside dl div")].some(r => r.innerText.includes("Compressor") && r.innerText.includes("` + want + `"))`)

	// And what is delivered.
	pcm := delivered(t, w, episode)
	assert.InDelta(t, taken, 20*math.Log10(float64(pcm[1][5*audio.Second])/0.5), 0.01, "the reduction is in the file")
}

// withOneVoice has a voice that is a tone of a second, half loud at -10 dBFS and half soft at -30, and a pause with a room
// in it every four seconds.
var withOneVoice = Kind{clips: 1, prepare: func(w *Window) string {
	pcm := testkit.Noise(1, 0.001, 32*audio.Second, 4)
	loud, soft := testkit.Sine(1, 600, -10, 0, pcm.Length()), testkit.Sine(1, 600, -30, 0, pcm.Length())
	for i := range pcm[0] {
		switch at := audio.Frames(i) % (4 * audio.Second); {
		case at >= 3*audio.Second:
		case at%audio.Second < audio.Second/2:
			pcm[0][i] += loud[0][i]
		default:
			pcm[0][i] += soft[0][i]
		}
	}
	return dropOn(w, "A voice", testkit.WriteWAV(w.t, "Guest at the table.wav", pcm))
}}

// withVoice opens a new episode with that voice on it, and has what is played heard.
func withVoice(t *testing.T, title string) (w *Window, episode string) {
	t.Helper()
	w = OpenWindow(t, base)
	w.Hear()
	episode = withOneVoice.Open(w, title)
	w.Press("Balance")
	w.Press("Treatment")
	w.Click(`.card .name`)
	w.Until(`document.querySelector("aside [aria-label='Name of this treatment'], aside .starts")`)
	return w, episode
}

func TestATreatmentIsSuggestedForTheVoiceKeptWithTheShowAndPutOnOtherTracks(t *testing.T) {
	t.Parallel()
	w, episode := withVoice(t, "Suggested")
	w.Press("Suggest")
	d := untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Gate.On })
	got := d.Tracks[0].Treatment
	assert.Greater(t, got.Gate.Open, audio.DB(-58), "above the room, whose noise lies at -60")
	assert.Less(t, got.Gate.Open, audio.DB(-35), "below the soft words")
	assert.InDelta(t, 4.5, -treat.Compressed(got.Compressor, float64(got.Compressor.Speech)), 1.5)
	assert.InDelta(t, -13, float64(got.Compressor.Speech), 1, "where its power lies")
	w.Until(`/The gate opens at .* above the room.* Ordinary speech lies at/.test(document.querySelector("[data-why]").innerText)`)
	w.Until(`/^\d+ % of the speech is over/.test(document.querySelector("[data-over]").innerText.trim())`)

	w.Press("Save…")
	w.Type(`[aria-label="Name of this treatment"]`, "The guest’s microphone")
	w.Until(`!document.querySelector("aside form")`)
	begin := func(name string) {
		w.Press("Begin with…")
		item := fmt.Sprintf(`[...document.querySelectorAll(".el-dropdown-menu__item")].find(e => e.innerText.startsWith(%q) && e.getBoundingClientRect().height > 0)`, name)
		w.ClickOn(item)
	}
	w.Press("Undo")
	w.Until(`!document.querySelector("[data-why]")`) // nothing is said of what is not so
	w.Press("Redo")
	w.Until(`document.querySelector("[data-why]")`)
	begin("Telephone line")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.LowCut.Corner == 200 })
	assert.NotEqual(t, got, d.Tracks[0].Treatment)

	// Two more tracks: all three are chosen and given what the show keeps.
	for range 2 {
		w.Press("Add a track")
		w.Press("for voice")
	}
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 3 })
	w.Click(`.card .name`)
	for i := range 2 {
		x, y := w.Find(fmt.Sprintf(`[aria-label="Track Voice %d"] .name`, i+2)).At(0.5, 0.5)
		w.Do(chromedp.MouseClickXY(x, y, chromedp.ButtonModifiers(chromedp.ModifierCtrl)))
	}
	w.UntilText("What is set here goes to all 3 chosen tracks.")
	w.Until(`![...document.querySelectorAll("aside .starts button")].some(b => b.disabled)`)
	begin("The guest’s microphone")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[2].Treatment.Gate.On })
	for _, track := range d.Tracks {
		assert.Equal(t, []any{got.Gate, got.Compressor}, []any{track.Treatment.Gate, track.Treatment.Compressor})
	}
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[2].Treatment.Off() && !d.Tracks[0].Treatment.Off() })
	w.Press("Begin with…")
	w.Click(`[aria-label="Remove The guest’s microphone"]`)
	w.Until(`!document.querySelector("[aria-label^='Remove The guest']")`)
}

// withoutAClick says that what was heard from window.__from on, a tone of 600 Hz with pauses, has no step that is not in
// the tone at the highest level that is heard, and a little for what crosses over.
func withoutAClick(w *Window) {
	w.t.Helper()
	steps := Eval[[]float64](w, `(() => {
		const all = window.__heard.slice(window.__from).flatMap(b => [...b[0]]);
		let step = 0, high = 0;
		for (let i = 1; i < all.length; i++) { step = Math.max(step, Math.abs(all[i] - all[i - 1])); high = Math.max(high, Math.abs(all[i])); }
		return [step, high];
	})()`)
	assert.Less(w.t, steps[0], 1.6*steps[1]*2*math.Pi*600/audio.Rate, "no step that is not in the tone")
}

func TestATrackIsHeardWithoutItsTreatmentAsLoudByOneKeyAndWithoutAClick(t *testing.T) {
	t.Parallel()
	w, episode := withVoice(t, "With and without")
	tickStage(w, "Compressor")
	w.Type(`[aria-label="Compressor threshold, typed"]`, "-32")
	w.Type(`[aria-label="Compressor ratio, typed"]`, "5")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Ratio == 5 })
	version := get[episodes.Desk](t, "/api/episodes/"+episode).Version
	// Of the last seconds that were heard: how many dB lie between loud and soft, and the mean power.
	const last = `(() => {
		const all = window.__heard.slice(-300).flatMap(b => [...b[0]]), levels = [], hop = 480;
		for (let i = 0; i + hop <= all.length; i += hop) levels.push(10 * Math.log10(all.slice(i, i + hop).reduce((s, v) => s + v * v, 1e-12) / hop));
		const words = levels.filter(v => v > -58).sort((a, b) => a - b);
		return [words[Math.floor(words.length * 0.7)] - words[Math.floor(words.length * 0.1)], words[Math.floor(words.length * 0.7)]];
	})()`
	w.Key(kb.Home)
	w.Press("Play")
	w.Until(`document.querySelector(".now").innerText >= "0:05.50"`)
	w.Until(`(window.__last = ` + last + `)[0] < 14`)
	treated := Eval[[]float64](w, `window.__last`)
	Eval[bool](w, `(window.__from = window.__heard.length, true)`)
	w.Key("7")
	w.Until(`document.querySelector(".card .bare") && document.querySelector("aside .without button").getAttribute("aria-pressed") === "true"`)
	// As it was recorded, 20 dB, and as loud as with it, though it takes away 15 dB. What is heard goes on: a moment later it is another.
	w.Until(fmt.Sprintf(`(([apart, loud]) => Math.abs(apart - 20) < 2 && Math.abs(loud - %g) < 0.5)(%s)`, treated[1], last))
	w.Key("7")
	w.Until(`!document.querySelector(".card .bare")`)
	w.Until(last + `[0] < 14`)
	// Held, it goes back by itself.
	w.KeyDown("7", "Digit7")
	w.Until(`document.querySelector(".card .bare")`)
	w.Until(last + `[0] > 18`)
	w.KeyUp("7", "Digit7")
	w.Until(`!document.querySelector(".card .bare")`)
	for _, there := range []string{"", "!"} { // all tracks, and back
		w.Key("7", chromedp.ModifierShift)
		w.Until(there + `document.querySelector(".card .bare")`)
	}
	w.Press("Pause")
	withoutAClick(w)
	assert.Equal(t, version, get[episodes.Desk](t, "/api/episodes/"+episode).Version, "nothing of the session has changed")
}

func TestAChosenStretchBecomesASoundThatStandsOverItsOriginal(t *testing.T) {
	t.Parallel()
	w, episode := withVoice(t, "Rendered")
	tickStage(w, "Compressor")
	w.Type(`[aria-label="Compressor threshold, typed"]`, "-30")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Threshold == -30 })
	before := listen(t, episode, 5*audio.Second, 7*audio.Second)
	w.Click(".clip .head")
	w.Key("R", chromedp.ModifierShift)
	w.Type(`[aria-label="Name of the sound"]`, "Guest, treated") // and Enter
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 2 })
	w.UntilText("“Guest, treated” is a sound of the show now.")
	w.Until(`document.querySelectorAll(".el-message").length === 1`)
	assert.Equal(t, "Guest, treated", d.Tracks[0].Name)
	assert.True(t, clipsOf(d, 1)[0].Silent)
	assert.Less(t, testkit.MaxDifference(t, before, listen(t, episode, 5*audio.Second, 7*audio.Second)), 1e-5, "it sounds as it did")
	w.Press("Gather")
	w.Until(`document.querySelector('[data-sound="Guest, treated"]')`)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 1 && !clipsOf(d, 0)[0].Silent })
	w.Key(kb.Escape)
	w.Key("R", chromedp.ModifierShift)
	w.UntilText("Choose clips, or a stretch in which something sounds")
}
