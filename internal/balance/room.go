package balance

import (
	"context"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/lead"
	"ruvel/core/session"
)

// Room is what would become of a session in which music and effects make way for speech.
type Room struct {
	Version int64     `json:"version" doc:"That it is of"`
	Now     Balance   `json:"now"`
	Then    Balance   `json:"then" doc:"As it would be with all rows"`
	Rows    []RoomRow `json:"rows" nullable:"false" doc:"The tracks that need to make way"`
}

// RoomRow is a track that needs to make way.
type RoomRow struct {
	Track string      `json:"track"`
	Name  string      `json:"name"`
	Way   session.Way `json:"way" doc:"With which it would"`
	Most  audio.DB    `json:"most" doc:"dB by which it goes down at most"`
	Under int         `json:"under" doc:"Under how many stretches of speech it goes down"`
	Text  string      `json:"text" doc:"In words"`
}

// Room is how music and effects of an episode would make way, once it has a version, but for some tracks; nothing changes.
func (b *Balancer) Room(ctx context.Context, episode string, rev int64, without []string) (out Room, err error) {
	p, err := b.Plans.Current(ctx, episode, rev)
	if err != nil {
		return out, err
	}
	defer p.Close()
	doc, version, err := b.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	out.Version, out.Rows = version, []RoomRow{}
	if out.Now, err = b.now(ctx, episode, p); err != nil {
		return out, err
	}
	aim, _ := lead.FindAim(doc.Lead)
	needs, err := duck.Needs(doc, aim.Lead, without, out.Now.downs(), func(ways map[string]session.Way) (duck.Downs, error) {
		out.Then, err = out.Now, nil
		if op := (edit.SetTracks{}); len(ways) > 0 {
			for id, w := range ways {
				op.Tracks = append(op.Tracks, edit.TrackChange{Track: id, Way: &w})
			}
			out.Then, err = b.After(ctx, episode, op)
		}
		return out.Then.downs(), err
	})
	for _, n := range needs {
		out.Rows = append(out.Rows, RoomRow(n))
	}
	return out, err
}

// downs are by how much tracks go down under speech.
func (of Balance) downs() duck.Downs {
	out := duck.Downs{}
	for _, w := range of.Ways {
		out[w.Track] = w.Drops
	}
	return out
}
