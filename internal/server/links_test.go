package server_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/publish"
	"ruvel/internal/server"
	"ruvel/testkit"
)

// listener is a browser that has never been here.
func listener(t testing.TB) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar}
}

// visits has a listener ask for an address outside the API, and gives what comes in the end.
func visits(t testing.TB, who *http.Client, method, path string, form url.Values, headers ...string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, strings.TrimSuffix(base, "/api")+path, strings.NewReader(form.Encode()))
	require.NoError(t, err)
	if form != nil {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	answer, err := who.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	out, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer, string(out)
}

func visit(t testing.TB, method, path string, form url.Values, headers ...string) (*http.Response, string) {
	t.Helper()
	return visits(t, listener(t), method, path, form, headers...)
}

// toShare is an episode with chapters and a finished file of a stretch that begins at a second.
func toShare(t *testing.T) (episode string, m handover.Mixdown) {
	t.Helper()
	show, episode := newEpisode(t)
	small := want[server.Picture](t, "POST", "/shows/"+show+"/pictures?for=chapter", drawn(t, 320))
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 8*audio.Second, 6))
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	do(t, episode, version, map[string]any{"type": "add-marker", "at": 2 * 48000, "length": 3 * 48000, "name": "Fog & <b>horn</b>", "chapter": true})
	for id := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Markers {
		do(t, episode, version+1, map[string]any{"type": "set-markers", "markers": []any{map[string]any{"marker": id, "picture": small.ID}}})
	}
	want[episodes.Episode](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "Of fog.\n<script>alert(1)</script>", "language": "en"}))
	return episode, mixed(t, episode, map[string]any{"files": files("mp3"), "overrule": true, "from": 48000})[0]
}

func TestAPageSaysAndPlaysWhatBelongsToItsFile(t *testing.T) {
	t.Parallel()
	episode, m := toShare(t)
	code, _ := refused(t, 422, "POST", "/mixdowns/"+m.ID+"/links", map[string]any{"transcript": true})
	assert.Equal(t, "no-script", code)
	want[any](t, "PATCH", "/episodes/"+episode+"/script", map[string]any{"base": 0, "text": "# Fog\n\nTwo blasts, every minute.\n\n[horn]"})
	link := want[publish.Shared](t, "POST", "/mixdowns/"+m.ID+"/links", map[string]any{"transcript": true})
	assert.Regexp(t, `^/p/[\w-]{32}$`, link.Path)

	answer, html := visit(t, "GET", link.Path, nil)
	assert.Equal(t, 200, answer.StatusCode)
	for _, text := range []string{"The Last Fog Signal", "Harbour Hours", `data-at="1.000"`, "Fog &amp; &lt;b&gt;horn&lt;/b&gt;", "Two blasts, every minute.", "<p>Of fog.</p>", "&lt;script&gt;alert(1)"} {
		assert.Contains(t, html, text)
	}
	assert.NotContains(t, html, "<textarea", "no comments are taken")
	assert.NotRegexp(t, `(src|href)="https?://`, html, "nothing is loaded from elsewhere")
	assert.Contains(t, answer.Header.Get("Content-Security-Policy"), "default-src 'none'")
	assert.Equal(t, "noindex, nofollow", answer.Header.Get("X-Robots-Tag"))

	// The sound is the finished file, whole and from any place.
	_, _, file := call(t, "GET", "/mixdowns/"+m.ID+"/file", nil)
	answer, whole := visit(t, "GET", link.Path+"/sound", nil)
	assert.Equal(t, "audio/mpeg", answer.Header.Get("Content-Type"))
	assert.True(t, whole == string(file))
	answer, part := visit(t, "GET", link.Path+"/sound", nil, "Range", "bytes=1000-1999")
	assert.Equal(t, http.StatusPartialContent, answer.StatusCode)
	assert.True(t, part == string(file[1000:2000]))
	answer, _ = visit(t, "GET", link.Path+"/sound", nil, "If-None-Match", answer.Header.Get("ETag"))
	assert.Equal(t, http.StatusNotModified, answer.StatusCode)
	answer, none := visit(t, "HEAD", link.Path+"/sound", nil)
	assert.Equal(t, int64(len(file)), answer.ContentLength)
	assert.Empty(t, none)
	for _, made := range []string{"player.js", "player.css", "latin-400-normal.woff2"} {
		answer, _ := visit(t, "GET", "/p-static/"+made, nil)
		assert.Equal(t, 200, answer.StatusCode, made)
	}

	picture := regexp.MustCompile(`src="(/p/[^"]*/picture-[0-9a-f]{64}\.jpg)"`).FindStringSubmatch(html)
	require.NotNil(t, picture)
	answer, _ = visit(t, "GET", picture[1], nil)
	assert.Equal(t, "image/jpeg", answer.Header.Get("Content-Type"))
	answer, _ = visit(t, "GET", strings.Replace(picture[1], "picture-", "picture-0", 1), nil)
	assert.Equal(t, 404, answer.StatusCode, "a picture that is not one of this page's")

	// What the episode says later, and how it sounds later, does not change the page of this file.
	want[episodes.Episode](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "Something else"}))
	_, html = visit(t, "GET", link.Path, nil)
	assert.Contains(t, html, "Of fog.")

	code, _ = refused(t, 409, "DELETE", "/mixdowns/"+m.ID, nil)
	assert.Equal(t, "shared", code, "a file that somebody listens to is not removed by the way")
	want[publish.Shared](t, "POST", "/links/"+link.ID+"/withdraw", nil)
	want[publish.Shared](t, "POST", "/links/"+link.ID+"/withdraw", nil)
	for _, path := range []string{"", "/sound", "/artwork"} {
		answer, html = visit(t, "GET", link.Path+path, nil)
		assert.Equal(t, http.StatusGone, answer.StatusCode)
		assert.Contains(t, html, "has ended")
	}
	code, _ = refused(t, 409, "PATCH", "/links/"+link.ID, map[string]any{"comments": true})
	assert.Equal(t, "link-withdrawn", code)
	status, _, _ := call(t, "DELETE", "/mixdowns/"+m.ID, nil)
	assert.Equal(t, 204, status)
	_, html = visit(t, "GET", link.Path, nil)
	assert.Contains(t, html, "has ended", "also when the file is gone")
	answer, html = visit(t, "GET", "/p/"+strings.Repeat("A", 32), nil)
	assert.Equal(t, 404, answer.StatusCode)
	assert.Contains(t, html, "nothing at this address")
	for _, odd := range []string{"/p/" + url.PathEscape(strings.Repeat("ü", 16)), "/f/" + url.PathEscape("häfen"), "/f/NAME%20", "/f/%00", "/p/" + strings.ToLower(link.Path[3:])} {
		answer, _ = visit(t, "GET", odd, nil)
		assert.Equal(t, 404, answer.StatusCode, odd)
	}
}

func TestAPasswordAndAnEndKeepOthersOut(t *testing.T) {
	t.Parallel()
	_, m := toShare(t)
	for name, wrong := range map[string]map[string]any{"bad-password": {"password": "seven!!"}, "ends-before": {"ends": time.Now().Add(-time.Hour)}} {
		code, _ := refused(t, 422, "POST", "/mixdowns/"+m.ID+"/links", wrong)
		assert.Equal(t, name, code)
	}
	link := want[publish.Shared](t, "POST", "/mixdowns/"+m.ID+"/links", map[string]any{"password": "three blasts", "comments": true, "ends": time.Now().Add(time.Hour)})
	someone := listener(t)
	for _, path := range []string{"", "/sound", "/artwork"} {
		answer, html := visits(t, someone, "GET", link.Path+path, nil)
		assert.Equal(t, http.StatusUnauthorized, answer.StatusCode)
		assert.Contains(t, html, "This page has a password")
		assert.NotContains(t, html, "Last Fog Signal", "not even what it is called")
	}
	answer, _ := visits(t, someone, "POST", link.Path+"/comments", url.Values{"words": {"In?"}})
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode)
	answer, html := visits(t, someone, "POST", link.Path, url.Values{"password": {"two blasts"}})
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode)
	assert.Contains(t, html, "That is not the password")
	answer, html = visits(t, someone, "POST", link.Path, url.Values{"password": {"three blasts"}})
	assert.Equal(t, 200, answer.StatusCode)
	assert.Contains(t, html, "The Last Fog Signal")
	answer, _ = visits(t, someone, "GET", link.Path+"/sound", nil)
	assert.Equal(t, 200, answer.StatusCode)

	want[publish.Shared](t, "PATCH", "/links/"+link.ID, map[string]any{"comments": true, "ends": link.Ends})
	answer, _ = visits(t, someone, "GET", link.Path, nil)
	assert.Equal(t, 200, answer.StatusCode, "the password has stayed")
	want[publish.Shared](t, "PATCH", "/links/"+link.ID, map[string]any{"comments": false, "password": "one long blast", "ends": link.Ends})
	answer, _ = visits(t, someone, "GET", link.Path, nil)
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode, "another password is another key")
	want[publish.Shared](t, "PATCH", "/links/"+link.ID, map[string]any{"comments": false, "password": "", "ends": time.Now().Add(150 * time.Millisecond)})
	require.Eventually(t, func() bool {
		answer, html := visits(t, someone, "GET", link.Path, nil)
		return answer.StatusCode == http.StatusGone && strings.Contains(html, "has ended")
	}, 10*time.Second, 10*time.Millisecond)
}

func TestCommentsAreReadByTheProducerFirst(t *testing.T) {
	t.Parallel()
	episode, m := toShare(t)
	link := want[publish.Shared](t, "POST", "/mixdowns/"+m.ID+"/links", map[string]any{})
	answer, html := visit(t, "POST", link.Path+"/comments", url.Values{"words": {"Hello"}})
	assert.Equal(t, 422, answer.StatusCode, "they are off at first")
	assert.NotContains(t, html, "<textarea")
	assert.Contains(t, html, "No comments are taken here any more.")
	assert.Contains(t, html, "Hello</p>", "what was written can still be copied")
	want[publish.Shared](t, "PATCH", "/links/"+link.ID, map[string]any{"comments": true})
	for _, c := range []struct {
		form url.Values
		said string
	}{
		{url.Values{"words": {" \n "}}, "Write something first"},
		{url.Values{"words": {strings.Repeat("a", 1001)}}, "at most 1000 characters; this one has 1001"},
		{url.Values{"words": {"Kept"}, "name": {strings.Repeat("b", 61)}}, "A name has at most 60"},
	} {
		answer, html := visit(t, "POST", link.Path+"/comments", c.form)
		assert.Equal(t, 422, answer.StatusCode)
		assert.Contains(t, html, c.said)
		if w := strings.TrimSpace(c.form.Get("words")); w != "" {
			assert.Contains(t, html, w+"</textarea>", "what was written is not lost")
		}
	}
	answer, _ = visit(t, "POST", link.Path+"/comments", url.Values{"words": {"From elsewhere"}}, "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusForbidden, answer.StatusCode)
	answer, html = visit(t, "POST", link.Path+"/comments", url.Values{"words": {"Louder\r\nhere\u202e \x00please"}, "name": {"Odd <i>"}, "at": {"0:03.5"}})
	assert.Equal(t, 200, answer.StatusCode)
	assert.Contains(t, html, "Thank you")
	assert.NotContains(t, html, "Louder")

	there := want[publish.Sharing](t, "GET", "/episodes/"+episode+"/links", nil)
	require.Len(t, there.Remarks, 1)
	r := there.Remarks[0]
	assert.Equal(t, "Louder\nhere please", r.Words)
	assert.Equal(t, "new", string(r.State))
	assert.Equal(t, audio.Seconds(3.5), r.At)
	assert.Equal(t, audio.Seconds(4.5), r.Place, "the file begins a second into the session")
	status, _, _ := call(t, "PUT", "/comments/"+r.ID, map[string]any{"state": "shown"})
	assert.Equal(t, 204, status)
	_, html = visit(t, "GET", link.Path, nil)
	assert.Contains(t, html, "<strong>Odd &lt;i&gt;</strong><p>Louder</p><p>here please</p>")
	call(t, "PUT", "/comments/"+r.ID, map[string]any{"state": "hidden"})
	_, html = visit(t, "GET", link.Path, nil)
	assert.NotContains(t, html, "Louder")
	status, _, _ = call(t, "DELETE", "/comments/"+r.ID, nil)
	assert.Equal(t, 204, status)
	assert.Empty(t, want[publish.Sharing](t, "GET", "/episodes/"+episode+"/links", nil).Remarks)
	visit(t, "POST", link.Path+"/comments", url.Values{"words": {"At the end"}, "at": {"9:99:99"}})
	assert.Equal(t, want[publish.Sharing](t, "GET", "/episodes/"+episode+"/links", nil).Remarks[0].At, m.Loudness.Length, "no place lies beyond the file")
}

func TestNobodyTriesPasswordsOneAfterTheOther(t *testing.T) {
	t.Parallel()
	_, m := toShare(t)
	link := want[publish.Shared](t, "POST", "/mixdowns/"+m.ID+"/links", map[string]any{"password": "three blasts"})
	refused := 0
	for range 20 {
		if answer, _ := visit(t, "POST", link.Path, url.Values{"password": {"two blasts"}}); answer.StatusCode == http.StatusTooManyRequests {
			refused++
		}
	}
	assert.Positive(t, refused)
	answer, _ := visit(t, "POST", link.Path, url.Values{"password": {"three blasts"}}, "X-Forwarded-For", "198.51.100.1, 203.0.113.7")
	assert.Equal(t, 200, answer.StatusCode, "nor anybody else, where a web server stands in front")
	// One who has a whole network of IPv6 is one, and another network is another.
	guess := func(from string) int {
		answer, _ := visit(t, "POST", link.Path, url.Values{"password": {"two blasts"}}, "X-Forwarded-For", from)
		return answer.StatusCode
	}
	let := 0
	for i := range 16 {
		if guess(fmt.Sprintf("2001:db8:7:7::%x", i+1)) == http.StatusUnauthorized {
			let++
		}
	}
	assert.LessOrEqual(t, let, 12)
	// However many networks somebody has: a page has a bound of its own.
	var bounded atomic.Int32
	var all sync.WaitGroup
	for i := range 60 {
		all.Go(func() {
			if guess(fmt.Sprintf("2001:db8:8:%x::1", i)) == http.StatusTooManyRequests {
				bounded.Add(1)
			}
		})
	}
	other := want[publish.Shared](t, "POST", "/mixdowns/"+m.ID+"/links", map[string]any{"password": "three blasts"})
	begun := time.Now()
	answer, _ = visit(t, "POST", other.Path, url.Values{"password": {"three blasts"}}, "X-Forwarded-For", "2001:db8:9::1")
	assert.Equal(t, 200, answer.StatusCode, "guessing at one page turns nobody away from another")
	assert.Less(t, time.Since(begun), 8*time.Second)
	all.Wait()
	assert.Positive(t, bounded.Load())
	answer, _ = visit(t, "POST", other.Path, url.Values{"password": {"three blasts"}})
	assert.Equal(t, 200, answer.StatusCode, "that keeps nobody from another page")
}
