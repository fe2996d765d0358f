package server_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/server"
)

func TestMarkersComeInAsAListInOneStepAndGoOutAgain(t *testing.T) {
	t.Parallel()
	_, episode := newEpisode(t)
	table := "name,start,end,kind,link\nTheme,0,11,chapter,\nFog & horn,30.5,,marker,\nKeeper,37,60.25,chapter,https://example.org/keeper\n"
	read := want[server.MarkersRead](t, "POST", "/markers/read", map[string]any{"text": table})
	assert.Equal(t, 3, read.Count)
	assert.Empty(t, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Markers, "nothing is changed by reading")
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	change := want[struct{ Name string }](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": version, "op": read.Op.RawMessage})
	assert.Equal(t, "Take in 3 markers", change.Name)
	there := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Markers
	require.Len(t, there, 3)
	assert.Equal(t, "https://example.org/keeper", there[session.MarkersInOrder(there)[2]].Link)

	for list, c := range map[string]struct{ kind, holds string }{
		"markers.csv":   {"text/csv", table},
		"markers.vtt":   {"text/vtt", "\n00:00:37.000 --> 00:01:00.250\nKeeper\n"},
		"chapters.txt":  {"text/plain", "0:00 Theme\n0:37 Keeper\n"},
		"chapters.json": {"application/json+chapters", `"title":"Keeper"`},
	} {
		status, header, out := call(t, "GET", "/episodes/"+episode+"/lists/"+list, nil)
		assert.Equal(t, http.StatusOK, status)
		assert.True(t, strings.HasPrefix(header.Get("Content-Type"), c.kind), list)
		assert.Contains(t, header.Get("Content-Disposition"), list)
		assert.Contains(t, string(out), c.holds)
	}
	code, detail := refused(t, 422, "POST", "/markers/read", map[string]any{"text": "name,start\nFog,soon\n"})
	assert.Equal(t, "bad-markers", code)
	assert.Contains(t, detail, "Line 2")
	_, header, out := call(t, "GET", "/episodes/"+episode+"/lists/timeline.otio", nil)
	assert.Contains(t, header.Get("Content-Disposition"), "timeline.otio")
	assert.Contains(t, string(out), `"OTIO_SCHEMA": "Timeline.1"`)
	refused(t, 422, "GET", "/episodes/"+episode+"/lists/markers.exe", nil)
}
