package e2e

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/mmcdole/gofeed"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/demo"
)

// finishFile makes the first finished file of an episode that meets its target.
func finishFile(w *Window) {
	w.t.Helper()
	w.Press("Files")
	w.UntilText("already; the limiter has nothing to do")
	w.Press("Mix down")
	w.Until(`document.querySelectorAll("aside audio").length === 1`)
}

// sharedAt is where the link that was made last leads.
func sharedAt(w *Window) string {
	w.t.Helper()
	w.Until(`document.querySelector('[aria-label="Address of the page"]')`)
	address := Eval[string](w, `document.querySelector('[aria-label="Address of the page"]').value`)
	require.Regexp(w.t, `/p/[\w-]{32}$`, address)
	return address[strings.Index(address, "/p/"):]
}

// arrives waits until a text can be read, on whatever page the window goes to meanwhile, also without scripts.
func arrives(w *Window, text string) {
	w.t.Helper()
	require.Eventually(w.t, func() bool {
		there, err := chromedp.Run(w.ctx, chromedp.Evaluate[bool](fmt.Sprintf("document.body.innerText.includes(%q)", text)))
		return err == nil && there // between two pages there is none
	}, patience, 20*time.Millisecond, "%q does not arrive", text)
}

func TestAFinishedFileIsHeardByAListenerInAnotherBrowserUntilItIsWithdrawn(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "For others", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Hand over")
	w.Press("Share")
	w.UntilText("Mix down a file first")
	finishFile(w)
	w.Press("Share")
	w.Click("aside .ticked input")
	w.Type("#share-password", "fog") // Enter makes it
	w.UntilText("A password has 8 to 100 characters")
	w.Type("#share-password", "three blasts")
	page := sharedAt(w)

	listener := OpenWindow(t, base)
	listener.Go(page)
	arrives(listener, "This page has a password")
	listener.Type("#password", "two blasts")
	arrives(listener, "That is not the password")
	listener.Type("#password", "three blasts")
	arrives(listener, "For others")
	assert.Equal(t, "0:00 / 2:07", Eval[string](listener, `document.querySelector("output").innerText`))
	listener.Click(`.chapters [data-at="37.000"], .chapters li:nth-child(4) a`)
	listener.Until(`!document.querySelector("audio").paused && document.querySelector("audio").currentTime > 37`)
	listener.Until(`document.querySelector(".chapters [aria-current]").innerText.includes("Interview")`)
	listener.Until(`Number(document.querySelector("#played rect").getAttribute("width")) > 100`)
	listener.Press("Pause")
	listener.Until(`document.querySelector("audio").paused`)
	before := Eval[float64](listener, `document.querySelector("audio").currentTime`)
	listener.Do(chromedp.Focus(".seek input"))
	listener.Key(kb.ArrowRight)
	listener.Until(fmt.Sprintf(`document.querySelector("audio").currentTime > %f`, before+1))
	assert.Regexp(t, `^0:\d\d of 2:07$`, Eval[string](listener, `document.querySelector(".seek input").ariaValueText ?? document.querySelector(".seek input").getAttribute("aria-valuetext")`))
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	noSeriousFault(t, listener, string(axe), "the page for listeners")
	noSeriousFault(t, w, string(axe), "sharing")

	listener.Do(chromedp.SendKeys(".write [name=name]", "Odd"), chromedp.SendKeys(".write textarea", "Could the <b>horn</b> be louder?"))
	listener.Do(chromedp.SetValue(".write [name=at]", "0:40"))
	listener.Press("Send")
	arrives(listener, "Thank you. The producer reads it first.")
	assert.NotContains(t, Eval[string](listener, "document.body.innerText"), "Could the", "nobody has looked at it yet")

	w.UntilText("Could the <b>horn</b> be louder?")
	w.Until(`document.querySelector('.ruler .note[aria-label^="Comment by Odd at 0:40"]')`)
	w.Press("Show on the page")
	w.UntilText("On the page")
	listener.Go(page)
	arrives(listener, "Could the <b>horn</b> be louder?")

	quiet := OpenWindow(t, base)
	quiet.Go(page)
	quiet.Type("#password", "three blasts")
	arrives(quiet, "For others")
	_, err = chromedp.Call(quiet.spoilt(), emulation.SetScriptExecutionDisabled, emulation.SetScriptExecutionDisabledParams{Value: true})
	require.NoError(t, err)
	quiet.Go(page)
	arrives(quiet, "Interview")
	assert.True(t, Eval[bool](quiet, `document.querySelector("audio").controls && document.querySelector("audio").offsetHeight > 20`), "the browser's own player is there without scripts")
	assert.True(t, Eval[bool](quiet, `document.querySelector(".seek").hidden`))
	assert.Contains(t, Eval[string](quiet, `document.querySelector(".chapters a").href`), page+"/sound#t=")

	w.Press("Files")
	w.Click(`[aria-label^="Remove Harbour Hours"]`)
	w.UntilText("heard behind a link. End the link under Share first")
	w.Press("Share")
	w.Press("End the link")
	w.UntilText("1 ended")
	listener.Go(page)
	arrives(listener, "This page has ended")
}

func TestAnEpisodeIsPublishedInTheFeedOfItsShowAndWithdrawn(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "For everybody", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Hand over")
	w.Press("Feed")
	w.UntilText("Not in the feed yet.")
	w.UntilText("Mix down a file of the whole episode first")
	finishFile(w)
	w.Press("Feed")
	w.Press("Publish")
	w.UntilText("In the feed since")
	w.Type("#feed-name", "Harbour Hours")
	w.UntilText("such as harbour-hours")
	w.Type("#feed-name", "harbour-hours")
	w.UntilText("Everybody finds it under its name.")
	w.Type("#feed-category", "Society")
	inFeed := func() []*gofeed.Item {
		feed, err := gofeed.NewParser().ParseURL(base + "/f/harbour-hours")
		require.NoError(t, err)
		return slices.DeleteFunc(feed.Items, func(i *gofeed.Item) bool { return i.Title != "For everybody" })
	}
	items := inFeed()
	require.Len(t, items, 1)
	head, err := http.Head(items[0].Enclosures[0].URL)
	require.NoError(t, err)
	require.NoError(t, head.Body.Close())
	assert.Equal(t, items[0].Enclosures[0].Length, head.Header.Get("Content-Length"))

	listener := OpenWindow(t, base)
	listener.Go(strings.TrimPrefix(items[0].Link, base))
	arrives(listener, "Interview")
	listener.Click(".play")
	listener.Until(`document.querySelector("audio").currentTime > 0.2`)
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	noSeriousFault(t, w, string(axe), "feed")

	w.Press("Take it out of the feed")
	w.UntilText("Taken out of the feed.")
	assert.Empty(t, inFeed())
	w.Choose("#feed-later", "At")
	w.Focus(`[aria-label="Time of publication"]`)
	w.Key("01022090" + kb.Tab + "0600AM")
	w.Until(`document.querySelector('[aria-label="Time of publication"]').value === "2090-01-02T06:00"`)
	w.Press("Publish")
	w.UntilText("Goes into the feed on 2 January 2090")
	assert.Empty(t, inFeed(), "its time has not come")
}

func TestAnArchiveIsOpenedFromTheShelf(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "From the shelf", nil)
	answer, err := http.Get(base + "/api/episodes/" + episode + "/archive")
	require.NoError(t, err)
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, errors.Join(err, answer.Body.Close()))
	made, err := house.Store.AddShow(t.Context(), "Opened elsewhere")
	require.NoError(t, err)
	dir := t.TempDir()
	good, wrong := filepath.Join(dir, "good.zip"), filepath.Join(dir, "wrong.zip")
	require.NoError(t, os.WriteFile(good, data, 0o600))
	require.NoError(t, os.WriteFile(wrong, data[:len(data)/3], 0o600))
	w.Go("/shows/" + made.ID)
	w.UntilText("There is no episode in this show yet.")
	w.Do(chromedp.SetUploadFiles(`[aria-label="Archives to open"]`, []string{wrong, good}))
	w.UntilText("wrong.zip: This is no archive of an episode, or it is not whole")
	w.Until(`[...document.querySelectorAll("main li .name")].some(e => e.innerText === "From the shelf")`)
	w.Click(`[aria-label="Close the message about wrong.zip"]`)
	w.Until(`!document.body.innerText.includes("wrong.zip")`)
	w.Click("main li a")
	w.Until(`document.querySelectorAll(".clip").length === 9`)
}
