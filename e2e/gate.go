package e2e

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
)

// Gate stands between the browser and a server as a proxy does: it holds requests back, answers in the server's place,
// changes what the server answers, and counts.
type Gate struct {
	Address string // to open instead of the server's

	mu     sync.Mutex
	rules  []*rule
	counts map[string]int
	last   map[string]url.Values // what was asked last, by method and path
	open   int                   // streams of events
}

// rule is what becomes of the requests of a method to addresses that end in some way.
type rule struct {
	method, ending string
	times          int // for how many more requests; below 0: for all
	held           chan struct{}
	status         int
	body, kind     string
	spoil          func([]byte) []byte
}

// StartGate puts a gate before a server's address.
func StartGate(t testing.TB, server string) *Gate {
	t.Helper()
	to, err := url.Parse(server)
	require.NoError(t, err)
	g := &Gate{counts: map[string]int{}, last: map[string]url.Values{}}
	proxy := &httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(to)
			r.Out.Host = r.In.Host
			r.Out.Header.Del("Accept-Encoding") // what is spoilt can be read
		},
		FlushInterval:  -1,
		ErrorHandler:   func(w http.ResponseWriter, _ *http.Request, _ error) { w.WriteHeader(http.StatusBadGateway) },
		ModifyResponse: g.modify,
	}
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { g.pass(proxy, w, r) }))
	t.Cleanup(func() {
		g.Clear()
		front.CloseClientConnections()
		front.Close()
	})
	g.Address = front.URL
	return g
}

func (g *Gate) pass(proxy http.Handler, w http.ResponseWriter, r *http.Request) {
	g.mu.Lock()
	g.counts[r.Method+" "+r.URL.Path]++
	g.last[r.Method+" "+r.URL.Path] = r.URL.Query()
	found := g.find(r)
	stream := r.URL.Path == "/api/events"
	if stream {
		g.open++
	}
	g.mu.Unlock()
	if stream {
		defer func() { g.mu.Lock(); g.open--; g.mu.Unlock() }()
	}
	if found != nil && found.held != nil {
		select {
		case <-found.held:
		case <-r.Context().Done():
			return
		}
	}
	if found != nil && found.status != 0 {
		_, _ = io.Copy(io.Discard, r.Body)
		w.Header().Set("Content-Type", found.kind)
		w.WriteHeader(found.status)
		_, _ = io.WriteString(w, found.body)
		return
	}
	proxy.ServeHTTP(w, r)
}

// find gives the rule for a request and counts it down.
func (g *Gate) find(r *http.Request) *rule {
	for _, one := range g.rules {
		if one.times == 0 || one.method != r.Method || !strings.HasSuffix(r.URL.Path, one.ending) || one.spoil != nil {
			continue
		}
		one.times--
		return one
	}
	return nil
}

// modify changes an answer for which there is a rule.
func (g *Gate) modify(r *http.Response) error {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, one := range g.rules {
		if one.spoil == nil || one.times == 0 || one.method != r.Request.Method || !strings.HasSuffix(r.Request.URL.Path, one.ending) {
			continue
		}
		one.times--
		data, err := io.ReadAll(r.Body)
		if err != nil {
			return err
		}
		data = one.spoil(data)
		r.Body = io.NopCloser(bytes.NewReader(data))
		r.ContentLength = int64(len(data))
		r.Header.Set("Content-Length", strconv.Itoa(len(data)))
		return nil
	}
	return nil
}

func (g *Gate) add(r *rule) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.rules = append(g.rules, r)
}

// Hold keeps requests of a method to addresses that end in some way back until the returned function is called.
func (g *Gate) Hold(method, ending string) (release func()) {
	r := &rule{method: method, ending: ending, times: -1, held: make(chan struct{})}
	g.add(r)
	return sync.OnceFunc(func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		r.times = 0
		close(r.held)
	})
}

// Answer answers so many requests in the server's place.
func (g *Gate) Answer(times int, method, ending string, status int, kind, body string) {
	g.add(&rule{method: method, ending: ending, times: times, status: status, kind: kind, body: body})
}

// Spoil changes the next answer.
func (g *Gate) Spoil(method, ending string, change func([]byte) []byte) {
	g.add(&rule{method: method, ending: ending, times: 1, spoil: change})
}

// Clear takes all rules back.
func (g *Gate) Clear() {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, r := range g.rules {
		if r.held != nil && r.times != 0 {
			close(r.held)
		}
		r.times = 0
	}
	g.rules = nil
}

// Count is how many requests of a method have come to addresses that end in some way.
func (g *Gate) Count(method, ending string) (n int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for key, times := range g.counts {
		if strings.HasPrefix(key, method+" ") && strings.HasSuffix(key, ending) {
			n += times
		}
	}
	return n
}

// Last is the query of the last request of a method to an address.
func (g *Gate) Last(method, path string) url.Values {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.last[method+" "+path]
}

// Streams is how many streams of events are open.
func (g *Gate) Streams() int {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.open
}
