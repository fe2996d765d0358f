package e2e

import (
	"fmt"
	"math"
	"strings"
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

// voiceOverMusic has a voice of 4 s, placed by hand at 8 s, and music of 20 s.
var voiceOverMusic = Kind{clips: 2, prepare: func(w *Window) string {
	said := testkit.Join(testkit.Noise(1, 0.0005, audio.Second, 1), testkit.Voice(0.8, 120, 2*audio.Second), testkit.Noise(1, 0.0005, audio.Second, 2))
	voice := testkit.WriteWAV(w.t, "keeper voice.wav", said)
	music := testkit.WriteWAV(w.t, "harbour music.wav", testkit.Sine(2, 1000, -14, 0, 20*audio.Second))
	episode := dropOn(w, "Voice over music", music, voice)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 2 })
	for _, track := range d.Tracks {
		name := fmt.Sprintf(`[aria-label="More for %s"]`, track.Name)
		part := map[bool]string{true: "Use for music", false: "Use for voice"}[d.Sounds[oneClip(track).Sound].Channels == 2]
		if wanted := map[string]session.Part{"Use for music": session.Music, "Use for voice": session.Voice}[part]; track.Part != wanted {
			w.Click(name)
			w.Press(part)
			untilKept(w, episode, func(d session.Document) bool { return d.Tracks[d.FindTrack(track.ID)].Part == wanted })
		}
	}
	return episode
}}

// spokenOver is an episode with that, and its document.
func spokenOver(t *testing.T, title string) (w *Window, episode string, d session.Document) {
	t.Helper()
	w = OpenWindow(t, base)
	w.Hear()
	episode = voiceOverMusic.Open(w, title)
	w.Press("Balance")
	return w, episode, untilKept(w, episode, parted)
}

func oneClip(t session.Track) (c session.Clip) {
	for _, c = range t.Clips {
	}
	return c
}

func parted(d session.Document) bool {
	parts := map[session.Part]int{}
	for _, t := range d.Tracks {
		parts[t.Part]++
	}
	return parts[session.Voice] == 1 && parts[session.Music] == 1
}

func trackOf(d session.Document, part session.Part) session.Track {
	for _, t := range d.Tracks {
		if t.Part == part {
			return t
		}
	}
	return session.Track{}
}

// hatched is an expression for the columns, in pixels of the lane of music, in which its clips are hatched in the colour of the
// voice: the first, the last, and how many there are.
const hatched = `(() => {
	const music = document.querySelector(".card.music").closest(".row");
	const one = document.createElement("canvas").getContext("2d");
	one.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--voice");
	one.fillRect(0, 0, 1, 1);
	const c = one.getImageData(0, 0, 1, 1).data;
	const lane = music.querySelector(".lane"), canvas = lane.querySelector("canvas");
	const box = canvas.getBoundingClientRect(), left = Math.max(0, Math.round(lane.getBoundingClientRect().left - box.left));
	const g = canvas.getContext("2d").getImageData(left, 0, Math.min(canvas.width - left, 760), canvas.height), columns = new Set();
	for (let i = 0; i < g.data.length; i += 4)
		if (g.data[i] === c[0] && g.data[i+1] === c[1] && g.data[i+2] === c[2]) columns.add(i / 4 % g.width);
	const all = [...columns].sort((a, b) => a - b);
	return [all[0] ?? -1, all[all.length - 1] ?? -1, all.length];
})()`

// leading is an expression for the columns of the strip that have a bar: the first and the last.
const leading = `(() => {
	const canvas = document.querySelector(".lead canvas"), strip = document.querySelector(".lead .strip");
	const left = Math.max(0, Math.round(strip.getBoundingClientRect().left - canvas.getBoundingClientRect().left));
	const g = canvas.getContext("2d").getImageData(left, canvas.height - 3, 760, 1), all = [];
	for (let x = 0; x < g.width; x++) if (g.data[4 * x + 3] > 60) all.push(x);
	return [all[0] ?? -1, all[all.length - 1] ?? -1];
})()`

func TestMusicMakesWayAndFollowsTheHandThatMovesTheVoice(t *testing.T) {
	t.Parallel()
	w, episode, d := spokenOver(t, "Making way")
	w.Until(`document.querySelector(".miss")`)
	w.UntilText("harbour music covers the voice")
	clickRuler(w, 0.03)
	assert.Equal(t, []float64{-1, -1, 0}, Eval[[]float64](w, hatched))

	w.Click(fmt.Sprintf(`[aria-label="Track %s"] .name`, trackOf(d, session.Music).Name))
	w.Press("Room")
	w.Click(`aside .el-switch`)
	d = untilKept(w, episode, func(d session.Document) bool { return trackOf(d, session.Music).Way.On })
	w.Until(`!document.querySelector(".miss")`)
	w.Until(hatched + `[2] > 10`)
	assert.Equal(t, session.ByLead, trackOf(d, session.Music).Way.By)

	// The voice is dragged: before it is let go, the hatching and the strip have gone with it.
	before, bars := Eval[[]float64](w, hatched), Eval[[]float64](w, leading)
	perPixel := Eval[float64](w, `(c => c.getBoundingClientRect().width)(document.querySelector(".row:has(.card.music) .clip")) / 20`)
	x, y := w.Find(".row:has(.card.voice) .clip .head").At(0.5, 0.5)
	hold := func(p *input.DispatchMouseEventParams) { // Alt lets go of what it would snap to
		p.Button, p.Buttons = input.MouseButtonLeft, 1
		chromedp.ButtonModifiers(chromedp.ModifierAlt)(p)
	}
	mouse := func(kind input.DispatchMouseEventType, x float64) { w.Do(chromedp.MouseEvent(kind, x, y, hold)) }
	mouse(chromedp.MousePressed, x)
	for i := 1; i <= 12; i++ {
		mouse(chromedp.MouseMoved, x+float64(i)*5*perPixel/12)
	}
	w.Until(fmt.Sprintf(`Math.abs(%s[0] - %g) < 3`, leading, bars[0]+5*perPixel))
	w.Until(fmt.Sprintf(`Math.abs(%s[1] - %g) < 4`, hatched, before[1]+5*perPixel))
	require.True(t, Eval[bool](w, `document.querySelector(".tag") !== null`), "the hand still holds it")
	mouse(chromedp.MouseReleased, x+5*perPixel)
	d = untilKept(w, episode, func(d session.Document) bool { return oneClip(trackOf(d, session.Voice)).Start > 4*audio.Second })

	// The file has the dip where it was drawn: the music goes down before the first word and comes up after the last.
	start := oneClip(trackOf(d, session.Voice)).Start
	way := trackOf(d, session.Music).Way
	heard := listen(t, episode, 0, 18*audio.Second)
	level := func(at audio.Frames) float64 { // of the music, a tone of 1 kHz, of which the voice has nothing
		var re, im float64
		for i, v := range heard[0][at : at+audio.Second/10] {
			sin, cos := math.Sincos(2 * math.Pi * 1000 * float64(i) / audio.Rate)
			re, im = re+float64(v)*cos, im+float64(v)*sin
		}
		return 20*math.Log10(2*math.Hypot(re, im)/(audio.Rate/10)) + 14
	}
	first, last := start+audio.Second, start+3*audio.Second
	assert.InDelta(t, 0, level(first-way.Down.Frames()-audio.Second/2), 0.1)
	assert.Less(t, level(first+audio.Second/5), -6.0)
	assert.InDelta(t, level(first+audio.Second/2), level(last-audio.Second/2), 0.3, "no rise inside a phrase")
	assert.InDelta(t, 0, level(last+way.Up.Frames()+audio.Second/5), 0.1)

	// What acts on it is said by name.
	w.Press("Level")
	w.Click(".row:has(.card.music) .clip .head")
	clickAt := Eval[float64](w, fmt.Sprintf(`%d / %d / 60`, first+audio.Second, audio.Second))
	clickRuler(w, clickAt*60/Eval[float64](w, `document.querySelector(".lane").clientWidth / `+fmt.Sprint(perPixel)))
	w.Until(fmt.Sprintf(`[...document.querySelectorAll("aside dl div")].some(r => r.innerText.startsWith("Makes way for %s"))`, trackOf(d, session.Voice).Name))

	// Without it, at one key.
	w.Press("Room")
	w.Key("6")
	w.Until(`document.querySelector("aside [aria-pressed=true]")?.innerText.startsWith("Heard without it")`)
	w.Key("6")
	w.Until(`!document.querySelector("aside [aria-pressed=true]")`)

	// Points on demand, and back.
	w.Press("Turn into points")
	d = untilKept(w, episode, func(d session.Document) bool { return len(trackOf(d, session.Music).Envelope) > 0 })
	assert.False(t, trackOf(d, session.Music).Way.On)
	assert.Less(t, testkit.MaxDifference(t, heard, listen(t, episode, 0, 18*audio.Second)), 1e-4, "it sounds as before")
	w.Press("Take them back, and make way by itself")
	untilKept(w, episode, func(d session.Document) bool {
		return trackOf(d, session.Music).Way.On && len(trackOf(d, session.Music).Envelope) == 0
	})
}

func TestAMissIsGoneToAndRoomIsMade(t *testing.T) {
	t.Parallel()
	w, episode, _ := spokenOver(t, "Making room")
	w.Until(`document.querySelector(".miss")`)
	assert.Contains(t, Eval[string](w, `document.querySelector(".miss").title`), "covers the voice: it leads by")
	w.Click(".miss")
	w.Until(`document.querySelector('[aria-label="Pause"], [title^="Pause"]')`)
	w.Press("Pause")
	at := Eval[string](w, `document.querySelector(".now").innerText`)
	assert.True(t, strings.HasPrefix(at, "0:00") || strings.HasPrefix(at, "0:01") || strings.HasPrefix(at, "0:02"), "from two seconds before: %s", at)
	x, y := w.Find(".lead .strip").At(0.03, 0.8)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y))
	w.Until(`document.querySelector(".tag")?.innerText.includes("leads by")`)

	w.Press("Room")
	w.Press("Make room for speech…")
	w.Until(`document.querySelectorAll(".room li").length === 1`)
	w.Until(`!document.querySelector(".miss")`) // it is shown before it is made
	w.Until(hatched + `[2] > 5`)
	w.Press("Hear it")
	w.Until(`[...document.querySelectorAll(".room button")].some(b => b.querySelector(".lucide-square"))`)
	// What is left out covers speech still, and it is said why.
	w.Click(".room li input")
	w.UntilText("Still missed after that")
	w.UntilText("“harbour music” makes no way for speech.")
	w.Press("Cancel")
	w.Until(`document.querySelector(".miss")`)
	assert.False(t, trackOf(desk(t, episode).Document, session.Music).Way.On, "nothing has been done")
	w.Press("Room")
	w.Press("Make room for speech…")
	w.Until(`document.querySelectorAll(".room li").length === 1`)
	w.Press("Make room")
	untilKept(w, episode, func(d session.Document) bool { return trackOf(d, session.Music).Way.On })
	w.Until(`!document.querySelector(".room")`)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return !trackOf(d, session.Music).Way.On })

	choose(w, "The voice lead that is aimed at", "Accessible")
	untilKept(w, episode, func(d session.Document) bool { return d.Lead == "accessible" })
	w.Key(kb.Escape)
}
