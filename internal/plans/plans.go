// Package plans compiles the documents of episodes for rendering and keeps the latest
// plan of each for as long as it is of use: while somebody renders it, and a while longer.
// The working copies that a plan reads are open exactly as long as it is.
package plans

import (
	"context"
	"fmt"
	"sync"
	"time"

	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/flight"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// patience is how long Current waits for an edit that is still on its way.
const patience = 2 * time.Second

// Plans gives plans of episodes. It is safe for use by many goroutines.
type Plans struct {
	Store  *store.Store
	Sounds *sounds.Sounds
	Queue  *work.Queue
	// Idle is how long a plan is kept that nobody renders.
	Idle time.Duration

	mu        sync.Mutex
	latest    map[string]*kept
	once      sync.Once
	compiling *flight.Group[struct{}] // by episode and version
	spans     *mix.Spans              // of treated tracks, of all episodes and versions
}

// keptSpans is how many bytes of treated spans are kept: those of more than twenty minutes of one voice.
const keptSpans = 256 << 20

// begin makes what is shared, once.
func (p *Plans) begin() {
	p.once.Do(func() {
		p.compiling = flight.New[struct{}](compilers)
		p.spans = mix.NewSpans(keptSpans)
	})
}

// Computed is how many spans were computed since this began, and how many bytes those take that are kept.
func (p *Plans) Computed() (made, bytes int) {
	p.begin()
	return p.spans.Made(), p.spans.Bytes()
}

// planOf compiles a document.
func (p *Plans) planOf(doc session.Document, hold *sounds.Hold, earlier *mix.Plan) (*mix.Plan, error) {
	p.begin()
	plan, err := mix.CompileFrom(doc, hold, earlier)
	if err != nil {
		return nil, err
	}
	plan.KeepIn(p.spans)
	return plan, nil
}

// compilers is how many plans are compiled at a time: each may have working copies made anew.
const compilers = 4

// kept is a plan with what it rests on. It is closed when nobody uses it any more.
type kept struct {
	episode string
	version int64
	plan    *mix.Plan
	hold    *sounds.Hold
	users   int
	timer   *time.Timer
}

// Lease is the use of a plan. It ends with Close; until then the plan can be rendered.
type Lease struct {
	*mix.Plan
	Version int64
	close   func()
}

// Close ends the use. A second call does nothing.
func (l *Lease) Close() { l.close() }

// Current gives the current version of an episode, once that is at least the version
// wanted; when waiting takes too long, whatever is current.
func (p *Plans) Current(ctx context.Context, episode string, wanted int64) (*Lease, error) {
	version, err := p.Store.Version(ctx, episode)
	if err != nil {
		return nil, err
	}
	if version < wanted {
		if version, err = p.wait(ctx, episode, wanted); err != nil {
			return nil, err
		}
	}
	p.begin()
	for {
		if l := p.find(episode, version); l != nil {
			return l, nil
		}
		if _, err := p.compiling.Do(ctx, fmt.Sprintf("%s %d", episode, version), func(ctx context.Context) (struct{}, error) {
			return struct{}{}, p.compile(ctx, episode)
		}); err != nil {
			return nil, err
		}
		if version, err = p.Store.Version(ctx, episode); err != nil { // which may have moved on meanwhile
			return nil, err
		}
	}
}

// Without gives the current version with one track left out. It is not kept.
func (p *Plans) Without(ctx context.Context, episode, track string) (*Lease, error) {
	doc, version, err := p.Store.Document(ctx, episode)
	if err != nil {
		return nil, err
	}
	doc = doc.Draft()
	if i := doc.FindTrack(track); i >= 0 {
		doc.Tracks[i].Mute = true
	}
	return p.alone(ctx, doc, version)
}

// alone is the plan of a document that is not kept.
func (p *Plans) alone(ctx context.Context, doc session.Document, version int64) (*Lease, error) {
	hold := p.Sounds.Hold(ctx)
	plan, err := p.planOf(doc, hold, nil)
	if err != nil {
		hold.Close()
		return nil, err
	}
	var once sync.Once
	return &Lease{plan, version, func() { once.Do(hold.Close) }}, nil
}

// Past is a version of an episode that is not the present one: a named one, or, if that is empty, the one
// that there was when so many steps of the history were applied.
type Past struct {
	Named string
	Step  int64
}

// Past gives the plan of such a version and its document. It is not kept.
func (p *Plans) Past(ctx context.Context, episode string, past Past) (*Lease, session.Document, error) {
	var doc session.Document
	var version int64
	var err error
	if past.Named != "" {
		doc, err = p.Store.AtVersion(ctx, episode, past.Named)
	} else {
		doc, version, err = p.Store.AtStep(ctx, episode, past.Step)
	}
	if err != nil {
		return nil, doc, err
	}
	l, err := p.alone(ctx, doc, version)
	return l, doc, err
}

// Tried gives the current version as it would be after an edit, and its document. It is not kept, and nothing changes.
func (p *Plans) Tried(ctx context.Context, episode string, op edit.Op) (*Lease, session.Document, error) {
	doc, version, err := p.Store.Try(ctx, episode, op)
	if err != nil {
		return nil, doc, err
	}
	l, err := p.alone(ctx, doc, version)
	return l, doc, err
}

// find gives the plan of a version if it is kept.
func (p *Plans) find(episode string, version int64) *Lease {
	p.mu.Lock()
	defer p.mu.Unlock()
	k := p.latest[episode]
	if k == nil || k.version != version {
		return nil
	}
	return p.lease(k)
}

// lease is one use more of a plan; the lock is held.
func (p *Plans) lease(k *kept) *Lease {
	k.users++
	if k.timer != nil {
		k.timer.Stop()
		k.timer = nil
	}
	var once sync.Once
	return &Lease{k.plan, k.version, func() { once.Do(func() { p.release(k) }) }}
}

// release ends a use. A plan that is not the latest goes at once, the latest after a while.
func (p *Plans) release(k *kept) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if k.users--; k.users > 0 {
		return
	}
	if p.latest[k.episode] != k {
		k.hold.Close()
		return
	}
	k.timer = time.AfterFunc(p.Idle, func() { p.expire(k) })
}

// expire drops a plan that has not been used since its timer was set.
func (p *Plans) expire(k *kept) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if k.users == 0 && p.latest[k.episode] == k {
		delete(p.latest, k.episode)
		k.hold.Close()
	}
}

// Forget drops the plan of an episode as soon as nobody renders it, as when it cannot be
// rendered any more.
func (p *Plans) Forget(episode string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.drop(episode)
}

// drop takes the latest plan of an episode away; the lock is held.
func (p *Plans) drop(episode string) {
	k := p.latest[episode]
	if k == nil {
		return
	}
	delete(p.latest, episode)
	if k.timer != nil {
		k.timer.Stop()
	}
	if k.users == 0 {
		k.hold.Close()
	}
}

// ForgetIdle drops all plans that nobody renders, so that what they rest on can go.
func (p *Plans) ForgetIdle() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for episode, k := range p.latest {
		if k.users == 0 {
			p.drop(episode)
		}
	}
}

// compile makes the plan of the current version and keeps it in the place of an older one,
// for a while at first, until those who wanted it use it.
func (p *Plans) compile(ctx context.Context, episode string) error {
	doc, version, err := p.Store.Document(ctx, episode)
	if err != nil {
		return err
	}
	hold := p.Sounds.Hold(ctx) // which opens all that it reads while the plan is compiled
	plan, err := p.planOf(doc, hold, p.earlier(episode))
	if err != nil {
		hold.Close()
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if k := p.latest[episode]; k != nil {
		if k.version >= version { // somebody else was quicker
			hold.Close()
			return nil
		}
		p.drop(episode)
	}
	if p.latest == nil {
		p.latest = map[string]*kept{}
	}
	k := &kept{episode: episode, version: version, plan: plan, hold: hold}
	p.latest[episode] = k
	k.timer = time.AfterFunc(max(p.Idle, time.Second), func() { p.expire(k) })
	return nil
}

// earlier is a plan whose compiled parts may be used again. Its samples are not read.
func (p *Plans) earlier(episode string) *mix.Plan {
	p.mu.Lock()
	defer p.mu.Unlock()
	if k := p.latest[episode]; k != nil {
		return k.plan
	}
	return nil
}

// wait returns when the episode has reached a version or patience ends, with the version that it has then.
func (p *Plans) wait(ctx context.Context, episode string, wanted int64) (int64, error) {
	listenCtx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	events, err := p.Queue.Listen(listenCtx, work.EpisodeSubject(episode))
	if err != nil {
		return 0, err
	}
	for {
		version, err := p.Store.Version(ctx, episode)
		if err != nil || version >= wanted {
			return version, err
		}
		if _, more := <-events; more {
			continue
		}
		if listenCtx.Err() != nil {
			return version, ctx.Err()
		}
		if events, err = p.Queue.Listen(listenCtx, work.EpisodeSubject(episode)); err != nil { // the line was broken
			return version, err
		}
	}
}
