package credits_test

import (
	"encoding/xml"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/credits"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

func TestALicenceSaysWhatACreditMustName(t *testing.T) {
	for name, c := range map[string]struct {
		sound credits.Sound
		want  credits.Need
	}{
		"a voice of our own":            {credits.Sound{Part: session.Voice}, credits.Need{}},
		"music without a licence":       {credits.Sound{Part: session.Music, Author: "A"}, credits.Need{Credit: true, Missing: []credits.Field{credits.Licensed}}},
		"an effect without a licence":   {credits.Sound{Part: session.Effect}, credits.Need{Credit: true, Missing: []credits.Field{credits.Licensed}}},
		"given away":                    {credits.Sound{Part: session.Music, Licence: "cc0-1.0"}, credits.Need{}},
		"made for the show":             {credits.Sound{Part: session.Music, Licence: "own"}, credits.Need{}},
		"attribution, complete":         {credits.Sound{Name: "N", Author: "A", Source: "S", Licence: "CC BY 4.0"}, credits.Need{Credit: true}},
		"attribution, without a source": {credits.Sound{Name: "N", Author: "A", Licence: "cc-by-4.0"}, credits.Need{Credit: true, Missing: []credits.Field{credits.Source}}},
		"a voice under a licence":       {credits.Sound{Name: "N", Part: session.Voice, Licence: "cc-by-4.0", Source: "S"}, credits.Need{Credit: true, Missing: []credits.Field{credits.Author}}},
		"words of one's own":            {credits.Sound{Name: "N", Licence: "Ask the choir first"}, credits.Need{Credit: true, Missing: []credits.Field{credits.Author}}},
		"neither name nor title":        {credits.Sound{Name: " ", Licence: "By letter", Author: "A"}, credits.Need{Credit: true, Missing: []credits.Field{credits.Title}}},
	} {
		got := credits.Of(c.sound)
		assert.Equal(t, c.want.Credit, got.Credit, name)
		assert.ElementsMatch(t, c.want.Missing, got.Missing, name)
		assert.NotNil(t, got.Missing, name)
	}
}

func TestALicenceIsFoundByWhatFilesSayOfIt(t *testing.T) {
	for text, key := range map[string]string{
		"cc-by-4.0": "cc-by-4.0", "CC BY 4.0": "cc-by-4.0", "cc by-sa 4.0": "cc-by-sa-4.0",
		"http://creativecommons.org/licenses/by/4.0/":                      "cc-by-4.0",
		"Licensed: https://creativecommons.org/licenses/by-nc/4.0/ (2024)": "cc-by-nc-4.0",
		"https://creativecommons.org/publicdomain/zero/1.0":                "cc0-1.0",
	} {
		l, ok := credits.Find(text)
		require.True(t, ok, text)
		assert.Equal(t, key, l.Key, text)
	}
	for _, text := range []string{"", "all rights reserved", "cc"} {
		_, ok := credits.Find(text)
		assert.False(t, ok, text)
	}
	seen := map[string]bool{}
	for _, l := range credits.Licences() {
		assert.False(t, seen[l.Key], l.Key)
		seen[l.Key] = true
		assert.Regexp(t, `^[A-Z].*\.$`, l.Demands)
	}
}

func TestTheListIsWrittenInThreeForms(t *testing.T) {
	l := credits.For([]credits.Sound{
		{ID: "1", Name: "voice", Part: session.Voice},
		{ID: "2", Name: "x", Title: "Slack *water*", Author: "The <Quay> Band", Source: "https://example.org/a?b=1&c=2", Licence: "cc-by-4.0"},
		{ID: "3", Name: "Gulls", Part: session.Effect, Author: "Skerrow Point", Source: "Tape 4", Licence: "By letter"},
		{ID: "4", Name: "x", Title: "Slack *water*", Author: "The <Quay> Band", Source: "https://example.org/a?b=1&c=2", Licence: "CC BY 4.0"},
	})
	require.Len(t, l.Entries, 2, "the same credit twice stands once")
	assert.True(t, l.Complete)
	assert.Equal(t, "“Slack *water*” by The <Quay> Band, CC BY 4.0 (https://creativecommons.org/licenses/by/4.0/). Source: https://example.org/a?b=1&c=2\n"+
		"“Gulls” by Skerrow Point, By letter. Source: Tape 4\n", l.Text)
	assert.Equal(t, "- “Slack \\*water\\*” by The \\<Quay\\> Band, [CC BY 4.0](<https://creativecommons.org/licenses/by/4.0/>). Source: <https://example.org/a?b=1&c=2>\n"+
		"- “Gulls” by Skerrow Point, By letter. Source: Tape 4\n", l.Markdown)
	assert.Equal(t, "<ul>\n  <li>“Slack *water*” by The &lt;Quay&gt; Band, <a href=\"https://creativecommons.org/licenses/by/4.0/\">CC BY 4.0</a>. Source: <a href=\"https://example.org/a?b=1&amp;c=2\">https://example.org/a?b=1&amp;c=2</a></li>\n"+
		"  <li>“Gulls” by Skerrow Point, By letter. Source: Tape 4</li>\n</ul>\n", l.HTML)
	assert.Contains(t, l.Entries[0].Demands, "Name title")

	assert.False(t, credits.For([]credits.Sound{{Name: "Theme", Part: session.Music}}).Complete)
	empty := credits.For(nil)
	assert.True(t, empty.Complete)
	assert.Empty(t, empty.Text+empty.Markdown+empty.HTML)
}

func TestWhateverIsWrittenDownTheListStaysWhatItIs(t *testing.T) {
	anything := rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{`"><script>alert(1)</script>`, "javascript:alert(1)", "https://a\" onclick=\"x", "a\nb", "](x)", "`"}))
	law.Check(t, func(t *rapid.T) {
		var sounds []credits.Sound
		for range rapid.IntRange(0, 4).Draw(t, "count") {
			sounds = append(sounds, credits.Sound{
				Name: anything.Draw(t, "name"), Title: anything.Draw(t, "title"), Author: anything.Draw(t, "author"),
				Source: anything.Draw(t, "source"), Licence: rapid.OneOf(anything, rapid.Just("cc-by-4.0")).Draw(t, "licence"), Part: session.Music,
			})
		}
		l := credits.For(sounds)
		if n := strings.Count(l.Text, "\n"); n != len(l.Entries) {
			t.Fatalf("%d lines for %d entries: %q", n, len(l.Entries), l.Text)
		}
		if l.HTML == "" {
			return
		}
		items := 0
		d := xml.NewDecoder(strings.NewReader(strings.Map(printable, l.HTML)))
		d.Entity = xml.HTMLEntity
		for {
			token, err := d.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%v in %q", err, l.HTML)
			}
			if e, ok := token.(xml.StartElement); ok {
				switch e.Name.Local {
				case "li":
					items++
				case "ul":
				case "a":
					if len(e.Attr) != 1 || !strings.HasPrefix(e.Attr[0].Value, "http") {
						t.Fatalf("a link with %v", e.Attr)
					}
				default:
					t.Fatalf("an element <%s> in %q", e.Name.Local, l.HTML)
				}
			}
		}
		if items != len(l.Entries) {
			t.Fatalf("%d items for %d entries", items, len(l.Entries))
		}
	})
}

// printable leaves out what XML, unlike HTML, cannot hold at all.
func printable(r rune) rune {
	if r < ' ' && r != '\n' || r == 0xFFFE || r == 0xFFFF {
		return -1
	}
	return r
}
