package server_test

import (
	"bufio"
	"encoding/json"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/details"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/publish"
	"ruvel/internal/work"
)

// fields are a revision: of each the text that was read and the one that is to be.
func fields(pairs ...any) map[string]any {
	out := map[string]any{}
	for i := 0; i < len(pairs); i += 3 {
		out[pairs[i].(string)] = map[string]any{"was": pairs[i+1], "now": pairs[i+2]}
	}
	return out
}

// conflict is what a refused revision says of a field now.
func conflict(t *testing.T, path string, body any, field string) any {
	t.Helper()
	status, _, data := call(t, "PATCH", path, body)
	require.Equal(t, http.StatusConflict, status, "%s", data)
	var problem struct {
		Code   string `json:"code"`
		Errors []struct {
			Location string `json:"location"`
			Value    any    `json:"value"`
		} `json:"errors"`
	}
	require.NoError(t, json.Unmarshal(data, &problem))
	require.Equal(t, "changed-meanwhile", problem.Code)
	for _, e := range problem.Errors {
		if e.Location == field {
			return e.Value
		}
	}
	require.Fail(t, "the field is not named", "%s", data)
	return nil
}

func TestWhatWasChangedElsewhereIsGivenBackAndNotOverwritten(t *testing.T) {
	show, episode := newEpisode(t)

	// Details of an episode: what is not named stays, also in columns of their own.
	said := "/episodes/" + episode + "/details"
	want[episodes.Episode](t, "PATCH", said, fields("description", "", "Of fog", "language", nil, "en", "guests", []string{}, []string{"Odd"}))
	e := want[episodes.Episode](t, "PATCH", said, fields("date", "", "2026-11-30"))
	assert.Equal(t, []any{"Of fog", "en", "2026-11-30", []string{"Odd"}}, []any{e.Description, e.Language, e.Date, e.Guests})
	assert.Equal(t, "Of fog", conflict(t, said, fields("description", "", "Of a lamp", "date", "2026-11-30", "2026-12-01"), "description"))
	assert.Equal(t, "2026-11-30", want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Episode.Date, "nothing of it was done")
	assert.Equal(t, []any{"Odd"}, conflict(t, said, fields("guests", []string{"Ada"}, []string{}), "guests"))

	// Of a show, its limits, its targets, its feed.
	want[details.Details](t, "PATCH", "/shows/"+show+"/details", fields("presenter", "", "Ada Quill"))
	assert.Equal(t, "Ada Quill", conflict(t, "/shows/"+show+"/details", fields("presenter", "", "Odd"), "presenter"))
	limits := want[review.Bounds](t, "PATCH", "/shows/"+show+"/limits", fields("ramp", review.Usual().Ramp, 5))
	assert.Equal(t, 5.0, limits.Ramp)
	assert.Equal(t, 5.0, conflict(t, "/shows/"+show+"/limits", fields("ramp", review.Usual().Ramp, 6), "ramp"))
	night := session.OwnTarget{Name: "Night", Integrated: -27, Tolerance: 1, TruePeak: -2}
	want[[]session.OwnTarget](t, "PATCH", "/shows/"+show+"/targets", fields("Night", nil, night))
	day := night
	day.Name = "Day"
	targets := want[[]session.OwnTarget](t, "PATCH", "/shows/"+show+"/targets", fields("Day", nil, day))
	assert.Equal(t, []session.OwnTarget{night, day}, targets, "who knew of none of them takes none away")
	conflict(t, "/shows/"+show+"/targets", fields("Night", nil, day), "Night")
	assert.Equal(t, []session.OwnTarget{day}, want[[]session.OwnTarget](t, "PATCH", "/shows/"+show+"/targets", fields("Night", night, nil)))
	want[publish.FeedView](t, "PATCH", "/shows/"+show+"/feed", fields("category", "", "Society"))
	f := want[publish.FeedView](t, "PATCH", "/shows/"+show+"/feed", fields("description", "", "Of harbours"))
	assert.Equal(t, "Society", f.Category)
	assert.Equal(t, "Of harbours", conflict(t, "/shows/"+show+"/feed", fields("description", "", "Of fog"), "description"))

	for path, body := range map[string]any{
		said:                         fields("titel", nil, "x"),
		"/shows/" + show + "/limits": fields("ramp", 5, "much"),
		"/shows/" + show + "/feed":   fields("description", "Of harbours", strings.Repeat("x", 4001)),
	} {
		refused(t, 422, "PATCH", path, body)
	}
	refused(t, 404, "PATCH", "/shows/01890000-0000-7000-8000-000000000000/details", fields("presenter", "", "x"))
}

func TestTwoWhoChangeDifferentFieldsAtOnceBothSucceed(t *testing.T) {
	_, episode := newEpisode(t)
	names := []string{"presenter", "copyright", "credits", "description"}
	var all sync.WaitGroup
	for _, name := range names {
		all.Go(func() {
			want[episodes.Episode](t, "PATCH", "/episodes/"+episode+"/details", fields(name, "", "Of "+name))
		})
	}
	all.Wait()
	e := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Episode
	assert.Equal(t, []string{"Of presenter", "Of copyright", "Of credits", "Of description"}, []string{e.Presenter, e.Copyright, e.Credits, e.Description})
}

func TestAStepThroughTheHistoryIsMeantForAVersion(t *testing.T) {
	_, episode := newEpisode(t)
	do(t, episode, 1, map[string]any{"type": "add-track", "part": "music"})
	do(t, episode, 2, map[string]any{"type": "add-track", "part": "voice"})
	code, _ := refused(t, 409, "POST", "/episodes/"+episode+"/undo?base=2", nil)
	assert.Equal(t, "version-conflict", code)
	assert.EqualValues(t, 4, want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo?base=3", nil).Version)
	refused(t, 409, "POST", "/episodes/"+episode+"/redo?base=3", nil)
	assert.EqualValues(t, 5, want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/redo?base=4", nil).Version)
	assert.EqualValues(t, 6, want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo", nil).Version, "without one, of whichever there is")
}

func TestAGestureThatIsBrokenOffIsAsIfItHadNeverBegun(t *testing.T) {
	_, episode := newEpisode(t)
	do(t, episode, 1, map[string]any{"type": "add-track", "part": "music"})
	before := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	rename := func(base int, gesture, name string) {
		t.Helper()
		op := map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": "t1", "name": name}}}
		want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": base, "gesture": gesture, "op": op})
	}
	rename(2, "a drag", "Bed")
	rename(3, "a drag", "Bed, further")
	code, _ := refused(t, 409, "POST", "/episodes/"+episode+"/undo?base=3&gesture=a+drag", nil)
	assert.Equal(t, "version-conflict", code)
	code, _ = refused(t, 409, "POST", "/episodes/"+episode+"/undo?base=4&gesture=another", nil)
	assert.Equal(t, "nothing-to-undo", code, "the last step is none of that gesture")
	assert.EqualValues(t, 5, want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/undo?base=4&gesture=a+drag", nil).Version)
	after := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	assert.Equal(t, before.Document, after.Document)
	assert.Equal(t, []string{before.Undo, before.Redo}, []string{after.Undo, after.Redo}, "and nothing of it can be carried out again")
	refused(t, 409, "POST", "/episodes/"+episode+"/undo?gesture=a+drag", nil)
	// What somebody else has done meanwhile stays, and so does what he did it to.
	rename(5, "another drag", "Theme")
	do(t, episode, 6, map[string]any{"type": "add-track", "part": "voice"})
	refused(t, 409, "POST", "/episodes/"+episode+"/undo?base=7&gesture=another+drag", nil)
	assert.Equal(t, "Theme", want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks[1].Name)
}

func TestEveryAnswerOfRuvelsOwnSaysSo(t *testing.T) {
	_, episode := newEpisode(t)
	for _, path := range []string{"/shows", "/nothing", "/episodes/" + episode, "/episodes/" + episode + "/listen?from=0", "/events?episode=none"} {
		r, err := http.Get(base + path)
		require.NoError(t, err)
		_ = r.Body.Close()
		assert.NotEmpty(t, r.Header.Get("Ruvel"), "%s %d", path, r.StatusCode)
	}
}

func TestOneStreamTellsOfSeveralEpisodesAndOfOneThatIsNotThere(t *testing.T) {
	_, a := newEpisode(t)
	_, b := newEpisode(t)
	gone := "01890000-0000-7000-8000-000000000000"
	r, err := http.Get(base + "/events?episode=" + a + "&episode=" + gone + "&episode=" + b)
	require.NoError(t, err)
	t.Cleanup(func() { _ = r.Body.Close() })
	lines := bufio.NewScanner(r.Body)
	lines.Buffer(nil, 1<<20)
	until := func(parts ...string) {
		t.Helper()
		for lines.Scan() {
			found := true
			for _, part := range parts {
				found = found && strings.Contains(lines.Text(), part)
			}
			if found {
				return
			}
		}
		require.Fail(t, "never told", "%v", parts)
	}
	seen := map[string]bool{}
	for len(seen) < 3 && lines.Scan() { // in whatever order they are found
		for _, id := range []string{a, b, gone} {
			if strings.Contains(lines.Text(), id) {
				seen[id] = true
				assert.Equal(t, id == gone, strings.Contains(lines.Text(), "removed"), lines.Text())
			}
		}
	}
	do(t, b, 1, map[string]any{"type": "add-track", "part": "music"})
	until(`"of":"`+b+`"`, `"version":2`)
	do(t, a, 1, map[string]any{"type": "add-track", "part": "voice"})
	until(`"of":"`+a+`"`, `"version":2`)
	want[any](t, "DELETE", "/episodes/"+b, nil)
	until(`"of":"`+b+`"`, "removed")
	do(t, a, 2, map[string]any{"type": "add-track", "part": "voice"})
	until(`"of":"`+a+`"`, `"version":3`)
}
