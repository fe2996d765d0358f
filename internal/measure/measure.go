// Package measure keeps what is measured of whole shows up to date in the background. There
// is one measurement of an episode at a time; the latest version wins, and who asks while
// it is under way shares it. Only the stretches that an edit has reached are rendered again:
// what was measured of the others is at hand, or stored. How far it has come, and that it is
// done, is told as events; the loudness is stored with the version.
package measure

import (
	"context"
	"errors"
	"log/slog"
	"runtime"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/semaphore"

	"ruvel/core/mix"
	"ruvel/internal/plans"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Measurer measures episodes. Close ends what is under way.
type Measurer struct {
	store *store.Store
	plans *plans.Plans
	queue *work.Queue

	ctx    context.Context
	stop   context.CancelFunc
	hands  *semaphore.Weighted // of which a measurement needs one
	group  sync.WaitGroup
	mu     sync.Mutex
	going  map[string]*going
	latest map[string]measured // of the episodes that were measured last
	order  []string            // of these, the last first
	fresh  chan struct{}       // closed when there is another one
	kept   map[mix.Key]bool    // powers that are stored; for one measurement at a time
}

// measured is a version as a whole.
type measured struct {
	version int64
	of      mix.Measured
}

// mostLatest is of how many episodes the latest measurement is at hand.
const mostLatest = 8

// going is the measurement of an episode that is under way.
type going struct {
	version int64              // that it is of; 0 while it waits
	asked   int64              // the newest that somebody has asked for
	cancel  context.CancelFunc // of the rendering
	gone    bool               // the episode is no more
}

// New makes a Measurer.
func New(st *store.Store, p *plans.Plans, q *work.Queue) *Measurer {
	m := &Measurer{store: st, plans: p, queue: q, hands: semaphore.NewWeighted(1), going: map[string]*going{}, latest: map[string]measured{}, kept: map[mix.Key]bool{}, fresh: make(chan struct{})}
	m.ctx, m.stop = context.WithCancel(context.Background())
	return m
}

// Close ends all measurements and waits until they have ended.
func (m *Measurer) Close() {
	m.stop()
	m.group.Wait()
}

// Ask sees to it that the current version of an episode, which is at least the one given,
// becomes measured. It returns at once. A measurement of an older version is given up.
func (m *Measurer) Ask(episode string, version int64) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.ctx.Err() != nil {
		return
	}
	if g := m.going[episode]; g != nil {
		g.asked = max(g.asked, version)
		if g.version != 0 && g.version < version {
			g.cancel()
		}
		return
	}
	m.going[episode] = &going{asked: version, cancel: func() {}}
	m.group.Go(func() { m.run(episode) })
}

// Forget gives up what is being measured of an episode that is no more, so that the others need not wait for it.
func (m *Measurer) Forget(episode string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if g := m.going[episode]; g != nil {
		g.asked, g.gone = 0, true
		g.cancel()
	}
	delete(m.latest, episode)
	m.order = slices.DeleteFunc(m.order, func(e string) bool { return e == episode })
}

// run measures an episode until nobody has asked for a newer version meanwhile.
func (m *Measurer) run(episode string) {
	for before := int64(-1); ; {
		version, err := m.once(episode)
		m.mu.Lock()
		g := m.going[episode]
		// What was asked for while the version was there already, or was about to be stored, is not lost. Nothing newer
		// than the episode is waited for: the next one to ask will.
		if again := g.asked > version && version > before; !again || m.ctx.Err() != nil {
			delete(m.going, episode)
			m.mu.Unlock()
			if err != nil && !errors.Is(err, context.Canceled) {
				slog.Warn("an episode could not be measured", "episode", episode, "error", err)
			}
			return
		}
		g.version, before = 0, version
		m.mu.Unlock()
	}
}

// once renders and measures the version that is current when its turn has come, and says which that was; 0 if it did not get so far.
func (m *Measurer) once(episode string) (version int64, err error) {
	if err := m.hands.Acquire(m.ctx, 1); err != nil {
		return 0, err
	}
	defer m.hands.Release(1)
	row, err := m.store.Episode(m.ctx, episode)
	if err != nil {
		return 0, err
	}
	if _, there := m.Latest(episode, row.Version); there && row.LoudnessVersion == row.Version {
		return row.Version, nil
	}
	plan, err := m.plans.Current(m.ctx, episode, 0)
	if err != nil {
		return 0, err
	}
	defer plan.Close()
	ctx, cancel := context.WithCancel(m.ctx)
	defer cancel()
	m.mu.Lock()
	g := m.going[episode]
	g.version, g.cancel = plan.Version, cancel // until run has looked whether a newer one was asked for
	if g.gone {
		cancel()
	}
	m.mu.Unlock()
	of, err := m.whole(ctx, plan.Plan, func(done float64) {
		m.queue.Announce(work.EpisodeSubject(episode), work.Event{Measure: &work.MeasureEvent{Version: plan.Version, Progress: done}})
	})
	if err != nil {
		return plan.Version, err
	}
	m.keep(episode, measured{plan.Version, of})
	if err := m.store.SetLoudness(m.ctx, episode, plan.Version, of.Loudness); err != nil {
		return plan.Version, err
	}
	m.queue.Announce(work.EpisodeSubject(episode), work.Event{Loudness: &work.LoudnessEvent{Version: plan.Version}})
	return plan.Version, nil
}

// Latest gives what was measured of a version, if it is the one that was measured last and is at hand.
func (m *Measurer) Latest(episode string, version int64) (mix.Measured, bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	l, there := m.latest[episode]
	return l.of, there && l.version == version
}

// Await gives what was measured of a version once that is there: it asks for it, and waits for as long as the
// context lasts. A version that is not the current one any more may never come.
func (m *Measurer) Await(ctx context.Context, episode string, version int64) (of mix.Measured, there bool) {
	for {
		m.mu.Lock()
		fresh := m.fresh
		m.mu.Unlock()
		if of, there = m.Latest(episode, version); there {
			return of, true
		}
		m.Ask(episode, version)
		select {
		case <-fresh:
		case <-ctx.Done():
			return of, false
		}
	}
}

// Soon measures a plan that is not that of a current version, if no more than a few of its spans are not known.
func (m *Measurer) Soon(ctx context.Context, plan *mix.Plan) (of mix.Measured, done bool, err error) {
	if _, err := m.recallPowers(ctx, plan); err != nil {
		return of, false, err
	}
	if len(missing(plan.PowersKeys(), plan.Powers())) > few { // without which it cannot even be named
		return of, false, nil
	}
	keys, err := keysOf(ctx, plan, func(float64) {})
	if err != nil {
		return of, false, err
	}
	facts := make([]*mix.Facts, len(keys))
	if err := m.recall(ctx, plan, keys, facts); err != nil {
		return of, false, err
	}
	unknown := 0
	for _, f := range facts {
		if f == nil {
			unknown++
		}
	}
	if unknown > few {
		return of, false, nil
	}
	if err := m.measure(ctx, plan, keys, facts, func(float64) {}); err != nil {
		return of, false, err
	}
	return mix.Fold(facts, plan.Length()), true, nil
}

func (m *Measurer) keep(episode string, l measured) {
	m.mu.Lock()
	defer m.mu.Unlock()
	close(m.fresh)
	m.fresh = make(chan struct{})
	m.latest[episode] = l
	order := []string{episode}
	for _, id := range m.order {
		if id != episode {
			order = append(order, id)
		}
	}
	for _, id := range order[min(mostLatest, len(order)):] {
		delete(m.latest, id)
	}
	m.order = order[:min(mostLatest, len(order))]
}

// When there is much to do, one core does it: the others are left to what somebody waits for, listening
// and the browser on the same machine among it. A few spans are measured on all.
const (
	few      = 8
	tellWhen = 300 * time.Millisecond
	keepWhen = 64 // spans
)

// whole has all spans of a plan measured, those that are not known one after the other, and puts them together.
func (m *Measurer) whole(ctx context.Context, plan *mix.Plan, tell func(done float64)) (mix.Measured, error) {
	before, err := m.recallPowers(ctx, plan)
	if err != nil {
		return mix.Measured{}, err
	}
	for key := range before {
		m.kept[key] = true
	}
	keys, err := keysOf(ctx, plan, tell)
	if err != nil {
		m.keepPowers(ctx, plan)
		return mix.Measured{}, err
	}
	facts := make([]*mix.Facts, len(keys))
	if err := m.recall(ctx, plan, keys, facts); err != nil {
		return mix.Measured{}, err
	}
	err = m.measure(ctx, plan, keys, facts, tell)
	m.keepPowers(ctx, plan)
	if err != nil {
		return mix.Measured{}, err
	}
	return mix.Fold(facts, plan.Length()), nil
}

// keysOf names all spans. Of treated voices it may have to be computed how loud they are, which takes a while.
func keysOf(ctx context.Context, plan *mix.Plan, tell func(done float64)) (keys []mix.Key, err error) {
	keys = make([]mix.Key, plan.Spans())
	told := time.Now()
	for n := range keys {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if keys[n], err = plan.FactsKey(n); err != nil {
			return nil, err
		}
		if time.Since(told) >= tellWhen {
			told = time.Now()
			tell(float64(n) / float64(len(keys)) / 2)
		}
	}
	return keys, nil
}

// mostKept is of how many powers it is remembered that they are stored.
const mostKept = 200_000

// remember stores what was measured, and says whether it could: where not, it is measured again another time.
func (m *Measurer) remember(ctx context.Context, facts map[mix.Key][]byte) bool {
	err := m.store.KeepFacts(context.WithoutCancel(ctx), facts)
	if err != nil {
		slog.Warn("what was measured of a mix is not kept", "error", err)
	}
	return err == nil
}

// keepPowers stores the powers of treated spans that are not stored yet.
func (m *Measurer) keepPowers(ctx context.Context, plan *mix.Plan) {
	fresh := plan.Powers()
	for key := range fresh {
		if m.kept[key] {
			delete(fresh, key)
		}
	}
	if !m.remember(ctx, fresh) {
		return
	}
	if len(m.kept) > mostKept {
		clear(m.kept)
	}
	for key := range fresh {
		m.kept[key] = true
	}
}

// recallPowers has at hand the powers of treated spans that are stored, and gives them.
func (m *Measurer) recallPowers(ctx context.Context, plan *mix.Plan) (map[mix.Key][]byte, error) {
	stored, err := m.store.Facts(ctx, missing(plan.PowersKeys(), plan.Powers()))
	if err == nil {
		plan.LearnPowers(stored)
	}
	return stored, err
}

// recall fills in the facts that are at hand or stored.
func (m *Measurer) recall(ctx context.Context, plan *mix.Plan, keys []mix.Key, facts []*mix.Facts) error {
	var unknown []mix.Key
	for n, key := range keys {
		if f, there := plan.FactsKnown(key); there {
			facts[n] = f
		} else {
			unknown = append(unknown, key)
		}
	}
	stored, err := m.store.Facts(ctx, unknown)
	if err != nil {
		return err
	}
	for n, key := range keys {
		if data, there := stored[key]; there && facts[n] == nil && plan.LearnFacts(key, data) {
			facts[n], _ = plan.FactsKnown(key)
		}
	}
	return nil
}

// measure measures the spans of which there are no facts, and keeps what it has found, also if it is given up.
func (m *Measurer) measure(ctx context.Context, plan *mix.Plan, keys []mix.Key, facts []*mix.Facts, tell func(done float64)) error {
	var todo []int
	for n, f := range facts {
		if f == nil {
			todo = append(todo, n)
		}
	}
	fresh := map[mix.Key][]byte{}
	keep := func() {
		m.remember(ctx, fresh)
		clear(fresh)
	}
	defer func() { keep() }()
	hands := 1
	if len(todo) <= few {
		hands = runtime.GOMAXPROCS(0)
	}
	var mu sync.Mutex
	g, each := errgroup.WithContext(ctx)
	g.SetLimit(hands)
	told, done := time.Now(), 0
	for _, n := range todo {
		if each.Err() != nil {
			break
		}
		g.Go(func() error {
			if err := each.Err(); err != nil {
				return err
			}
			f, err := plan.Facts(n, keys[n])
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			facts[n], fresh[keys[n]] = f, f.Bytes()
			if len(fresh) >= keepWhen {
				keep()
			}
			if done++; time.Since(told) >= tellWhen {
				told = time.Now()
				tell(float64(len(keys)-len(todo)+done) / float64(len(keys)))
			}
			return nil
		})
	}
	return errors.Join(g.Wait(), ctx.Err()) // given up, not all of them are there
}

// missing are the keys that nothing is known by.
func missing(keys []mix.Key, known map[mix.Key][]byte) (out []mix.Key) {
	for _, k := range keys {
		if _, there := known[k]; !there {
			out = append(out, k)
		}
	}
	return out
}
