package server_test

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// slowly is a body that says something, waits until the disk is as it is to be, and goes on.
type slowly struct {
	first, rest io.Reader
	between     func()
}

func (s *slowly) Read(p []byte) (int, error) {
	if n, err := s.first.Read(p); n > 0 || err != io.EOF {
		return n, err
	}
	if s.between != nil {
		s.between()
		s.between = nil
	}
	return s.rest.Read(p)
}

func TestADiskThatBecomesFullWhileARequestComesIsSaidToBe(t *testing.T) {
	show, episode := newEpisode(t)
	at, err := url.Parse(announce(t, 12000000, map[string]string{"filename": "a.wav", "show": show}).Header.Get("Location"))
	require.NoError(t, err)
	upload := at.Path
	defer func() { require.NoError(t, house.Worker.RemoveUpload(context.Background(), filepath.Base(upload))) }()
	for _, c := range []struct{ method, path, kind string }{
		{"POST", "/api/episodes/" + episode + "/edits", "application/json"},
		{"PATCH", "/api/episodes/" + episode + "/script", "application/json"},
		{"PATCH", upload, "application/offset+octet-stream"},
	} {
		var room func()
		body := &slowly{strings.NewReader(`{"text":"`), strings.NewReader(strings.Repeat("x", 7<<20) + `"}`), func() { room = fill(t) }}
		r, err := http.NewRequestWithContext(t.Context(), c.method, strings.TrimSuffix(base, "/api")+c.path, body)
		require.NoError(t, err)
		r.Header.Set("Content-Type", c.kind)
		r.Header.Set("Tus-Resumable", "1.0.0")
		r.Header.Set("Upload-Offset", "0")
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		out, _ := io.ReadAll(answer.Body)
		_ = answer.Body.Close()
		room()
		assert.Equal(t, http.StatusInsufficientStorage, answer.StatusCode, "%s: %s", c.path, out)
		assert.Contains(t, string(out), "disk is full", c.path)
	}
}

func TestAnUploadThatStopsComingIsToldSo(t *testing.T) {
	show, _ := newEpisode(t)
	at, err := url.Parse(announce(t, 1000, map[string]string{"filename": "a.wav", "show": show}).Header.Get("Location"))
	require.NoError(t, err)
	defer func() { require.NoError(t, house.Worker.RemoveUpload(context.Background(), filepath.Base(at.Path))) }()
	answer := answerTo(t, "PATCH "+at.Path+" HTTP/1.1", "Host: localhost", "Tus-Resumable: 1.0.0", "Upload-Offset: 0", "Content-Type: application/offset+octet-stream", "Content-Length: 1000", "Connection: close")
	assert.Equal(t, http.StatusRequestTimeout, answer.StatusCode)
}
