package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/store"
)

const (
	voiceClip = `[aria-label^="Keeper at the door"]`
	voiceHead = voiceClip + " .head"
	second    = audio.Second
)

// trackNames are the names of the tracks from top to bottom.
func trackNames(d session.Document) (out []string) {
	for _, t := range d.Tracks {
		out = append(out, t.Name)
	}
	return out
}

// clipsOf are the clips of a track in order.
func clipsOf(d session.Document, track int) (out []session.Clip) {
	for _, id := range d.Tracks[track].ClipsInOrder() {
		out = append(out, d.Tracks[track].Clips[id])
	}
	return out
}

// lane is where a session time stands on the lane of a track.
func lane(w *Window, track int, seconds float64) (x, y float64) {
	box := w.Find(fmt.Sprintf(".row:nth-child(%d of .row) .lane", track+1))
	return xOf(w, seconds), box.Y + box.Height/2
}

// secondary presses the other button of the pointer at a place.
func (w *Window) secondary(x, y float64) {
	w.t.Helper()
	w.Do(chromedp.MouseClickXY(x, y, func(p *input.DispatchMouseEventParams) { p.Button, p.Buttons = input.MouseButtonRight, 2 }))
}

// answer types into the dialog that is open, and confirms it.
func answer(w *Window, text, verb string) {
	w.t.Helper()
	w.Click(".el-dialog form input.figures")
	w.Do(chromedp.Evaluate[chromedp.Void](`document.querySelector(".el-dialog form input.figures").select()`), chromedp.KeyEvent(text))
	w.Press(verb)
	w.Until(`![...document.querySelectorAll(".el-dialog")].some(d => d.offsetParent)`)
}

func TestTracksAreOrderedFoldedDoubledAndSetTogether(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Rows")
	w.Click(`[aria-label="Track Voice 1"] .name`)
	w.Key("D", chromedp.ModifierCtrl, chromedp.ModifierShift)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 3 })
	assert.Equal(t, []string{"Voice 1", "Voice 1 1", "Music 1"}, trackNames(d))
	assert.Len(t, d.Tracks[1].Clips, 1, "with all that is on it")

	// Renamed in place.
	w.DoubleClick(`[aria-label="Track Voice 1 1"] .name`)
	w.Until(`document.querySelector('[aria-label="Name of the track"]')`)
	w.Key("Keeper" + kb.Enter)
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[1].Name == "Keeper" })

	// Dragged below the last one, and moved back by key.
	x, y := w.Find(`[aria-label="Track Voice 1"] .facts`).At(0.3, 0.5)
	last := w.Find(".row:nth-child(3 of .row)")
	w.Drag(x, y, x, last.Y+last.Height-4)
	untilKept(w, episode, func(d session.Document) bool {
		return slices.Equal(trackNames(d), []string{"Keeper", "Music 1", "Voice 1"})
	})
	w.Key(kb.ArrowUp, chromedp.ModifierAlt, chromedp.ModifierShift)
	untilKept(w, episode, func(d session.Document) bool {
		return slices.Equal(trackNames(d), []string{"Keeper", "Voice 1", "Music 1"})
	})

	// Two at once: muted, folded small, unfolded.
	w.Click(`[aria-label="Track Keeper"] .facts`)
	x, y = w.Find(`[aria-label="Track Voice 1"] .facts`).At(0.3, 0.5)
	w.Drag(x, y, x, y, chromedp.ModifierShift)
	w.Until(`document.querySelectorAll(".card.chosen").length === 2`)
	w.Key("q")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Mute && d.Tracks[1].Mute && !d.Tracks[2].Mute })
	assert.Equal(t, "Mute 2 tracks", desk(t, episode).Undo)
	w.Key("y")
	w.Until(`document.querySelectorAll(".row.folded").length === 2 && document.querySelector(".row.folded").getBoundingClientRect().height < 30`)
	w.Until(`document.querySelector(".row.folded .clip .head").offsetParent`)
	w.Key("i")
	w.Until(`document.querySelectorAll(".row.folded").length === 0`)
	w.Press("More for Keeper")
	w.Press("Remove the track")
	untilKept(w, episode, func(d session.Document) bool { return slices.Equal(trackNames(d), []string{"Music 1"}) })
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 3 })
}

func TestClipsAreChosenByFrameMovedTogetherCopiedSlippedAndJoined(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Clips")
	// A frame around both, from an empty place of one lane to one of the other.
	x, y := lane(w, 0, 13)
	toX, toY := lane(w, 1, 3)
	w.Drag(x, y, toX, toY, chromedp.ModifierShift)
	w.Until(`document.querySelectorAll(".clip.chosen").length === 2`)
	// Both go ten seconds on, in one step.
	x, y = w.Find(voiceHead).At(0.5, 0.5)
	w.Drag(x, y, x+xOf(w, 10)-xOf(w, 0), y, chromedp.ModifierAlt)
	d := untilKept(w, episode, func(d session.Document) bool {
		return clipsOf(d, 0)[0].Start > 9*second && clipsOf(d, 0)[0].Start == clipsOf(d, 1)[0].Start
	})
	assert.Equal(t, "Move 2 clips", desk(t, episode).Undo)
	start := clipsOf(d, 0)[0].Start

	// With Ctrl a copy is left where it is let go, and the clip stays.
	w.Key(kb.Escape)
	x, y = w.Find(voiceHead).At(0.5, 0.5)
	w.Drag(x, y, x+xOf(w, 20)-xOf(w, 0), y, chromedp.ModifierCtrl)
	d = untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	assert.Equal(t, start, clipsOf(d, 0)[0].Start)
	assert.InDelta(t, 20, (clipsOf(d, 0)[1].Start - start).Seconds(), 0.6)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })

	// To the other track and back by key.
	w.Click(voiceHead)
	w.Key(kb.ArrowDown, chromedp.ModifierAlt)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 0 && len(d.Tracks[1].Clips) == 2 })
	w.Key(kb.ArrowUp, chromedp.ModifierAlt)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })

	// Trimmed, slipped with Shift and by key, split on all tracks, joined again.
	clickRuler(w, float64(xOf(w, start.Seconds()+2)-w.Find(".ruler").X)/w.Find(".ruler").Width)
	w.Click(voiceHead)
	w.Key("g")
	d = untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Offset > second })
	offset := clipsOf(d, 0)[0].Offset
	x, y = w.Find(voiceHead).At(0.5, 0.5)
	w.Drag(x, y, x+xOf(w, 1)-xOf(w, 0), y, chromedp.ModifierShift)
	untilKept(w, episode, func(d session.Document) bool {
		c := clipsOf(d, 0)[0]
		return math.Abs((offset-c.Offset).Seconds()-1) < 0.2 && c.Length == clipsOf(d, 0)[0].Length
	})
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Offset == offset })
	cut := start + 4*second
	before := listen(t, episode, cut-2*second, cut+2*second)
	for range 2 {
		w.Key(kb.ArrowRight)
	}
	w.Key("H", chromedp.ModifierShift)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 && len(d.Tracks[1].Clips) == 2 })
	assert.Equal(t, "Split 2 clips", desk(t, episode).Undo[:len("Split 2 clips")])
	assert.Equal(t, before, listen(t, episode, cut-2*second, cut+2*second), "a split changes no sample")
	w.Key("a", chromedp.ModifierCtrl)
	w.Until(`document.querySelectorAll(".clip.chosen").length === 4`)
	w.Key("k")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 && len(d.Tracks[1].Clips) == 1 })
	assert.Equal(t, before, listen(t, episode, cut-2*second, cut+2*second))
}

func TestASlipIsCutOutOfTheVoiceAndTheMusicStaysWhereItIs(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "A slip")
	was := desk(t, episode).Document
	w.Click(voiceHead)
	for range 4 {
		w.Key(kb.ArrowRight)
	}
	w.Key("h")
	w.Key(kb.ArrowRight)
	w.Key("h")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 3 })
	middle := xOf(w, 4.5)
	box := w.Find(voiceHead)
	w.Do(chromedp.MouseClickXY(middle, box.Y+box.Height/2))
	w.Key(kb.Delete, chromedp.ModifierShift)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	assert.Equal(t, was.Tracks[1], d.Tracks[1], "the music does not move")
	assert.Equal(t, 11*second, clipsOf(d, 0)[1].End())
	x := d.Tracks[0].Crossings()
	require.Len(t, x, 1)
	assert.Equal(t, session.CrossGain, x[0].Law)
	assert.Equal(t, 480, int(x[0].To-x[0].From))
	// 300 Hz, of which a second has a whole number of periods: the join of it is not heard.
	heard := listen(t, episode, 3*second, 6*second)
	steps := 0.0
	for i := 1; i < int(heard.Length()); i++ {
		steps = max(steps, math.Abs(float64(heard[0][i]-heard[0][i-1])))
	}
	assert.Less(t, steps, 0.2, "no click")
}

func TestTimeIsTakenOutAndPutInOnAllTracks(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Time")
	w.Press("Arrange")
	w.Press("Markers")
	clickRuler(w, 0.5)
	w.Key("n")
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 1 })
	var marker string
	for id := range d.Markers {
		marker = id
	}
	at := d.Markers[marker].At
	// A stretch of time is chosen on the ruler and goes, on all tracks and with the marker.
	ruler := w.Find(".ruler")
	w.Drag(xOf(w, 3), ruler.Y+30, xOf(w, 5), ruler.Y+30)
	w.Until(`document.querySelectorAll(".lane .range").length === 2`)
	w.Key(kb.Delete, chromedp.ModifierCtrl)
	d = untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 && len(d.Tracks[1].Clips) == 2 })
	gone := at - d.Markers[marker].At
	assert.InDelta(t, 2, gone.Seconds(), 0.2)
	for track := range 2 {
		c := clipsOf(d, track)
		assert.Equal(t, gone, (c[1].Offset-c[1].Start)-(c[0].Offset-c[0].Start), "everything stays in step")
		assert.Len(t, d.Tracks[track].Crossings(), 1, "and is cut with a crossfade")
	}
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return d.Markers[marker].At == at })

	// A pause is put in by key; on the voice it is filled with the room's own sound.
	w.Key(kb.Escape)
	clickRuler(w, float64(xOf(w, 6)-ruler.X)/ruler.Width)
	w.Key("e")
	w.UntilText("moves later. On voice tracks the pause is filled")
	answer(w, "2.5", "Put it in")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Markers[marker].At == at+audio.Seconds(2.5) })
	assert.Equal(t, audio.Seconds(42.5), d.Length())
	// The gap that it has left in the music is closed by pointing at it: there alone, then on all tracks.
	x, y := lane(w, 1, 7.2)
	w.secondary(x, y)
	w.Press("Close this gap")
	d = untilKept(w, episode, func(d session.Document) bool {
		return d.Tracks[1].Crossings() != nil || clipsOf(d, 1)[1].Start < 7*second
	})
	assert.Equal(t, at+audio.Seconds(2.5), d.Markers[marker].At, "on one track, time stays")
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 1)[1].Start > 8*second })
	w.Until(fmt.Sprintf(`document.elementFromPoint(%v, %v).matches(".lane, .content")`, x, y))
	w.secondary(x, y)
	w.Press("Close this gap on all tracks")
	untilKept(w, episode, func(d session.Document) bool { return d.Markers[marker].At == at && d.Length() == 40*second })
}

func TestAStretchIsCopiedIntoAnotherEpisodeInAnotherWindow(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "From here")
	w.Click(voiceHead)
	ruler := w.Find(".ruler")
	w.Drag(xOf(w, 2), ruler.Y+30, xOf(w, 4), ruler.Y+30)
	w.Key("c", chromedp.ModifierCtrl)
	w.Until(`localStorage.getItem("ruvel-copied")`)
	second := w.OpenSecond()
	other := newEpisode(second, "To there")
	second.Key("v", chromedp.ModifierCtrl)
	second.Until(`document.querySelectorAll(".clip").length === 1`)
	d := untilKept(second, other, func(d session.Document) bool { return len(d.Tracks) == 1 })
	assert.Equal(t, session.Voice, d.Tracks[0].Part)
	c := clipsOf(d, 0)[0]
	assert.InDelta(t, 2, c.Length.Seconds(), 0.2)
	assert.InDelta(t, 2, c.Offset.Seconds(), 0.2)
	assert.Len(t, desk(t, episode).Document.Tracks[0].Clips, 1, "where it was copied nothing is split")
	there := listen(t, other, 0, c.Length)
	here := listen(t, episode, c.Offset, c.Offset+c.Length)
	assert.NotZero(t, there.Peak())
	assert.NotEqual(t, here, there, "the music was not copied")
	// Cut, only the stretch goes.
	w.Key("x", chromedp.ModifierCtrl)
	d = untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 2 })
	left := clipsOf(d, 0)
	assert.Equal(t, []audio.Frames{c.Offset, c.Offset + c.Length}, []audio.Frames{left[0].End(), left[1].Start})
	assert.Len(t, d.Tracks[1].Clips, 1)
}

func TestTheMenuOfAClipRepeatsLoopsSilencesAndShowsIt(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "A menu")
	menuAt := func(head string, place float64) {
		x, y := w.Find(head).At(place, 0.5)
		w.secondary(x, y)
		w.Until(`document.querySelector('.menu [role=menuitem]') === document.activeElement`)
	}
	menuAt(voiceHead, 0.5)
	w.Press("Silence it")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Silent })
	w.Until(`document.querySelector(".clip[aria-label*=silenced]")`)
	menuAt(voiceHead, 0.5)
	w.Press("Let it sound again")
	untilKept(w, episode, func(d session.Document) bool { return !clipsOf(d, 0)[0].Silent })

	menuAt(voiceHead, 0.5)
	w.Press("Fade in up to here")
	untilKept(w, episode, func(d session.Document) bool {
		f := clipsOf(d, 0)[0].FadeIn
		return f.Length > 5*second && f.Length < 7*second
	})
	// By the menu key and the arrows.
	w.Click(voiceHead)
	w.Key(kb.F10, chromedp.ModifierShift)
	w.Until(`document.querySelector('.menu')`)
	w.Key(kb.ArrowDown + kb.Escape)
	w.Until(`!document.querySelector('.menu') && document.activeElement.matches(".clip")`)

	// A short stretch, heard three times more; what follows moves.
	ruler := w.Find(".ruler")
	w.Drag(xOf(w, 8), ruler.Y+30, xOf(w, 9), ruler.Y+30)
	menuAt(voiceHead, 0.5)
	w.Press("Repeat the chosen stretch…")
	answer(w, "3", "Repeat")
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 5 })
	assert.InDelta(t, 15, clipsOf(d, 0)[4].End().Seconds(), 0.4)
	assert.Len(t, d.Tracks[0].Crossings(), 3, "with a small crossing at each join but the last, where the sound goes on")

	w.Key(kb.Escape)
	menuAt(music+" .head", 0.5)
	w.Press("Fill a length…")
	answer(w, "1:30", "Fill it")
	d = untilKept(w, episode, func(d session.Document) bool { return d.Length() == 90*second })
	assert.NotEmpty(t, d.Tracks[1].Crossings())

	menuAt(music+" .head", 0.5)
	w.Press("Show in the running order")
	w.Until(`document.querySelector(".order tr.chosen")`)
}

func TestOverlappingClipsCrossAndNoneIsEverHidden(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Crossings")
	// The voice goes to the music's track, across its end.
	w.Press("Arrange")
	w.Type(`[aria-label="Start of Keeper at the door"]`, "0:34")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Start == 34*second })
	w.Click(voiceHead)
	w.Key(kb.ArrowDown, chromedp.ModifierAlt)
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 2 })
	require.Len(t, d.Tracks[1].Crossings(), 1)
	assert.Equal(t, session.CrossPower, d.Tracks[1].Crossings()[0].Law, "unlike sounds")
	w.Until(`document.querySelectorAll(".crossing path").length === 2`)
	// Its grip makes it shorter, around the middle.
	x, y := w.Find(".crossing .grip").At(0.5, 0.5)
	w.Drag(x, y, x-(xOf(w, 2)-xOf(w, 0)), y)
	d = untilKept(w, episode, func(d session.Document) bool {
		c := d.Tracks[1].Crossings()
		return len(c) == 1 && (c[0].To-c[0].From).Seconds() < 2.5
	})
	c := d.Tracks[1].Crossings()[0]
	assert.InDelta(t, 37, ((c.From + c.To) / 2).Seconds(), 0.1)
	// Heard as drawn: at the middle of an equal-power crossing both sound 3 dB down.
	one, two := listen(t, episode, c.From-second, c.From), listen(t, episode, c.To, c.To+second)
	middle := listen(t, episode, (c.From+c.To)/2-480, (c.From+c.To)/2+480)
	power := func(p audio.PCM) (sum float64) {
		for _, v := range p[0] {
			sum += float64(v) * float64(v)
		}
		return sum / float64(p.Length())
	}
	assert.InDelta(t, 10*math.Log10((power(one)+power(two))/2), 10*math.Log10(power(middle)), 0.6)

	// A third clip there is refused with a sentence, and nothing changes.
	before := desk(t, episode).Version
	w.Key("d", chromedp.ModifierCtrl)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 3 })
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Clips) == 2 })
	clickRuler(w, float64(xOf(w, 36)-w.Find(".ruler").X)/w.Find(".ruler").Width)
	w.Click(`[aria-label="Track Music 1"] .name`)
	w.Click(voiceHead)
	w.Key("c", chromedp.ModifierCtrl)
	w.Until(`localStorage.getItem("ruvel-copied")`)
	w.Key("v", chromedp.ModifierCtrl)
	w.UntilText("three clips would sound at once on “Music 1”")
	assert.Len(t, desk(t, episode).Document.Tracks[1].Clips, 2)
	assert.Less(t, before, desk(t, episode).Version)

	// A clip that comes to lie wholly under another is shown by name, and brought up.
	w.Type(`[aria-label="Start of Keeper at the door"]`, "0:02")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[1].Crossings()) == 0 })
	w.Click(music + " .head")
	w.Key("b")
	untilKept(w, episode, func(d session.Document) bool { _, _, c := clipNamed(t, d, "Slack water"); return c.Layer > 0 })
	w.Key(kb.Escape)
	w.Click(".under")
	w.Until(fmt.Sprintf(`document.activeElement.matches(%q) && document.querySelector(%q).matches(".chosen")`, voiceClip, voiceClip))
	x, y = w.Find(voiceHead).At(0.5, 0.5)
	w.Until(fmt.Sprintf(`document.elementFromPoint(%v, %v).closest(%q)`, x, y, voiceClip))
}

func TestMarkersAndRangesAreNamedMovedListedAndReordered(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Marks")
	w.Press("Arrange")
	w.Press("Markers")
	// While it plays.
	clickRuler(w, 0.1)
	w.Key(" ")
	w.Until(`document.querySelector('[aria-label="Pause"]')`)
	w.Key("n")
	marked := untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 1 })
	for _, m := range marked.Markers {
		assert.Greater(t, m.At, 5*second, "it begins where the playhead stands, also before anything is heard")
	}
	w.Key(" ")
	w.Press("Remove Marker 1")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 0 })
	// The playhead is taken out of the way, as it may still stand where the first range begins.
	clickRuler(w, 0.9)
	ruler := w.Find(".ruler")
	for i, r := range [][2]float64{{0, 5}, {5, 12}} {
		w.Drag(xOf(w, r[0])+1, ruler.Y+30, xOf(w, r[1]), ruler.Y+30)
		w.Key("N", chromedp.ModifierShift)
		untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == i+1 })
	}
	d := desk(t, episode).Document
	var first, last string
	for id, m := range d.Markers {
		if m.At < 3*second {
			first = id
		} else {
			last = id
		}
	}
	w.Until(`document.querySelectorAll(".block").length === 2`)
	w.Click(`li:first-child [aria-label="Range is a chapter"]`)
	untilKept(w, episode, func(d session.Document) bool { return d.Markers[first].Chapter })
	w.Type(`li:first-child .name`, "Opening")
	untilKept(w, episode, func(d session.Document) bool { return d.Markers[first].Name == "Opening" })
	// An end of the range is dragged.
	x, y := w.Find(fmt.Sprintf(`[data-marker=%q] .end:last-child`, last)).At(0.5, 0.5)
	w.Drag(x, y, xOf(w, 14), y, chromedp.ModifierAlt)
	d = untilKept(w, episode, func(d session.Document) bool { m := d.Markers[last]; return (m.At + m.Length).Seconds() > 13 })
	// The second segment is dragged before the first, with everything in it.
	length := d.Markers[last].Length
	blocks := w.Find(fmt.Sprintf(`[data-stop="block:%s"]`, last))
	strip := w.Find(".strip")
	w.Drag(blocks.X+blocks.Width/2, blocks.Y+6, strip.X+2, blocks.Y+6)
	d = untilKept(w, episode, func(d session.Document) bool { return d.Markers[last].At < d.Markers[first].At })
	assert.Equal(t, length, d.Markers[last].Length)
	voice := clipsOf(d, 0)
	assert.Greater(t, voice[0].Offset, 4*second, "what was said second is said first")
	assert.Equal(t, 40*second, d.Length(), "and nothing is lost")
}

func TestPausesAreShownHeardLeftOutAndTightenedInOneStep(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	openRough(t, w)
	episode := strings.TrimPrefix(Eval[string](w, "location.pathname"), "/episodes/")
	before := desk(t, episode)
	w.Press("Arrange")
	w.Press("Pauses")
	w.Until(`document.querySelectorAll('[aria-label="Pauses that can be tightened"] li').length >= 3`)
	w.Until(`document.querySelectorAll(".cut-out").length > 0`)
	chosen := Eval[int](w, `document.querySelectorAll('[aria-label="Pauses that can be tightened"] input:checked').length`)
	require.Positive(t, chosen)
	w.Click(`[aria-label="Pauses that can be tightened"] input:checked`)
	w.Until(fmt.Sprintf(`document.querySelectorAll('[aria-label="Pauses that can be tightened"] input:checked').length === %d`, chosen-1))
	w.Click(`[aria-label="Pauses that can be tightened"] .row-button`)
	w.Until(`performance.getEntriesByType("resource").some(e => e.name.includes("/try?") && e.responseStatus < 300)`)
	assert.Equal(t, before.Version, desk(t, episode).Version, "it is heard before it is done")
	saved := Eval[string](w, `document.querySelector("aside .filled").innerText`)
	assert.Contains(t, saved, "Tighten")
	w.Click("aside .filled")
	d := untilKept(w, episode, func(d session.Document) bool { return d.Length() < before.Document.Length() })
	assert.Contains(t, desk(t, episode).Undo, "Tighten")
	assert.NotEmpty(t, d.Tracks)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return string(d.JSON()) == string(before.Document.JSON()) })
}

// openRough opens an episode of this test's own with pauses in its voice: the sample's, copied.
func openRough(t *testing.T, w *Window) {
	t.Helper()
	w.Go("/episodes/" + copyOf(w, demo.EpisodeTitle, "With pauses", nil))
	w.untilClips(9)
}

func TestTheHistoryNamesEveryStepAndGoesToAnyOfThem(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "History")
	w.Press("Arrange")
	w.Press("History")
	w.Click(voiceHead)
	w.Key(kb.ArrowDown + kb.ArrowDown)
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Gain == -2 })
	w.Type(`[aria-label="Name of the version"]`, "Two down")
	w.Until(`document.querySelector('[aria-label="Return to Two down"]')`)
	w.Key(kb.Escape)
	steps := `[aria-label="Steps of the history"] button`
	w.Until(fmt.Sprintf(`document.querySelectorAll(%q).length >= 3 && document.querySelector(%q).innerText.includes("−2.0 dB")`, steps, steps))
	// The step before, then the beginning, then a step that has been undone.
	w.Click(`[aria-label="Steps of the history"] li:nth-child(2) button`)
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Gain == -1 })
	w.Click(`[aria-label="Steps of the history"] li:last-child button`)
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Gain == 0 })
	w.Until(`document.querySelectorAll(".steps .undone").length >= 2`)
	w.Click(`[aria-label="Steps of the history"] li:first-child button`)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks) == 2 && clipsOf(d, 0)[0].Gain == -2 })
	// Something else is done, and the named version returned to; that can be undone.
	w.Click(voiceHead)
	w.Key(kb.Delete)
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 0 })
	w.Press("Return to Two down")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 1 })
	assert.Equal(t, "Return to “Two down”", desk(t, episode).Undo)
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == 0 })
	w.Press("Remove the version Two down")
	w.Until(`!document.querySelector('[aria-label="Return to Two down"]')`)
	assert.Empty(t, get[[]store.NamedVersion](t, "/api/episodes/"+episode+"/versions"))
}

func TestTimeIsZoomedFromTheWholeShowToSingleSamples(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	withTwoClips(t, w, "Zoom")
	clickRuler(w, 0.3)
	w.Key("8")
	w.Until(`[...document.querySelectorAll(".tick")].some(t => /\.\d{4}$/.test(t.innerText))`)
	// Drawn frame by frame it is lines through the clip, of the colour of the music.
	w.Until(`(() => {
		const c = document.querySelectorAll(".lane canvas")[1], g = c.getContext("2d"), p = g.getImageData(0, 0, c.width, c.height).data;
		let ink = 0;
		for (let i = 0; i < p.length; i += 4) if (p[i] > 120 && p[i + 1] < 110 && p[i + 3] > 200) ink++;
		return ink > 100 && ink < p.length / 32; // most of it the head of the clip
	})()`)
	w.Key("0")
	w.Until(`document.querySelector(".tick").innerText === "0:00"`)
	// The wheel zooms at the pointer: what is under it stays there.
	w.Key("9")
	x, y := lane(w, 1, 20)
	for range 6 {
		w.Wheel(x, y, -1, chromedp.ModifierCtrl)
	}
	assert.InDelta(t, x, xOf(w, 20), 3)
	w.Until(`document.querySelector(".content").style.transform.indexOf("scale") < 0`) // laid out at the new scale
	box := w.Find(music + " .head")
	assert.InDelta(t, xOf(w, 40), box.X+box.Width, 6, "clips are where the ruler says")
	start := xOf(w, 20)
	first := Eval[string](w, `document.querySelector(".tick").innerText`)
	w.Key(kb.PageDown)
	w.Until(fmt.Sprintf(`document.querySelector(".tick").innerText !== %q`, first))
	assert.Less(t, xOf(w, 20), start-300)
}

func TestTwoFingersZoomAndChangeNothing(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Two fingers")
	_, err := chromedp.Call(w.spoilt(), emulation.SetTouchEmulationEnabled, emulation.SetTouchEmulationEnabledParams{Enabled: true, MaxTouchPoints: 2})
	require.NoError(t, err)
	before := desk(t, episode)
	for _, row := range []float64{1, 2} { // on an empty place, and over a clip
		apart := xOf(w, 20) - xOf(w, 10)
		x, y := lane(w, 1, 20)
		if row == 2 {
			box := w.Find(music)
			y = box.Y + box.Height/2
		} else {
			y = w.Find(".lanes").Y + w.Find(".lanes").Height - 20
		}
		touch := func(kind input.DispatchTouchEventType, half float64) {
			params := input.DispatchTouchEventParams{Type: kind}
			if kind != input.DispatchTouchEventTypeTouchEnd {
				params.TouchPoints = []*input.TouchPoint{{X: x - half, Y: y}, {X: x + half, Y: y}}
			}
			_, err := chromedp.Call(w.ctx, input.DispatchTouchEvent, params)
			require.NoError(t, err)
		}
		touch(input.DispatchTouchEventTypeTouchStart, 50)
		for half := 60.0; half <= 100; half += 10 {
			touch(input.DispatchTouchEventTypeTouchMove, half)
		}
		touch(input.DispatchTouchEventTypeTouchEnd, 0)
		assert.InDelta(t, 2*apart, xOf(w, 20)-xOf(w, 10), apart*0.1)
		assert.InDelta(t, x, xOf(w, 20), 4, "what is between the fingers stays there")
		assert.False(t, Eval[bool](w, `document.querySelector(".lanes .range, .ghost, .tag, .frame-box") !== null`), "nothing else is dragged")
	}
	assert.Equal(t, before.Version, desk(t, episode).Version)
}

func TestTheRunningOrderIsATableThatIsEdited(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Order")
	w.Press("Arrange")
	w.UntilText("Voice 1 · voice · Keeper at the door")
	w.Type(`[aria-label="Length of Keeper at the door"]`, "0:08")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Length == 8*second })
	w.Type(`[aria-label="End of Keeper at the door"]`, "0:07.5")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Length == audio.Seconds(7.5) })
	w.Click(`[aria-label="Name of Keeper at the door"]`)
	w.Type(`[aria-label="Offset of Keeper at the door in its sound"]`, "2")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Offset == 2*second })
	w.Type(`[aria-label="Length of Keeper at the door"]`, "30")
	w.UntilText("would reach beyond its recording")
	assert.Equal(t, audio.Seconds(7.5), clipsOf(desk(t, episode).Document, 0)[0].Length)
	w.Type(`[aria-label="Name of Keeper at the door"]`, "The keeper")
	untilKept(w, episode, func(d session.Document) bool { return clipsOf(d, 0)[0].Name == "The keeper" })
	w.Click(`[aria-label="Find clips"]`)
	w.Key("slack music")
	w.Until(`document.querySelectorAll(".order tbody").length === 1`)
}

func TestAListOfMarkersIsTakenInInOneStepAndRefusedWithItsLine(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := withTwoClips(t, w, "Lists")
	w.Press("Arrange")
	w.Press("Markers")
	list := func(name, text string) string {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	w.Do(chromedp.SetUploadFiles(`[aria-label="List of markers"]`, []string{list("wrong.csv", "name,start\nFog,soon\n")}))
	w.UntilText(`wrong.csv: Line 2: "soon" is no time`)
	w.Do(chromedp.SetUploadFiles(`[aria-label="List of markers"]`, []string{list("marks.vtt", "WEBVTT\n\nchapter 1\n00:00.000 --> 00:05.000\nOpening\n\n00:07.250 --> 00:07.251\nFog\n")}))
	d := untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 2 })
	ids := session.MarkersInOrder(d.Markers)
	assert.Equal(t, session.Marker{Name: "Opening", Length: 5 * audio.Second, Chapter: true}, d.Markers[ids[0]])
	assert.Equal(t, session.Marker{Name: "Fog", At: audio.Seconds(7.25)}, d.Markers[ids[1]])
	dir := t.TempDir()
	w.DownloadsTo(dir)
	w.Click(`a[href$="/lists/chapters.txt"]`)
	text, err := os.ReadFile(waitForFile(t, dir))
	require.NoError(t, err)
	assert.Equal(t, "0:00 Opening\n", string(text))
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return len(d.Markers) == 0 })
}
