package main

import (
	"bufio"
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"sync"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// window shows a desk: it has the document, and changes it by what it is told.
type window struct {
	of *desk
	p  *person

	mu       sync.Mutex
	version  int64
	document json.RawMessage
	stale    time.Duration // the longest that it lay behind what was acknowledged
	behind   time.Time     // since when it does now; zero: it does not
}

// shows follows the desk as long as the context lasts. A line that has ended, or says nothing for three heartbeats, is begun again.
func (w *window) shows(ctx context.Context) {
	go w.watched(ctx)
	client := *w.p
	client.client = &http.Client{Transport: &http.Transport{}}
	for ctx.Err() == nil {
		_ = w.follow(ctx, &client)
		pause(ctx, retries)
	}
}

const silence = 15 * time.Second

func (w *window) follow(ctx context.Context, p *person) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	quiet := time.AfterFunc(silence, cancel)
	defer quiet.Stop()
	answer, err := p.send(ctx, http.MethodGet, "/events?episode="+w.of.id, nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if err := w.fetch(ctx); err != nil {
		return err
	}
	lines := bufio.NewReaderSize(answer.Body, 1<<20)
	for {
		text, err := lines.ReadString('\n')
		if err != nil {
			return err
		}
		quiet.Reset(silence)
		data, is := strings.CutPrefix(text, "data:")
		if !is {
			continue
		}
		var e struct {
			Version int64 `json:"version"` // of a heartbeat
			Change  *struct {
				Version int64           `json:"version"`
				Patch   json.RawMessage `json:"patch"`
			} `json:"change"`
		}
		if err := json.Unmarshal([]byte(data), &e); err != nil {
			return err
		}
		switch {
		case e.Change != nil && w.apply(e.Change.Version, e.Change.Patch):
		case e.Change != nil || e.Version > w.at():
			if err := w.fetch(ctx); err != nil {
				return err
			}
		}
	}
}

func (w *window) at() int64 {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.version
}

// apply applies the change to a version, if it follows what is shown or is older.
func (w *window) apply(version int64, patch json.RawMessage) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if version <= w.version {
		return true
	}
	if version != w.version+1 || len(patch) == 0 {
		return false
	}
	p, err := jsonpatch.DecodePatch(patch)
	if err != nil {
		return false
	}
	next, err := p.Apply(w.document)
	if err != nil {
		return false
	}
	w.version, w.document = version, next
	return true
}

func (w *window) fetch(ctx context.Context) error {
	d, err := w.p.desk(ctx, w.of.id)
	if err != nil {
		return err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if d.Version > w.version {
		w.version, w.document = d.Version, d.Document
	}
	return nil
}

// shown is a desk as it is asked for.
type shown struct {
	Version  int64           `json:"version"`
	Document json.RawMessage `json:"document"`
}

func (p *person) desk(ctx context.Context, id string) (d shown, err error) {
	return d, p.once(ctx, http.MethodGet, "/episodes/"+id, nil, &d)
}

// watched notes how long the window lies behind.
func (w *window) watched(ctx context.Context) {
	for ctx.Err() == nil {
		pause(ctx, 50*time.Millisecond)
		w.of.mu.Lock()
		version, since := w.of.version, w.of.since
		w.of.mu.Unlock()
		w.mu.Lock()
		switch {
		case w.version >= version:
			w.behind = time.Time{}
		case w.behind.IsZero():
			w.behind = since
		default:
			w.stale = max(w.stale, time.Since(w.behind))
		}
		w.mu.Unlock()
	}
}

// longest gives the longest that it lay behind since it was last asked.
func (w *window) longest() time.Duration {
	w.mu.Lock()
	defer w.mu.Unlock()
	out := w.stale
	w.stale = 0
	return out
}
