package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/internal/access"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// here is where somebody is.
type here struct {
	Window  string       `json:"window" minLength:"1" maxLength:"40" doc:"Made by the window, and its own"`
	At      audio.Frames `json:"at" minimum:"0"`
	Playing bool         `json:"playing,omitempty"`
	Chosen  []string     `json:"chosen,omitempty" maxItems:"50"`
	Holds   []string     `json:"holds,omitempty" maxItems:"50"`
	Gone    bool         `json:"gone,omitempty" doc:"They leave"`
}

// togetherRoutes are what those who work on one episode know of each other.
func (s *Server) togetherRoutes(api huma.API) {
	route(s, api, operation("POST", "/episodes/{episode}/here", "be-here", "Tell the others who work on an episode where one is: when it changes, and at least every ten seconds. It is kept nowhere"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body here
		},
		) (*empty, error) {
			who := access.Asks(ctx)
			if who == nil {
				return nothing(s.several())
			}
			for _, ids := range [][]string{in.Body.Chosen, in.Body.Holds} {
				for _, id := range ids {
					if len(id) > 20 {
						return nil, newError(422, "That is no id of a clip.", "bad-request")
					}
				}
			}
			e := work.HereEvent{
				Window: in.Body.Window, Person: who.ID, Name: who.Name, Letters: who.Letters, At: in.Body.At, Playing: in.Body.Playing,
				Chosen: in.Body.Chosen, Holds: in.Body.Holds, Gone: in.Body.Gone,
			}
			e.Chosen, e.Holds = append([]string{}, e.Chosen...), append([]string{}, e.Holds...)
			s.Queue.Announce(work.EpisodeSubject(in.Episode), work.Event{Here: &e})
			return &empty{}, nil
		})
}

// tellable is an event as it may be told to who follows an episode of a show: all of it to who makes episodes; to others that something is
// new, and not what. False: it is none of theirs.
func (s *Server) tellable(ctx context.Context, episode, show string, e *work.Event) (bool, error) {
	if s.People == nil {
		return true, nil
	}
	can := func(right access.Right) bool { return s.Access.Can(ctx, show, right) }
	if can(access.Make) {
		if e.Change != nil { // what can be undone is everybody's own
			h, err := s.Store.HistoryOf(ctx, episode)
			if store.IsNotFound(err) {
				return false, nil
			}
			told := *e.Change
			told.History = h
			e.Change = &told
			return err == nil, err
		}
		return true, nil
	}
	switch {
	case e.Removed != nil, e.Members != nil:
		return true, nil
	case e.Change != nil:
		e.Change = &work.ChangeEvent{Episode: e.Change.Episode, Version: e.Change.Version, Changed: e.Change.Changed}
		return true, nil
	case e.Notes != nil, e.Here != nil:
		return can(access.Note), nil
	case e.Script != nil, e.Takes != nil:
		return can(access.Read), nil
	case e.Job != nil: // of making a sound of a take, whose end the one who has read it waits for
		return can(access.Read) && e.Job.Kind == work.Take && e.Job.Episode == episode, nil
	}
	return false, nil
}
