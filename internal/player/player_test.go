package player_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/internal/player"
	"ruvel/internal/store"
	"ruvel/testkit/law"
)

func TestASilhouetteHasABarForEachHeightAndIsALineWhereNoneIsKnown(t *testing.T) {
	t.Parallel()
	html, err := player.Render(player.Page{Link: store.Page{Length: audio.Second, Outline: []byte{0, 255}}})
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(string(html), `d="M0.00 49.2h140.00v1.5h-140.00zM200.00 2.0h140.00v96.0h-140.00z"`), "all of it, and what has been heard")
	html, err = player.Render(player.Page{Link: store.Page{Length: audio.Second}})
	require.NoError(t, err)
	assert.Contains(t, string(html), `d="M0 48h400v4h-400z"`)
}

// Whatever an episode says of itself, and whatever listeners write, stays text.
func TestNothingThatIsWrittenBecomesAPartOfThePage(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		text := rapid.Custom(func(t *rapid.T) string {
			return strings.Join(rapid.SliceOf(rapid.SampledFrom([]string{`<script>`, `</title>`, `">`, `'`, "<img src=x onerror=alert(1)>", "javascript:alert(1)", "{{", "</textarea>", "&", "a", " ", "\n"})).Draw(t, "parts"), "")
		})
		p := player.Page{Base: "/p/x", Static: "/s", Comments: true, Said: text.Draw(t, "said"), Written: player.Written{At: text.Draw(t, "at"), Name: text.Draw(t, "by"), Words: text.Draw(t, "written")}}
		p.Link = store.Page{Credits: text.Draw(t, "credits"), Length: audio.Second, Sheet: details.Sheet{
			Title: text.Draw(t, "title"), Show: text.Draw(t, "show"), Chapters: []details.Chapter{{Title: text.Draw(t, "chapter"), Link: text.Draw(t, "link")}},
			Details: details.Details{Description: text.Draw(t, "about"), Presenter: text.Draw(t, "presenter"), Language: text.Draw(t, "language"), Date: text.Draw(t, "date"), Copyright: text.Draw(t, "copyright")},
		}}
		p.Shown = []store.Comment{{Name: text.Draw(t, "name"), Words: text.Draw(t, "words")}}
		html, err := player.Render(p)
		if err != nil {
			t.Fatal(err)
		}
		page := string(html)
		if n := strings.Count(page, "<script"); n != 1 {
			t.Fatalf("%d scripts", n)
		}
		for _, no := range []string{"<img src=x", `href="javascript`} {
			if strings.Contains(page, no) {
				t.Fatalf("%q is a part of the page", no)
			}
		}
		if strings.Count(page, "<title>") != 1 || strings.Count(page, "</title>") != 1 || strings.Count(page, "</textarea>") != 1 {
			t.Fatal("an element is ended from inside")
		}
	})
}
