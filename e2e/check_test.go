package e2e

import (
	"context"
	"fmt"
	"io"
	"math"
	"net/http"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/internal/check"
	"ruvel/internal/demo"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/testkit"
)

// copyOf makes an episode of its own with the document of one of the series, changed or as it is.
func copyOf(w *Window, title, name string, change func(*session.Document)) string {
	w.t.Helper()
	ctx := context.Background()
	shows, err := house.Store.Shows(ctx)
	require.NoError(w.t, err)
	for _, show := range shows {
		all, err := house.Store.Episodes(ctx, show.ID)
		require.NoError(w.t, err)
		for _, e := range all {
			if e.Title != title {
				continue
			}
			doc, _, err := house.Store.Document(ctx, e.ID)
			require.NoError(w.t, err)
			doc = doc.Clone()
			if change != nil {
				change(&doc)
			}
			made, err := house.Store.AddEpisode(ctx, show.ID, name, 0, doc)
			require.NoError(w.t, err)
			require.NoError(w.t, house.Store.Describe(ctx, made.ID, details.Details{Description: "A copy of " + title, Language: "en"}))
			return made.ID
		}
	}
	require.Fail(w.t, "there is no such episode", title)
	return ""
}

// checked opens an episode with its findings, so many of them.
func checked(w *Window, episode string, findings int) {
	w.t.Helper()
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Check")
	w.Until(fmt.Sprintf(`document.querySelectorAll("aside [data-kind]").length === %d && !document.querySelector(".state")`, findings))
}

// mend opens a finding of a kind and presses what mends it, until none of the kind is left.
func mend(w *Window, kind, do string) {
	w.t.Helper()
	row := fmt.Sprintf(`[data-kind=%q]`, kind)
	w.Until(fmt.Sprintf(`document.querySelector('%s')`, row))
	before := Eval[int](w, fmt.Sprintf(`document.querySelectorAll('%s').length`, row))
	if !Eval[bool](w, fmt.Sprintf(`document.querySelector('%s').matches(".open")`, row)) {
		w.Click(row + " .head")
	}
	w.Press(do)
	w.Until(fmt.Sprintf(`document.querySelectorAll('%s').length === %d && !document.querySelector(".state")`, row, before-1))
}

// delivered mixes an episode down in the browser and decodes the file.
func delivered(t *testing.T, w *Window, episode string) audio.PCM {
	t.Helper()
	w.Press("Hand over")
	w.Press("As it is")
	choose(w, "Format", "WAV, 32 bit float")
	pressMixDown(w)
	w.Until(`document.querySelectorAll("aside li").length === 1 && document.querySelector("aside li a[download]")`)
	list := get[[]handover.Mixdown](t, "/api/episodes/"+episode+"/mixdowns")
	require.NotEmpty(t, list)
	r, err := http.Get(base + "/api/mixdowns/" + list[0].ID + "/file")
	require.NoError(t, err)
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return testkit.ReadAudio(t, testkit.WriteFile(t, "mix.wav", data), 2)
}

func TestTheRoughCutIsMendedFindingByFindingAndIsWellThen(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.RoughTitle, "To be mended", nil)
	checked(w, episode, 7)
	assert.Equal(t, "7", Eval[string](w, `document.querySelector("[data-waiting]").dataset.waiting`))
	before := desk(t, episode).Document

	// It goes to the place, shows it on the ruler, and plays from two seconds before.
	w.Click(`[data-kind="join"] .head`)
	w.Until(`document.querySelector(".ruler .stretch")`)
	w.Press("Hear it")
	w.Until(`document.querySelector('[aria-label="Pause"]')`)
	w.Press("Pause")
	w.Press("Hear it mended")
	w.Until(`document.querySelector('[data-kind="join"] .lucide-square')`)
	w.Press("Hear it mended")
	assert.Equal(t, before, desk(t, episode).Document, "nothing has been changed by hearing it")

	mend(w, "join", "Cross them")
	mend(w, "covered", "Make way there")
	if Eval[int](w, `document.querySelectorAll('[data-kind="covered"]').length`) > 0 {
		mend(w, "covered", "Make way there")
	}
	mend(w, "one-sided", "Put it in the middle")
	mend(w, "apart", "Even out")
	mend(w, "dead-air", "Close the gap")
	w.Until(`document.querySelectorAll("aside [data-kind]").length === 1`)

	// The credit that is missing is set aside with a reason, and taken up again.
	w.Click(`[data-kind="credit"] .head`)
	w.Press("Set aside…")
	w.Click(`[aria-label="Why it can stay"]`)
	w.Key("Its author wants no name")
	w.Key(kb.Enter)
	w.UntilText("Nothing to mention.")
	w.Press("Show what is set aside (1)")
	w.UntilText("Its author wants no name")
	w.Press("Take it up again")
	w.UntilText("Must be mended")

	// What is delivered: no step at the cut, no hole, the archivist as loud as the others, both sides alike at the end.
	pcm := delivered(t, w, episode)
	doc := desk(t, episode).Document
	at := func(name string) session.Clip { _, _, c := clipNamed(t, doc, name); return c }
	cut := at("Link 1, second half").Start
	assert.Less(t, step(pcm, cut-480, cut+480), 0.09, "before it was 0.09 at least in one sample")
	powers := loudness.Powers(pcm)
	quiet, longest := 0, 0
	for k := range powers[0][:len(powers[0])-20] {
		if quiet++; powers[0][k]+powers[1][k] > 1e-6 {
			quiet = 0
		}
		longest = max(longest, quiet)
	}
	assert.LessOrEqual(t, longest, 20, "tenths of a second of silence inside")
	off := at("Sign-off")
	left, right := testkit.RMS(pcm[0][off.Start:off.Start+3*audio.Second]), testkit.RMS(pcm[1][off.Start:off.Start+3*audio.Second])
	assert.InDelta(t, left, right, 1.5, "the voice is in the middle")
	level := func(c session.Clip) float64 {
		return loudness.Measure(pcm.Slice(c.Start+audio.Second, c.End()-audio.Second)).Integrated
	}
	assert.InDelta(t, level(at("Link 2")), level(at("Archivist, the log books")), 3)
}

// step is the largest step from one sample to the next in a stretch.
func step(pcm audio.PCM, from, to audio.Frames) (most float64) {
	for _, channel := range pcm {
		for i := from + 1; i < to; i++ {
			most = max(most, math.Abs(float64(channel[i]-channel[i-1])))
		}
	}
	return most
}

func TestWhatWasLeftBehindAndWhatIsOffTheTargetIsMendedByTheKeyboardAlone(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "Left behind", func(d *session.Document) {
		for i := range d.Tracks {
			d.Tracks[i].Fader -= 4
			d.Tracks[i].Solo = true
			for id, c := range d.Tracks[i].Clips {
				if c.Name == "Harbour theme, outro" { // which is cut off
					c.Length -= 20 * audio.Second
					c.FadeOut.Length = 0
					d.Tracks[i].Clips[id] = c
				}
			}
		}
	})
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Key("4")
	w.Until(`document.querySelectorAll("aside [data-kind]").length >= 3 && !document.querySelector(".state")`)
	focus := func(css string) {
		w.Until(fmt.Sprintf(`document.querySelector('%s')`, css))
		for range 400 {
			if Eval[bool](w, fmt.Sprintf(`document.activeElement.matches('%s')`, css)) {
				return
			}
			w.Key(kb.Tab)
		}
		require.Fail(t, "the Tab key does not come to", css)
	}
	for _, kind := range []string{"solo", "music-edge", "loudness"} {
		row := fmt.Sprintf(`[data-kind="%s"]`, kind)
		w.Until(fmt.Sprintf(`document.querySelector('%s') && !document.querySelector(".state")`, row))
		focus(row + " .head")
		w.Key(kb.Enter)
		w.Until(fmt.Sprintf(`document.querySelector('%s.open .filled')`, row))
		focus(row + " .filled")
		w.Key(kb.Enter)
		w.Until(fmt.Sprintf(`!document.querySelector('%s') && !document.querySelector(".state")`, row))
	}
	for _, tr := range desk(t, episode).Document.Tracks {
		assert.False(t, tr.Solo)
	}
	pcm := delivered(t, w, episode)
	assert.InDelta(t, -16, loudness.Measure(pcm).Integrated, 0.3)
	end := pcm.Length()
	assert.Less(t, testkit.RMS(pcm[0][end-480:end]), -50.0, "the music fades out")
}

func TestLoudnessIsDrawnInStepWithTheTimelineAndToldInATable(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "Loudness over time", nil)
	checked(w, episode, 0)
	w.UntilText("Nothing to mention.")
	w.Press("Loudness")
	w.UntilText("−16.0 LUFS")
	w.Until(`document.querySelectorAll("aside tbody tr").length > 10`)
	// The target's band is drawn, and the curve in ink.
	w.Until(`(() => { const c = document.querySelector(".loudness-strip canvas"), p = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
		let ink = 0; for (let i = 0; i < p.length; i += 4) if (p[i + 3] > 200 && p[i] < 60 && p[i + 1] < 70) ink++; return ink > 300; })()`)
	// A click goes to the place that the ruler has there.
	box := w.Find(".loudness-strip .place")
	w.Drag(box.X+box.Width/2, box.Y+40, box.X+box.Width/2, box.Y+40)
	half := Eval[float64](w, `(() => { const t = [...document.querySelectorAll(".tick")], at = e => e.innerText.split(":").reduce((s, v) => s * 60 + Number(v), 0);
		const a = t[0].getBoundingClientRect(), b = t[t.length - 1].getBoundingClientRect(), p = document.querySelector(".loudness-strip .place").getBoundingClientRect();
		return at(t[0]) + (p.x + p.width / 2 - a.x) / (b.x - a.x) * (at(t[t.length - 1]) - at(t[0])); })()`)
	w.Until(fmt.Sprintf(`Math.abs(document.querySelector(".clock .now").innerText.split("/")[0].split(":").reduce((s, v) => s * 60 + Number(v), 0) - %v) < 0.5`, half))
	a := get[check.Along](t, "/api/episodes/"+episode+"/loudness/course")
	assert.InDelta(t, -16, a.Whole.Integrated, 0.2)
}

func TestTwoVersionsAreHeardAsLoudWithoutAClickAndComparedBlind(t *testing.T) {
	t.Parallel()
	w, episode := withVoice(t, "Two versions")
	version := get[episodes.Desk](t, "/api/episodes/"+episode).Version
	w.Type(`[aria-label^="Fader of"][aria-label$="in dB"]`, "-9")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Fader == -9 })
	w.Press("Check")
	w.Press("Compare")
	steps := get[struct{ Applied int64 }](t, "/api/episodes/"+episode+"/history").Applied
	w.Until(`document.querySelector(".el-select:has([aria-label='Compare with'])")`)
	chooseStep(w, 1)
	w.Until(`document.querySelector(".differs")?.innerText.includes("9.0 LU softer")`)
	c := get[check.Compared](t, fmt.Sprintf("/api/episodes/%s/compare?of=step:%d", episode, steps-1))
	assert.InDelta(t, -9, c.Then.Gain, 0.1)

	// Heard, the louder one made softer: the level of the loud words stays.
	const loud = `(() => {
		const all = window.__heard.slice(-250).flatMap(b => [...b[0]]), levels = [], hop = 480;
		for (let i = 0; i + hop <= all.length; i += hop) levels.push(10 * Math.log10(all.slice(i, i + hop).reduce((s, v) => s + v * v, 1e-12) / hop));
		return levels.sort((a, b) => a - b)[Math.floor(levels.length * 0.8)];
	})()`
	w.Key(kb.Home)
	w.Press("Play the comparison")
	w.Until(`document.querySelector(".now").innerText >= "0:03.00"`)
	now := Eval[float64](w, loud)
	Eval[bool](w, `(window.__from = window.__heard.length, true)`)
	w.Press("Before")
	at := Eval[int](w, `window.__heard.length`)
	w.Until(fmt.Sprintf(`window.__heard.length > %d + 400`, at))
	assert.InDelta(t, now, Eval[float64](w, loud), 0.7, "both as loud, though one is 9 dB softer")
	w.Press("Now")
	w.Press("Compare blind")
	w.Until(`!document.querySelector("aside table")`)
	w.Press("B")
	w.Press("A")
	w.Press("Reveal")
	w.Until(`/A is (now|before), B is (now|before)\./.test(document.querySelector("aside").innerText)`)
	w.Press("Pause the comparison")
	withoutAClick(w)
	assert.Equal(t, version+1, get[episodes.Desk](t, "/api/episodes/"+episode).Version, "nothing but the fader has changed")
}

// chooseStep chooses the step of the history to compare with that stands so many rows from the top.
func chooseStep(w *Window, row int) {
	w.t.Helper()
	w.Click(".el-select:has([aria-label='Compare with'])")
	option := fmt.Sprintf(`[...document.querySelectorAll(".el-select-dropdown__item")].filter(e => e.getBoundingClientRect().height > 0)[%d]`, row-1)
	w.ClickOn(option)
}

func TestRampsHiddenMutedAndTornClipsAreMendedAndDelivered(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	var rise audio.Frames
	episode := copyOf(w, demo.EpisodeTitle, "Ramps and edges", func(d *session.Document) {
		for i := range d.Tracks {
			for id, c := range d.Tracks[i].Clips {
				switch c.Name {
				case "Harbour theme, outro": // its rise comes a second too early
					c.Envelope = append([]session.Point{}, c.Envelope...)
					for k := range c.Envelope[2:] {
						c.Envelope[2+k].At -= audio.Second
					}
					rise = c.Start + c.Envelope[2].At
				case "Link 2": // is torn off in its last word
					c.Length -= 2 * audio.Second
					c.FadeOut.Length = 0
				case "Fog signal":
					under := c
					under.Name, under.Start, under.Offset, under.Length, under.Layer, under.Gain = "Fog signal, far", c.Start+audio.Second, c.Offset+2*audio.Second, 2*audio.Second, -1, -30
					d.Tracks[i].Clips["c900"] = under
				}
				d.Tracks[i].Clips[id] = c
			}
		}
		d.Tracks = append(d.Tracks, session.Track{ID: "t901", Name: "Spare", Part: session.Effect, Mute: true, Envelope: []session.Point{}, Clips: map[string]session.Clip{
			"c902": {Name: "Spare fog", Sound: d.Tracks[5].Clips[d.Tracks[5].ClipsInOrder()[0]].Sound, Start: 40 * audio.Second, Length: audio.Second, Gain: -60, FadeIn: session.Fade{Length: 4800, Shape: session.Linear}, FadeOut: session.Fade{Length: 4800, Shape: session.Linear}, Envelope: []session.Point{}},
		}})
		d.Next = 1000
	})
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Check")
	w.Until(`["ramp", "abrupt", "hidden", "mute"].every(k => document.querySelector('[data-kind="' + k + '"]')) && !document.querySelector(".state")`)
	// What would change is shown first: the voice lead as it would be.
	w.Click(`[data-kind="ramp"] .head`)
	before := Eval[string](w, `document.querySelector(".lead canvas").toDataURL()`)
	w.Press("Show")
	w.Until(fmt.Sprintf(`document.querySelector(".lead canvas").toDataURL() !== %q`, before))
	w.Press("Show")
	w.Until(`document.querySelector('[data-kind="ramp"] [aria-pressed="false"]')`)
	mend(w, "ramp", "Move the ramp")
	mend(w, "abrupt", "Put a fade there")
	mend(w, "hidden", "Bring it up")
	mend(w, "mute", "Hear it again")
	doc := desk(t, episode).Document
	_, _, outro := clipNamed(t, doc, "Harbour theme, outro")
	assert.Greater(t, outro.Start+outro.Envelope[2].At, rise, "it rises later")
	pcm := delivered(t, w, episode)
	_, _, torn := clipNamed(t, doc, "Link 2")
	last := testkit.RMS(pcm[0][torn.End()-240 : torn.End()])
	inside := testkit.RMS(pcm[0][torn.End()-audio.Second : torn.End()-audio.Second/10])
	assert.Less(t, last, inside-12, "what was torn off fades now")
	at := outro.Start + outro.Envelope[2].At
	under := testkit.RMS(pcm[0][at+audio.Second : at+2*audio.Second])
	assert.Greater(t, under, -40.0, "and then it is heard")
}
