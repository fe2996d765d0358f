package server

import (
	"context"
	"sync"
	"time"

	"ruvel/core/mix"
	"ruvel/internal/work"
)

// plans keeps the few latest compiled documents.
type plans struct {
	server *Server
	mu     sync.Mutex
	latest []planned // the last used first
}

type planned struct {
	episode string
	version int64
	plan    *mix.Plan
}

const (
	keptPlans = 8
	// waitForVersion is how long a listener waits for an edit that is still on its way.
	waitForVersion = 2 * time.Second
)

// get gives the current version of an episode, once that is at least the version
// wanted; when waiting takes too long, whatever is current.
func (p *plans) get(ctx context.Context, episode string, wanted int64) (planned, error) {
	e, err := p.server.Store.Episode(ctx, episode)
	if err != nil {
		return planned{}, err
	}
	if e.Version < wanted {
		if err := p.wait(ctx, episode, wanted); err != nil {
			return planned{}, err
		}
		if e, err = p.server.Store.Episode(ctx, episode); err != nil {
			return planned{}, err
		}
	}
	if found, ok := p.find(episode, e.Version); ok {
		return found, nil
	}
	doc, version, err := p.server.Store.Document(ctx, episode)
	if err != nil {
		return planned{}, err
	}
	plan, err := mix.Compile(doc, p.server.Sounds.Samples(ctx))
	if err != nil {
		return planned{}, err
	}
	fresh := planned{episode, version, plan}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.latest = append([]planned{fresh}, p.latest[:min(len(p.latest), keptPlans-1)]...)
	return fresh, nil
}

// without gives the current version with one track muted. It is not kept.
func (p *plans) without(ctx context.Context, episode, track string) (planned, error) {
	doc, version, err := p.server.Store.Document(ctx, episode)
	if err != nil {
		return planned{}, err
	}
	if i := doc.FindTrack(track); i >= 0 {
		doc.Tracks[i].Mute = true
	}
	plan, err := mix.Compile(doc, p.server.Sounds.Samples(ctx))
	return planned{episode, version, plan}, err
}

func (p *plans) find(episode string, version int64) (planned, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, k := range p.latest {
		if k.episode == episode && k.version == version {
			return k, true
		}
	}
	return planned{}, false
}

// wait returns when the episode has reached a version or patience ends.
func (p *plans) wait(ctx context.Context, episode string, version int64) error {
	listenCtx, cancel := context.WithTimeout(ctx, waitForVersion)
	defer cancel()
	events, err := p.server.Queue.Listen(listenCtx, work.EpisodeSubject(episode))
	if err != nil {
		return err
	}
	for {
		e, err := p.server.Store.Episode(ctx, episode)
		if err != nil || e.Version >= version {
			return err
		}
		if _, more := <-events; !more {
			return ctx.Err()
		}
	}
}
