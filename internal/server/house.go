package server

import (
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/house"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Layout is a layout of the house sound of a show.
type Layout struct {
	Episode
	Places []EmptyPlace `json:"places" nullable:"false" doc:"The empty places, in order"`
	Tracks []string     `json:"tracks" nullable:"false" doc:"The names of its tracks"`
	Music  []HouseMusic `json:"music" nullable:"false" doc:"What is played in every episode"`
	Target string       `json:"target" doc:"In words"`
	Made   int          `json:"made" doc:"How many episodes began as it"`
}

// EmptyPlace is where something goes that each episode has of its own.
type EmptyPlace struct {
	Name  string `json:"name"`
	Track string `json:"track" doc:"The name of its track"`
	session.Span
}

// HouseMusic is a piece that every episode has.
type HouseMusic struct {
	Name  string `json:"name"`
	Sound string `json:"sound"`
	Clips int    `json:"clips"`
}

// Bringable is what can be brought from a layout to an episode that began as it.
type Bringable struct {
	Episode Episode        `json:"episode"`
	Layout  string         `json:"layout" doc:"Its name"`
	Changes []house.Change `json:"changes" nullable:"false"`
}

// newLayout is a layout that is to be made.
type newLayout struct {
	Name string `json:"name" maxLength:"200" doc:"What kind of episode it is for"`
	From string `json:"from,omitempty" format:"uuid" doc:"The episode that it is taken from; left out: it is empty"`
}

func (s *Server) houseRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/shows/{show}/layouts", "list-layouts", "The layouts of the house sound of a show"),
		func(ctx context.Context, in *InShow) (*body[[]Layout], error) { return answer(s.layouts(ctx, in.Show)) })
	huma.Register(api, operation("POST", "/shows/{show}/layouts", "add-layout",
		"Keep a layout: taken from an episode, with its music and settings, and empty places for what was said; or empty. It is edited as an episode is, by its id"),
		func(ctx context.Context, in *struct {
			InShow
			Body newLayout
		},
		) (*body[Episode], error) {
			return answer(s.addLayout(ctx, in.Show, in.Body))
		})
	huma.Register(api, operation("GET", "/shows/{show}/along", "list-along", "What has changed in layouts since episodes were made from them, by episode; nothing changes"),
		func(ctx context.Context, in *InShow) (*body[[]Bringable], error) {
			return answer(s.alongAll(ctx, in.Show))
		})
	huma.Register(api, operation("POST", "/episodes/{episode}/along", "bring-along", "Bring an episode in line with its layout, as one step that can be undone. What was changed in the episode itself stays"),
		func(ctx context.Context, in *InEpisode) (*body[work.ChangeEvent], error) {
			return answer(s.bringAlong(ctx, in.Episode))
		})
}

func (s *Server) layouts(ctx context.Context, show string) ([]Layout, error) {
	rows, err := s.Store.Layouts(ctx, show)
	if err != nil {
		return nil, err
	}
	out := []Layout{}
	for _, e := range rows {
		doc, _, err := s.Store.Document(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		l := Layout{Episode: view(e), Places: []EmptyPlace{}, Tracks: []string{}, Music: []HouseMusic{}}
		target, _ := doc.Aim()
		l.Target = target.Name
		for _, id := range doc.EmptyPlaces() {
			m := doc.Markers[id]
			l.Places = append(l.Places, EmptyPlace{m.Name, doc.Tracks[doc.FindTrack(m.Fills)].Name, session.Span{From: m.At, To: m.At + m.Length}})
		}
		for _, t := range doc.Tracks {
			l.Tracks = append(l.Tracks, t.Name)
			for _, id := range t.ClipsInOrder() {
				c := t.Clips[id]
				if i := slices.IndexFunc(l.Music, func(m HouseMusic) bool { return m.Sound == c.Sound }); i >= 0 {
					l.Music[i].Clips++
				} else {
					l.Music = append(l.Music, HouseMusic{c.Name, c.Sound, 1})
				}
			}
		}
		made, err := s.Store.BegunAs(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		l.Made = len(made)
		out = append(out, l)
	}
	return out, nil
}

func (s *Server) addLayout(ctx context.Context, show string, want newLayout) (Episode, error) {
	name, err := session.NewName(want.Name, "name")
	if err != nil {
		return Episode{}, err
	}
	doc, said := session.New(), details.Details{}
	if want.From != "" {
		from, err := s.Store.Episode(ctx, want.From)
		if err == nil && from.Show != show {
			err = problem.Problem{Code: "not-found", Where: "from", Message: "This episode is not one of the show."}
		}
		if err != nil {
			return Episode{}, err
		}
		full, _, err := s.Store.Document(ctx, want.From)
		if err != nil {
			return Episode{}, err
		}
		doc, said = house.Take(full), from.Said()
		said.Description, said.Guests, said.Date, said.Credits = "", nil, "", "" // which are of that episode alone
	}
	e, err := s.Store.AddLayout(ctx, show, name, doc, said)
	return view(e), err
}

// bringable is what has changed in a layout since an episode was in line with it, and the edit of a version of the episode that brings it along.
func (s *Server) bringable(ctx context.Context, e store.Episode, now session.Document, version int64) (changes []house.Change, op *edit.BringAlong, base int64, err error) {
	own, base, err := s.Store.Document(ctx, e.ID)
	if err != nil {
		return nil, nil, 0, err
	}
	was, err := s.Store.InLineWith(ctx, e, own)
	if err != nil {
		return nil, nil, 0, err
	}
	changes, op = house.Along(was, now, version, own)
	return changes, op, base, nil
}

func (s *Server) alongAll(ctx context.Context, show string) ([]Bringable, error) {
	rows, err := s.Store.Layouts(ctx, show)
	if err != nil {
		return nil, err
	}
	out := []Bringable{}
	for _, l := range rows {
		now, version, err := s.Store.Document(ctx, l.ID)
		if err != nil {
			return nil, err
		}
		made, err := s.Store.BegunAs(ctx, l.ID)
		if err != nil {
			return nil, err
		}
		for _, e := range made {
			changes, _, _, err := s.bringable(ctx, e, now, version)
			if err != nil {
				return nil, err
			}
			if len(changes) > 0 {
				out = append(out, Bringable{view(e), l.Title, changes})
			}
		}
	}
	return out, nil
}

func (s *Server) bringAlong(ctx context.Context, episode string) (work.ChangeEvent, error) {
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	if e.MadeFrom == nil {
		return work.ChangeEvent{}, problem.New("no-layout", "episode", "This episode was not made from a layout of the house sound, or that has been removed.")
	}
	layout, err := s.Store.Episode(ctx, *e.MadeFrom)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	now, version, err := s.Store.Document(ctx, layout.ID)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	_, op, base, err := s.bringable(ctx, e, now, version)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	if op == nil {
		return work.ChangeEvent{}, problem.New("nothing-to-bring", "episode", "This episode is in line with the house sound already.")
	}
	op.Name = "Bring along with the house sound “" + layout.Title + "”"
	c, err := s.Store.BringAlong(ctx, episode, base, layout.ID, *op, now)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	return s.Queue.Changed(episode, c), nil
}
