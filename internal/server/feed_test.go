package server_test

import (
	"encoding/json"
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/mmcdole/gofeed"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/publish"
	"ruvel/internal/server"
	"ruvel/testkit"
)

// heardOf is what a player finds in a feed.
func heardOf(t *testing.T, path string) (*gofeed.Feed, *http.Response) {
	t.Helper()
	answer, text := visit(t, "GET", path, nil)
	require.Equal(t, 200, answer.StatusCode, text)
	assert.Equal(t, "application/rss+xml; charset=utf-8", answer.Header.Get("Content-Type"))
	read, err := gofeed.NewParser().ParseString(text)
	require.NoError(t, err)
	return read, answer
}

func TestAnEpisodeIsPublishedScheduledAndWithdrawnInTheFeedOfItsShow(t *testing.T) {
	t.Parallel()
	episode, m := toShare(t)
	var id string
	for _, s := range want[[]named](t, "GET", "/shows", nil) {
		for _, e := range want[[]named](t, "GET", "/shows/"+s.ID+"/episodes", nil) {
			if e.ID == episode {
				id = s.ID
			}
		}
	}
	artwork := want[server.Picture](t, "POST", "/shows/"+id+"/pictures", drawn(t, 1400))
	want[any](t, "PATCH", "/shows/"+id+"/details", testkit.Revised(t, map[string]any{"presenter": "Ada Quill", "language": "en-GB", "artwork": artwork.ID}))
	f := want[publish.FeedView](t, "GET", "/shows/"+id+"/feed", nil)
	assert.Regexp(t, `^/f/[\w-]{32}$`, f.Path, "at first it is for those alone who have its address")
	read, _ := heardOf(t, f.Path)
	assert.Empty(t, read.Items)
	assert.Equal(t, "never", want[publish.Publishing](t, "GET", "/episodes/"+episode+"/publication", nil).State)

	p := want[publish.Publishing](t, "PUT", "/episodes/"+episode+"/publication", map[string]any{"mixdown": m.ID, "at": time.Now().Add(time.Hour)})
	assert.Equal(t, "waiting", p.State)
	read, _ = heardOf(t, f.Path)
	assert.Empty(t, read.Items, "its time has not come")
	answer, _ := visit(t, "GET", p.Page+"/sound.mp3", nil)
	assert.Equal(t, 404, answer.StatusCode)

	p = want[publish.Publishing](t, "PUT", "/episodes/"+episode+"/publication", map[string]any{"mixdown": m.ID})
	assert.Equal(t, "published", p.State)
	read, answer = heardOf(t, f.Path)
	require.Len(t, read.Items, 1)
	item := read.Items[0]
	host := strings.TrimSuffix(base, "/api")
	assert.Equal(t, "The Last Fog Signal", item.Title)
	assert.Equal(t, "en-GB", read.Language)
	assert.WithinDuration(t, time.Now(), *item.PublishedParsed, time.Minute)
	for _, address := range []string{item.Enclosures[0].URL, item.Link, read.Image.URL, item.Extensions["podcast"]["chapters"][0].Attrs["url"]} {
		got, body := visit(t, "GET", strings.TrimPrefix(address, host), nil)
		assert.Equal(t, 200, got.StatusCode, address)
		assert.Equal(t, "*", got.Header.Get("Access-Control-Allow-Origin"))
		if strings.HasSuffix(address, ".json") {
			var read struct{ Chapters []struct{ Title, Img string } }
			require.NoError(t, json.Unmarshal([]byte(body), &read))
			require.Len(t, read.Chapters, 1)
			assert.Equal(t, "Fog & <b>horn</b>", read.Chapters[0].Title)
			picture, _ := visit(t, "GET", strings.TrimPrefix(read.Chapters[0].Img, host), nil)
			assert.Equal(t, "image/jpeg", picture.Header.Get("Content-Type"), read.Chapters[0].Img)
		}
	}
	sound := strings.TrimPrefix(item.Enclosures[0].URL, host)
	head, _ := visit(t, "HEAD", sound, nil)
	assert.Equal(t, item.Enclosures[0].Length, head.Header.Get("Content-Length"), "the very length")
	part, body := visit(t, "GET", sound, nil, "Range", "bytes=10-19")
	assert.Equal(t, http.StatusPartialContent, part.StatusCode)
	assert.Len(t, body, 10)
	unknown, body := visit(t, "GET", sound, nil, "Range", "seconds=1-2")
	assert.Equal(t, 200, unknown.StatusCode, "a unit of ranges that is not known is ignored")
	assert.Equal(t, item.Enclosures[0].Length, strconv.Itoa(len(body)))
	for _, part := range []string{"/chapters.json", "/artwork.jpg"} {
		first, _ := visit(t, "GET", p.Page+part, nil)
		if first.StatusCode == 404 {
			continue // the episode has no artwork of its own
		}
		again, _ := visit(t, "GET", p.Page+part, nil, "If-None-Match", first.Header.Get("ETag"))
		assert.Equal(t, http.StatusNotModified, again.StatusCode, part)
	}
	_, html := visit(t, "GET", p.Page, nil)
	assert.Contains(t, html, `<meta property="og:title" content="The Last Fog Signal">`)
	assert.Contains(t, html, `<meta property="og:url" content="`+host+p.Page+`">`)
	same, _ := visit(t, "GET", f.Path, nil, "If-None-Match", answer.Header.Get("ETag"))
	assert.Equal(t, http.StatusNotModified, same.StatusCode)
	bare, body := visit(t, "HEAD", f.Path, nil)
	assert.Equal(t, 200, bare.StatusCode)
	assert.Empty(t, body)
	through, text := visit(t, "GET", f.Path, nil, "X-Forwarded-Proto", "https")
	assert.Equal(t, 200, through.StatusCode)
	assert.Contains(t, text, `url="https://`)

	code, _ := refused(t, 409, "DELETE", "/mixdowns/"+m.ID, nil)
	assert.Equal(t, "shared", code)
	// Another file of it is the same episode to players.
	other := mixed(t, episode, map[string]any{"files": files("opus"), "overrule": true})[0]
	want[publish.Publishing](t, "PUT", "/episodes/"+episode+"/publication", map[string]any{"mixdown": other.ID})
	read, changed := heardOf(t, f.Path)
	assert.Equal(t, item.GUID, read.Items[0].GUID)
	assert.Equal(t, item.Published, read.Items[0].Published, "nor is it new")
	assert.Equal(t, "audio/ogg", read.Items[0].Enclosures[0].Type)
	assert.True(t, strings.HasSuffix(read.Items[0].Enclosures[0].URL, "/sound.opus"))
	assert.NotEqual(t, answer.Header.Get("ETag"), changed.Header.Get("ETag"))

	want[publish.Publishing](t, "POST", "/episodes/"+episode+"/publication/withdraw", nil)
	read, _ = heardOf(t, f.Path)
	assert.Empty(t, read.Items)
	answer, _ = visit(t, "GET", p.Page, nil)
	assert.Equal(t, http.StatusGone, answer.StatusCode)
	want[publish.Publishing](t, "PUT", "/episodes/"+episode+"/publication", map[string]any{"mixdown": m.ID})
	read, _ = heardOf(t, f.Path)
	assert.Equal(t, item.GUID, read.Items[0].GUID, "also after it was withdrawn")

	chapter := mixed(t, episode, map[string]any{"files": files("flac"), "chapters": true, "overrule": true, "asItIs": true})[0]
	code, _ = refused(t, 422, "PUT", "/episodes/"+episode+"/publication", map[string]any{"mixdown": chapter.ID})
	assert.Equal(t, "chapter-alone", code)
	foreign, _ := toShare(t)
	code, _ = refused(t, 404, "PUT", "/episodes/"+foreign+"/publication", map[string]any{"mixdown": m.ID})
	assert.Equal(t, "not-found", code, "a file of another episode")

	// A name is for everybody; another address shuts out those who had the one before.
	name := "harbour-" + strings.ToLower(m.ID[len(m.ID)-12:])
	named := want[publish.FeedView](t, "PATCH", "/shows/"+id+"/feed", testkit.Revised(t, map[string]any{"name": name, "description": "Of harbours", "explicit": true, "contact": "ada@example.org"}))
	renewed := want[publish.FeedView](t, "POST", "/shows/"+id+"/feed/renew", nil)
	assert.Equal(t, named, renewed, "who comes by its name notices nothing")
	assert.Equal(t, "/f/"+name, named.Path)
	read, _ = heardOf(t, named.Path)
	assert.Equal(t, "Of harbours", read.Description)
	answer, _ = visit(t, "GET", f.Path, nil)
	assert.Equal(t, 404, answer.StatusCode)
	second, _ := newEpisode(t)
	code, _ = refused(t, 409, "PATCH", "/shows/"+second+"/feed", testkit.Revised(t, map[string]any{"name": name}))
	assert.Equal(t, "name-taken", code)
	for wrong, body := range map[string]map[string]any{"bad-name": {"name": "Harbour Hours"}, "bad-link": {"home": "javascript:alert(1)"}, "bad-contact": {"contact": "nobody"}} {
		code, _ = refused(t, 422, "PATCH", "/shows/"+id+"/feed", testkit.Revised(t, body))
		assert.Equal(t, wrong, code)
	}
}
