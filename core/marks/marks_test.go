package marks_test

import (
	"fmt"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/marks"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

func three() session.Document {
	doc := session.New()
	doc.Markers["m1"] = session.Marker{Name: "Theme", Length: 11 * audio.Second, Chapter: true}
	doc.Markers["m2"] = session.Marker{Name: `First "blast", <loud> & long`, At: 30*audio.Second + 24}
	doc.Markers["m3"] = session.Marker{Name: "Interview", At: 3661 * audio.Second, Length: audio.Second / 2, Chapter: true, Link: "https://example.org/keeper"}
	return doc
}

func TestMarkersAreWrittenInFormsThatOthersRead(t *testing.T) {
	t.Parallel()
	assert.Equal(t, `name,start,end,kind,link
Theme,0,11,chapter,
"First ""blast"", <loud> & long",30.0005,,marker,
Interview,3661,3661.5,chapter,https://example.org/keeper
`, string(marks.CSV(three())))
	assert.Equal(t, `WEBVTT

chapter 1
00:00:00.000 --> 00:00:11.000
Theme

marker 2
00:00:30.001 --> 00:00:30.002
First "blast", &lt;loud&gt; &amp; long

chapter 3
01:01:01.000 --> 01:01:01.500
Interview
`, string(marks.WebVTT(three())))
	assert.Equal(t, "0:00 Theme\n1:01:01 Interview\n", string(marks.Chapters(three())))
}

func inOrder(doc session.Document) (out []session.Marker) {
	for _, id := range session.MarkersInOrder(doc.Markers) {
		out = append(out, doc.Markers[id])
	}
	return out
}

func TestWhatWasWrittenIsReadAgain(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := session.New()
		for n := range rapid.IntRange(1, 20).Draw(t, "markers") {
			name := session.ShortName(strings.Join(strings.Fields(rapid.StringOf(rapid.OneOf(rapid.SampledFrom([]rune(`,;"<>&-`+"\t")), rapid.Rune().Filter(unicode.IsPrint))).Draw(t, "name")), " "))
			if _, is := marks.Time(name); name == "" || is || strings.Contains(name, "-->") || strings.HasPrefix(name, "\ufeff") {
				name = "Marker"
			}
			doc.Markers[fmt.Sprintf("m%d", n)] = session.Marker{
				Name: name, At: audio.Frames(rapid.Int64Range(0, 1e9).Draw(t, "at")), Length: audio.Frames(rapid.Int64Range(0, 1e8).Draw(t, "length")), Chapter: rapid.Bool().Draw(t, "chapter"),
			}
		}
		read, err := marks.Read(marks.CSV(doc))
		require.NoError(t, err)
		require.Equal(t, inOrder(doc), read, "a table keeps each frame")
		read, err = marks.Read(marks.WebVTT(doc))
		require.NoError(t, err)
		for i, m := range inOrder(doc) {
			require.InDelta(t, int64(m.At), int64(read[i].At), 24.1, "half a millisecond")
			require.InDelta(t, int64(m.Length), int64(read[i].Length), 96.1)
			require.Equal(t, m.Name, read[i].Name)
			require.Equal(t, m.Chapter, read[i].Chapter)
		}
	})
}

func TestListsOfOthersAreRead(t *testing.T) {
	t.Parallel()
	for text, want := range map[string][]session.Marker{
		"\ufeffTitle;In;Out\r\nTheme;0:00,5;1:04\r\n": {{Name: "Theme", At: audio.Second / 2, Length: 63*audio.Second + audio.Second/2}},
		"0:12\tKeeper\n1:02:03\tEnd\n":                {{Name: "Keeper", At: 12 * audio.Second}, {Name: "End", At: 3723 * audio.Second}},
		"12,15,Fog\n":                                 {{Name: "Fog", At: 12 * audio.Second, Length: 3 * audio.Second}},
		"Fog,12\n\nHorn,20,22\n":                      {{Name: "Fog", At: 12 * audio.Second}, {Name: "Horn", At: 20 * audio.Second, Length: 2 * audio.Second}},
		"time,duration,type,name\n5,2,chapter,\n":     {{At: 5 * audio.Second, Length: 2 * audio.Second, Chapter: true}},
		"WEBVTT - chapters\n\nNOTE none\n\n00:05.000 --> 00:07.500 align:start\n<v Ada>Two &amp; two</v>\nlines\n": {{Name: "Two & two lines", At: 5 * audio.Second, Length: 5 * audio.Second / 2}},
	} {
		got, err := marks.Read([]byte(text))
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
}

func TestWhatIsNoListOfMarkersIsRefusedWithItsLine(t *testing.T) {
	t.Parallel()
	for text, says := range map[string]string{
		"":                                "no markers in this file",
		"WEBVTT\n":                        "no markers in this file",
		"name,start\nFog,12\nHorn,soon\n": `Line 3: "soon" is no time`,
		"name,start,end\nFog,12,11\n":     `Line 2: "11" is no time at which it could end`,
		"name,start,link\nFog,12,javascript:alert(1)\n":                "Line 2: ",
		"WEBVTT\n\n1\n00:05.000 --> 00:04.000\nx\n":                    "Line 4",
		"name,start\nFog,-1\n":                                         "is no time",
		"name,start\nFog,1e9\n":                                        "is no time",
		"name,start\nFog,NaN\n":                                        "is no time",
		"name,start\n" + strings.Repeat("a,1\n", session.MaxMarkers+1): "at most",
		strings.Repeat("x", marks.Most+1):                              "more than 4 MB",
	} {
		_, err := marks.Read([]byte(text))
		var p problem.Problem
		require.ErrorAs(t, err, &p)
		assert.Contains(t, p.Message, says)
	}
}

func TestAPlaceIsReadAsPeopleWriteIt(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]float64{"4": 4, " 1:04 ": 64, "1:04,5": 64.5, "1:02:03.5": 3723.5, "0:00": 0} {
		at, ok := marks.Time(text)
		assert.True(t, ok, text)
		assert.Equal(t, audio.Seconds(want), at, text)
	}
	for _, text := range []string{"", "soon", "1:2:3:4", "-5", "+5", "NaN", "Inf", "1e3", "0x10", ":"} {
		_, ok := marks.Time(text)
		assert.False(t, ok, text)
	}
	assert.Equal(t, "1:01:01", marks.Clock(audio.Seconds(3661.9)))
}

func FuzzRead(f *testing.F) {
	f.Add(marks.CSV(three()))
	f.Add(marks.WebVTT(three()))
	f.Fuzz(func(t *testing.T, data []byte) {
		read, err := marks.Read(data)
		if err != nil {
			var p problem.Problem
			require.ErrorAs(t, err, &p)
			return
		}
		for _, m := range read {
			require.GreaterOrEqual(t, m.At, audio.Frames(0))
			require.GreaterOrEqual(t, m.Length, audio.Frames(0))
		}
	})
}
