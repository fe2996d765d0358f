package e2e

import (
	"fmt"
	"io"
	"math"
	"net/http"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/internal/server"
	"ruvel/testkit"
)

// tickStage switches a stage of the treatment in the panel on or off.
func tickStage(w *Window, name string) {
	Eval[bool](w, `(() => { [...document.querySelectorAll("aside label.stage")].find(l => l.innerText.startsWith("`+name+`")).querySelector("input").click(); return true })()`)
}

func TestATrackIsTreatedAsItsCurveSaysAndHeardSo(t *testing.T) {
	w, episode, _ := withNumbered(t, "Treated")
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.UntilText("makes loud things softer")
	tickStage(w, "Compressor")
	d := untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.On })
	usual := session.Usual()
	usual.Compressor.On = true
	assert.Equal(t, usual, d.Tracks[0].Treatment, "it begins with what is usual")
	w.Type(`[aria-label="Over, typed"]`, "-26")
	w.Type(`[aria-label="Ratio, typed"]`, "2")
	w.Type(`[aria-label="Knee, typed"]`, "0")
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
	w.Type(`[aria-label="Ratio, typed"]`, "1")
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
	w.Type(`[aria-label="Opens at, typed"]`, "-99")
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
		const p = canvas.getContext("2d").getImageData(from, 0, width, canvas.height).data, out = Array(width).fill(0);
		for (let i = 0; i < p.length; i += 4)
			if (p[i] === c[0] && p[i+1] === c[1] && p[i+2] === c[2]) out[i / 4 %% width]++;
		return Math.max(...out);
	})()`, token, clip, clip)
}

// dragThreshold drags the threshold of the compressor down on its curve while the sample plays, and
// gives what it then takes away, in dB, and how many ms after the last move that is heard.
func dragThreshold(w *Window, episode string) (taken, took float64) {
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
	heard := fmt.Sprintf(`window.__came[window.__heard.findIndex((b, i) => window.__came[i] > %v && b[1].every(v => Math.abs(v - %v) < 0.005))]`, moved, 0.5*audio.DB(taken).Gain())
	w.Until(`(` + heard + `) > 0`)
	took = Eval[float64](w, heard) - moved
	w.Press("Pause")
	return taken, took
}

func TestAThresholdIsDraggedOnTheCurveSeenAlongTheClipHeardAndDelivered(t *testing.T) {
	w, episode, _ := withNumbered(t, "Drawn threshold")
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.UntilText("makes loud things softer")
	tickStage(w, "Compressor")
	w.Type(`[aria-label="Knee, typed"]`, "0")
	w.Type(`[aria-label="Over, typed"]`, "-3")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Threshold == -3 })
	w.Until(`document.querySelector("[data-cause=compressor] b").innerText === "0.0"`)
	w.Until(tallest(".clip", "took-compressor") + ` === 0`)

	// A machine that is busy with something else is slow now and then: of some tries one is not.
	var taken, best float64
	for range 4 {
		var took float64
		taken, took = dragThreshold(w, episode)
		t.Logf("the last of 20 changes of a threshold is heard after %.0f ms", took)
		if best == 0 || took < best {
			best = took
		}
		if best < soon {
			break
		}
		w.Press("Undo")
		untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Treatment.Compressor.Threshold == -3 })
	}
	assert.Less(t, best, soon)

	// What is seen: the band, as high as what is taken away, the wave as high as it is heard, and the figures.
	want := fmt.Sprintf("−%.1f", -taken)
	w.Until(`document.querySelector("[data-cause=compressor] b").innerText === "` + want + `"`)
	body := w.Find(".clip").Height - 20
	w.Until(fmt.Sprintf(`Math.abs(%s - %v) <= 2`, tallest(".clip", "took-compressor"), -taken/30*0.5*body))
	w.Click(".clip .head")
	clickRuler(w, 0.2)
	w.Until(`document.querySelector("[data-level=total]").innerText === "` + want + ` dB"`)
	w.Until(`[...document.querySelectorAll("aside dl div")].some(r => r.innerText.includes("Compressor") && r.innerText.includes("` + want + `"))`)

	// And what is delivered.
	w.Press("Hand over")
	w.UntilText("Mix down")
	choose(w, "Format", "WAV, 32 bit float")
	w.Press("Mix down")
	w.Until(`document.querySelectorAll("aside li").length === 1`)
	list := get[[]server.Mixdown](t, "/api/episodes/"+episode+"/mixdowns")
	require.NotEmpty(t, list)
	r, err := http.Get(base + "/api/mixdowns/" + list[0].ID + "/file")
	require.NoError(t, err)
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	pcm := testkit.ReadAudio(t, testkit.WriteFile(t, "mix.wav", data), 2)
	assert.InDelta(t, taken, 20*math.Log10(float64(pcm[1][5*audio.Second])/0.5), 0.01, "the reduction is in the file")
}
