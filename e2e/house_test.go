package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/testkit"
)

// spoken is a file with so many seconds that are taken for speech.
func spoken(t *testing.T, name string, seconds int) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), name)
	testkit.RunFFmpeg(t, nil, "-v", "error", "-stream_loop", "-1", "-t", fmt.Sprint(seconds), "-i", "../internal/standin/reading.flac", "-ac", "1", file)
	return file
}

func TestFromAHouseSoundToAFinishedShortEpisodeInUnderTenActs(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/")
	acts := 0
	act := func(do func()) {
		acts++
		do()
	}
	act(func() { w.Press("New episode") })
	act(func() {
		w.Click("#new-name")
		w.Key("Fog at four")
	})
	act(func() { w.Choose("#new-layout", demo.NewsLayout) })
	act(func() { w.Press("Make the episode") })
	w.UntilText("The news goes here")
	episode := Eval[string](w, `location.pathname.split("/").pop()`)
	laid := desk(t, episode).Document
	places := laid.EmptyPlaces()
	require.Len(t, places, 1)
	place := laid.Markers[places[0]]
	// The file is longer than was thought: all that follows moves along.
	act(func() {
		x, y := w.Find("[data-place]").At(0.5, 0.3)
		w.Drop(x, y, spoken(t, "Fog at four.wav", 38))
	})
	d := untilKept(w, episode, func(d session.Document) bool { return len(clipsOf(d, 0)) == 1 })
	voice := clipsOf(d, 0)[0]
	assert.Equal(t, place.At, voice.Start, "it begins where its place did, wherever in it the file was dropped")
	by := voice.Length - place.Length
	assert.Greater(t, by, 7*audio.Second)
	for i := range d.Tracks[1:] {
		was, now := clipsOf(laid, i+1), clipsOf(d, i+1)
		require.Len(t, now, len(was))
		for k := range now {
			if was[k].Start > place.At {
				assert.Equal(t, was[k].Start+by, now[k].Start, "what follows keeps its distance")
			} else {
				assert.Equal(t, was[k].Length+by, now[k].Length, "the bed lies under all of it")
			}
		}
	}
	assert.Empty(t, d.EmptyPlaces())
	act(func() { w.Press("Hand over") })
	w.UntilText("Mix down")
	act(func() { w.Press("Mix down") })
	w.Until(`document.querySelectorAll("aside audio").length === 1`)
	assert.Less(t, acts, 10)
	files := get[[]handover.Mixdown](t, "/api/episodes/"+episode+"/mixdowns")
	require.Len(t, files, 1)

	// It is heard as it was laid out: the music makes way for what was said.
	heard := listen(t, episode, voice.Start+5*audio.Second, voice.Start+6*audio.Second)
	assert.Greater(t, testkit.RMS(heard[0]), -40.0)
}

func TestAnEmptyPlaceIsRecordedInto(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	w.Go("/")
	w.Press("New episode")
	w.Click("#new-name")
	w.Key("Read aloud")
	w.Choose("#new-layout", demo.NewsLayout)
	w.Press("Make the episode")
	w.UntilText("The news goes here")
	episode := Eval[string](w, `location.pathname.split("/").pop()`)
	laid := desk(t, episode).Document
	place := laid.Markers[laid.EmptyPlaces()[0]]
	// It opens where its first place waits, in Gather.
	w.Until(`document.querySelector(".stage.current").innerText.trim() === "Gather" && !document.querySelector(".now").innerText.startsWith("0:00.00")`)
	assert.InDelta(t, xOf(w, place.At.Seconds()), w.Find(".over .playhead").X+1, 2)
	w.Until(fmt.Sprintf(`document.querySelector(".card.chosen")?.dataset.card === %q`, place.Fills))
	w.Click(`[aria-label="Record The news"]`)
	openRecording(w, "Stand-in microphone")
	withoutCountIn(w)
	recordFor(w, 3)
	w.Press("Stop")
	d := untilKept(w, episode, func(d session.Document) bool { return len(clipsOf(d, 0)) == 1 })
	take := clipsOf(d, 0)[0]
	assert.Equal(t, place.At, take.Start, "it begins where the place did")
	assert.Empty(t, d.EmptyPlaces())
	by := take.Length - place.Length
	assert.Negative(t, by)
	was, now := clipsOf(laid, 2)[0], clipsOf(d, 2)[0]
	assert.Equal(t, max(place.At, was.Start+by), now.Start, "the outro comes as much earlier")
}

// It runs by itself: beside others, the piece that it swaps has not always come within two minutes.
func TestAHouseSoundIsTakenFromAnEpisodeEditedAndBroughtAlong(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	source := copyOf(w, demo.EpisodeTitle, "To be taken from", nil)
	w.Go("/")
	w.UntilText("To be taken from")
	w.Press("Save the layout of To be taken from as house sound")
	w.UntilText("What every episode has")
	w.UntilText("Interview (Keeper)")
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	noSeriousFault(t, w, string(axe), "house sound")
	show := desk(t, source).Episode.Show
	var layout episodes.Layout
	for _, l := range get[[]episodes.Layout](t, "/api/shows/"+show+"/layouts") {
		if l.Title == "To be taken from" {
			layout = l
		}
	}
	require.Len(t, layout.Places, 5)
	assert.Equal(t, []string{"Harbour theme, bed", "Harbour theme, outro"}, []string{layout.Music[0].Name, layout.Music[1].Name})

	// A new episode begins as it.
	w.Go("/")
	w.Press("New episode")
	w.Click("#new-name")
	w.Key("Begun as taken")
	w.Choose("#new-layout", "To be taken from")
	w.Press("Make the episode")
	w.UntilText("goes here")
	episode := Eval[string](w, `location.pathname.split("/").pop()`)
	// What is still empty is a finding.
	w.Press("Check")
	w.UntilText("is still empty")

	// The layout is edited as an episode is: on the desk.
	w.Go("/episodes/" + layout.ID)
	w.UntilText("house sound")
	w.Click(`.clip[aria-label^="Harbour theme, bed"]`)
	w.Press("Gather")
	w.Press("Music")
	w.Press("Play Undertow instead of Harbour theme, bed")
	d := untilKept(w, layout.ID, func(d session.Document) bool {
		return clipsOf(d, 3)[0].Name == "Harbour theme, bed" && clipsOf(d, 3)[0].Sound != layout.Music[0].Sound
	})
	bed, was := clipsOf(d, 3)[0], clipsOf(desk(t, episode).Document, 3)[0]
	assert.Equal(t, was.Envelope, bed.Envelope, "its ramps stay")
	assert.Equal(t, []audio.Frames{was.Start, was.FadeIn.Length}, []audio.Frames{bed.Start, bed.FadeIn.Length})

	// Episodes that began as it can be brought along, which is shown first.
	w.Go("/shows/" + show + "/house")
	w.UntilText("Bring episodes along")
	w.UntilText("Begun as taken")
	w.Press("Bring it along")
	w.UntilText("is in line again")
	d = desk(t, episode).Document
	assert.Equal(t, bed.Sound, clipsOf(d, 3)[0].Sound)
	assert.Len(t, d.EmptyPlaces(), 5)
	w.Until(`!document.body.innerText.includes("Bring episodes along")`)

	// A layout is removed after a question, and the episode stays.
	w.Press("Remove To be taken from")
	w.Press("Remove the layout")
	w.Until(`!document.body.innerText.includes("To be taken from")`)
	assert.Len(t, desk(t, episode).Document.EmptyPlaces(), 5)
}

func TestAFinishedFileIsSentToThePracticeHostWhichBreaksOff(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "Sent elsewhere", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 5`)
	w.Press("Hand over")
	finishFile(w)
	w.Click(`[aria-label^="Send "]`)
	w.UntilText("nothing leaves this machine")
	w.Choose(`[aria-label="How it takes it"]`, "breaks off twice")
	w.Press("Send")
	w.UntilText("broke off after")
	w.UntilText("Sent to the practice host. It has arrived whole")
	w.Click(`[aria-label^="Send "]`)
	w.Choose(`[aria-label="How it takes it"]`, "refuses it")
	w.Press("Send")
	w.UntilText("was asked to refuse it")
	w.Press("Send again")
	w.Until(`document.querySelectorAll(".sendings li.refused").length === 2`)
	all := get[[]handover.Sent](t, "/api/episodes/"+episode+"/sendings")
	require.Len(t, all, 3)
	assert.Equal(t, 3, all[2].Tries)
	w.Go("/episodes/" + episode) // and it is still said after the page was left
	w.Press("Hand over")
	w.UntilText("It has arrived whole")
}
