package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/testkit"
)

func TestVoicesAreEvenedOutAfterTheyWereListed(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := newEpisode(w, "Uneven")
	var files []string
	for i, level := range []int{-8, -20, -10} { // one leans back
		file := filepath.Join(t.TempDir(), fmt.Sprintf("Speaker %d.wav", i+1))
		testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("anoisesrc=r=48000:c=pink:d=6:seed=%d,volume=%ddB", i, level), "-ac", "1", file)
		files = append(files, file)
	}
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, files...)
	w.Until(`document.querySelectorAll(".clip").length === 3`)
	w.Press("Balance")
	w.Press("Voices")
	w.Until(`document.querySelectorAll("aside tbody tr").length === 3`)
	row := func(i int) []float64 {
		return Eval[[]float64](w, fmt.Sprintf(`[...[...document.querySelectorAll("aside tbody tr")].find(r => r.innerText.includes("Speaker %d")).querySelectorAll(".figures")].map(e => Number(e.innerText.replace("−", "-")))`, i+1))
	}
	gain := func(d session.Document, i int) audio.DB { // files come to lie in the order in which they have been read
		_, _, c := clipNamed(t, d, fmt.Sprintf("Speaker %d", i+1))
		return c.Gain
	}
	assert.InDelta(t, 12, row(0)[0]-row(1)[0], 0.2)
	assert.InDelta(t, row(1)[0]+row(1)[2], row(1)[1], 0.11, "now and the change are then")
	assert.InDelta(t, 0, row(2)[2], 0.01, "the one in the middle stays as it is")

	// What is left out stays as it is; one press undoes all.
	w.Click(`[aria-label="Even out Speaker 3"]`)
	w.Press("Even out 2 clips")
	d := untilKept(w, episode, func(d session.Document) bool { return gain(d, 1) > 9 })
	assert.Zero(t, gain(d, 2))
	w.Until(`document.querySelector("aside section button.filled").innerText.trim() === "All are even"`)
	var heard []float64
	for i := range 2 {
		pcm := testkit.ReadAudio(t, files[i], 1)
		for n := range pcm[0] {
			pcm[0][n] *= float32(gain(d, i).Gain())
		}
		heard = append(heard, loudness.Measure(pcm).Integrated)
	}
	assert.InDelta(t, heard[0], heard[1], 0.1, "the recordings times their gains are equally loud")
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return gain(d, 0) == 0 && gain(d, 1) == 0 })

	// All speakers to a peak, and to a loudness that is too much for them.
	choose(w, "What is made the same", "to one peak")
	w.Type(`[aria-label="What all are brought to"]`, "-6")
	w.Click(`[aria-label="Even out Speaker 3"]`)
	w.Press("Even out 3 clips")
	d = untilKept(w, episode, func(d session.Document) bool { return gain(d, 2) != 0 })
	for i := range 3 {
		peak := audio.Level(float64(testkit.ReadAudio(t, files[i], 1).Peak())) + gain(d, i)
		if gain(d, i) < audio.Loudest {
			assert.InDelta(t, -6, float64(peak), 0.1)
		}
	}
	choose(w, "What is made the same", "to one loudness")
	w.Type(`[aria-label="What all are brought to"]`, "-9")
	w.UntilText("its peak comes over −1.0 dB")
	w.UntilText("gets as much gain as a clip can have")
	require.Equal(t, d.JSON(), desk(t, episode).Document.JSON(), "nothing changes before it is asked for")
}
