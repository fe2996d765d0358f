package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/server"
	"ruvel/internal/store"
	"ruvel/testkit"
)

// of sends a request to a server at an address.
func of[T any](t testing.TB, address, method, path string, body any) (out T) {
	t.Helper()
	data, err := json.Marshal(body)
	require.NoError(t, err)
	r, err := http.NewRequestWithContext(t.Context(), method, address+"/api"+path, bytes.NewReader(data))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	require.Less(t, answer.StatusCode, 300, "%s %s", method, path)
	require.NoError(t, json.NewDecoder(answer.Body).Decode(&out))
	return out
}

// An outage of some seconds, in the middle of a drag, of typing in the script, of an upload and of a mixdown: after it
// all is there, and the page said the truth meanwhile.
func TestAnOutageInTheMiddleOfEverythingLosesNothing(t *testing.T) {
	t.Parallel()
	for name, outage := range map[string]struct{ begin, end func(*Program, *Line) }{
		"the server killed": {func(p *Program, _ *Line) { p.Kill() }, func(p *Program, _ *Line) { p.Again() }},
		"the line cut":      {func(_ *Program, l *Line) { l.Cut() }, func(_ *Program, l *Line) { l.Mend() }},
		"a laptop asleep":   {func(_ *Program, l *Line) { l.Sleep() }, func(_ *Program, l *Line) { l.Wake() }},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			p := StartProgram(t)
			line := StartLine(t, p.Address)
			w := OpenWindow(t, line.Address)
			show := of[store.Show](t, p.Address, "POST", "/shows", map[string]any{"name": "Harbour Hours"})
			made := of[episodes.Episode](t, p.Address, "POST", "/shows/"+show.ID+"/episodes", map[string]any{"title": "Cut off"})
			document := func() session.Document {
				return of[episodes.Desk](t, p.Address, "GET", "/episodes/"+made.ID, nil).Document
			}
			w.Go("/episodes/" + made.ID)
			voice, music := dropped(t)
			x, y := w.Find(".lanes").At(0.6, 0.9)
			w.Drop(x, y, voice, music)
			w.Until(`document.querySelectorAll(".clip").length === 2`)
			_, bed, _ := clipNamed(t, document(), "Slack water")
			of[any](t, p.Address, "POST", "/episodes/"+made.ID+"/edits", map[string]any{
				"base": of[episodes.Desk](t, p.Address, "GET", "/episodes/"+made.ID, nil).Version,
				"op":   map[string]any{"type": "loop-clip", "clip": bed, "length": 400 * 48000},
			})
			w.Until(`document.querySelectorAll(".clip").length > 2`)

			// An upload and a mixdown are under way,
			line.Slow(1 << 20)
			long := filepath.Join(t.TempDir(), "Swell.wav")
			testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "anoisesrc=r=48000:c=pink:d=60:a=0.2", "-ac", "2", "-c:a", "pcm_s16le", long)
			w.Press("Hand over")
			w.Press("As it is")
			w.Press("Mix down")
			w.Press("Mix down all the same")
			w.UntilText("Mixing down")
			w.Drop(x, y, long)
			w.Until(`document.body.innerText.includes("Swell.wav") && document.body.innerText.includes("Sending")`)
			w.Press("Record")
			w.Click(`textarea[aria-label="Script"]`)
			w.Key("Two blasts")
			// and a hand holds a clip.
			mouse := func(kind input.DispatchMouseEventType, x, y float64) {
				w.Do(chromedp.MouseEvent(kind, x, y, func(p *input.DispatchMouseEventParams) {
					p.Button, p.Buttons, p.ClickCount = input.MouseButtonLeft, 1, 1
					chromedp.ButtonModifiers(chromedp.ModifierAlt)(p)
				}))
			}
			from, top := w.Find(head("Keeper at the door")).At(0.5, 0.5)
			perSecond := xOf(w, 60) - xOf(w, 0)
			to := from + perSecond/2
			mouse(input.DispatchMouseEventTypeMousePressed, from, top)
			mouse(input.DispatchMouseEventTypeMouseMoved, from+(to-from)/3, top)
			outage.begin(p, line)
			for i := 4.0; i <= 8; i++ {
				mouse(input.DispatchMouseEventTypeMouseMoved, from+(to-from)*i/10, top)
			}
			w.UntilText("your changes wait…")
			assert.NotContains(t, Eval[string](w, `document.querySelector(".kept").innerText`), "All changes saved")
			mouse(input.DispatchMouseEventTypeMouseMoved, to, top)
			mouse(input.DispatchMouseEventTypeMouseReleased, to, top)
			w.Click(`textarea[aria-label="Script"]`)
			w.Key(", every forty seconds")
			w.UntilText("Not kept yet: Ruvel does not answer.")
			w.Key("n") // goes into the script, which has the focus
			away := Eval[float64](w, `performance.now()`)
			w.Until(fmt.Sprintf(`performance.now() - %v > 3000`, away))
			outage.end(p, line)

			w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
			require.Eventually(t, func() bool {
				_, _, c := clipNamed(t, document(), "Keeper at the door")
				return c.Start.Seconds() > 25 && c.Start.Seconds() < 35
			}, patience, tick)
			script := of[server.Script](t, p.Address, "GET", "/episodes/"+made.ID+"/script", nil).Text
			assert.Equal(t, "Two blasts, every forty secondsn", script)
			line.Slow(0)
			require.Eventually(t, func() bool {
				return strings.Contains(string(document().JSON()), "Swell")
			}, patience, tick)
			w.Until(`document.querySelectorAll('.clip[aria-label^="Swell"]').length === 1`)
			require.Eventually(t, func() bool {
				return len(of[[]handover.Mixdown](t, p.Address, "GET", "/episodes/"+made.ID+"/mixdowns", nil)) == 1
			}, patience, tick)
			w.Press("Hand over")
			w.Until(`document.querySelectorAll("aside audio").length === 1`)
			w.Until(`!document.body.innerText.includes("Mixing down") && !document.body.innerText.includes("Sending")`)
		})
	}
}
