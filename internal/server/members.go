package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/access"
	"ruvel/internal/people"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// InMember is a route about somebody of a show.
type InMember struct {
	InShow
	Person string `path:"person" format:"uuid" of:"person"`
}

// inSomebody is a route about somebody of this Ruvel, for who looks after it.
type inSomebody struct {
	Somebody string `path:"somebody" format:"uuid"`
}

// Renewed is the link of somebody who has forgotten their password.
type Renewed struct {
	Link string `json:"link" doc:"What stands behind /join# in it"`
}

func (s *Server) memberRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows/{show}/people", "list-members", "Who is of a show, and, for its owners, who is invited"),
		func(ctx context.Context, in *InShow) (*body[people.OfShow], error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			return answer(s.People.OfShow(ctx, in.Show))
		})
	route(s, api, operation("POST", "/shows/{show}/people", "invite", "Make a link by which somebody becomes of a show: good once, for seven days"),
		func(ctx context.Context, in *struct {
			InShow
			Body struct {
				Role store.Role `json:"role" enum:"owner,producer,reader,listener"`
				Note string     `json:"note,omitempty" maxLength:"200" doc:"Whom it is for"`
			}
		},
		) (*body[people.Invited], error) {
			if _, err := s.self(ctx); err != nil {
				return nil, fail(err)
			}
			return answer(s.People.Invite(ctx, in.Show, in.Body.Role, in.Body.Note))
		})
	route(s, api, operation("DELETE", "/shows/{show}/invitations/{invitation}", "remove-invitation", "Take an invitation back"),
		func(ctx context.Context, in *struct {
			InShow
			Invitation string `path:"invitation" format:"uuid" of:"invitation"`
		},
		) (*empty, error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			return nothing(s.Store.RemoveInvitation(ctx, in.Invitation))
		})
	route(s, api, operation("PUT", "/shows/{show}/people/{person}", "set-role", "Give somebody of a show another role"),
		func(ctx context.Context, in *struct {
			InMember
			Body struct {
				Role store.Role `json:"role" enum:"owner,producer,reader,listener"`
			}
		},
		) (*empty, error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			return s.membersChanged(in.Show, s.People.SetRole(ctx, in.Show, in.Person, in.Body.Role))
		})
	route(s, api, operation("DELETE", "/shows/{show}/people/{person}", "remove-member", "Take somebody out of a show"),
		func(ctx context.Context, in *InMember) (*empty, error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			return s.membersChanged(in.Show, s.Store.Leave(ctx, in.Show, in.Person))
		})
	route(s, api, operation("POST", "/shows/{show}/leave", "leave-show", "Leave a show oneself"),
		func(ctx context.Context, in *InShow) (*empty, error) {
			who, err := s.self(ctx)
			if err != nil {
				return nil, fail(err)
			}
			return s.membersChanged(in.Show, s.Store.Leave(ctx, in.Show, who.ID))
		})
	s.keeperRoutes(api)
}

// keeperRoutes are for who looks after this Ruvel.
func (s *Server) keeperRoutes(api huma.API) {
	keeping := func(ctx context.Context) error {
		who, err := s.self(ctx)
		if err == nil && !who.Keeper {
			err = s.Access.Enter(ctx, access.Keep)
		}
		return err
	}
	route(s, api, operation("GET", "/people", "list-people", "All people of this Ruvel, for who looks after it"),
		func(ctx context.Context, _ *empty) (*body[[]store.Person], error) {
			if err := keeping(ctx); err != nil {
				return nil, fail(err)
			}
			return answer(s.Store.People(ctx))
		})
	route(s, api, operation("POST", "/people/{somebody}/renew", "renew-password", "Make a link by which somebody who has forgotten their password gives another one: good once, for a day"),
		func(ctx context.Context, in *inSomebody) (*body[Renewed], error) {
			if err := keeping(ctx); err != nil {
				return nil, fail(err)
			}
			link, err := s.People.Renew(ctx, in.Somebody)
			return answer(Renewed{link}, err)
		})
	route(s, api, operation("DELETE", "/people/{somebody}", "remove-person", "Let somebody in nowhere any more: their sessions and tokens end at once, their name stays on what they have made"),
		func(ctx context.Context, in *inSomebody) (*empty, error) {
			if err := keeping(ctx); err != nil {
				return nil, fail(err)
			}
			return nothing(s.Store.RemovePerson(ctx, in.Somebody))
		})
}

func (s *Server) membersChanged(show string, err error) (*empty, error) {
	if err == nil {
		s.Queue.Announce(work.ShowSubject(show), work.Event{Members: &work.ShowEvent{Show: show}})
	}
	return nothing(err)
}
