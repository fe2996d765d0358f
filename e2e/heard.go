package e2e

import (
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// Hear has the pages that are opened from now on keep what they send to the loudspeakers:
// window.__heard is a row of pieces of 512 frames, each [left, right], and window.__came
// holds when each of them sounded, in ms of the page's clock. window.__pressed is the time
// of the last press.
//
// It is kept in the audio thread, so that neither a page nor a test that are slow lose any
// of it or move it in time.
func (w *Window) Hear() {
	w.t.Helper()
	_, err := chromedp.Call(w.spoilt(), page.SetBypassCSP, page.SetBypassCSPParams{Enabled: true}) // the page loads no code but its own
	require.NoError(w.t, err)
	w.OnNewPage(hearing)
}

const hearing = `(() => {
	const PIECE = 512, ROW = 4;
	const code = "registerProcessor('tap', class extends AudioWorkletProcessor {" +
		"constructor() { super(); this.begin(); }" +
		"begin() { this.kept = [new Float32Array(" + PIECE * ROW + "), new Float32Array(" + PIECE * ROW + ")]; this.at = 0; }" +
		"process([input]) {" +
		"if (this.at === 0) this.first = currentFrame;" +
		"if (input.length > 0) this.kept.forEach((k, c) => k.set(input[Math.min(c, input.length - 1)], this.at));" +
		"this.at += 128;" +
		"if (this.at === this.kept[0].length) { this.port.postMessage({first: this.first, kept: this.kept}, this.kept.map(k => k.buffer)); this.begin(); }" +
		"return true; } })";
	window.__heard = [];
	window.__came = [];
	window.addEventListener("pointerdown", () => window.__pressed = performance.now(), true);
	const connect = AudioNode.prototype.connect;
	const hear = async (node, context) => {
		await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], {type: "text/javascript"})));
		const tap = new AudioWorkletNode(context, "tap", {numberOfInputs: 1, numberOfOutputs: 1});
		tap.port.onmessage = ({data: {first, kept}}) => {
			const {contextTime, performanceTime} = context.getOutputTimestamp();
			for (let i = 0; i < ROW; i++) {
				window.__came.push(performanceTime + ((first + i * PIECE) / context.sampleRate - contextTime) * 1000);
				window.__heard.push(kept.map(k => k.subarray(i * PIECE, (i + 1) * PIECE)));
			}
		};
		connect.call(node, tap);
		connect.call(tap, context.destination); // silence, but it is what keeps it going
	};
	AudioNode.prototype.connect = function (to, ...rest) {
		if (to instanceof AudioDestinationNode && !this.__tapped) {
			this.__tapped = true;
			void hear(this, this.context);
		}
		return connect.call(this, to, ...rest);
	};
})()`
