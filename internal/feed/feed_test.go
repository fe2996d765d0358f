package feed_test

import (
	"bytes"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/mmcdole/gofeed"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/internal/feed"
	"ruvel/testkit/law"
)

// valid has xmllint hold a feed against the schema of RSS 2.0.
func valid(t require.TestingT, data []byte) {
	cmd := exec.Command("xmllint", "--noout", "--nonet", "--schema", "testdata/rss.xsd", "-")
	cmd.Stdin = bytes.NewReader(data)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s\n%s", out, data)
}

func show() feed.Show {
	return feed.Show{
		Title: "Harbour Hours", Description: "Of harbours & what goes on <in> them", Language: "pt-BR", Author: "Ada Quill", Contact: "ada@example.org",
		Copyright: "© them", Category: "Society", Self: "https://example.org/f/harbour-hours", Home: "https://example.org", Artwork: "https://example.org/f/harbour-hours/artwork.jpg",
		Episodes: []feed.Episode{
			{GUID: "one", Title: "First", Published: time.Date(2026, 11, 1, 6, 0, 0, 0, time.UTC), Sound: "https://example.org/1.mp3", Bytes: 1234, Type: "audio/mpeg", Length: 90 * audio.Second},
			{
				GUID: "two", Title: "灯台 & “fog”", Description: "Two\nlines", Published: time.Date(2026, 12, 24, 18, 30, 0, 0, time.FixedZone("", 3600)), Sound: "https://example.org/2.mp3?a=1&b=2", Bytes: 99,
				Type: "audio/mpeg", Length: 61*audio.Second + audio.Second/2, Number: 12, Season: 2, Presenter: "Ada Quill", Guests: []string{"Odd", "Ines"}, Keywords: []string{"fog", "horn"},
				Artwork: "https://example.org/2.jpg", Page: "https://example.org/2", Chapters: "https://example.org/2/chapters.json", Transcript: "https://example.org/2/transcript.html",
			},
		},
	}
}

// Parsed by gofeed, and held against the schema by xmllint.
func TestAFeedSaysWhatPlayersLookFor(t *testing.T) {
	t.Parallel()
	data, err := feed.Write(show())
	require.NoError(t, err)
	valid(t, data)
	read, err := gofeed.NewParser().ParseString(string(data))
	require.NoError(t, err)
	assert.Equal(t, "rss", read.FeedType)
	assert.Equal(t, "2.0", read.FeedVersion)
	assert.Equal(t, "Of harbours &amp; what goes on &lt;in&gt; them", read.Description, "a description is HTML")
	assert.Equal(t, "<p>Two</p><p>lines</p>", read.Items[0].Description)
	assert.Equal(t, "pt-BR", read.Language)
	assert.Equal(t, "https://example.org/f/harbour-hours/artwork.jpg", read.Image.URL)
	assert.Equal(t, "https://example.org/f/harbour-hours", read.FeedLink)
	require.Len(t, read.Items, 2)
	two, one := read.Items[0], read.Items[1]
	assert.Equal(t, "one", one.GUID, "what was published last comes first")
	assert.Equal(t, "灯台 & “fog”", two.Title)
	assert.Equal(t, time.Date(2026, 12, 24, 17, 30, 0, 0, time.UTC), two.PublishedParsed.UTC())
	require.Len(t, two.Enclosures, 1)
	assert.Equal(t, gofeed.Enclosure{URL: "https://example.org/2.mp3?a=1&b=2", Length: "99", Type: "audio/mpeg"}, *two.Enclosures[0])
	media := two.Extensions["media"]
	assert.Equal(t, "62", media["content"][0].Attrs["duration"])
	assert.Equal(t, "nonadult", media["rating"][0].Value)
	podcast := two.Extensions["podcast"]
	assert.Equal(t, map[string]string{"url": "https://example.org/2/chapters.json", "type": "application/json+chapters"}, podcast["chapters"][0].Attrs)
	assert.Equal(t, "text/html", podcast["transcript"][0].Attrs["type"])
	assert.Equal(t, "12", podcast["episode"][0].Value)
	assert.Equal(t, "guest", podcast["person"][2].Attrs["role"])
	again, err := feed.Write(show())
	require.NoError(t, err)
	assert.Equal(t, data, again, "the same show is the same bytes")
}

func TestWhateverAShowSaysItsFeedIsValid(t *testing.T) {
	text := rapid.StringOf(rapid.OneOf(rapid.SampledFrom([]rune("<>&\"']]>\n\t\x00\x0b\u2028\ufffe")), rapid.Rune()))
	law.Check(t, func(t *rapid.T) {
		s := feed.Show{Title: "T" + text.Draw(t, "title"), Description: text.Draw(t, "about"), Author: text.Draw(t, "author"), Category: text.Draw(t, "category"), Explicit: rapid.Bool().Draw(t, "explicit"), Self: "https://example.org/f", Home: "https://example.org"}
		for range rapid.IntRange(0, 3).Draw(t, "episodes") {
			s.Episodes = append(s.Episodes, feed.Episode{
				GUID: rapid.StringMatching("[a-z]{8}").Draw(t, "guid"), Title: "E" + text.Draw(t, "title"), Description: text.Draw(t, "about"), Presenter: text.Draw(t, "presenter"),
				Published: time.Unix(rapid.Int64Range(0, 4e9).Draw(t, "at"), 0), Sound: "https://example.org/1.mp3", Bytes: 1, Type: "audio/mpeg",
			})
		}
		data, err := feed.Write(s)
		require.NoError(t, err)
		if rapid.IntRange(0, 9).Draw(t, "held against the schema") == 0 {
			valid(t, data)
		}
		read, err := gofeed.NewParser().Parse(bytes.NewReader(data))
		require.NoError(t, err)
		require.Len(t, read.Items, len(s.Episodes))
	})
}

func TestChaptersAreWrittenAsPlayersReadThem(t *testing.T) {
	t.Parallel()
	out, err := feed.Chapters([]details.Chapter{
		{At: 0, End: 11 * audio.Second, Title: "Theme"},
		{At: 11*audio.Second + 24, End: 20 * audio.Second, Title: "“Fog”", Link: "https://example.org", Picture: "abc"},
	}, strings.ToUpper)
	require.NoError(t, err)
	assert.JSONEq(t, `{"version": "1.2.0", "chapters": [{"startTime": 0.000, "endTime": 11.000, "title": "Theme"},
		{"startTime": 11.001, "endTime": 20.000, "title": "“Fog”", "url": "https://example.org", "img": "ABC"}]}`, string(out))
	out, err = feed.Chapters(nil, nil)
	require.NoError(t, err)
	assert.JSONEq(t, `{"version": "1.2.0", "chapters": []}`, string(out))
}
