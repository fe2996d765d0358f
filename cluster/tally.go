package main

import (
	"fmt"
	"io"
	"slices"
	"sync"
	"time"
)

// tally are the figures.
type tally struct {
	mu     sync.Mutex
	acks   []time.Time     // when edits were acknowledged
	quiet  []time.Duration // how long that took where nothing was wrong
	during []time.Duration // and while something was, or had been just before
	times  map[string][]time.Duration
	broken int // streams that broke off
	wrong  bool
	faults []fault
}

// fault is something that was done to a member, and what came of it.
type fault struct {
	kind, how string
	waited    time.Duration // the longest that an edit took that was under way then
	stale     time.Duration // the longest that a window lay behind
}

func newTally() *tally { return &tally{times: map[string][]time.Duration{}} }

// edited notes that an edit was acknowledged.
func (t *tally) edited(begun, acknowledged time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.acks = append(t.acks, acknowledged)
	took := acknowledged.Sub(begun)
	if !t.wrong {
		t.quiet = append(t.quiet, took)
		return
	}
	t.during = append(t.during, took)
	f := &t.faults[len(t.faults)-1]
	f.waited = max(f.waited, took)
}

// did notes how long something took.
func (t *tally) did(what string, took time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.times[what] = append(t.times[what], took)
}

func (t *tally) broke() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.broken++
}

// begins notes that something goes wrong now.
func (t *tally) begins(kind, how string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.wrong = true
	t.faults = append(t.faults, fault{kind: kind, how: how})
}

// over notes that all is as it should be again, with the longest that a window lay behind meanwhile.
func (t *tally) over(stale time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.wrong = false
	t.faults[len(t.faults)-1].stale = stale
}

// of is the value below which so much of some times lies.
func of(times []time.Duration, part float64) time.Duration {
	if len(times) == 0 {
		return 0
	}
	sorted := slices.Sorted(slices.Values(times))
	return sorted[min(len(sorted)-1, int(part*float64(len(sorted))))]
}

// tell prints the figures.
func (t *tally) tell(to io.Writer, lasted time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	ms := func(d time.Duration) string { return fmt.Sprintf("%.1f ms", float64(d.Microseconds())/1000) }
	fmt.Fprintf(to, "%d edits in %v: %.1f a second; p50 %s, p95 %s where nothing is wrong, p50 %s, p95 %s while something is\n",
		len(t.acks), lasted.Round(time.Second), float64(len(t.acks))/lasted.Seconds(), ms(of(t.quiet, 0.5)), ms(of(t.quiet, 0.95)), ms(of(t.during, 0.5)), ms(of(t.during, 0.95)))
	for _, what := range slices.Sorted(keys(t.times)) {
		fmt.Fprintf(to, "%s: %d, p50 %v, longest %v\n", what, len(t.times[what]), of(t.times[what], 0.5).Round(time.Millisecond), of(t.times[what], 1).Round(time.Millisecond))
	}
	fmt.Fprintf(to, "listening broke off %d times\n\n| what | how | edits waited at most | windows lay behind at most |\n| --- | --- | --- | --- |\n", t.broken)
	for _, f := range t.faults {
		fmt.Fprintf(to, "| %s | %s | %.1f s | %.1f s |\n", f.kind, f.how, f.waited.Seconds(), f.stale.Seconds())
	}
}

func keys[V any](m map[string]V) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}
