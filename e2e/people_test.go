package e2e

import (
	"context"
	"io"
	"math"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/outside"
	"ruvel/internal/people"
	"ruvel/internal/store"
	"ruvel/testkit/housetest"
)

const password = "fog horn at four"

// station is the house with people, whose first person has come in.
var station = sync.OnceValues(func() (*housetest.Station, error) {
	st, err := house.Several(outside.Settings{})
	if err != nil {
		return nil, err
	}
	link, err := st.People.First(context.Background())
	if err != nil || link == "" {
		return st, err
	}
	_, err = st.People.Accept(context.Background(), link, people.Newcomer{Name: "Ada Quill", SignIn: "ada", Password: password}, "here")
	return st, err
})

// aShowWith is a show of its own with a copy of an episode of the sample, whose owner is somebody new who has signed in in a window.
func aShowWith(t *testing.T, title string) (st *housetest.Station, owner *Window, show, episode string) {
	t.Helper()
	return aShowCalled(t, "Tide Table "+title, title)
}

// aShowCalled is that with a name of the show.
func aShowCalled(t *testing.T, name, title string) (st *housetest.Station, owner *Window, show, episode string) {
	t.Helper()
	st, err := station()
	require.NoError(t, err)
	at := OpenWindow(t, base)
	of, err := house.Store.AddShow(t.Context(), name)
	require.NoError(t, err)
	answer, err := http.Get(base + "/api/episodes/" + copyOf(at, demo.EpisodeTitle, title, nil) + "/archive")
	require.NoError(t, err)
	file := t.TempDir() + "/sample.zip"
	out, err := os.Create(file)
	require.NoError(t, err)
	_, err = out.ReadFrom(answer.Body)
	require.NoError(t, err)
	require.NoError(t, out.Close())
	require.NoError(t, answer.Body.Close())
	owner = OpenWindow(t, st.Address)
	owner.comesIn(invited(t, of.ID, store.Owner), "Maud Gale", "maud "+of.ID)
	owner.Go("/shows/" + of.ID)
	owner.UntilText("There is no episode in this show yet.")
	owner.Do(chromedp.SetUploadFiles(`[aria-label="Archives to open"]`, []string{file}))
	owner.Until(`document.querySelector("main li .name")`)
	owner.Click("main li .name")
	owner.Until(`document.querySelectorAll(".clip").length === 9`)
	return st, owner, of.ID, episodeIn(owner)
}

func episodeIn(w *Window) string {
	return Eval[string](w, `location.pathname.split("/")[2]`)
}

// invited is what stands in the link of an invitation to a show.
func invited(t *testing.T, show string, role store.Role) string {
	t.Helper()
	st, err := station()
	require.NoError(t, err)
	i, err := st.People.InviteBy(t.Context(), nil, show, role, "")
	require.NoError(t, err)
	return i.Link
}

// comesIn takes an invitation by hand.
func (w *Window) comesIn(link, name, signIn string) {
	w.t.Helper()
	w.Go("/join#" + link)
	w.Until(`document.querySelector('[name="username"]')`)
	w.Fill(`[name="name"]`, name)
	w.Fill(`[name="username"]`, signIn)
	w.Fill(`[name="password"]`, password)
	w.Press("Come in")
	w.Until(`location.pathname === "/"`)
	w.UntilText("Shows")
}

func TestSomebodyIsInvitedComesInAndIsOfTheShowInTheirRole(t *testing.T) {
	t.Parallel()
	st, owner, show, _ := aShowWith(t, "Invited")
	other := OpenWindow(t, st.Address)
	other.Go("/shows/" + show + "/people")
	other.Until(`location.pathname === "/sign-in"`)
	other.UntilText("Sign in")
	other.Fill(`[name="username"]`, "maud "+show)
	other.Fill(`[name="password"]`, "not that")
	other.Press("Sign in")
	other.UntilText("do not go together")

	owner.Go("/shows/" + show + "/people")
	owner.UntilText("Maud Gale (you)")
	owner.Fill("#invite-note", "The archivist")
	owner.Choose(`[aria-label="As"]`, "Producer: everything on episodes")
	owner.Press("Make a link")
	owner.Until(`document.querySelector("#made-link")?.value.includes("/join#")`)
	link := Eval[string](owner, `document.querySelector("#made-link").value`)
	owner.UntilText("The archivist")

	_, secret, _ := strings.Cut(link, "#")
	other.Go("/join#" + secret)
	other.UntilText("Maud Gale invites you as producer: everything on episodes.")
	other.comesIn(secret, "Ivo Tern", "ivo "+show)
	other.UntilText("New episode")
	assert.Equal(t, 0, Eval[int](other, `document.querySelectorAll("nav .new-show").length`), "who owns no show begins none")
	again := OpenWindow(t, st.Address)
	again.Go("/join#" + secret)
	again.UntilText("This link is not good any more")

	// The owner sees who has come, makes a listener of them, and takes them out; at once they are let in nowhere.
	owner.Go("/shows/" + show + "/people")
	owner.UntilText("Ivo Tern")
	owner.Choose(`[aria-label="Role of Ivo Tern"]`, "Listener")
	owner.Until(`document.querySelector('[aria-label="Role of Ivo Tern"]')`)
	other.Go("/shows/" + show)
	other.UntilText("Invited")
	other.Click("main li .name")
	other.Until(`location.pathname.endsWith("/hear")`)
	owner.Press("Take Ivo Tern out")
	owner.Until(`!document.body.innerText.includes("Ivo Tern")`)
	other.Go("/")
	other.UntilText("You are of no show yet.")
	other.Click(`[aria-label="IT, Ivo Tern: your account"]`)
	other.UntilText("Sign out")
	other.ClickOn(`[...document.querySelectorAll(".el-dropdown-menu__item")].find(e => e.innerText === "Sign out" && e.checkVisibility())`)
	other.Until(`location.pathname === "/sign-in"`)
}

func TestTwoAtOneDeskSeeEachOtherAndTakeBackTheirOwn(t *testing.T) {
	t.Parallel()
	st, maud, show, episode := aShowWith(t, "Two at a desk")
	ivo := OpenWindow(t, st.Address)
	ivo.comesIn(invited(t, show, store.Producer), "Ivo Tern", "ivo "+show)
	ivo.Go("/episodes/" + episode)
	ivo.Until(`document.querySelectorAll(".clip").length === 9`)
	maud.Until(`document.querySelector('.others [aria-label^="IT, Ivo Tern"]')`)
	ivo.Until(`document.querySelector('.others [aria-label^="MG, Maud Gale"]')`)

	// Where one is, and which clip one has in hand, the other sees.
	clickRuler(ivo, 0.5)
	ivo.Click(`[aria-label^="Harbour theme, bed"] .head`)
	maud.Until(`document.querySelector(".hands")?.innerText === "IT"`)
	assert.Contains(t, Eval[string](maud, `document.querySelector('[aria-label^="Harbour theme, bed"]').ariaLabel`), "chosen by Ivo Tern too")
	maud.Until(`document.querySelector(".over .other")?.innerText === "IT"`)
	at := func(w *Window, line string) float64 {
		return Eval[float64](w, `document.querySelector(".over .`+line+`").getBoundingClientRect().x`)
	}
	require.Eventually(t, func() bool { return math.Abs(at(ivo, "playhead")-at(maud, "other")) < 3 }, patience, 50*time.Millisecond)

	// Each takes back what is theirs, in whatever order it came.
	maud.Click(`[aria-label="Track Keeper"] .name`)
	maud.Key("q")
	ofKeeper := func(d session.Document) session.Track {
		for _, tr := range d.Tracks {
			if tr.Name == "Keeper" {
				return tr
			}
		}
		return session.Track{}
	}
	untilKept(maud, episode, func(d session.Document) bool { return ofKeeper(d).Mute })
	ivo.Until(`document.querySelector('[aria-label="Track Keeper"] [aria-pressed="true"]')`)
	ivo.Key("n")
	untilKept(ivo, episode, func(d session.Document) bool { return ofKeeper(d).Mute && named(d, "Marker") })
	maud.Until(`document.querySelector('header [title^="Undo: "]').title.includes("Keeper")`)
	maud.Key("z", chromedp.ModifierCtrl)
	untilKept(maud, episode, func(d session.Document) bool { return !ofKeeper(d).Mute && named(d, "Marker") })
	ivo.Key("z", chromedp.ModifierCtrl)
	untilKept(ivo, episode, func(d session.Document) bool { return !ofKeeper(d).Mute && !named(d, "Marker") })
	maud.Key("z", chromedp.ModifierCtrl|chromedp.ModifierShift)
	untilKept(maud, episode, func(d session.Document) bool { return ofKeeper(d).Mute })
	ivo.Press("Arrange")
	ivo.Press("History")
	ivo.Until(`[...document.querySelectorAll(".steps li")].some(e => e.innerText.includes("Take back") && e.innerText.includes("Maud Gale"))`)

	// Who has left is gone.
	ivo.Go("/")
	maud.Until(`!document.querySelector(".others")`)
}

func named(d session.Document, name string) bool {
	for _, m := range d.Markers {
		if strings.HasPrefix(m.Name, name) {
			return true
		}
	}
	return false
}

func TestAListenerHearsAndNotesAndTheProducerAnswersAndSettles(t *testing.T) {
	t.Parallel()
	st, maud, show, episode := aShowWith(t, "Heard")
	ida := OpenWindow(t, st.Address)
	ida.comesIn(invited(t, show, store.Listener), "Ida Swell", "ida "+show)
	ida.Go("/episodes/" + episode) // which they do not make
	ida.Until(`location.pathname.endsWith("/hear")`)
	ida.UntilText("Heard")
	ida.Until(`document.querySelector(".strip canvas")`)
	ida.Press("Play")
	ida.Until(`document.querySelector(".clock").innerText >= "0:01"`)
	ida.Press("Pause")
	ida.Focus(".strip")
	ida.Key(kb.Home)
	for range 3 {
		ida.Key(kb.ArrowRight)
	}
	ida.Until(`document.querySelector(".clock").innerText === "0:15"`)
	ida.Fill("textarea", "The horn comes too early.")
	ida.Press("Note it")
	ida.UntilText("Ida Swell, today")

	// It is on the ruler of the desk at its place, and answered there.
	maud.Until(`document.querySelector('[aria-label="Note by Ida Swell at 0:15: The horn comes too early."]')`)
	maud.Click(`[aria-label^="Note by Ida Swell"]`)
	maud.UntilText("For those who work on this episode.")
	assert.InDelta(t, 15, playheadOf(maud), 0.1)
	maud.Press("Answer")
	maud.Fill(`[aria-label="Your answer"]`, "By a second. It is later now.")
	maud.Key(kb.Enter, chromedp.ModifierCtrl)
	ida.UntilText("By a second. It is later now.")
	maud.Until(`document.activeElement?.innerText === "Answer"`) // and not what would remove it
	maud.Press("Settle")
	maud.UntilText("All notes are settled.")
	ida.UntilText("Settled by Maud Gale")
	maud.Until(`!document.querySelector('[aria-label^="Note by Ida Swell"]')`)
	// It is nothing that is handed over.
	answer, err := http.Get(base + "/api/episodes/" + episode + "/archive")
	require.NoError(t, err)
	defer answer.Body.Close()
	whole, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	assert.NotContains(t, string(whole), "comes too early")
}

func playheadOf(w *Window) float64 {
	return Eval[float64](w, `(() => { const [m, s] = document.querySelector(".clock .now").innerText.split(":"); return 60 * m + Number(s); })()`)
}

func TestAReaderReadsTheScriptIntoItsPlaceAndSeesNoMore(t *testing.T) {
	t.Parallel()
	st, maud, show, episode := aShowWith(t, "Read")
	before := len(desk(t, episode).Document.Tracks[0].Clips)
	_, err := house.Store.EditScript(t.Context(), episode, 0, func(s *store.Script) { s.Text = "# Fog\n\nTwo long blasts, and the pier goes quiet.\n" })
	require.NoError(t, err)
	noor := OpenWindow(t, st.Address)
	noor.comesIn(invited(t, show, store.Reader), "Noor Vane", "noor "+show)
	noor.UntilText("Read")
	noor.Click("main li .name")
	noor.Until(`location.pathname.endsWith("/read")`)
	noor.Until(`document.querySelector("[data-part]")`)
	noor.Choose(`[aria-label="Input"]`, "Stand-in")
	noor.Press("Record")
	noor.Until(`document.querySelector(".count")?.innerText.startsWith("0:02")`)
	noor.Press("Stop")
	noor.UntilText("Take 1")
	untilKept(maud, episode, func(d session.Document) bool { return len(d.Tracks[0].Clips) == before+1 })
	maud.untilClips(10)
	// What was read is there, and at the end of the track.
	d := desk(t, episode).Document
	last, end := session.Clip{}, audio.Frames(0)
	for _, c := range d.Tracks[0].Clips {
		if c.Start+c.Length > end {
			last, end = c, c.Start+c.Length
		}
	}
	assert.Greater(t, last.Length, audio.Seconds(1.5))
	maud.Press("Arrange")
	maud.Press("History")
	maud.UntilText("Noor Vane")
	status := Eval[int](noor, `fetch("/api/episodes/`+episode+`").then(r => r.status)`)
	assert.Equal(t, 403, status)
}

func TestASessionThatHasEndedLosesNothingOfWhatIsOnTheDesk(t *testing.T) {
	t.Parallel()
	_, maud, show, episode := aShowWith(t, "Ended")
	bed := func(d session.Document) audio.Frames {
		for _, tr := range d.Tracks {
			for _, c := range tr.Clips {
				if strings.HasPrefix(c.Name, "Harbour theme, bed") {
					return c.Start
				}
			}
		}
		return -1
	}
	before := bed(desk(t, episode).Document)
	x, y := maud.Find(`[aria-label^="Harbour theme, bed"] .head`).At(0.5, 0.5)
	maud.Hold(x, y) // a hand is on it when it happens
	all, err := house.Store.Members(t.Context(), show)
	require.NoError(t, err)
	for _, m := range all {
		if m.Name == "Maud Gale" {
			st, err := station()
			require.NoError(t, err)
			require.NoError(t, st.People.EndAll(t.Context(), m.ID))
		}
	}
	maud.MoveHeld(x, y, x+60, y)
	maud.Release(x+60, y)
	maud.UntilText("Sign in again")
	assert.Equal(t, before, bed(desk(t, episode).Document))
	maud.Fill(`.el-dialog [name="username"]`, "maud "+show)
	maud.Fill(`.el-dialog [name="password"]`, password)
	maud.Press("Sign in")
	untilKept(maud, episode, func(d session.Document) bool { return bed(d) > before })
	maud.Until(`!document.querySelector(".el-dialog")?.checkVisibility()`)
}

func TestAxeFindsNothingWherePeopleComeInAndWorkTogether(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	st, maud, show, episode := aShowWith(t, "Axed")
	look := func(w *Window, view string) {
		w.Settle()
		noFault(t, w, string(axe), view)
	}
	stranger := OpenWindow(t, st.Address)
	for _, width := range []int64{1280, 320} {
		stranger.Do(chromedp.EmulateViewport(width, 800))
		maud.Do(chromedp.EmulateViewport(width, 800))
		stranger.Go("/sign-in")
		stranger.UntilText("Forgotten your password?")
		look(stranger, "sign in")
		stranger.Go("/join#" + invited(t, show, store.Reader))
		stranger.UntilText("This link is good once")
		look(stranger, "join")
		maud.Go("/shows/" + show + "/people")
		maud.UntilText("Maud Gale (you)")
		look(maud, "people")
		maud.Go("/me")
		maud.UntilText("Tokens for programs")
		look(maud, "account")
		for view, there := range map[string]string{"hear": ".strip canvas", "read": "aside .plain-button.filled"} {
			maud.Go("/episodes/" + episode + "/" + view)
			maud.Until(`document.querySelector("` + there + `")`)
			look(maud, view)
		}
	}
}
