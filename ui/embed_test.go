package ui_test

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/ui"
)

func asked(path, encodings string) *http.Response {
	r := httptest.NewRequest(http.MethodGet, path, nil)
	if encodings != "" {
		r.Header.Set("Accept-Encoding", encodings)
	}
	w := httptest.NewRecorder()
	ui.Handler().ServeHTTP(w, r)
	return w.Result()
}

func whole(t *testing.T, r io.Reader) string {
	t.Helper()
	data, err := io.ReadAll(r)
	require.NoError(t, err)
	return string(data)
}

// script is the address of the first script of the page.
func script(t *testing.T) string {
	t.Helper()
	found := regexp.MustCompile(`src="(/assets/[^"]+\.js)"`).FindStringSubmatch(whole(t, asked("/", "").Body))
	require.Len(t, found, 2)
	return found[1]
}

func TestAScriptIsSentCompressedToWhoeverTakesItAndKeptForGood(t *testing.T) {
	path := script(t)
	plain := asked(path, "")
	text := whole(t, plain.Body)
	assert.Empty(t, plain.Header.Get("Content-Encoding"))
	packed := asked(path, "gzip")
	assert.Equal(t, "gzip", packed.Header.Get("Content-Encoding"))
	unpacked, err := gzip.NewReader(packed.Body)
	require.NoError(t, err)
	assert.Equal(t, text, whole(t, unpacked))
	for _, r := range []*http.Response{plain, packed} {
		assert.Equal(t, "public, max-age=31536000, immutable", r.Header.Get("Cache-Control"))
		assert.Equal(t, "Accept-Encoding", r.Header.Get("Vary"))
		assert.True(t, strings.HasPrefix(r.Header.Get("Content-Type"), "text/javascript"), r.Header.Get("Content-Type"))
	}
	for encodings, want := range map[string]string{
		"gzip, deflate, br": "br", "br;q=0, gzip": "gzip", "br;q=0.000,gzip; q=0.2": "gzip", "BR;q=0.1": "br", "identity": "", "gzip;q=0": "", "*": "",
	} {
		assert.Equal(t, want, asked(path, encodings).Header.Get("Content-Encoding"), encodings)
	}
	assert.Less(t, len(whole(t, asked(path, "br").Body)), len(text)/2)
}

func TestEveryAddressIsThePageButAScriptOfAnotherBuildIsNot(t *testing.T) {
	for _, path := range []string{"/", "/episodes/x", "/index.html", "/../../etc/passwd"} {
		r := asked(path, "")
		assert.Equal(t, http.StatusOK, r.StatusCode)
		assert.Equal(t, "no-cache", r.Header.Get("Cache-Control"))
		assert.Contains(t, whole(t, r.Body), `<div id="app">`)
	}
	assert.Equal(t, http.StatusNotFound, asked("/assets/DeskView-gone.js", "").StatusCode)
}

// The desk of an episode is to be there soon on a slow line, too: common practice of this project, in bytes as they are sent.
func TestTheFirstScriptsAndStylesAreSmall(t *testing.T) {
	page := whole(t, asked("/", "").Body)
	entry := whole(t, asked(script(t), "").Body)
	desk := regexp.MustCompile(`assets/DeskView-[\w-]+\.js`).FindString(entry)
	require.NotEmpty(t, desk)
	assert.Less(t, len(whole(t, asked("/"+desk, "gzip").Body)), 150_000)
	style := regexp.MustCompile(`href="(/assets/[^"]+\.css)"`).FindStringSubmatch(page)
	require.Len(t, style, 2)
	assert.Less(t, len(whole(t, asked(style[1], "gzip").Body)), 25_000)
}
