package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/core/session"
)

func TestEditsAreKeptAlsoWhereTheScriptOfTheirThreadIsGone(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	// As after the server has been replaced by one of another version, under a page that was opened before.
	w.OnNewPage(`window.Worker = class extends Worker {
		constructor(url, options) {
			const gone = String(url).includes("courierWorker");
			super(gone ? "/assets/of-another-version.js" : url, options);
			if (gone) this.addEventListener("error", () => window.__missed = true);
		}
	}`)
	episode := withTwoClips(t, w, "No courier")
	w.Until(`window.__missed`)
	w.Click(`[aria-label="Track Voice 1"] .switch`)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute })
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return !d.Tracks[0].Mute })
	require.Empty(t, Eval[string](w, `document.querySelector(".el-message")?.innerText ?? ""`))
}
