package e2e

import (
	"encoding/binary"
	"fmt"
	"math"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/standin"
	"ruvel/internal/takes"
	"ruvel/testkit"
)

// deviceRate is the rate of Chromium's own fake device.
const deviceRate = 44100

// fakeDevice is a file of noise that Chromium plays as a microphone, and the samples in it.
func fakeDevice(t *testing.T) (flags []chromedp.ExecAllocatorOption, source []float32) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "microphone.wav")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "anoisesrc=r=44100:c=white:d=120:a=0.3:seed=9", "-ac", "2", "-c:a", "pcm_s16le", "-bitexact", path)
	raw, _ := testkit.RunFFmpeg(t, nil, "-v", "error", "-i", path, "-af", "pan=mono|c0=c0", "-c:a", "pcm_s16le", "-f", "s16le", "pipe:1")
	for i := 0; i < len(raw); i += 2 {
		// Chromium turns 16-bit samples into floats by dividing negative ones by 32768 and others by 32767.
		v := int16(binary.LittleEndian.Uint16(raw[i:]))
		if v < 0 {
			source = append(source, float32(v)/32768)
		} else {
			source = append(source, float32(v)/32767)
		}
	}
	return []chromedp.ExecAllocatorOption{
		chromedp.Flag("use-fake-ui-for-media-stream", true), chromedp.Flag("use-fake-device-for-media-stream", true),
		chromedp.Flag("use-file-for-fake-audio-capture", path),
	}, source
}

// openRecording opens the recording controls of an episode and listens to an input.
func openRecording(w *Window, input string) {
	w.t.Helper()
	w.Press("Gather")
	w.Press("Record")
	if input != "" {
		choose(w, "Input", input)
	} else {
		// A browser that has been told so before hands the input over at once; otherwise it is asked for.
		listen := `[...document.querySelectorAll("aside button")].find(b => b.innerText.trim() === "Listen to the input")`
		w.Until(`document.querySelector('[aria-label="Input level"]') || ` + listen)
		if Eval[bool](w, `!document.querySelector('[aria-label="Input level"]')`) {
			w.pressIfThere(listen)
		}
	}
	w.Until(`document.querySelector('[role="meter"][aria-label="Input level"]')`)
}

// choose picks an option of a list that is opened by a click.
func choose(w *Window, list, option string) {
	w.t.Helper()
	w.Until(fmt.Sprintf(`document.querySelector('.el-select:has([aria-label=%q])')`, list))
	w.Until(`[...document.querySelectorAll(".el-select-dropdown__item")].every(e => e.getBoundingClientRect().height === 0)`) // the list before has closed
	w.Click(fmt.Sprintf(`.el-select:has([aria-label=%q])`, list))
	find := fmt.Sprintf(`[...document.querySelectorAll(".el-select-dropdown__item")].find(e => e.innerText.trim().startsWith(%q) && e.getBoundingClientRect().height > 0)`, option)
	w.ClickOn(find)
}

// recordFor records, without a count-in, until so many seconds are there.
func recordFor(w *Window, seconds float64) {
	w.t.Helper()
	w.Click(`footer [aria-label="Record"]`)
	untilRecorded(w, seconds)
}

func untilRecorded(w *Window, seconds float64) {
	w.t.Helper()
	w.Until(fmt.Sprintf(`(e => e && e.innerText.split(":").reduce((s, v) => s * 60 + Number(v), 0) >= %v)(document.querySelector(".going .clock"))`, seconds))
}

// withoutCountIn switches the count-in off.
func withoutCountIn(w *Window) {
	w.t.Helper()
	if Eval[bool](w, `document.querySelector('[aria-label="Count in"]').getAttribute("aria-checked") === "true"`) {
		w.Click(`.switches label:first-child .el-switch`)
	}
}

// takesOf lists the takes of an episode once they satisfy a condition.
func takesOf(t *testing.T, address, episode string, condition func([]takes.TakeStatus) bool) (list []takes.TakeStatus) {
	t.Helper()
	deadline := time.Now().Add(patience)
	for {
		if list = getFrom[[]takes.TakeStatus](t, address, "/api/episodes/"+episode+"/takes"); condition(list) {
			return list
		}
		require.True(t, time.Now().Before(deadline), "the takes do not become what they should: %+v", list)
		time.Sleep(20 * time.Millisecond) // until the next look; nothing depends on how long
	}
}

func kept(list []takes.TakeStatus) bool { return len(list) > 0 && list[0].State == "kept" }

// original is the sound file of a take, at the device's own rate.
func original(t *testing.T, data, sound string) []float32 {
	t.Helper()
	raw, _ := testkit.RunFFmpeg(t, nil, "-v", "error", "-i", filepath.Join(data, "originals", sound), "-f", "f32le", "-ac", "1", "pipe:1")
	return testkit.Planar(raw, 1)[0]
}

// isStretchOf finds where a take begins in a source that goes round and round, and says how much of it is the same to the sample.
func isStretchOf(t *testing.T, take, source []float32) {
	t.Helper()
	round := func(i int) float32 { return source[i%len(source)] }
	const probe = 400
	require.Greater(t, len(take), 4*probe)
	begin := -1
	for o := range source {
		same := true
		for i := 0; i < probe && same; i++ {
			same = math.Abs(float64(take[i]-round(o+i))) < 1e-4
		}
		if same {
			begin = o
			break
		}
	}
	require.GreaterOrEqual(t, begin, 0, "what was recorded is somewhere in the source")
	for i := range take {
		if math.Abs(float64(take[i]-round(begin+i))) > 1e-7 { // less than the rounding of one float
			require.Fail(t, "the take leaves its source", "at frame %d of %d: %v, not %v", i, len(take), take[i], round(begin+i))
		}
	}
}

func TestATakeIsItsSourceSampleForSampleAndGrowsOnItsTrack(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	w := OpenWindow(t, base, flags...)
	w.Hear()
	episode := newEpisode(w, "Sample for sample")
	openRecording(w, "")
	w.Until(`document.querySelector(".meter").innerText.includes("dBFS")`)
	w.Until(`["Good", "A little high. Turn the input down."].some(s => document.querySelector(".meter").innerText.includes(s))`)
	w.Until(`[...document.querySelectorAll(".bar .hold")].length > 0`)

	// With a count-in, seen; the playhead stands at the beginning of an empty session.
	w.Click(`footer [aria-label="Record"]`)
	w.Until(`document.querySelector(".going .count")?.innerText === "3"`)
	w.Until(`document.querySelector(".going .count")?.innerText === "1"`)
	assert.Greater(t, Eval[float64](w, `Math.max(0, ...window.__heard.map(b => Math.max(...b[0])))`), 0.1, "and heard")
	untilRecorded(w, 1)
	w.Until(`document.querySelector(".take canvas")?.getBoundingClientRect().width > 2`)
	first := Eval[float64](w, `document.querySelector(".take canvas").getBoundingClientRect().width`)
	untilRecorded(w, 3)
	assert.Greater(t, Eval[float64](w, `document.querySelector(".take canvas").getBoundingClientRect().width`), 2*first, "it grows")
	w.Press("Stop")
	w.Until(`document.querySelectorAll(".clip").length === 1`)
	w.UntilText("Hear it")

	list := takesOf(t, base, episode, kept)
	doc := desk(t, episode).Document
	require.Len(t, doc.Tracks, 1)
	_, _, clip := clipNamed(t, doc, "Voice 1, take 1")
	assert.Zero(t, clip.Start)
	assert.Equal(t, list[0].Length, clip.Offset+clip.Length, "what the device hears late is placed so much earlier")
	take := original(t, house.Data, list[0].Sound)
	assert.Greater(t, len(take), deviceRate*29/10)
	isStretchOf(t, take, source)
	assert.InDelta(t, float64(len(take))/deviceRate, list[0].Length.Seconds(), 0.001, "the right length at 48 kHz")
}

// standIn is what the stand-in microphone reads, at 48 kHz.
func standIn(t *testing.T) []float32 {
	t.Helper()
	raw, _ := testkit.RunFFmpeg(t, standin.Reading, "-v", "error", "-i", "pipe:0", "-f", "f32le", "-ac", "1", "-ar", "48000", "pipe:1")
	return testkit.Planar(raw, 1)[0]
}

// found is where in the take, in frames, a stretch of the source begins: the lag with the highest correlation.
func found(take, source []float32, around, reach int) (lag int, correlation float64) {
	for l := around - reach; l <= around+reach; l++ {
		var ab, aa, bb float64
		for i := 0; i < len(source); i += 3 {
			if j := l + i; j >= 0 && j < len(take) {
				a, b := float64(take[j]), float64(source[i])
				ab, aa, bb = ab+a*b, aa+a*a, bb+b*b
			}
		}
		if c := ab / math.Sqrt(aa*bb+1e-20); c > correlation {
			lag, correlation = l, c
		}
	}
	return lag, correlation
}

func TestTheStandInMicrophoneRecordsWithoutAnyDeviceWhileTheSessionPlays(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Hear()
	episode := withTwoClips(t, w, "Without a device")
	openRecording(w, "Stand-in microphone")
	withoutCountIn(w)
	_, y := w.Find(".ruler").At(0.5, 0.8)
	x := xOf(w, 2)
	// The browser's sound device without hardware goes by timers, which a busy machine keeps badly: then the moment at
	// which something will be heard is foreseen wrongly. Of some tries one is undisturbed; the samples are right in all.
	const tries, near = 4, 0.06 * audio.Rate
	source := standIn(t)[:2*audio.Rate]
	away := math.Inf(1)
	var list []takes.TakeStatus
	for try := 1; try <= tries && math.Abs(away) > near; try++ {
		w.Drag(x, y, x, y)
		recordFor(w, 4)
		loudest := Eval[float64](w, `Math.max(...window.__heard.map(b => Math.max(...b[0])))`)
		assert.Greater(t, loudest, 0.05, "meanwhile the session is heard")
		w.Press("Stop")
		list = takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == try && kept(l) })
		take := original(t, house.Data, list[0].Sound)
		lag, correlation := found(take, source, audio.Rate/4, audio.Rate/5)
		// The reading begins a quarter of a second after the session frame that it was asked for at.
		away = float64(lag - audio.Rate/4)
		t.Logf("the stand-in is %.0f frames away from its place; correlation %.6f", away, correlation)
		assert.Greater(t, correlation, 0.9999, "no frame is lost or doubled")
		for i, v := range source {
			require.InDelta(t, v, take[lag+i], 1e-4, "frame %d", i)
		}
		assert.InDelta(t, testkit.RMS(source), testkit.RMS(take[lag:lag+len(source)]), 0.1, "level")
	}
	assert.InDelta(t, 0, away, near, "what is spoken to a moment of the session lies at that moment")
	doc := desk(t, episode).Document
	_, _, clip := clipNamed(t, doc, fmt.Sprintf("Voice 1, take %d", list[0].Number))
	assert.InDelta(t, 2, (clip.Start - clip.Offset).Seconds(), 0.2)
	assert.Equal(t, list[0].Begins, clip.Start)
}

func TestOneKeyRecordsFromWhereverOneIs(t *testing.T) {
	t.Parallel()
	flags, source := fakeDevice(t)
	w := OpenWindow(t, base, flags...)
	episode := newEpisode(w, "One key")
	w.Press("Arrange")
	w.Key("r")
	untilRecorded(w, 1)
	w.Key("r") // again, which ends it
	list := takesOf(t, base, episode, kept)
	isStretchOf(t, original(t, house.Data, list[0].Sound), source)
	// Leaving the desk in the middle keeps what has been said.
	w.Click(`footer [aria-label="Record"]`)
	untilRecorded(w, 2)
	w.Click("a.brand")
	w.UntilText("New episode")
	list = takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 2 && kept(l) })
	assert.Greater(t, list[0].Length.Seconds(), 1.9)
	isStretchOf(t, original(t, house.Data, list[0].Sound), source)
	// And leaving it during the count-in leaves nothing.
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length === 2`)
	w.Click(`footer [aria-label="Record"]`)
	w.Until(`document.querySelector(".going .count")?.innerText === "3"`)
	w.Click("a.brand")
	takesOf(t, base, episode, func(l []takes.TakeStatus) bool { return len(l) == 2 })
}

func TestWithoutTheDirectWayTheFallbackRecordsTheSame(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.OnNewPage(`delete window.MediaStreamTrackProcessor`)
	episode := newEpisode(w, "Fallback")
	openRecording(w, "Stand-in microphone")
	withoutCountIn(w)
	recordFor(w, 4)
	w.Press("Stop")
	list := takesOf(t, base, episode, kept)
	take := original(t, house.Data, list[0].Sound)
	source := standIn(t)[:2*audio.Rate]
	lag, correlation := found(take, source, audio.Rate/4, audio.Rate/5)
	t.Logf("the stand-in is %d frames away from its place; correlation %.6f", lag-audio.Rate/4, correlation)
	assert.Greater(t, correlation, 0.999)
	assert.InDelta(t, testkit.RMS(source), testkit.RMS(take[lag:lag+len(source)]), 0.1, "level")
}
