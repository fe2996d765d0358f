// Package measure keeps the loudness of whole shows up to date in the background. There
// is one measurement of an episode at a time; the latest version wins, and who asks while
// it is under way shares it. The result is stored with the version and told as an event.
package measure

import (
	"context"
	"log/slog"
	"sync"

	"golang.org/x/sync/semaphore"

	"ruvel/core/audio"
	"ruvel/core/loudness"
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

	ctx   context.Context
	stop  context.CancelFunc
	hands *semaphore.Weighted // a rendering takes all cores, so there is one at a time
	group sync.WaitGroup
	mu    sync.Mutex
	going map[string]*going
}

// going is the measurement of an episode that is under way.
type going struct {
	version int64              // that it is of; 0 while it waits
	again   bool               // somebody has asked for a newer one
	cancel  context.CancelFunc // of the rendering
}

// New makes a Measurer.
func New(st *store.Store, p *plans.Plans, q *work.Queue) *Measurer {
	m := &Measurer{store: st, plans: p, queue: q, hands: semaphore.NewWeighted(1), going: map[string]*going{}}
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
		if g.version != 0 && g.version < version {
			g.again = true
			g.cancel()
		}
		return
	}
	m.going[episode] = &going{cancel: func() {}}
	m.group.Go(func() { m.run(episode) })
}

// run measures an episode until nobody has asked for a newer version meanwhile.
func (m *Measurer) run(episode string) {
	for {
		err := m.once(episode)
		m.mu.Lock()
		again := m.going[episode].again
		if !again || m.ctx.Err() != nil {
			delete(m.going, episode)
			m.mu.Unlock()
			if err != nil && m.ctx.Err() == nil {
				slog.Warn("an episode could not be measured", "episode", episode, "error", err)
			}
			return
		}
		m.going[episode].again = false
		m.mu.Unlock()
	}
}

// once renders and measures the version that is current when its turn has come.
func (m *Measurer) once(episode string) error {
	if err := m.hands.Acquire(m.ctx, 1); err != nil {
		return err
	}
	defer m.hands.Release(1)
	row, err := m.store.Episode(m.ctx, episode)
	if err != nil || row.LoudnessVersion == row.Version {
		return err
	}
	plan, err := m.plans.Current(m.ctx, episode, 0)
	if err != nil {
		return err
	}
	defer plan.Close()
	ctx, cancel := context.WithCancel(m.ctx)
	defer cancel()
	m.mu.Lock()
	m.going[episode].version, m.going[episode].cancel = plan.Version, cancel
	m.mu.Unlock()
	result, err := Whole(ctx, plan.Plan)
	m.mu.Lock()
	m.going[episode].version = 0
	m.mu.Unlock()
	if err != nil {
		return err
	}
	if err := m.store.SetLoudness(m.ctx, episode, plan.Version, result); err != nil {
		return err
	}
	m.queue.Announce(work.EpisodeSubject(episode), work.Event{Loudness: &work.LoudnessEvent{Version: plan.Version}})
	return nil
}

// piece is how much is rendered before it is measured.
const piece = 64 * audio.Block

// Whole renders and measures a plan from its beginning to its end, on one core: the others are left to what somebody
// waits for, listening and the browser on the same machine among it.
func Whole(ctx context.Context, plan *mix.Plan) (loudness.Result, error) {
	meter := loudness.NewMeter(2)
	renderer := mix.NewRenderer(plan)
	buffer := audio.NewPCM(2, piece)
	for at := audio.Frames(0); at < plan.Length(); at += piece {
		if err := ctx.Err(); err != nil {
			return loudness.Result{}, err
		}
		part := buffer.Slice(0, min(piece, plan.Length()-at))
		if err := renderer.Render(part, at); err != nil {
			return loudness.Result{}, err
		}
		meter.Write(part)
	}
	return meter.Result(), nil
}
