package server

import (
	"context"
	"fmt"
	"math"
	"slices"

	"github.com/danielgtaylor/huma/v2"

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

// needed is how many dB a track must go down by somewhere, and otherwise than it does, or it is left as it is.
const needed = 0.5

func (s *Server) roomRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/room", "find-room",
		"How music and effects would make way so that speech leads by what is aimed at; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev  int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
			Left string `query:"without" maxLength:"2000" doc:"Ids of tracks, with commas between them, that are left as they are"`
		},
		) (*body[Room], error) {
			return answer(s.room(ctx, in.Episode, in.Rev, splitIDs(in.Left)))
		})
}

func (s *Server) room(ctx context.Context, episode string, rev int64, without []string) (out Room, err error) {
	p, err := s.Plans.Current(ctx, episode, rev)
	if err != nil {
		return out, err
	}
	defer p.Close()
	doc, version, err := s.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	out = Room{Version: version, Rows: []RoomRow{}}
	if out.Now, err = s.balance(ctx, episode, p); err != nil {
		return out, err
	}
	aim, _ := lead.FindAim(doc.Lead)
	ways := duck.Room(doc, aim.Lead)
	for _, id := range without {
		delete(ways, id)
	}
	// Twice: once to see who needs to, and then with those alone.
	for range 2 {
		if len(ways) == 0 {
			out.Then = out.Now
			break
		}
		if out.Then, err = s.withWays(ctx, episode, ways); err != nil {
			return out, err
		}
		for id := range ways {
			if most, _ := deepest(out.Then, id); most < needed {
				delete(ways, id)
			}
		}
	}
	for _, t := range doc.Tracks {
		w, there := ways[t.ID]
		if !there || !changes(out.Now, out.Then, t.ID) {
			continue
		}
		most, under := deepest(out.Then, t.ID)
		text := fmt.Sprintf("down by up to %.1f dB under %d stretches of speech", most, under)
		if under == 1 {
			text = fmt.Sprintf("down by %.1f dB under one stretch of speech", most)
		}
		out.Rows = append(out.Rows, RoomRow{t.ID, t.Name, w, most, under, text})
	}
	return out, nil
}

// changes says whether a track would make more or less way than it does.
func changes(now, then Balance, track string) bool {
	before, after := dropsIn(now, track), dropsIn(then, track)
	return !slices.EqualFunc(before, after, func(a, b audio.DB) bool { return math.Abs(float64(a-b)) < needed })
}

// dropsIn are by how many dB a track goes down under each stretch of speech; none if it makes no way.
func dropsIn(b Balance, track string) []audio.DB {
	for _, w := range b.Ways {
		if w.Track == track {
			return w.Drops
		}
	}
	return nil
}

// withWays is how speech would stand to everything else if some tracks made way.
func (s *Server) withWays(ctx context.Context, episode string, ways map[string]session.Way) (Balance, error) {
	op := edit.SetTracks{}
	for id, w := range ways {
		op.Tracks = append(op.Tracks, edit.TrackChange{Track: id, Way: &w})
	}
	return s.balanceAfter(ctx, episode, op)
}

// deepest is by how much a track goes down at most, and under how many stretches.
func deepest(b Balance, track string) (most audio.DB, under int) {
	for _, d := range dropsIn(b, track) {
		if most = max(most, d); d >= needed {
			under++
		}
	}
	return most, under
}
