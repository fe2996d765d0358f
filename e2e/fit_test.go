package e2e

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/fit"
	"ruvel/core/session"
	"ruvel/testkit"
)

// bedOf are the clips of the bed of a copy of the demo, in order.
func bedOf(d session.Document) []session.Clip { return clipsOf(d, 3) }

func TestAPieceOfMusicIsFittedByTypingAndByDraggingItsEnd(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, "The Last Fog Signal", "A shorter bed", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 5`)
	w.Press("Arrange")
	w.Press("Fit")
	w.UntilText("Choose a piece of music on a track")
	w.Click(`.clip[aria-label^="Harbour theme, bed"]`)
	w.UntilText("92 beats a minute, 4 in a bar")
	w.Type(`[aria-label="Fit to the length"]`, "0:50")
	w.UntilText("The best way")
	w.UntilText("Another way")
	w.Press("Fit it so")
	w.UntilText("It is so now.")
	d := untilKept(w, episode, func(d session.Document) bool { return len(bedOf(d)) == 2 })
	bed := bedOf(d)
	assert.InDelta(t, 50, bed[1].End().Seconds(), 0.05)
	assert.Zero(t, bed[0].Offset, "its own beginning")
	assert.Equal(t, bed[0].End()-fit.Cross, bed[1].Start)
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	noSeriousFault(t, w, string(axe), "fitting")
	// What is heard at the join is as loud as what is heard before it, to what bars differ by.
	heard := listen(t, episode, bed[1].Start-2*audio.Second, bed[1].Start+2*audio.Second)
	assert.InDelta(t, testkit.RMS(heard[0][:2*audio.Second]), testkit.RMS(heard[0][2*audio.Second:]), 6)

	// The other way, in the place of the first, and all of it back in two steps.
	w.Press("Fit it this way")
	d = untilKept(w, episode, func(d session.Document) bool { return bedOf(d)[0].Length != bed[0].Length })
	assert.InDelta(t, 50, bedOf(d)[len(bedOf(d))-1].End().Seconds(), 0.05)
	w.Press("Undo")
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(bedOf(d)) == 1 })

	// By its end: it is shown where it will be, and made when the hand lets go.
	w.Click(`.clip[aria-label^="Harbour theme, bed"]`)
	x, y := w.Find(`.clip[aria-label^="Harbour theme, bed"] .edge.end`).At(0.5, 0.5)
	w.Drag(x, y, x-60, y)
	d = untilKept(w, episode, func(d session.Document) bool { return len(bedOf(d)) > 1 })
	last := bedOf(d)[len(bedOf(d))-1]
	assert.Less(t, last.End(), 60*audio.Second)
	assert.Greater(t, last.Offset+last.Length, 80*audio.Second, "its own ending")
	w.UntilText("It is so now.")

	// Where it cannot be, that is said, and what can be done instead.
	w.Type(`[aria-label="Fit to the length"]`, "0:05")
	w.UntilText("With its own beginning and its own ending")
	w.Press("Let it fade out by 0:05.00")
	untilKept(w, episode, func(d session.Document) bool {
		first := bedOf(d)[0]
		return first.End() == 5*audio.Second && first.FadeOut.Length > audio.Second
	})
}
