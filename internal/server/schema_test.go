package server_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/server"
	"ruvel/internal/takes"
	"ruvel/testkit"
)

// described is the API's published description, as far as requests can be made from it.
type described struct {
	Paths map[string]map[string]struct {
		Parameters []struct {
			Name   string
			In     string
			Schema schema
		}
		RequestBody *struct {
			Content map[string]struct{ Schema schema }
		}
	}
	Components struct{ Schemas map[string]schema }
}

type schema struct {
	Ref                  string `json:"$ref"`
	Type                 any
	Format               string
	Enum                 []any
	Minimum, Maximum     *float64
	MaxLength            *int
	Pattern              string
	Properties           map[string]schema
	Required             []string
	Items                *schema
	OneOf                []schema
	AdditionalProperties json.RawMessage
}

func description(t testing.TB) (d described) {
	t.Helper()
	data, err := os.ReadFile("../../docs/openapi.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &d))
	return d
}

// maker makes requests from a description: mostly as it says, with ids that exist, and now
// and then something else altogether.
type maker struct {
	*rand.Rand
	d   described
	ids map[string][]string // by the name of a parameter or a property
}

// oddly is true now and then.
func (m maker) oddly() bool { return m.IntN(12) == 0 }

var (
	oddTexts = []string{
		"", " ", "\x00", "\xff\xfe", "null", "../../etc/passwd", "%2e%2e/", "'; DROP TABLE shows; --", "<script>alert(1)</script>", "🦭🌫", "\u202e", strings.Repeat("long ", 3000),
		"00000000-0000-0000-0000-000000000000", strings.Repeat("f", 64), "t1", "c2", "-1", "1e309", "NaN",
	}
	oddNumbers = []float64{0, -1, 1, 2, 0.5, -0.5, 1e9, -1e9, math.MaxInt32, math.MaxInt64, math.MinInt64, 1e300, -1e300, 1e-300}
)

func (m maker) value(name string, s schema, depth int) any {
	if s.Ref != "" {
		s = m.d.Components.Schemas[s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]]
	}
	if m.oddly() {
		return m.odd()
	}
	if known := m.ids[name]; len(known) > 0 && m.IntN(4) > 0 {
		return known[m.IntN(len(known))]
	}
	if name == "base" { // so that some are meant for the version that there is
		return m.IntN(6)
	}
	if len(s.OneOf) > 0 {
		return m.value(name, s.OneOf[m.IntN(len(s.OneOf))], depth)
	}
	if len(s.Enum) > 0 {
		return s.Enum[m.IntN(len(s.Enum))]
	}
	kind, _ := s.Type.(string)
	if kinds, ok := s.Type.([]any); ok {
		kind, _ = kinds[m.IntN(len(kinds))].(string)
	}
	switch kind {
	case "object":
		return m.object(s, depth)
	case "array":
		if s.Items == nil || depth > 6 {
			return []any{}
		}
		out := make([]any, m.IntN(4))
		for i := range out {
			out[i] = m.value(strings.TrimSuffix(name, "s"), *s.Items, depth+1)
		}
		return out
	case "integer", "number":
		return m.number(kind, s)
	case "boolean":
		return m.IntN(2) == 0
	case "null":
		return nil
	}
	if s.Format == "uuid" {
		return fmt.Sprintf("01890000-0000-7000-8000-%012x", m.IntN(1<<20))
	}
	return oddTexts[m.IntN(len(oddTexts))][:]
}

func (m maker) odd() any {
	switch m.IntN(5) {
	case 0:
		return oddTexts[m.IntN(len(oddTexts))]
	case 1:
		return oddNumbers[m.IntN(len(oddNumbers))]
	case 2:
		return []any{}
	case 3:
		return map[string]any{"x": nil}
	}
	return nil
}

func (m maker) number(kind string, s schema) any {
	low, high := -100.0, 1e6
	if s.Minimum != nil {
		low = *s.Minimum
	}
	if s.Maximum != nil {
		high = *s.Maximum
	}
	if m.IntN(4) == 0 {
		return oddNumbers[m.IntN(len(oddNumbers))]
	}
	v := low + m.Float64()*(high-low)
	if kind == "integer" {
		return math.Round(v)
	}
	return v
}

func (m maker) object(s schema, depth int) any {
	out := map[string]any{}
	if depth > 6 {
		return out
	}
	for name, property := range s.Properties {
		if slices.Contains(s.Required, name) || m.IntN(2) == 0 {
			out[name] = m.value(name, property, depth+1)
		}
	}
	var more schema
	if len(s.AdditionalProperties) > 0 && json.Unmarshal(s.AdditionalProperties, &more) == nil && more.Type != nil {
		for range m.IntN(4) {
			out[oddTexts[m.IntN(len(oddTexts))]] = m.value("", more, depth+1)
		}
	}
	return out
}

// request makes one request for an operation.
func (m maker) request(t testing.TB, ctx context.Context, method, path string) *http.Request {
	t.Helper()
	op := m.d.Paths[path][method]
	query := url.Values{}
	for _, p := range op.Parameters {
		v := fmt.Sprint(m.value(p.Name, p.Schema, 0))
		if f, ok := m.value(p.Name, p.Schema, 0).(float64); ok && math.Abs(f) < 1e15 {
			v = fmt.Sprintf("%.0f", f)
		}
		switch {
		case p.In == "path":
			path = strings.Replace(path, "{"+p.Name+"}", url.PathEscape(v), 1)
		case m.IntN(3) > 0:
			query.Set(p.Name, v)
		}
	}
	var body io.Reader
	kind := ""
	if op.RequestBody != nil {
		for k, c := range op.RequestBody.Content {
			kind = k
			data, err := json.Marshal(m.value("", c.Schema, 0))
			require.NoError(t, err)
			switch m.IntN(15) {
			case 0:
				data = data[:len(data)/2]
			case 1:
				data = bytes.Repeat([]byte("["), 5000)
			case 2:
				data = append(data, 0xff)
			}
			if strings.HasSuffix(k, "octet-stream") {
				data = make([]byte, 4*m.IntN(30000))
				for i := range data {
					data[i] = byte(m.IntN(256))
				}
			}
			body = bytes.NewReader(data)
		}
	}
	r, err := http.NewRequestWithContext(ctx, strings.ToUpper(method), base+path+"?"+query.Encode(), body)
	require.NoError(t, err)
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	return r
}

// furnished makes a show with an episode, a sound, a take and a mixdown, and gives what they are called.
func furnished(t testing.TB) map[string][]string {
	t.Helper()
	show, episode := newEpisode(t)
	sound := imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 4*audio.Second, 6))
	track := want[struct {
		Document struct{ Tracks []struct{ ID string } }
	}](t, "GET", "/episodes/"+episode, nil).Document.Tracks[0].ID
	take := want[takes.TakeStatus](t, "POST", "/episodes/"+episode+"/takes", map[string]any{"track": track, "begins": 0, "rate": 8000, "channels": 1})
	job := want[struct{ Jobs []named }](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "wav-16", "channels": 1}}, "asItIs": true, "overrule": true}).Jobs[0].ID
	ended(t, job)
	piece := want[[]struct{ Key string }](t, "GET", "/shelf", nil)[0].Key
	link := want[server.Shared](t, "POST", "/mixdowns/"+job+"/links", map[string]any{"comments": true})
	visit(t, "POST", link.Path+"/comments", url.Values{"words": {"Louder"}})
	comment := want[server.Sharing](t, "GET", "/episodes/"+episode+"/links", nil).Remarks[0].ID
	return map[string][]string{
		"show": {show}, "episode": {episode}, "sound": {sound}, "with": {sound}, "take": {take.ID}, "job": {job}, "mixdown": {job}, "piece": {piece}, "link": {link.ID}, "comment": {comment},
		"clip": {"c2"}, "track": {track}, "tracks": {track}, "base": {}, "type": {}, "seq": {"0", "1"}, "level": {"0", "3"},
	}
}

// gone says whether something of that does not exist any more.
func gone(ids map[string][]string) bool {
	for _, path := range []string{"/episodes/" + ids["episode"][0], "/jobs/" + ids["job"][0], "/episodes/" + ids["episode"][0] + "/takes"} {
		r, err := http.Get(base + path)
		if err != nil {
			return true
		}
		out, _ := io.ReadAll(r.Body)
		_ = r.Body.Close()
		if r.StatusCode != 200 || string(out) == "[]\n" {
			return true
		}
	}
	return false
}

// patient is how long an answer may take that is not a stream.
const patient = 20 * time.Second

// asks sends a request and refuses answers that no input may lead to.
func asks(t testing.TB, m maker, method, path string) int {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patient)
	defer cancel()
	r := m.request(t, ctx, method, path)
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err, "%s %s", r.Method, r.URL)
	defer answer.Body.Close()
	stream := strings.HasSuffix(path, "/events") || strings.HasSuffix(path, "/listen")
	from := io.Reader(answer.Body)
	if stream && answer.StatusCode < 300 {
		from = io.LimitReader(answer.Body, 10)
	}
	out, err := io.ReadAll(from)
	if err != nil && !(stream && (errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, context.DeadlineExceeded))) {
		require.NoError(t, err, "%s %s", r.Method, r.URL)
	}
	if answer.StatusCode >= 500 && answer.StatusCode != 503 && answer.StatusCode != 507 {
		require.Fail(t, "an input led to a fault", "%s %s\n%d %s", r.Method, r.URL, answer.StatusCode, out)
	}
	if answer.StatusCode >= 400 && method != "head" {
		assert.Equal(t, "application/problem+json", answer.Header.Get("Content-Type"), "%s %s %d", r.Method, r.URL, answer.StatusCode)
		assert.NotContains(t, string(out), data, "no path of the server's is told")
		assert.Contains(t, string(out), `"detail"`)
	}
	return answer.StatusCode
}

func TestNoInputLeadsToAFaultOrAHang(t *testing.T) {
	d := description(t)
	reached := map[string]int{}
	for seed := range uint64(3) {
		m := maker{rand.New(rand.NewPCG(seed, 7)), d, nil}
		for path, methods := range d.Paths {
			for method := range methods {
				if len(m.ids) == 0 || gone(m.ids) { // what was made may have been removed
					m.ids = furnished(t)
				}
				begun := time.Now()
				tries := 3
				if strings.HasSuffix(path, "/edits") { // which is many operations
					tries = 60
				}
				for range tries {
					if asks(t, m, method, path) < 300 {
						reached[method+" "+path]++
					}
				}
				if took := time.Since(begun); took > time.Second {
					t.Logf("%s %s took %v", method, path, took)
				}
			}
		}
	}
	all := 0
	for path, methods := range d.Paths {
		for method := range methods {
			all++
			if reached[method+" "+path] == 0 {
				t.Logf("%s %s never went well", method, path)
			}
		}
	}
	assert.Greater(t, len(reached)*10, all*7, "most operations are reached, so that more than their refusals is tried")
}

func FuzzEveryOperation(f *testing.F) {
	f.Add(uint64(1))
	f.Fuzz(func(t *testing.T, seed uint64) {
		d := description(t)
		m := maker{rand.New(rand.NewPCG(seed, 8)), d, furnished(t)}
		for path, methods := range d.Paths {
			for method := range methods {
				asks(t, m, method, path)
			}
		}
	})
}

func TestUnknownIDsAreNotFoundEverywhere(t *testing.T) {
	d := description(t)
	unknown := map[string]string{"sound": strings.Repeat("b", 64), "picture": strings.Repeat("b", 64), "piece": "no-such-piece", "level": "0", "seq": "0", "step": "1", "list": "markers.csv"}
	bodies := map[string]any{
		"patch /episodes/{episode}": map[string]any{"title": "x"}, "patch /shows/{show}": map[string]any{"name": "x"}, "post /shows/{show}/episodes": map[string]any{"title": "x"},
		"post /episodes/{episode}/edits":            map[string]any{"base": 1, "op": map[string]any{"type": "add-marker", "at": 0, "name": "x"}},
		"post /episodes/{episode}/fragments":        map[string]any{"clips": []string{"c1"}},
		"post /episodes/{episode}/versions":         map[string]any{"name": "x"},
		"post /mixdowns/{mixdown}/links":            map[string]any{"comments": true},
		"put /shows/{show}/feed":                    map[string]any{},
		"put /shows/{show}/settings":                server.ShowSettings{Form: server.ShowForm, Targets: []session.OwnTarget{}, Limits: review.Usual()},
		"post /shows/{show}/layouts":                map[string]any{"name": "x"},
		"post /mixdowns/{mixdown}/sendings":         map[string]any{"host": "practice"},
		"put /episodes/{episode}/publication":       map[string]any{"mixdown": "01890000-0000-7000-8000-000000000000"},
		"put /links/{link}":                         map[string]any{"comments": true},
		"put /comments/{comment}":                   map[string]any{"state": "shown"},
		"post /episodes/{episode}/mixdowns":         map[string]any{"files": []any{map[string]any{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true},
		"post /episodes/{episode}/renderings":       map[string]any{"clips": []string{"c1"}, "name": "Rendered", "treatment": true, "lines": true, "place": false},
		"post /shows/{show}/treatments":             map[string]any{"name": "Kept", "treatment": session.Usual()},
		"put /episodes/{episode}/details":           map[string]any{"description": "x", "language": "en"},
		"put /shows/{show}/limits":                  review.Usual(),
		"put /shows/{show}/details":                 map[string]any{"presenter": "x"},
		"put /shows/{show}/targets":                 []any{},
		"post /shows/{show}/pictures":               []byte("no picture"),
		"patch /episodes/{episode}/script":          map[string]any{"base": 0, "text": "x"},
		"post /episodes/{episode}/takes":            map[string]any{"track": "t1", "begins": 0, "rate": 8000, "channels": 1},
		"patch /shows/{show}/sounds/{sound}":        map[string]any{"name": "x"},
		"post /shows/{show}/sounds/{sound}/replace": map[string]any{"with": strings.Repeat("c", 64)},
		"post /shows/{show}/shelf/{piece}":          map[string]any{},
		"post /takes/{take}/finish":                 map[string]any{},
		"post /takes/{take}/use":                    map[string]any{},
		"post /shows/{show}/sounds":                 []byte("RIFF"),
		"post /takes/{take}/{seq}":                  make([]byte, 8),
	}
	for path, methods := range d.Paths {
		if !strings.Contains(path, "{") {
			continue
		}
		for method, op := range methods {
			at := path
			for _, p := range op.Parameters {
				v := unknown[p.Name]
				if v == "" {
					v = "01890000-0000-7000-8000-000000000000"
				}
				at = strings.Replace(at, "{"+p.Name+"}", v, 1)
			}
			if strings.HasSuffix(path, "/fit") {
				at += "?clip=c1&until=48000"
			}
			if strings.HasSuffix(path, "/levels") {
				at += "?clip=c1"
			}
			if strings.HasSuffix(path, "/try") {
				at += "?to=1&op=" + url.QueryEscape(`{"type":"add-marker","at":0}`)
			}
			if path == "/shows/{show}/sounds" && method == "post" {
				at += "?file=a.wav"
			}
			code, _ := refused(t, 404, strings.ToUpper(method), at, bodies[method+" "+path])
			assert.Equal(t, "not-found", code, "%s %s", method, path)
		}
	}
	show, _ := newEpisode(t)
	for path, body := range map[string]any{
		"/shows/" + show + "/sounds?file=a.wav&episode=01890000-0000-7000-8000-000000000000": []byte("RIFF"),
		"/shows/" + show + "/shelf/fog-horn":                                                 map[string]any{"episode": "01890000-0000-7000-8000-000000000000"},
	} {
		code, _ := refused(t, 404, "POST", path, body)
		assert.Equal(t, "not-found", code, path)
	}
	_, elsewhere := newEpisode(t)
	code, _ := refused(t, 404, "POST", "/shows/"+show+"/sounds?file=a.wav&episode="+elsewhere, []byte("RIFF"))
	assert.Equal(t, "not-found", code, "an episode of another show")
}

func TestTooMuchIsRefusedInWordsBeforeItIsDone(t *testing.T) {
	show, episode := newEpisode(t)
	marks := map[string]bool{}
	for i := range 5000 {
		marks[fmt.Sprintf("%016x", i)] = true
	}
	code, detail := refused(t, 422, "PATCH", "/episodes/"+episode+"/script", map[string]any{"base": 0, "recorded": marks})
	assert.Equal(t, "too-many-marks", code)
	assert.Contains(t, detail, "5000")
	code, _ = refused(t, 422, "PATCH", "/episodes/"+episode+"/script", map[string]any{"base": 0, "recorded": map[string]bool{strings.Repeat("k", 41): true}})
	assert.Equal(t, "unknown-part", code)
	refused(t, 422, "POST", "/shows", map[string]any{"name": strings.Repeat("n", 5000)})
	refused(t, 422, "POST", "/shows/"+show+"/sounds?file="+strings.Repeat("n", 400), []byte("RIFF"))
	job := want[struct{ ID, Name string }](t, "POST", "/shows/"+show+"/sounds?file=%ff%fe.wav", []byte("RIFF"))
	assert.Equal(t, "?.wav", job.Name)
	ended(t, job.ID)
	assert.Empty(t, want[[]library.ShowSound](t, "GET", "/shows/"+show+"/sounds", nil))
}
