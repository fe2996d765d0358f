// Package check has episodes reviewed as a second pair of ears would: it brings together what a review needs, and keeps what was
// found for as long as all that it rests on is the same.
package check

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"log/slog"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"ruvel/core/edit"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/library"
	"ruvel/internal/measure"
	"ruvel/internal/plans"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/turns"
)

// Checker checks the episodes of all shows.
type Checker struct {
	Store   *store.Store
	Plans   *plans.Plans
	Measure *measure.Measurer
	Sounds  *sounds.Sounds
	Library *library.Library
	Takes   *takes.Takes
	Turns   *turns.Turns

	found *lru.Cache[[32]byte, Found] // by all that it rests on
}

// kept is of how many reviews it is kept what was found. Of the longest sessions one takes a megabyte.
const kept = 24

// New makes a checker of what it rests on.
func New(of Checker) *Checker {
	of.found, _ = lru.New[[32]byte, Found](kept) // whose only error is a size of 0
	return &of
}

// Found is what was found in a version of an episode. Whoever is given it does not change it.
type Found struct {
	Version  int64
	Measured bool             // the mix has been measured; otherwise nothing is said of it as a whole
	Findings []review.Finding // worst first; those that are set aside come last
	Kinds    []Kind           // of which there are several that can be mended at once
	Limits   review.Bounds    // of the show
}

// Kind is a kind of which several findings can be mended by one edit.
type Kind struct {
	Rule  review.Rule
	Count int // how many it mends
	Op    edit.Op
}

// Patience is how long a check waits for the mix to be measured: a small change takes less.
const Patience = time.Second

// Of checks an episode as it is now, or once it has a version. loop is the stretch that is played over and over; nil: there is
// none.
func (c *Checker) Of(ctx context.Context, episode string, version int64, loop *session.Span) (out Found, err error) {
	e, err := c.Store.Episode(ctx, episode)
	if err != nil {
		return out, err
	}
	p, planned := c.Plans.Current(ctx, episode, version)
	if planned == nil {
		defer p.Close() // whatever comes between: a plan that is not given back keeps its recordings mapped
	}
	doc, now, err := c.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	m, err := c.material(ctx, e, doc, loop)
	if err != nil {
		return out, err
	}
	if planned != nil {
		if len(m.Missing) == 0 {
			return out, planned
		}
		slog.Info("an episode is checked as far as that goes without a plan", "episode", episode, "error", planned)
		return c.known(episode, m, now)
	}
	waiting, stop := context.WithTimeout(ctx, Patience)
	defer stop()
	of, measured := c.Measure.Await(waiting, episode, p.Version)
	if measured && now == p.Version {
		m.Mix = &of
	}
	if now == p.Version {
		m.Plan = c.Turns.Plan(ctx, episode, p.Plan)
	}
	hold := c.Sounds.Hold(ctx)
	defer hold.Close()
	m.Source = hold
	return c.known(episode, m, now)
}

// Findings are those of a version of an episode.
func (c *Checker) Findings(ctx context.Context, episode string, version int64) ([]review.Finding, error) {
	out, err := c.Of(ctx, episode, version, nil)
	return out.Findings, err
}

// material is what a review needs besides the plan.
func (c *Checker) material(ctx context.Context, e store.Episode, doc session.Document, loop *session.Span) (m review.Material, err error) {
	said, err := c.Store.Details(ctx, e.Show)
	if err != nil {
		return m, err
	}
	all := e.Said().Over(said)
	m = review.Material{
		Wanted:   ctx.Err,
		Document: doc, Loop: loop, Details: &review.Details{Title: e.Title, Description: all.Description, Language: all.Language},
		Examined: func(id string) (review.Examined, error) { return c.Sounds.Examined(ctx, id) },
	}
	if m.Limits, err = c.Store.Limits(ctx, e.Show); err != nil {
		return m, err
	}
	if m.Credits, err = c.Library.Papers(ctx, e.Show, doc); err != nil {
		return m, err
	}
	recorded, err := c.Takes.List(ctx, e.ID)
	if err != nil {
		return m, err
	}
	for _, t := range recorded {
		if (t.State == store.TakeRecording || t.State == store.TakeClosed) && !t.Live {
			m.Takes = append(m.Takes, review.Take{Track: t.Track, At: t.Begins})
		}
	}
	for _, id := range doc.SoundsInOrder() {
		if !c.Sounds.Whole(ctx, id) {
			m.Missing = append(m.Missing, id)
		}
	}
	return m, nil
}

// known is what a review finds, or what was found the last time that all it rests on was the same.
func (c *Checker) known(episode string, m review.Material, version int64) (out Found, err error) {
	rests, err := json.Marshal([]any{episode, version, m.Plan != nil, m.Mix != nil, m.Credits, m.Missing, m.Details, m.Takes, m.Loop, m.Limits})
	if err != nil {
		return out, fmt.Errorf("name what a review rests on: %w", err)
	}
	key := sha256.Sum256(rests)
	if known, there := c.found.Get(key); there {
		return known, nil
	}
	if out, err = reviewed(m, version); err == nil {
		c.found.Add(key, out)
	}
	return out, err
}

// reviewed is what a review finds.
func reviewed(m review.Material, version int64) (out Found, err error) {
	out = Found{Version: version, Measured: m.Mix != nil, Limits: m.Limits}
	if out.Findings, err = review.Of(m); err != nil {
		return out, err
	}
	byKind := map[string][]review.Finding{}
	for _, f := range out.Findings {
		byKind[f.Kind] = append(byKind[f.Kind], f)
	}
	for _, r := range review.Rules() {
		if op, n := review.Together(byKind[r.Kind]); n > 1 {
			out.Kinds = append(out.Kinds, Kind{r, n, op})
		}
	}
	return out, nil
}
