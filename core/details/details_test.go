package details_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

func TestTextsAreTidiedAndWhatIsWrongIsSaid(t *testing.T) {
	d := details.Details{Description: "  One\r\ntwo\rthree\x00\u2028four ", Presenter: " Ada\n Quill ", Guests: []string{" Odd ", "", "Odd", "Ines"}, Language: " pt-BR ", Date: " 2026-02-28 "}
	require.NoError(t, d.Check())
	assert.Equal(t, details.Details{Description: "One\ntwo\nthree\nfour", Presenter: "Ada Quill", Guests: []string{"Odd", "Ines"}, Language: "pt-BR", Date: "2026-02-28"}, d)
	for code, wrong := range map[string]details.Details{
		"bad-language": {Language: "not a tag"},
		"bad-date":     {Date: "2026-02-30"},
		"too-long":     {Description: strings.Repeat("é", 4001)},
		"too-many":     {Keywords: strings.Split(strings.Repeat("a,b,c,d,e,f,g,h,i,j,k,l,m,", 2)+"1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20,21,22,23,24,25,26,27,28,29,30,31,32,33,34,35,36,37,38,39,40", ",")},
		"bad-season":   {Season: -1},
	} {
		var p problem.Problem
		require.ErrorAs(t, wrong.Check(), &p, code)
		assert.Equal(t, code, p.Code)
	}
	require.NoError(t, (&details.Details{Description: strings.Repeat("é", 4000)}).Check())
}

func TestAnEpisodeSaysWhatItsShowSaysUnlessItSaysSomethingElse(t *testing.T) {
	show := details.Details{Presenter: "Ada", Language: "en", Keywords: []string{"sea"}, Description: "of the show"}
	got := details.Details{Language: "de", Keywords: []string{"fog", "sea"}}.Over(show)
	assert.Equal(t, details.Details{Presenter: "Ada", Language: "de", Keywords: []string{"fog", "sea"}}, got, "a description is the episode's own")
}

func TestChaptersOfAStretchBeginAndEndInIt(t *testing.T) {
	s := audio.Second
	doc := session.New()
	doc.Markers = map[string]session.Marker{
		"m1": {Name: "Opening", At: 0, Length: 10 * s, Chapter: true},
		"m2": {Name: "Talk", At: 10 * s, Length: 20 * s, Chapter: true, Link: "https://example.org/"},
		"m3": {Name: "A place", At: 25 * s, Chapter: true},
		"m4": {Name: "No chapter", At: 5 * s, Length: s},
		"m5": {Name: "End", At: 40 * s, Chapter: true},
	}
	assert.Equal(t, []details.Chapter{
		{At: 0, End: 10 * s, Title: "Opening"},
		{At: 10 * s, End: 25 * s, Title: "Talk", Link: "https://example.org/"},
		{At: 25 * s, End: 40 * s, Title: "A place"},
		{At: 40 * s, End: 50 * s, Title: "End"},
	}, details.Chapters(doc, 0, 50*s))
	assert.Equal(t, []details.Chapter{
		{At: 0, End: 5 * s, Title: "Talk", Link: "https://example.org/"},
		{At: 5 * s, End: 8 * s, Title: "A place"},
	}, details.Chapters(doc, 20*s, 28*s), "one that has begun before begins with the stretch")
	assert.Equal(t, []details.Chapter{{At: 0, End: 3 * s, Title: "A place"}}, details.Chapters(doc, 35*s, 38*s), "so does a place that lies before")
}

func TestChaptersAreInOrderWithinTheirStretchAndNeverOverlap(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := session.New()
		for range rapid.IntRange(0, 12).Draw(t, "markers") {
			id := "m" + string(rune('1'+len(doc.Markers)))
			doc.Markers[id] = session.Marker{
				Name: "x", At: audio.Frames(rapid.Int64Range(0, 1000).Draw(t, "at")), Length: audio.Frames(rapid.Int64Range(0, 300).Draw(t, "length")),
				Chapter: rapid.Bool().Draw(t, "chapter"),
			}
		}
		from := audio.Frames(rapid.Int64Range(0, 900).Draw(t, "from"))
		to := from + audio.Frames(rapid.Int64Range(1, 900).Draw(t, "stretch"))
		last := audio.Frames(0)
		sheet := details.Sheet{Title: "x", Chapters: details.Chapters(doc, from, to)}
		for _, c := range sheet.Chapters {
			if c.At < last || c.End <= c.At || c.End > to-from {
				t.Fatalf("%v in %d to %d", sheet.Chapters, from, to)
			}
			last = c.At
		}
		if err := sheet.Check(); err != nil {
			t.Fatal(err)
		}
	})
}

func TestFileNamesAreSafeOnEverySystem(t *testing.T) {
	for want, s := range map[string]details.Sheet{
		"Harbour Hours - 12 - The Last Fog Signal": {Show: "Harbour Hours", Number: 12, Title: "The Last Fog Signal"},
		"Harbour Hours - 2x05 - What - when":       {Show: "Harbour Hours", Number: 5, Title: "What? / - when: ", Details: details.Details{Season: 2}},
		"_con":                                     {Title: "con"},
		"_NUL.txt":                                 {Title: "NUL.txt"},
		"etc passwd":                               {Title: "../../etc/passwd"},
		"Episode":                                  {Title: " ... "},
		"最后的雾号":                                    {Title: "最后的\u202e雾号"},
	} {
		assert.Equal(t, want, s.FileName(""))
	}
	assert.Equal(t, "A - part", details.Sheet{Title: "A"}.FileName("part"))
}

func FuzzFileNames(f *testing.F) {
	f.Add("Show", "A title", "01 Chapter", 3)
	f.Add("/", "\x00..", "\u202e", -1)
	f.Fuzz(func(t *testing.T, show, title, part string, number int) {
		name := details.Sheet{Show: show, Title: title, Number: number}.FileName(part)
		if name == "" || len(name) > 200 || !utf8.ValidString(name) || strings.ContainsAny(name, "/\\:*?\"<>|\x00\n") ||
			strings.HasPrefix(name, ".") || strings.HasSuffix(name, ".") || strings.HasSuffix(name, " ") {
			t.Fatalf("%q is not safe", name)
		}
	})
}

func TestLinksLeadToTheWebAlone(t *testing.T) {
	for _, good := range []string{"", "https://example.org/a?b=c#d", "http://example.org"} {
		assert.NoError(t, session.CheckLink(good))
	}
	for _, bad := range []string{"javascript:alert(1)", "example.org", "https://", "ftp://example.org/", "https://a b", "https://ö.example/", "https://example.org/" + strings.Repeat("a", 2000), "data:text/html,x", "//example.org"} {
		assert.Error(t, session.CheckLink(bad), bad)
	}
}
