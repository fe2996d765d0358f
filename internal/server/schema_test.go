package server_test

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/library"
	"ruvel/internal/publish"
	"ruvel/internal/server"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// described is the API's published description, as far as requests can be made from it.
type described struct {
	Paths map[string]map[string]struct {
		OperationID string
		Needs       string `json:"x-needs"`
		Parameters  []struct {
			Name    string
			In      string
			Example any
		}
		RequestBody *struct {
			Content map[string]struct{ Example any }
		}
	}
}

func description(t testing.TB) (d described) {
	t.Helper()
	data, err := os.ReadFile("../../docs/openapi.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &d))
	return d
}

// maker makes requests that are not as a description says.
type maker struct {
	*rand.Rand
	d described
}

var (
	oddTexts = []string{
		"", " ", "\x00", "\xff\xfe", "null", "../../etc/passwd", "%2e%2e/", "'; DROP TABLE shows; --", "<script>alert(1)</script>", "🦭🌫", "\u202e", strings.Repeat("long ", 3000),
		"00000000-0000-0000-0000-000000000000", strings.Repeat("f", 64), "t1", "c2", "-1", "1e309", "NaN",
	}
	oddNumbers = []float64{0, -1, 1, 2, 0.5, -0.5, 1e9, -1e9, math.MaxInt32, math.MaxInt64, math.MinInt64, 1e300, -1e300, 1e-300}
)

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

// place is a show with everything in it that operations are about.
type place struct {
	ids map[string]string // by the names of parameters and of fields
	// bodies are those of requests that no example holds: files, and what is known only here.
	bodies map[string]any
}

// stock are the sounds of edit.Example, imported once.
var stock struct {
	sync.Once
	sounds map[string]store.Sound // by their ids in the example
}

func stocked(t testing.TB) map[string]store.Sound {
	t.Helper()
	stock.Do(func() {
		show, episode := newEpisode(t)
		all := map[string]store.Sound{}
		for n, id := range []string{edit.ExampleVoice, edit.ExampleMusic, edit.ExampleOther} {
			about, _ := edit.ExampleSounds(id)
			made := imported(t, show, episode, "sound", beaten(about.Channels, about.Length, uint64(n+70)))
			sound, err := house.Store.Sound(t.Context(), show, made)
			require.NoError(t, err)
			all[id] = sound
		}
		stock.sounds = all
	})
	require.NotEmpty(t, stock.sounds)
	return stock.sounds
}

// beaten is noise that is struck twice a second, in bars that are all the same.
func beaten(channels int, length audio.Frames, seed uint64) audio.PCM {
	const bar = 2 * audio.Rate
	pcm, struck := audio.NewPCM(channels, length), testkit.Noise(channels, 0.2, bar, seed)
	for c, samples := range pcm {
		for i := range samples {
			samples[i] = struck[c][i%bar] * float32(math.Exp(-float64(i%(bar/4))/2000))
		}
	}
	return pcm
}

// furnished makes a place.
func furnished(t testing.TB) *place {
	t.Helper()
	ctx := t.Context()
	show := want[named](t, "POST", "/shows", map[string]any{"name": "Harbour Hours"}).ID
	doc, err := edit.Example()
	require.NoError(t, err)
	text := string(doc.JSON())
	p := &place{ids: map[string]string{"show": show, "level": "3", "list": "markers.csv", "step": "0", "seq": "0", "track": "t1"}, bodies: map[string]any{}}
	for id, sound := range stocked(t) {
		sound.Show = show
		require.NoError(t, house.Store.AddSound(ctx, sound))
		text = strings.ReplaceAll(text, id, sound.ID)
		p.ids[id] = sound.ID
	}
	p.ids["sound"], p.ids["with"] = p.ids[edit.ExampleVoice], p.ids[edit.ExampleOther]
	doc, err = session.Parse([]byte(text))
	require.NoError(t, err)
	e, err := house.Store.AddEpisode(ctx, show, "The Last Fog Signal", 0, doc)
	require.NoError(t, err)
	m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 1, Format: "mp3", File: "fog.mp3"}
	file := aMixdown(t)
	m.Bytes = int64(len(file))
	require.NoError(t, house.Store.AddMixdown(ctx, m, doc))
	require.NoError(t, house.Bucket.WriteAll(ctx, work.MixdownKey(m), file, nil))
	p.ids["episode"], p.ids["mixdown"] = e.ID, m.ID
	p.ids["piece"] = want[[]struct{ Key string }](t, "GET", "/shelf", nil)[0].Key
	job := store.NewID()
	_, err = house.Store.AddJob(ctx, job, "elsewhere", show, nil, "a.wav", work.ImportArguments{})
	require.NoError(t, err)
	p.ids["job"] = job
	p.peopled(t)
	p.bodies["add-chunk"] = make([]byte, 4*48000)
	p.bodies["add-picture"] = drawn(t, 1500)
	p.bodies["add-sound"] = shortFile(t)
	p.bodies["publish"] = map[string]any{"mixdown": m.ID}
	return p
}

var aMixdown = onceOf(func(t testing.TB) []byte {
	path := filepath.Join(t.TempDir(), "fog.mp3")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "sine=frequency=300:duration=2", path)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	return data
})

var shortFile = onceOf(func(t testing.TB) []byte {
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.2, audio.Second/4, 5)))
	require.NoError(t, err)
	return data
})

// onceOf makes something for the first test that asks for it.
func onceOf(make func(testing.TB) []byte) func(testing.TB) []byte {
	var once sync.Once
	var made []byte
	return func(t testing.TB) []byte {
		t.Helper()
		once.Do(func() { made = make(t) })
		require.NotEmpty(t, made)
		return made
	}
}

// edited changes the episode, and gives its version.
func (p *place) edited(t testing.TB) int64 {
	t.Helper()
	version := want[episodes.Desk](t, "GET", "/episodes/"+p.ids["episode"], nil).Version
	return do(t, p.ids["episode"], version, map[string]any{"type": "add-marker", "at": 0, "name": "Here"}).Version
}

func (p *place) linked(t testing.TB) publish.Shared {
	t.Helper()
	link := want[publish.Shared](t, "POST", "/mixdowns/"+p.ids["mixdown"]+"/links", map[string]any{"comments": true})
	p.ids["link"] = link.ID
	return link
}

func (p *place) commented(t testing.TB) {
	t.Helper()
	visit(t, "POST", p.linked(t).Path+"/comments", url.Values{"words": {"Louder"}})
	p.ids["comment"] = want[publish.Sharing](t, "GET", "/episodes/"+p.ids["episode"]+"/links", nil).Remarks[0].ID
}

func (p *place) recording(t testing.TB) {
	t.Helper()
	take := want[takes.TakeStatus](t, "POST", "/episodes/"+p.ids["episode"]+"/takes", map[string]any{"track": "t1", "begins": 0, "rate": 48000, "channels": 1})
	p.ids["take"] = take.ID
}

func (p *place) recorded(t testing.TB) {
	t.Helper()
	p.recording(t)
	want[any](t, "POST", "/takes/"+p.ids["take"]+"/0", p.bodies["add-chunk"])
}

func (p *place) taken(t testing.TB) {
	t.Helper()
	p.recorded(t)
	job := want[named](t, "POST", "/takes/"+p.ids["take"]+"/finish", map[string]any{"chunks": 1})
	require.Equal(t, store.Done, ended(t, job.ID).State)
}

func (p *place) versioned(t testing.TB) {
	t.Helper()
	p.edited(t)
	p.ids["version"] = want[named](t, "POST", "/episodes/"+p.ids["episode"]+"/versions", map[string]any{"name": "For the editor"}).ID
	p.edited(t)
}

func (p *place) published(t testing.TB) {
	t.Helper()
	want[any](t, "PUT", "/episodes/"+p.ids["episode"]+"/publication", p.bodies["publish"])
}

func (p *place) failed(t testing.TB) {
	t.Helper()
	ctx, upload := t.Context(), store.NewID()
	_, err := house.Worker.Uploads.Write(ctx, upload, 0, bytes.NewReader(shortFile(t)))
	require.NoError(t, err)
	job := store.NewID()
	_, err = house.Store.AddJob(ctx, job, work.Import, p.ids["show"], nil, "a.wav", work.ImportArguments{Upload: upload, File: "a.wav"})
	require.NoError(t, err)
	_, _, err = house.Store.Claim(ctx, job, "another house", time.Hour)
	require.NoError(t, err)
	_, err = house.Store.End(ctx, job, "another house", store.Failed, &problem.Problem{Code: "given-up"})
	require.NoError(t, err)
	p.ids["job"] = job
}

// before is what is done so that an operation has something to be about.
var before = map[string]func(p *place, t testing.TB){
	"remove-comment": (*place).commented, "set-comment": (*place).commented, "change-link": func(p *place, t testing.TB) { p.linked(t) },
	"withdraw-link": func(p *place, t testing.TB) { p.linked(t) },
	"undo":          func(p *place, t testing.TB) { p.edited(t) }, "go-to-step": func(p *place, t testing.TB) { p.edited(t) },
	"compare-versions": func(p *place, t testing.TB) { p.edited(t) },
	"redo": func(p *place, t testing.TB) {
		p.edited(t)
		want[any](t, "POST", "/episodes/"+p.ids["episode"]+"/undo", nil)
	},
	"remove-version": (*place).versioned, "return-to-version": (*place).versioned,
	"withdraw-publication": (*place).published,
	"copy-mixdown": func(_ *place, t testing.TB) {
		house.Handover.Folder = t.TempDir()
		t.Cleanup(func() { house.Handover.Folder = "" })
	},
	"begin-job-again": (*place).failed, "put-job-away": (*place).failed,
	"get-picture": func(p *place, t testing.TB) {
		p.ids["picture"] = want[server.Picture](t, "POST", "/shows/"+p.ids["show"]+"/pictures", p.bodies["add-picture"]).ID
	},
	"add-chunk": (*place).recording, "finish-take": (*place).recorded, "discard-take": (*place).taken, "use-take": (*place).taken,
	"remove-take": func(p *place, t testing.TB) {
		p.taken(t)
		want[any](t, "POST", "/takes/"+p.ids["take"]+"/discard", nil)
	},
	"remove-treatment": func(p *place, t testing.TB) {
		p.ids["treatment"] = want[named](t, "POST", "/shows/"+p.ids["show"]+"/treatments", map[string]any{"name": "Kept", "treatment": session.Usual()}).ID
	},
	"remove-sound": func(p *place, _ testing.TB) { p.ids["sound"] = p.ids[edit.ExampleOther] },
	"bring-along": func(p *place, t testing.TB) {
		layout := want[episodes.Episode](t, "POST", "/shows/"+p.ids["show"]+"/layouts", map[string]any{"name": "Feature", "from": p.ids["episode"]}).ID
		p.ids["episode"] = want[named](t, "POST", "/shows/"+p.ids["show"]+"/episodes", map[string]any{"title": "Made of it", "layout": layout}).ID
		version := want[episodes.Desk](t, "GET", "/episodes/"+layout, nil).Version
		do(t, layout, version, map[string]any{"type": "set-target", "target": "podcast-mono"})
	},
}

// sent is a request: what its address, its query and its body say.
type sent struct {
	path  string
	query map[string]any
	body  any // bytes, something for JSON, or nil
}

// asExample is the request of an operation that its example says, in a place.
func (p *place) asExample(t testing.TB, d described, method, path string) sent {
	t.Helper()
	op := d.Paths[path][method]
	s := sent{path: path, query: map[string]any{}}
	for _, param := range op.Parameters {
		switch {
		case param.In == "path":
			require.NotEmpty(t, p.ids[param.Name], "%s: which %s?", op.OperationID, param.Name)
			s.path = strings.Replace(s.path, "{"+param.Name+"}", p.ids[param.Name], 1)
		case param.In == "query" && param.Example != nil:
			s.query[param.Name] = p.meant(param.Name, param.Example)
		}
	}
	if body, there := p.bodies[op.OperationID]; there {
		s.body = body
	} else if op.RequestBody != nil {
		for _, content := range op.RequestBody.Content {
			s.body = p.meant("", content.Example)
		}
	}
	return s
}

// meant puts the ids of a place where an example has others.
func (p *place) meant(name string, v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for k, of := range v {
			out[k] = p.meant(k, of)
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i := range v {
			out[i] = p.meant(name, v[i])
		}
		return out
	case string:
		for id, real := range p.ids {
			if len(id) == 64 {
				v = strings.ReplaceAll(v, id, real)
			}
		}
		if _, id := uuid.Parse(v); id == nil {
			return p.ids[name]
		}
		return v
	}
	return v
}

// bent is a request that is not quite as it should be: something in it is another thing, is not there, or stands twice.
func (m maker) bent(s sent) sent {
	if m.IntN(4) == 0 {
		parts := strings.Split(s.path, "/")
		parts[1+m.IntN(len(parts)-1)] = url.PathEscape(oddTexts[m.IntN(len(oddTexts))])
		s.path = strings.Join(parts, "/")
	}
	query := maps.Clone(s.query)
	for name := range s.query {
		if m.IntN(3) == 0 {
			query[name] = m.odd()
		}
	}
	s.query = query
	switch body := s.body.(type) {
	case nil:
	case []byte:
		s.body = m.mangled(body)
	default:
		s.body = m.bend(body, 0)
		if m.IntN(10) == 0 {
			data, _ := json.Marshal(s.body)
			s.body = m.mangled(data)
		}
	}
	return s
}

// mangled is bytes that broke off, have something behind them, or are others.
func (m maker) mangled(data []byte) []byte {
	switch data = bytes.Clone(data); m.IntN(4) {
	case 0:
		return data[:m.IntN(len(data)+1)]
	case 1:
		return bytes.Repeat([]byte("["), 5000)
	case 2:
		return append(data, 0xff)
	}
	for range 1 + len(data)/50 {
		if len(data) > 0 {
			data[m.IntN(len(data))] = byte(m.IntN(256))
		}
	}
	return data
}

// bend changes one thing in a value, now and then more.
func (m maker) bend(v any, depth int) any {
	if depth > 0 && m.IntN(3) == 0 {
		return m.odd()
	}
	switch v := v.(type) {
	case map[string]any:
		out := maps.Clone(v)
		if len(v) == 0 || m.IntN(8) == 0 {
			out[oddTexts[m.IntN(len(oddTexts))]] = m.odd()
			return out
		}
		name := slices.Sorted(maps.Keys(v))[m.IntN(len(v))]
		if m.IntN(6) == 0 {
			delete(out, name)
		} else {
			out[name] = m.bend(v[name], depth+1)
		}
		return out
	case []any:
		out := slices.Clone(v)
		switch {
		case len(v) == 0 || m.IntN(5) == 0:
			return append(out, m.odd())
		case m.IntN(5) == 0:
			return append(out, out...)
		}
		i := m.IntN(len(v))
		out[i] = m.bend(v[i], depth+1)
		return out
	}
	return m.odd()
}

// patient is how long an answer may take that is not a stream.
const patient = 20 * time.Second

// asks sends a request and refuses answers that no input may lead to.
func asks(t testing.TB, method, path string, s sent, headers ...string) (int, string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patient)
	defer cancel()
	query := url.Values{}
	for name, v := range s.query {
		text := fmt.Sprint(v)
		if f, ok := v.(float64); ok && math.Abs(f) < 1e15 {
			text = fmt.Sprintf("%.0f", f)
		}
		query.Set(name, text)
	}
	var in io.Reader
	kind := ""
	switch body := s.body.(type) {
	case nil:
	case []byte:
		in, kind = bytes.NewReader(body), "application/octet-stream"
	default:
		data, err := json.Marshal(body)
		require.NoError(t, err)
		in, kind = bytes.NewReader(data), "application/json"
	}
	if strings.Contains(path, "/edits") {
		kind = "application/json" // also of what is none
	}
	r, err := http.NewRequestWithContext(ctx, strings.ToUpper(method), base+s.path+"?"+query.Encode(), in)
	if err != nil {
		return 0, err.Error() // no client can send that
	}
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
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
		require.Fail(t, "an input led to a fault", "%s %s %v\n%d %s", r.Method, r.URL, s.body, answer.StatusCode, out)
	}
	if answer.StatusCode >= 400 && method != "head" {
		assert.Equal(t, "application/problem+json", answer.Header.Get("Content-Type"), "%s %s %d", r.Method, r.URL, answer.StatusCode)
		assert.NotContains(t, string(out), data, "no path of the server's is told")
		assert.Contains(t, string(out), `"detail"`)
	}
	return answer.StatusCode, string(out)
}

// operations are all there are, in order: the method and the path of each.
func (d described) operations() (out [][2]string) {
	for path, methods := range d.Paths {
		for method := range methods {
			out = append(out, [2]string{method, path})
		}
	}
	slices.SortFunc(out, func(a, b [2]string) int { return cmp.Or(strings.Compare(a[1], b[1]), strings.Compare(a[0], b[0])) })
	return out
}

// bends is how many requests are made of each that goes well, by bending it.
const bends = 4

func TestEveryOperationGoesWellAndBentLeadsToNoFaultAndNoHang(t *testing.T) {
	d := description(t)
	seed := uint64(time.Now().UnixNano())
	t.Logf("the seed is %d", seed)
	m := maker{rand.New(rand.NewPCG(seed, 7)), d}
	for _, o := range d.operations() {
		method, path := o[0], o[1]
		id := d.Paths[path][method].OperationID
		p := furnished(t)
		if first := before[id]; first != nil {
			first(p, t)
		}
		s := p.asExample(t, d, method, path)
		begun := time.Now()
		status, said := asks(t, method, path, s)
		if ofSeveral[id] { // what goes well there is tried with people
			assert.Contains(t, []int{404, 409, 200}, status, "%s %s: %s", method, s.path, said)
		} else {
			assert.Less(t, status, 300, "%s %s %v goes well: %s", method, s.path, s.query, said)
		}
		if took := time.Since(begun); took > time.Second {
			t.Logf("%s takes %v", id, took)
		}
		if _, gone := asks(t, "get", "/episodes/{episode}", sent{path: "/episodes/" + p.ids["episode"]}); strings.Contains(gone, "not-found") {
			p = furnished(t) // of what is bent more than the first part of its way is to be reached
			s = p.asExample(t, d, method, path)
		}
		for range bends {
			asks(t, method, path, m.bent(s))
		}
	}
}

func TestEveryEditGoesWellAndBentLeadsToNoFaultAndNoHang(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Logf("the seed is %d", seed)
	m := maker{rand.New(rand.NewPCG(seed, 9)), description(t)}
	const path = "/episodes/{episode}/edits"
	for _, op := range edit.Examples() {
		p := furnished(t)
		var of any
		require.NoError(t, json.Unmarshal(edit.Encode(op), &of))
		body := map[string]any{"base": 1, "op": p.meant("op", of)}
		s := sent{path: "/episodes/" + p.ids["episode"] + "/edits", body: body}
		status, said := asks(t, "post", path, s)
		assert.Equal(t, 200, status, "%s goes well: %s", edit.TypeOf(op), said)
		version := int64(2)
		for range bends {
			b := maps.Clone(body)
			b["base"], b["op"] = version, m.bend(body["op"], 0)
			if status, _ := asks(t, "post", path, sent{path: s.path, body: b}); status == 200 {
				version = want[episodes.Desk](t, "GET", "/episodes/"+p.ids["episode"], nil).Version
			}
			doc, _, err := house.Store.Document(t.Context(), p.ids["episode"])
			require.NoError(t, err)
			require.NoError(t, doc.Validate(), "%v", b["op"])
		}
	}
}

func FuzzEveryOperation(f *testing.F) {
	f.Add(uint64(1))
	f.Fuzz(func(t *testing.T, seed uint64) {
		d := description(t)
		m := maker{rand.New(rand.NewPCG(seed, 8)), d}
		operations := d.operations()
		o := operations[m.IntN(len(operations))]
		p := furnished(t)
		if first := before[d.Paths[o[1]][o[0]].OperationID]; first != nil {
			first(p, t)
		}
		asks(t, o[0], o[1], m.bent(p.asExample(t, d, o[0], o[1])))
	})
}

func TestUnknownIDsAreNotFoundEverywhere(t *testing.T) {
	d := description(t)
	const nobody, nothing = "01890000-0000-7000-8000-000000000000", "b"
	p := furnished(t)
	unknown := &place{bodies: maps.Clone(p.bodies), ids: map[string]string{
		"sound": strings.Repeat(nothing, 64), "picture": strings.Repeat(nothing, 64), "piece": "no-such-piece", "level": "0", "seq": "0", "step": "1", "list": "markers.csv", "track": "t1",
		edit.ExampleVoice: strings.Repeat(nothing, 64), edit.ExampleOther: strings.Repeat("c", 64),
	}}
	for _, name := range []string{"show", "episode", "take", "job", "mixdown", "link", "comment", "version", "treatment", "note", "person", "invitation", "window"} {
		unknown.ids[name] = nobody
	}
	unknown.bodies["publish"] = map[string]any{"mixdown": nobody}
	unknown.bodies["add-picture"], unknown.bodies["add-chunk"] = []byte("no picture"), make([]byte, 8)
	for _, o := range d.operations() {
		method, path := o[0], o[1]
		if !strings.Contains(path, "{") || strings.Contains(path, "{mine}") || strings.Contains(path, "{somebody}") {
			continue // the last two are of no show, and of several people alone
		}
		s := unknown.asExample(t, d, method, path)
		status, said := asks(t, method, path, s)
		assert.Equal(t, 404, status, "%s %s: %s", method, path, said)
		assert.Contains(t, said, `"code":"not-found"`, "%s %s", method, path)
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
