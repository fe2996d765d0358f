// Package arrange is what is found out for arranging an episode: its pauses, where somebody speaks, the ways in which music comes to a length,
// what acts on a level; and what is made of its clips.
package arrange

import (
	"context"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/core/pause"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/internal/flight"
	"ruvel/internal/plans"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/turns"
	"ruvel/internal/work"
)

// Arranger is that of all episodes. It is safe for use by many goroutines.
type Arranger struct {
	Store  *store.Store
	Sounds *sounds.Sounds
	Plans  *plans.Plans
	Turns  *turns.Turns
	Worker *work.Worker

	fitting *flight.Group[Fits] // ways to bring music to a length that are being found
}

// New makes an arranger of what it rests on.
func New(of Arranger) *Arranger {
	of.fitting = flight.New[Fits](0)
	return &of
}

// Pauses is what can be tightened in an episode.
type Pauses struct {
	Pauses  []pause.Pause `json:"pauses" nullable:"false"`
	Version int64         `json:"version" doc:"That they were found in"`
}

// Spoken is where somebody speaks.
type Spoken struct {
	Spans []session.Span `json:"spans" nullable:"false" doc:"In order and apart from each other, in session time"`
}

// Pauses are those in the speech of an episode that could be tightened, on some tracks or, if none is named, all for voices; nothing changes.
func (a *Arranger) Pauses(ctx context.Context, episode string, named []string, wanted pause.Settings) (Pauses, error) {
	doc, version, err := a.Store.Document(ctx, episode)
	if err != nil {
		return Pauses{}, err
	}
	tracks := voices(doc, named)
	done, err := a.listened(ctx, episode, doc, tracks)
	if err != nil {
		return Pauses{}, err
	}
	defer done()
	found, err := pause.Find(doc, tracks, a.Sounds.Speech(ctx), wanted)
	return Pauses{found, version}, err
}

// Spoken is where somebody is heard to speak in a stretch of an episode.
func (a *Arranger) Spoken(ctx context.Context, episode string, from, to audio.Frames) (Spoken, error) {
	doc, _, err := a.Store.Document(ctx, episode)
	if err != nil {
		return Spoken{}, err
	}
	done, err := a.listened(ctx, episode, doc, voices(doc, nil))
	if err != nil {
		return Spoken{}, err
	}
	defer done()
	spans, err := speech.Spoken(doc, a.Sounds.Speech(ctx), from, to)
	return Spoken{append([]session.Span{}, spans...)}, err
}

// Levels are what acts on the level of a clip at a moment.
func (a *Arranger) Levels(ctx context.Context, episode, clip string, at audio.Frames) (mix.Levels, error) {
	doc, version, err := a.Store.Document(ctx, episode)
	if err != nil {
		return mix.Levels{}, err
	}
	if !slices.ContainsFunc(doc.Tracks, session.Track.MakesWay) {
		return mix.LevelsAt(doc, clip, at, nil)
	}
	p, err := a.Plans.Current(ctx, episode, version)
	if err != nil {
		return mix.Levels{}, err
	}
	defer p.Close()
	return mix.LevelsAt(doc, clip, at, a.Turns.Plan(ctx, episode, p.Plan))
}

// voices are the tracks that were named, or all for voices.
func voices(doc session.Document, named []string) []string {
	if len(named) > 0 {
		return named
	}
	var out []string
	for _, t := range doc.Tracks {
		if t.Part == session.Voice {
			out = append(out, t.ID)
		}
	}
	return out
}

// listened waits for the turn to look at where tracks speak, and gives what ends it. What is not known of their sounds is found
// out before, so that a working copy that has to be made anew, which takes minutes, holds up nobody else.
func (a *Arranger) listened(ctx context.Context, episode string, doc session.Document, tracks []string) (done func(), err error) {
	source := a.Sounds.Speech(ctx)
	for _, id := range tracks {
		i := doc.FindTrack(id)
		if i < 0 {
			continue // which whoever looks will say
		}
		for _, c := range doc.Tracks[i].Clips {
			if _, err := source.Phrases(c.Sound, doc.Sounds[c.Sound].Sensitivity); err != nil {
				return nil, err
			}
		}
	}
	return a.Turns.Compute(ctx, episode)
}
