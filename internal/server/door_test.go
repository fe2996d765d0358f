package server_test

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/url"
	"os"
	"path"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/server"
	"ruvel/internal/store"
)

// withAll is a place with one of everything that can be named in a request.
func withAll(t testing.TB) *place {
	t.Helper()
	p := furnished(t)
	p.commented(t)
	p.recording(t)
	p.versioned(t)
	for _, id := range []string{"get-picture", "remove-treatment"} {
		before[id](p, t)
	}
	p.ids["layout"] = want[episodes.Episode](t, "POST", "/shows/"+p.ids["show"]+"/layouts", map[string]any{"name": "Feature", "from": p.ids["episode"]}).ID
	return p
}

// only puts a sound into a show that no other one has, without a file behind it.
func (p *place) only(t testing.TB, id string) {
	t.Helper()
	require.NoError(t, house.Store.AddSound(t.Context(), store.Sound{ID: id, Show: p.ids["show"], Name: "Gulls", Part: session.Effect, Channels: 1, Rate: 48000, Length: 48000}))
	p.ids["sound"] = id
}

// nobodys are ids that there are not.
func nobodys(thing string) string {
	if thing == "sound" || thing == "picture" {
		return strings.Repeat("0", 64)
	}
	return store.NewID()
}

// ofNoShow are the operations that are about nothing of a show.
var ofNoShow = []string{
	"list-shows", "add-show", "list-leads", "list-ways", "list-rules", "list-targets", "list-formats", "list-hosts", "list-licences", "usual-treatment", "list-ranges",
	"get-me", "sign-in", "sign-out", "look-at-invitation", "accept-invitation", "sign-in-outside", "come-back", "call-me", "change-password", "end-sessions",
	"list-tokens", "remove-token", "list-people", "renew-password", "remove-person",
	"get-recording", "get-stand-in", "search-shelf", "hear-piece", "get-piece-peaks", "read-markers", "get-health",
	"get-peaks", // names sounds in a form of its own, and is tried below
}

// A route that is added without the door, or with a name that it does not know, fails here.
func TestEveryRouteGoesThroughTheDoor(t *testing.T) {
	guarded := server.Guarded()
	kinds := store.Things()
	var free []string
	for at, methods := range description(t).Paths {
		for _, op := range methods {
			names, there := guarded[op.OperationID]
			if !assert.True(t, there, "%s does not go through the door", op.OperationID) {
				continue
			}
			if len(names) == 0 {
				free = append(free, op.OperationID)
			}
			for _, p := range op.Parameters {
				if slices.Contains(kinds, store.Thing(p.Name)) && !(p.Name == "sound" && p.In == "query") {
					assert.Contains(t, names, p.Name, "%s names one by its %s: %s", op.OperationID, p.In, at)
				}
			}
		}
	}
	assert.ElementsMatch(t, ofNoShow, free, "those that name nothing")
}

// What has the form of an id of something, also in a body, is asked for.
func TestEveryIDInABodyIsAskedForAtTheDoor(t *testing.T) {
	guarded := server.Guarded()
	raw, err := os.ReadFile("../../docs/openapi.json")
	require.NoError(t, err)
	var d map[string]any
	require.NoError(t, json.Unmarshal(raw, &d))
	within := func(of any, names ...string) any {
		for _, name := range names {
			of, _ = of.(map[string]any)[name]
			if of == nil {
				return nil
			}
		}
		return of
	}
	var ids func(schema any, depth int) int
	ids = func(schema any, depth int) (n int) {
		s, is := schema.(map[string]any)
		if !is || depth > 12 {
			return 0
		}
		if ref, is := s["$ref"].(string); is {
			return ids(within(d, "components", "schemas", path.Base(ref)), depth+1)
		}
		if pattern, _ := s["pattern"].(string); s["format"] == "uuid" || strings.Contains(pattern, "{64}") {
			n++
		}
		n += ids(s["items"], depth+1)
		if properties, is := s["properties"].(map[string]any); is {
			for _, p := range properties {
				n += ids(p, depth+1)
			}
		}
		return n
	}
	bodies := 0
	for at, methods := range d["paths"].(map[string]any) {
		for _, op := range methods.(map[string]any) {
			found := ids(within(op, "requestBody", "content", "application/json", "schema"), 0)
			id := within(op, "operationId").(string)
			inPath := strings.Count(at, "{")
			for _, no := range []string{"{step}", "{seq}", "{level}", "{list}", "{track}", "{piece}", "{mine}", "{somebody}"} {
				inPath -= strings.Count(at, no)
			}
			assert.GreaterOrEqual(t, len(guarded[id]), found+inPath, "%s has ids that are not asked for", id)
			bodies += found
		}
	}
	assert.GreaterOrEqual(t, bodies, 5, "there are some")
}

func TestWhatIsOfAnotherShowOrOfNoneIsNotThere(t *testing.T) {
	here, there := withAll(t), withAll(t)
	here.only(t, strings.Repeat("1a", 32))
	there.only(t, strings.Repeat("2b", 32))
	d := description(t)
	tried := 0
	for path, methods := range d.Paths {
		for method, op := range methods {
			var things []string
			for _, p := range op.Parameters {
				if p.In == "path" && slices.Contains(store.Things(), store.Thing(p.Name)) {
					things = append(things, p.Name)
				}
			}
			asked := func(name, id, of string) {
				p := &place{ids: map[string]string{}, bodies: here.bodies}
				for k, v := range here.ids {
					p.ids[k] = v
				}
				p.ids[name] = id
				status, said := asks(t, method, path, p.asExample(t, d, method, path))
				assert.Equal(t, http.StatusNotFound, status, "%s with a %s of %s: %s", op.OperationID, name, of, said)
				tried++
			}
			for _, name := range things {
				asked(name, nobodys(name), "nobody")
				if len(things) > 1 {
					asked(name, there.ids[name], "another show")
				}
			}
		}
	}
	assert.Greater(t, tried, 100)
}

func TestWhatARequestNamesInItsBodyOrItsQueryIsOfItsShow(t *testing.T) {
	here, there := withAll(t), withAll(t)
	there.only(t, strings.Repeat("3c", 32))
	show, episode := "/shows/"+here.ids["show"], "/episodes/"+here.ids["episode"]
	for name, r := range map[string]struct {
		method, path string
		body         any
	}{
		"a mixdown to be published": {"PUT", episode + "/publication", map[string]any{"mixdown": there.ids["mixdown"]}},
		"an episode for a layout":   {"POST", show + "/layouts", map[string]any{"name": "Feature", "from": there.ids["episode"]}},
		"a layout for an episode":   {"POST", show + "/episodes", map[string]any{"title": "Fog", "layout": there.ids["layout"]}},
		"a sound for another":       {"POST", show + "/sounds/" + here.ids["sound"] + "/replace", map[string]any{"with": there.ids["sound"]}},
		"where a piece is placed":   {"POST", show + "/shelf/" + here.ids["piece"], map[string]any{"episode": there.ids["episode"]}},
		"where a sound is placed":   {"POST", show + "/sounds?file=a.wav&episode=" + there.ids["episode"], here.bodies["add-sound"]},
	} {
		code, _ := refused(t, http.StatusNotFound, r.method, r.path, r.body)
		assert.Equal(t, "not-found", code, name)
	}
	// No show has the first: then it is as if it was not read. Of each range it is said whether it could be.
	_, _, out := call(t, "GET", "/peaks?of="+url.QueryEscape(nobodys("sound")+":3:0:10"), nil)
	assert.True(t, bytes.HasSuffix(out, []byte{0xff, 0xff, 0xff, 0xff}))
}
