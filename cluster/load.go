package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"
)

// load finds out how much this machine can do, with all members on it: as many edits as are taken, by more and more people who do not
// pause, and what it takes to be listened to.
func load(ctx context.Context, h *house, out io.Writer) error {
	w := &work{tally: newTally()}
	people, _, err := w.gather(ctx, h)
	if err != nil {
		return err
	}
	for _, many := range []int{1, 5, 10, 30, 60} {
		if err := w.bearsEdits(ctx, people, many, out); err != nil {
			return err
		}
	}
	for _, many := range []int{1, 10, 30, 60} {
		if err := w.bearsListening(ctx, h, people, many, out); err != nil {
			return err
		}
	}
	return nil
}

// each is how long anything is tried.
const each = 15 * time.Second

// bearsEdits lets so many edit, each a desk of their own.
func (w *work) bearsEdits(ctx context.Context, people []*person, many int, out io.Writer) error {
	t := newTally()
	w.tally = t
	working, stop := context.WithTimeout(ctx, each)
	hands, _ := errgroup.WithContext(working)
	for k := range many {
		d := &desk{marks: map[string]bool{}}
		var made struct {
			ID string `json:"id"`
		}
		if err := people[0].once(ctx, http.MethodPost, "/shows/"+w.show+"/episodes", map[string]any{"title": fmt.Sprintf("Load %d of %d", k, many)}, &made); err != nil {
			stop()
			return err
		}
		d.id = made.ID
		hands.Go(func() error { return w.editsOn(working, people[k%len(people)], d) })
	}
	err := hands.Wait()
	stop()
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%d people who do not pause, on desks of their own: %.0f edits a second, p50 %v, p95 %v\n",
		many, float64(len(t.acks))/each.Seconds(), of(t.quiet, 0.5).Round(100*time.Microsecond), of(t.quiet, 0.95).Round(100*time.Microsecond))
	return nil
}

// bearsListening lets so many listen, each at the pace of listening.
func (w *work) bearsListening(ctx context.Context, h *house, people []*person, many int, out io.Writer) (err error) {
	cpu := 0.0
	for _, m := range h.ruvels {
		cpu -= worked(m)
	}
	begun := time.Now()
	var bytes atomic.Int64
	var all sync.WaitGroup
	listening, stop := context.WithTimeout(ctx, each)
	for k := range many {
		all.Go(func() {
			p := *people[k%len(people)]
			p.client = &http.Client{Transport: &http.Transport{}}
			answer, err := p.send(listening, http.MethodGet, "/episodes/"+w.played+"/listen?loop=true&from=0&to=2400000", nil)
			if err != nil {
				return
			}
			defer answer.Body.Close()
			n, _ := io.Copy(io.Discard, answer.Body)
			bytes.Add(n)
		})
	}
	all.Wait()
	stop()
	for _, m := range h.ruvels {
		cpu += worked(m)
	}
	seconds := time.Since(begun).Seconds()
	heard := float64(bytes.Load()) / (48000 * 8) / float64(many)
	if heard < seconds*0.9 {
		err = errors.Join(err, fmt.Errorf("%d who listen have each heard %.1f s in %.1f", many, heard, seconds))
	}
	fmt.Fprintf(out, "%d who listen: each has heard %.1f s in %.1f s; %.1f %% of a core each\n", many, heard, seconds, 100*cpu/seconds/float64(many))
	return err
}

// editsOn is edits by somebody who does not pause.
func (w *work) editsOn(ctx context.Context, p *person, d *desk) error {
	base := int64(1)
	for n := 0; ctx.Err() == nil; n++ {
		if _, err := w.edit(context.WithoutCancel(ctx), p, d.id, &base, map[string]any{"type": "add-marker", "at": n * 48000, "name": "Fog"}); err != nil {
			var no *refused
			if errors.As(err, &no) && no.status == http.StatusUnprocessableEntity {
				return nil // as many as a session can have
			}
			return err
		}
	}
	return nil
}
