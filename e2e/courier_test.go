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

func TestEventsComeAlsoWhereWindowsCannotShareAThread(t *testing.T) {
	t.Parallel()
	for name, without := range map[string]string{
		"a browser that has none": `delete window.SharedWorker`,
		"a script that is gone": `window.SharedWorker = class extends SharedWorker {
			constructor(_, options) { super("/assets/of-another-version.js", options); }
		}`,
	} {
		gate := StartGate(t, base)
		w := OpenWindow(t, gate.Address)
		w.OnNewPage(without)
		episode := withTwoClips(t, w, "Alone with "+name)
		require.Eventually(t, func() bool { return gate.Streams() == 1 }, patience, tick, name)
		change(t, episode, map[string]any{"type": "add-track", "part": "effect"})
		w.Until(`document.querySelectorAll(".lane").length === 3`)
		w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
	}
}
