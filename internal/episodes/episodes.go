// Package episodes is what can be done with the episodes of a show and with the layouts that they begin as: they are listed, put on the desk,
// brought along with their layout, removed.
package episodes

import (
	"context"
	"time"

	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/glance"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/internal/measure"
	"ruvel/internal/plans"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/work"
)

// Episodes are those of all shows.
type Episodes struct {
	Store   *store.Store
	Plans   *plans.Plans
	Measure *measure.Measurer
	Takes   *takes.Takes
	Bucket  *blob.Bucket
	Queue   *work.Queue
}

// Episode is an episode as the shelf lists it.
type Episode struct {
	ID     string `json:"id"`
	Show   string `json:"show"`
	Number int    `json:"number"`
	Title  string `json:"title"`
	details.Details
	Version  int64            `json:"version"`
	Length   audio.Frames     `json:"length" doc:"Frames at 48 kHz"`
	Changed  time.Time        `json:"changed"`
	Loudness *loudness.Result `json:"loudness,omitempty" doc:"Left out while this version has not been measured"`
	Mixdowns int              `json:"mixdowns" doc:"How many of this very version"`
	Layout   bool             `json:"layout,omitempty" doc:"It is a layout of the house sound of its show, and no episode"`
	MadeFrom string           `json:"madeFrom,omitempty" doc:"The layout that it began as"`
}

// View is how an episode is listed.
func View(e store.Episode) Episode {
	v := Episode{ID: e.ID, Show: e.Show, Number: e.Number, Title: e.Title, Details: e.Said(), Version: e.Version, Length: e.Length, Changed: e.Changed, Mixdowns: e.Mixdowns, Layout: e.Layout}
	if e.MadeFrom != nil {
		v.MadeFrom = *e.MadeFrom
	}
	if e.LoudnessVersion == e.Version {
		v.Loudness = &e.Loudness.Of
	}
	return v
}

// Heard is an episode as those see it who hear it or read for it, and do not make it.
func (e Episode) Heard() Episode {
	return Episode{ID: e.ID, Show: e.Show, Number: e.Number, Title: e.Title, Version: e.Version, Length: e.Length, Changed: e.Changed}
}

// Desk is all that is needed to show a session.
type Desk struct {
	Episode  Episode          `json:"episode"`
	ShowName string           `json:"showName"`
	Version  int64            `json:"version"`
	Document session.Document `json:"document"`
	Glance   glance.Glance    `json:"glance" doc:"What follows from the document"`
	store.History
}

// Desk is that of an episode.
func (all *Episodes) Desk(ctx context.Context, id string) (Desk, error) {
	doc, version, err := all.Store.Document(ctx, id)
	if err != nil {
		return Desk{}, err
	}
	e, err := all.Store.Episode(ctx, id)
	if err != nil {
		return Desk{}, err
	}
	show, err := all.Store.Show(ctx, e.Show)
	if err != nil {
		return Desk{}, err
	}
	h, err := all.Store.HistoryOf(ctx, id)
	return Desk{Episode: View(e), ShowName: show.Name, Version: version, Document: doc.Draft(), Glance: glance.Of(doc), History: h}, err
}

// Remove removes an episode with the files that are now nobody's, and tells the windows that show it.
func (all *Episodes) Remove(ctx context.Context, episode string) error {
	recorded, err := all.Store.Takes(ctx, episode)
	if err != nil {
		return err
	}
	gone, err := all.Store.RemoveEpisode(ctx, episode)
	if err != nil {
		return err
	}
	all.Measure.Forget(episode)
	all.Plans.Forget(episode)
	for _, t := range recorded {
		_ = all.Takes.Chunks.Remove(ctx, t.ID)
	}
	for _, m := range gone {
		_ = all.Bucket.Delete(ctx, work.MixdownKey(m))
	}
	all.Queue.Announce(work.EpisodeSubject(episode), work.Event{Removed: &work.ShowEvent{}})
	return nil
}
