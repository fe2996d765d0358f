package server

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

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

func (s *Server) evenRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/evening", "find-evening",
		"How voices would be brought to the same loudness or peak by the gains of their clips; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Of    string  `query:"of" enum:"clips,tracks" default:"clips" doc:"Clip by clip, or all clips of a track together"`
			By    even.By `query:"by" enum:"loudness,peak" default:"loudness"`
			To    float64 `query:"to" minimum:"-60" maximum:"0" doc:"LUFS or dBFS; left out or 0: the middle of all"`
			Clips string  `query:"clips" maxLength:"20000" doc:"Ids of clips, with commas between them; left out: all on tracks for voices"`
		},
		) (*body[Evening], error) {
			doc, version, err := s.Store.Document(ctx, in.Episode)
			if err != nil {
				return nil, fail(err)
			}
			all, err := s.thingsOf(ctx, in.Episode, version, doc, in.Of == "tracks", in.Clips)
			if err != nil {
				return nil, fail(err)
			}
			rows, things := slices.Clone(all.rows), all.things
			var to *float64
			if in.To != 0 {
				to = &in.To
			}
			out := Evening{Version: version, Ceiling: audio.DB(doc.Goal().TruePeak), Rows: rows}
			var plan []even.Row
			out.Target, plan = even.Plan(things, in.By, to, out.Ceiling)
			for i, row := range plan {
				out.Rows[i].Row = row
			}
			return answer(out, nil)
		})
}

// things are what is evened out, and what is said of each.
type things struct {
	rows   []EvenRow
	things []even.Thing
}

// thingsOf gives those of a version of an episode. They are found once for all who ask, and kept.
func (s *Server) thingsOf(ctx context.Context, episode string, version int64, doc session.Document, byTrack bool, chosen string) (things, error) {
	key := fmt.Sprintf("%s %d %t %s", episode, version, byTrack, chosen)
	if known, there := s.evened.Get(key); there {
		return known, nil
	}
	return s.evening.Do(ctx, key, func(ctx context.Context) (out things, err error) {
		for _, t := range doc.Tracks { // what is not known of sounds is found out before there is a turn to hold
			for _, id := range evenedOf(t, chosen) {
				if _, err := s.Sounds.Powers(ctx, t.Clips[id].Sound); err != nil {
					return out, err
				}
				if _, err := s.Sounds.Peaks(ctx, t.Clips[id].Sound); err != nil {
					return out, err
				}
			}
		}
		done, err := s.Turns.Compute(ctx, episode)
		if err != nil {
			return out, err
		}
		defer done()
		if out.rows, out.things, err = s.things(ctx, doc, byTrack, chosen); err == nil {
			s.evened.Add(key, out)
		}
		return out, err
	})
}

// evenedOf are the clips of a track that are to be evened out, in order.
func evenedOf(t session.Track, chosen string) (clips []string) {
	wanted := map[string]bool{}
	for id := range strings.SplitSeq(chosen, ",") {
		wanted[id] = true
	}
	for _, id := range t.ClipsInOrder() {
		if !t.Clips[id].Silent && (wanted[id] || (chosen == "" && t.Part == session.Voice)) {
			clips = append(clips, id)
		}
	}
	return clips
}

// things are the clips that are to be evened out, or the tracks that they lie on, in the order
// in which they are heard, with what is said of them.
func (s *Server) things(ctx context.Context, doc session.Document, byTrack bool, chosen string) (rows []EvenRow, things []even.Thing, err error) {
	rows = []EvenRow{}
	series := func(sound string) (loudness.Series, error) { return s.Sounds.Powers(ctx, sound) }
	for _, t := range doc.Tracks {
		clips, hearing := evenedOf(t, chosen), mix.NewHearing(t, series, s.Sounds.PeaksOf(ctx))
		var groups [][]string
		if byTrack && len(clips) > 0 {
			groups = [][]string{clips}
		} else {
			groups = slices.Collect(slices.Chunk(clips, 1))
		}
		for _, ids := range groups {
			first := t.Clips[ids[0]]
			thing := even.Thing{ID: ids[0], Gains: map[string]audio.DB{}}
			row := EvenRow{Name: first.Name, Track: t.Name, Start: first.Start}
			if byTrack {
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
