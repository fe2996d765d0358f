package bench

import (
	"fmt"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/e2e"
)

// BenchmarkEditInAWindow moves a clip by key on a lane of so many, all of them in sight, and reports for how long scripts
// of the page ran for each edit until everything was drawn again.
func BenchmarkEditInAWindow(b *testing.B) {
	house, _ := hour(b)
	front := httptest.NewServer(house.Handler())
	b.Cleanup(front.Close)
	address := front.URL
	shows, err := house.Store.Shows(ctx)
	require.NoError(b, err)
	sounds, err := house.Store.Sounds(ctx, shows[0].ID)
	require.NoError(b, err)
	for _, clips := range []int{20, 200, 600} {
		b.Run(fmt.Sprintf("of %d clips", clips), func(b *testing.B) {
			doc, _, err := edit.Apply(session.New(), edit.AddTrack{Part: session.Effect}, nil)
			require.NoError(b, err)
			doc = doc.Clone()
			doc.Sounds[sounds[0].ID] = session.Sound{Length: sounds[0].Length, Channels: sounds[0].Channels}
			for i := range clips {
				doc.Tracks[0].Clips[fmt.Sprintf("c%d", 1000+i)] = session.Clip{Sound: sounds[0].ID, Name: fmt.Sprintf("Clip %d", i), Start: audio.Frames(i) * 2 * audio.Second, Length: audio.Second, FadeIn: session.Fade{Length: 4800, Shape: session.Linear}, FadeOut: session.Fade{Length: 4800, Shape: session.Linear}, Envelope: []session.Point{}}
			}
			doc.Next = 3000
			e, err := house.Store.AddEpisode(ctx, shows[0].ID, fmt.Sprintf("A lane of %d", clips), 0, doc)
			require.NoError(b, err)
			w := e2e.OpenWindow(b, address, chromedp.Flag("disable-gpu", true))
			w.Go("/episodes/" + e.ID)
			w.Until(fmt.Sprintf(`document.querySelectorAll(".clip").length === %d`, clips))
			w.Key("0")
			w.Focus(`.clip[data-clip="c1003"]`)
			version := int64(1)
			move := func() {
				w.Key(".")
				version++
				w.Until(`document.querySelector(".kept").innerText.startsWith("All changes saved")`)
				require.Eventually(b, func() bool {
					_, now, err := house.Store.Document(ctx, e.ID)
					return err == nil && now == version
				}, time.Minute, time.Millisecond)
				e2e.Eval[bool](w, `new Promise(done => setTimeout(() => done(true), 900))`) // what rests is drawn and asked for by then
			}
			move()
			before := w.ScriptTime()
			for b.Loop() {
				move()
			}
			b.ReportMetric(float64((w.ScriptTime()-before).Microseconds())/1000/float64(b.N), "script-ms/edit")
		})
	}
}
