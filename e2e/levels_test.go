package e2e

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/session"
	"ruvel/testkit"
)

// stretch chooses a stretch of time on the ruler.
func stretch(w *Window, from, to float64) {
	w.t.Helper()
	box := w.Find(".ruler")
	y := box.Y + box.Height*0.8
	w.Drag(xOf(w, from), y, xOf(w, to), y)
	w.Until(`document.querySelector(".ruler .chosen")`)
}

// rms is the level of a stretch of the left channel, in dB.
func rms(pcm audio.PCM, from, to float64) float64 {
	var sum float64
	part := pcm[0][int(from*audio.Rate):int(to*audio.Rate)]
	for _, v := range part {
		sum += float64(v) * float64(v)
	}
	return 10 * math.Log10(sum/float64(len(part))+1e-20)
}

func TestATrackHasALevelLineOnWhichARampIsDrawnInOneGesture(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "A ramp")
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .name`)
	assert.Zero(t, Eval[int](w, `document.querySelectorAll(".track-line").length`))
	w.Key("v")
	w.Until(`document.querySelectorAll(".track-line").length === 2`)
	line := w.Find(`[data-track]:has(` + music + `) .track-line .hit`)
	y := line.Y + line.Height/2
	w.Drag(xOf(w, 10), y, xOf(w, 20), y+60, chromedp.ModifierCtrl, chromedp.ModifierAlt)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Envelope) == 2 })
	points := d.Tracks[1].Envelope
	assert.InDelta(t, 10, points[0].At.Seconds(), 0.2)
	assert.InDelta(t, 20, points[1].At.Seconds(), 0.2)
	assert.Zero(t, points[0].Level)
	assert.Less(t, points[1].Level, audio.DB(-10))
	assert.Contains(t, desk(t, episode).Undo, "Ramp on “Music 1”")

	// It is typed to be exact; then the outer point makes the ramp slower, and the inner one stays.
	w.Type(`[aria-label="Time of the point"]`, "0:20")
	w.Type(`[aria-label="Level of the point"]`, "-20")
	d = untilKept(w, episode, func(d session.Document) bool {
		return d.Tracks[1].Envelope[1] == session.Point{At: 20 * audio.Second, Level: -20}
	})
	w.Click(`.track-line .point`)
	w.Type(`[aria-label="Time of the point"]`, "0:05")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Envelope[0].At == 5*audio.Second })
	assert.Equal(t, session.Point{At: 20 * audio.Second, Level: -20}, d.Tracks[1].Envelope[1])
	w.Type(`[aria-label="Bend, typed"]`, "100")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Envelope[0].Bend == 1 })

	// What is exported follows the line that is drawn.
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute })
	wav := mixDown(t, w, "WAV, 32 bit float")
	curve := envelope.New(d.Tracks[1].Envelope)
	for _, at := range []float64{8, 12.5, 17, 22} {
		want := audio.Level(curve.GainAt(audio.Frames(at * audio.Rate)))
		assert.InDelta(t, rms(wav, 2, 4)+float64(want), rms(wav, at-0.05, at+0.05), 0.6, "%v s", at)
	}
}

func TestMusicDipsUnderAStretchAndRemembersHow(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "A dip")
	w.Press("Balance")
	w.Click(music + " .head")
	w.Type(`[aria-label="Depth of the dip"]`, "12")
	w.Type(`[aria-label="Time of the way down"]`, "0.5")
	stretch(w, 8, 16)
	w.Press("Dip under the stretch")
	d := untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 4 })
	_, _, c := clipNamed(t, d, "Slack water")
	assert.InDelta(t, 0.5, (c.Envelope[1].At - c.Envelope[0].At).Seconds(), 1e-9)
	assert.InDelta(t, 8, c.Envelope[1].At.Seconds(), 0.2)
	assert.InDelta(t, 1, (c.Envelope[3].At - c.Envelope[2].At).Seconds(), 1e-9)
	assert.InDelta(t, -12, float64(c.Envelope[2].Level), 1e-9)
	w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length === 4`, music+" .point.selected"))

	// All four at once: dragged up together, copied, pasted later, and taken away.
	p := w.Find(music + " .point:nth-of-type(2)")
	x, y := p.At(0.5, 0.5)
	w.Drag(x, y, x, y-20, chromedp.ModifierShift)
	d = untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Slack water")
		return c.Envelope[1].Level > -12
	})
	_, _, c = clipNamed(t, d, "Slack water")
	assert.InDelta(t, 12, float64(c.Envelope[0].Level-c.Envelope[1].Level), 1e-6, "they keep their distances")
	w.Key("c", chromedp.ModifierCtrl)
	clickRuler(w, 0.8)
	w.Key("v", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 8 })
	w.Key(kb.Delete)
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 4 })
	// The same from the menu, where it was pointed at.
	px, py := w.Find(music+" .head").At(0.3, 0.5)
	w.secondary(px, py)
	w.Press("Paste points here")
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 8 })
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 4 })
	w.Press("Down: the whole line by 1 dB")
	untilKept(w, episode, func(d session.Document) bool {
		_, _, now := clipNamed(t, d, "Slack water")
		return math.Abs(float64(now.Envelope[0].Level-c.Envelope[0].Level)+1) < 1e-6
	})
	w.Press("Clear the level line")
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 0 })

	// Depth and times are remembered; without a stretch, it dips under what is spoken.
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	w.Press("Balance")
	w.Click(music + " .head")
	w.Until(`document.querySelector('[aria-label="Depth of the dip"]')?.value.includes("12")`)
}

func TestAStretchIsSilencedSeenAndBroughtBack(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Silence")
	w.Press("Balance")
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	w.Click(music + " .head")
	stretch(w, 10, 14)
	w.Key("s")
	d := untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Hushed) == 1 })
	_, _, c := clipNamed(t, d, "Slack water")
	from, to := c.Hushed[0].From.Seconds(), c.Hushed[0].To.Seconds()
	assert.InDelta(t, 10, from, 0.2)
	assert.InDelta(t, 14, to, 0.2)
	wav := mixDown(t, w, "WAV, 32 bit float")
	assert.Less(t, rms(wav, from+0.01, to-0.01), -190.0, "nothing is heard")
	assert.Greater(t, rms(wav, from-1, from), -40.0)
	assert.Greater(t, rms(wav, to, to+1), -40.0)

	w.Press("Balance")
	w.Click(music + " .head")
	w.Press("Let it sound again")
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Hushed) == 0 })
	// A part of it louder: typed, with short ramps.
	w.Type(`[aria-label="Make the stretch louder or softer by"]`, "-6")
	d = untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 4 })
	_, _, c = clipNamed(t, d, "Slack water")
	assert.InDelta(t, -6, float64(c.Envelope[1].Level), 1e-9)
	assert.Less(t, (c.Envelope[1].At - c.Envelope[0].At).Seconds(), 0.011)
}

func TestFadersMoveTogetherAreSetBackAndATrackIsHeardAlone(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Faders")
	faders := func(d session.Document) [2]audio.DB { return [2]audio.DB{d.Tracks[0].Fader, d.Tracks[1].Fader} }
	w.Type(`[aria-label="Fader of Music 1 in dB"]`, "-6")
	untilKept(w, episode, func(d session.Document) bool { return faders(d) == [2]audio.DB{0, -6} })

	// Two chosen tracks move together while they are chosen, and for good once they are kept together.
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .name`)
	x, y := w.Find(`[aria-label="Track Voice 1"] .name`).At(0.3, 0.5)
	w.Drag(x, y, x, y, chromedp.ModifierCtrl)
	w.UntilText("2 tracks are chosen and move together.")
	w.Type(`[aria-label="Fader of Voice 1 in dB"]`, "-3")
	untilKept(w, episode, func(d session.Document) bool { return faders(d) == [2]audio.DB{-3, -9} })
	w.Press("Keep them together")
	untilKept(w, episode, func(d session.Document) bool {
		return d.Tracks[0].Group != "" && d.Tracks[0].Group == d.Tracks[1].Group
	})
	w.Key(kb.Escape)
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Type(`[aria-label="Fader of Music 1 in dB"]`, "-10")
	untilKept(w, episode, func(d session.Document) bool { return faders(d) == [2]audio.DB{-4, -10} })
	w.Press("Move them apart")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Group == "" })

	// A double click sets a fader back.
	x, y = w.Find(`[aria-label="Track Music 1"] .el-slider__button`).At(0.5, 0.5)
	w.Do(chromedp.MouseClickXY(x, y, chromedp.ClickCount(2)))
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Fader == 0 })

	// One alone, with a modifier, and all again.
	solo := func() {
		x, y := w.Find(`[aria-label="Track Music 1"] .switch:nth-of-type(2)`).At(0.5, 0.5)
		w.Drag(x, y, x, y, chromedp.ModifierCtrl)
	}
	w.Click(`[aria-label="Track Voice 1"] .switch:nth-of-type(2)`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Solo })
	solo()
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Solo && !d.Tracks[0].Solo })
	solo()
	untilKept(w, episode, func(d session.Document) bool { return !d.Tracks[1].Solo && !d.Tracks[0].Solo })
}

func TestAPointSnapsToTheFirstWordAndMusicDipsUnderWhatIsSpoken(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Words")
	// A voice that speaks from 3 to 5 s and from 7 to 9 s in a quiet room.
	said := testkit.Noise(1, 0.0005, 12*audio.Second, 1)
	for k, at := range []audio.Frames{3 * audio.Second, 7 * audio.Second} {
		for i, v := range testkit.Voice(0.3, uint64(k+1), 2*audio.Second)[0] {
			said[0][at+audio.Frames(i)] += v
		}
	}
	voice := testkit.WriteWAV(t, "Keeper speaks.wav", said)
	_, musicFile := dropped(t)
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, voice, musicFile)
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	w.Press("Balance")
	w.Click(music + " .head")
	w.Type(`[aria-label="Depth of the dip"]`, "18")
	w.Type(`[aria-label="Time of the way down"]`, "1")
	w.Press("Dip under the speech")
	d := untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 4 })
	_, _, c := clipNamed(t, d, "Slack water")
	assert.InDelta(t, 3, c.Envelope[1].At.Seconds(), 0.1, "down on the first word")
	assert.InDelta(t, 9, c.Envelope[2].At.Seconds(), 0.4, "and until after the last")
	first := c.Envelope[1].At

	// A point that is dragged near the first word goes to it, and a guide runs through all tracks.
	w.Press("Clear the level line")
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return len(c.Envelope) == 0 })
	w.Over(music)
	line := w.Find(music + " .hit")
	py := line.Y + line.Height/2
	w.Drag(xOf(w, 1), py, xOf(w, first.Seconds())+4, py+20)
	d = untilKept(w, episode, func(d session.Document) bool {
		_, _, c := clipNamed(t, d, "Slack water")
		return len(c.Envelope) == 1 && c.Envelope[0].At > 2*audio.Second
	})
	_, _, c = clipNamed(t, d, "Slack water")
	assert.Equal(t, first, c.Envelope[0].At)
}

func TestTheLevelIsSaidWhereThePointerIsWithoutAskingTheServer(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "Level here")
	w.Press("Balance")
	w.Click(music + " .head")
	w.Key("p")
	stretch(w, 8, 16)
	w.Press("Dip under the stretch")
	w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length === 4`, music+" .point.selected"))
	before := Eval[int](w, `performance.getEntriesByType("resource").filter(r => r.name.includes("/levels")).length`)
	require.Zero(t, before)
	box := w.Find(music)
	total := func() string { return Eval[string](w, `document.querySelector("[data-level=total]").innerText`) }
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, xOf(w, 12), box.Y+box.Height-6))
	w.UntilText("Level at the pointer")
	w.Until(`document.querySelector("[data-level=total]").innerText.includes("−18.0 dB")`)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, xOf(w, 3), box.Y+box.Height-6))
	w.Until(`document.querySelector("[data-level=total]").innerText.includes("0.0 dB")`)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, 640, 700))
	w.UntilText("Level here")
	assert.NotEmpty(t, total())
}

func TestFadesAreAlikeAtBothEndsAndGainReachesAllClipsOfARecording(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Fades and kin")
	w.Press("Balance")
	w.Click(music + " .head")
	clip := func(d session.Document) session.Clip { _, _, c := clipNamed(t, d, "Slack water"); return c }

	// Along for the length, down for the shape, and with Ctrl both ends alike.
	w.Over(music)
	x, y := w.Find(music+" .grip.in").At(0.3, 0.3)
	w.Drag(x, y, x+xOf(w, 3)-xOf(w, 0), y+52, chromedp.ModifierCtrl)
	d := untilKept(w, episode, func(d session.Document) bool {
		return clip(d).FadeIn.Length > 2*audio.Second && clip(d).FadeIn == clip(d).FadeOut
	})
	assert.Equal(t, session.Smooth, clip(d).FadeIn.Shape, "two steps down from equal power")
	assert.InDelta(t, 3, clip(d).FadeIn.Length.Seconds(), 0.3)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, 640, 700))

	// A second clip of the recording; both change by as much.
	w.Click(music + " .head")
	w.Key("d", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 2 })
	w.Click(music + " .head")
	w.Type(`[aria-label="Gain, typed"]`, "-3")
	untilKept(w, episode, func(d session.Document) bool {
		gains := gainsOf(d.Tracks[1])
		return slices.Equal(gains, []audio.DB{-3, 0})
	})
	w.Click(".kin input")
	w.Type(`[aria-label="Gain, typed"]`, "-5")
	untilKept(w, episode, func(d session.Document) bool { return slices.Equal(gainsOf(d.Tracks[1]), []audio.DB{-5, -2}) })
}

func gainsOf(t session.Track) (out []audio.DB) {
	for _, c := range t.Clips {
		out = append(out, c.Gain)
	}
	slices.Sort(out)
	return out
}

func TestAPointIsTypedFasterThanItsEditsAreKept(t *testing.T) {
	t.Parallel()
	gate := StartGate(t, base)
	w := OpenWindow(t, gate.Address)
	episode := withTwoClips(t, w, "Typed fast")
	track := desk(t, episode).Document.Tracks[1].ID
	change(t, episode, map[string]any{"type": "add-points", "points": []any{map[string]any{"track": track, "at": 480000, "level": 0}, map[string]any{"track": track, "at": 900000, "level": -6}}})
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Key("v")
	w.ClickOn(`document.querySelectorAll(".track-line .point").length === 2 && document.querySelectorAll(".track-line .point")[1]`)
	w.Until(`document.querySelector('[aria-label="Time of the point"]')`)

	// Both are typed before the first is answered,
	letGo := gate.Hold("POST", "/edits")
	w.Type(`[aria-label="Time of the point"]`, "0:20")
	w.Type(`[aria-label="Level of the point"]`, "-20")
	letGo()
	is := func(at audio.Frames, level audio.DB) func(session.Document) bool {
		return func(d session.Document) bool { return d.Tracks[1].Envelope[1] == session.Point{At: at, Level: level} }
	}
	untilKept(w, episode, is(20*audio.Second, -20))

	// and an answer comes while one is typing.
	letGo = gate.Hold("POST", "/edits")
	w.Type(`[aria-label="Time of the point"]`, "0:22")
	w.Click(`[aria-label="Level of the point"]`)
	w.Do(chromedp.Evaluate[chromedp.Void](`document.querySelector('[aria-label="Level of the point"]').select()`), chromedp.KeyEvent("-1"))
	letGo()
	untilKept(w, episode, is(22*audio.Second, -20))
	w.Key("4" + kb.Enter)
	untilKept(w, episode, is(22*audio.Second, -14))

	// What is typed then of another point is meant of that one.
	letGo = gate.Hold("POST", "/edits")
	w.Type(`[aria-label="Time of the point"]`, "0:24")
	w.Click(`.track-line .point`)
	w.Until(`document.querySelector('[aria-label="Time of the point"]').value === "0:10.00"`)
	w.Type(`[aria-label="Level of the point"]`, "-3")
	letGo()
	d := untilKept(w, episode, is(24*audio.Second, -14))
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Envelope[0].Level == -3 })
	assert.Equal(t, 10*audio.Second, d.Tracks[1].Envelope[0].At)
	w.Until(`document.querySelector('[aria-label="Time of the point"]').value === "0:10.00"`)
}
