package e2e

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/treat"
)

func TestATrackIsTreatedAsItsCurveSaysAndHeardSo(t *testing.T) {
	w, episode, _ := withNumbered(t, "Treated")
	w.Press("Balance")
	w.Click(`[aria-label="Track Music 1"] .name`)
	tick := func(name string) {
		Eval[bool](w, `(() => { [...document.querySelectorAll("aside label.stage")].find(l => l.innerText.startsWith("`+name+`")).querySelector("input").click(); return true })()`)
	}
	w.UntilText("makes loud things softer")
	tick("Compressor")
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
	w.Until(`document.querySelector("aside svg[role=img]").getAttribute("aria-label").includes("compressor at -26 dB")`)

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
	tick("Low cut")
	tick("Limiter")
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
	tick("Gate")
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
