package balance

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/even"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
)

// Evening is what would become of voices that are brought to the same loudness.
type Evening struct {
	Version int64     `json:"version" doc:"That it is of"`
	Target  float64   `json:"target" doc:"LUFS or dBFS that all are brought to"`
	Ceiling audio.DB  `json:"ceiling" doc:"dBFS over which no peak should come"`
	Rows    []EvenRow `json:"rows" nullable:"false"`
}

// EvenRow is a clip, or a speaker with all clips of a track.
type EvenRow struct {
	Name  string       `json:"name" doc:"Of the clip or the track"`
	Track string       `json:"track" doc:"The name of the track"`
	Start audio.Frames `json:"start" doc:"Where it begins"`
	even.Row
}

// Wish is how voices are to be evened out.
type Wish struct {
	By      even.By
	To      *float64 // LUFS or dBFS; nil: the middle of all
	ByTrack bool     // all clips of a track together; otherwise clip by clip
	Clips   []string // their ids; none: all on tracks for voices
}

// Even is how voices of an episode would be brought to the same loudness or peak by the gains of their clips; nothing changes.
func (b *Balancer) Even(ctx context.Context, episode string, w Wish) (Evening, error) {
	doc, version, err := b.Store.Document(ctx, episode)
	if err != nil {
		return Evening{}, err
	}
	all, err := b.thingsOf(ctx, episode, version, doc, w)
	if err != nil {
		return Evening{}, err
	}
	out := Evening{Version: version, Ceiling: audio.DB(doc.Goal().TruePeak), Rows: slices.Clone(all.rows)}
	var plan []even.Row
	out.Target, plan = even.Plan(all.things, w.By, w.To, out.Ceiling)
	for i, row := range plan {
		out.Rows[i].Row = row
	}
	return out, nil
}

// things are what is evened out, and what is said of each.
type things struct {
	rows   []EvenRow
	things []even.Thing
}

// thingsOf gives those of a version of an episode. They are found once for all who ask, and kept.
func (b *Balancer) thingsOf(ctx context.Context, episode string, version int64, doc session.Document, w Wish) (things, error) {
	key := fmt.Sprintf("%s %d %t %s", episode, version, w.ByTrack, strings.Join(w.Clips, ","))
	if known, there := b.evened.Get(key); there {
		return known, nil
	}
	return b.evening.Do(ctx, key, func(ctx context.Context) (out things, err error) {
		for _, t := range doc.Tracks { // what is not known of sounds is found out before there is a turn to hold
			for _, id := range w.clipsOf(t) {
				if _, err := b.Sounds.Powers(ctx, t.Clips[id].Sound); err != nil {
					return out, err
				}
				if _, err := b.Sounds.Peaks(ctx, t.Clips[id].Sound); err != nil {
					return out, err
				}
			}
		}
		done, err := b.Turns.Compute(ctx, episode)
		if err != nil {
			return out, err
		}
		defer done()
		if out.rows, out.things, err = b.things(ctx, doc, w); err == nil {
			b.evened.Add(key, out)
		}
		return out, err
	})
}

// clipsOf are the clips of a track that are to be evened out, in order.
func (w Wish) clipsOf(t session.Track) (clips []string) {
	for _, id := range t.ClipsInOrder() {
		if !t.Clips[id].Silent && (slices.Contains(w.Clips, id) || (len(w.Clips) == 0 && t.Part == session.Voice)) {
			clips = append(clips, id)
		}
	}
	return clips
}

// things are the clips that are to be evened out, or the tracks that they lie on, in the order
// in which they are heard, with what is said of them.
func (b *Balancer) things(ctx context.Context, doc session.Document, w Wish) (rows []EvenRow, things []even.Thing, err error) {
	rows = []EvenRow{}
	series := func(sound string) (loudness.Series, error) { return b.Sounds.Powers(ctx, sound) }
	for _, t := range doc.Tracks {
		clips, hearing := w.clipsOf(t), mix.NewHearing(t, series, b.Sounds.PeaksOf(ctx))
		var groups [][]string
		if w.ByTrack && len(clips) > 0 {
			groups = [][]string{clips}
		} else {
			groups = slices.Collect(slices.Chunk(clips, 1))
		}
		for _, ids := range groups {
			first := t.Clips[ids[0]]
			thing := even.Thing{ID: ids[0], Gains: map[string]audio.DB{}}
			row := EvenRow{Name: first.Name, Track: t.Name, Start: first.Start}
			if w.ByTrack {
				thing.ID, row.Name = t.ID, t.Name
			}
			for _, id := range ids {
				thing.Gains[id] = t.Clips[id].Gain
			}
			if thing.Loudness, thing.Peak, err = hearing.Of(ids); err != nil {
				return nil, nil, err
			}
			rows, things = append(rows, row), append(things, thing)
		}
	}
	return rows, things, nil
}
