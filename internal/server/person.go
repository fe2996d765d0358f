package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/problem"
	"ruvel/internal/access"
	"ruvel/internal/people"
	"ruvel/internal/store"
)

// Me is who asks, told also to who is nobody yet.
type Me struct {
	People  bool          `json:"people" doc:"There are several people, who sign in"`
	Person  *store.Person `json:"person,omitempty" doc:"Left out: nobody has signed in"`
	SignIn  string        `json:"signIn,omitempty" doc:"The name by which they sign in; empty: they sign in elsewhere"`
	Begins  bool          `json:"begins" doc:"They may begin a show"`
	Outside string        `json:"outside,omitempty" doc:"What one can sign in with elsewhere, by its name"`
	Pages   string        `json:"pages,omitempty" doc:"Where pages for listeners and feeds are, if not here"`
}

// cookied is an answer that gives a browser a cookie.
type cookied[T any] struct {
	Cookie http.Cookie `header:"Set-Cookie"`
	Body   T
}

// emptied is one without content.
type emptied struct {
	Cookie http.Cookie `header:"Set-Cookie"`
}

func (s *Server) me(ctx context.Context, who *store.Person) Me {
	m := Me{People: s.People != nil, Begins: s.People == nil, Pages: s.Pages}
	if s.Outside != nil {
		m.Outside = s.Outside.Name
	}
	if who == nil {
		if asks := access.Asks(ctx); asks != nil {
			who = &asks.Person
			m.Begins = asks.Begins()
		}
	}
	if who != nil {
		m.Person = who
		if who.SignIn != nil {
			m.SignIn = *who.SignIn
		}
	}
	return m
}

// several says whether there are several people; what is about them is refused where there is one.
func (s *Server) several() error {
	if s.People == nil {
		return problem.New("one-person", "people", "This Ruvel is run for one person. Start it with --people, and others can come in.")
	}
	return nil
}

// self is who asks, if they have signed in themselves: no token does what is theirs alone.
func (s *Server) self(ctx context.Context) (*access.Who, error) {
	if err := s.several(); err != nil {
		return nil, err
	}
	who := access.Asks(ctx)
	if who == nil {
		return nil, access.Unknown()
	}
	if who.Token != "" {
		return nil, problem.New("not-allowed", "token", "A token cannot do that. Sign in yourself.")
	}
	return who, nil
}

// entered gives the browser of somebody a session.
func (s *Server) entered(ctx context.Context, p store.Person, err error) (*cookied[Me], error) {
	if err != nil {
		return nil, fail(err)
	}
	c, err := s.begin(ctx, p)
	if err != nil {
		return nil, fail(err)
	}
	who, err := s.People.Who(ctx, p.ID, p.Epoch)
	if err != nil {
		return nil, fail(err)
	}
	return &cookied[Me]{c, s.me(access.As(ctx, who), nil)}, nil
}

func (s *Server) personRoutes(api huma.API) {
	route(s, api, operation("GET", "/me", "get-me", "Who asks"),
		func(ctx context.Context, _ *empty) (*body[Me], error) { return answer(s.me(ctx, nil), nil) })
	s.signInRoutes(api)
	route(s, api, operation("PATCH", "/me", "call-me", "Be called something else"),
		func(ctx context.Context, in *struct{ Body named }) (*body[Me], error) {
			who, err := s.self(ctx)
			if err != nil {
				return nil, fail(err)
			}
			p, err := s.People.Call(ctx, who.ID, in.Body.Name)
			m := s.me(ctx, nil)
			m.Person = &p
			return answer(m, err)
		})
	route(s, api, operation("POST", "/me/password", "change-password", "Change one's password, which ends all sessions but this one"),
		func(ctx context.Context, in *struct {
			Body struct {
				Old string `json:"old" maxLength:"400"`
				New string `json:"new" maxLength:"400"`
			}
		},
		) (*cookied[Me], error) {
			who, err := s.self(ctx)
			if err != nil {
				return nil, fail(err)
			}
			p, err := s.People.ChangePassword(ctx, who.ID, in.Body.Old, in.Body.New, networkOf(requestIn(ctx)))
			return s.entered(ctx, p, err)
		})
	route(s, api, operation("POST", "/me/sessions/end", "end-sessions", "End all of one's sessions, this one too"),
		func(ctx context.Context, _ *empty) (*emptied, error) {
			who, err := s.self(ctx)
			if err == nil {
				err = s.People.EndAll(ctx, who.ID)
			}
			if err != nil {
				return nil, fail(err)
			}
			return &emptied{cookie(ctx, "", -1)}, nil
		})
	s.tokenRoutes(api)
}

func (s *Server) signInRoutes(api huma.API) {
	route(s, api, operation("POST", "/sign-in", "sign-in", "Sign in by a name and a password"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name" maxLength:"200"`
				Password string `json:"password" maxLength:"400"`
			}
		},
		) (*cookied[Me], error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			p, err := s.People.SignIn(ctx, in.Body.Name, in.Body.Password, networkOf(requestIn(ctx)))
			if err != nil {
				s.Watch.Refused()
			}
			return s.entered(ctx, p, err)
		})
	route(s, api, operation("POST", "/sign-out", "sign-out", "End this session"),
		func(ctx context.Context, _ *empty) (*emptied, error) {
			if s.People == nil {
				return nil, fail(s.several())
			}
			c, err := s.end(ctx)
			if err != nil {
				return nil, fail(err)
			}
			return &emptied{c}, nil
		})
	route(s, api, operation("POST", "/invitations/look", "look-at-invitation", "What a link that is good once is for"),
		func(ctx context.Context, in *struct {
			Body struct {
				Link string `json:"link" maxLength:"100" doc:"What stands behind its #"`
			}
		},
		) (*body[people.Offer], error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			return answer(s.People.Offer(ctx, in.Body.Link))
		})
	route(s, api, operation("POST", "/invitations/accept", "accept-invitation", "Come in by a link, which is then used: as somebody new, as oneself, or with another password"),
		func(ctx context.Context, in *struct {
			Body struct {
				Link string `json:"link" maxLength:"100"`
				people.Newcomer
			}
		},
		) (*cookied[Me], error) {
			if err := s.several(); err != nil {
				return nil, fail(err)
			}
			if who := access.Asks(ctx); who != nil && who.Token != "" {
				_, err := s.self(ctx)
				return nil, fail(err)
			}
			p, err := s.People.Accept(ctx, in.Body.Link, in.Body.Newcomer, networkOf(requestIn(ctx)))
			return s.entered(ctx, p, err)
		})
}

func (s *Server) tokenRoutes(api huma.API) {
	route(s, api, operation("GET", "/me/tokens", "list-tokens", "One's tokens for programs, the newest first"),
		func(ctx context.Context, _ *empty) (*body[[]store.Token], error) {
			who, err := s.self(ctx)
			if err != nil {
				return nil, fail(err)
			}
			return answer(s.Store.Tokens(ctx, who.ID))
		})
	route(s, api, operation("POST", "/me/tokens", "add-token", "Make a token by which a program is let in as oneself; what stands in it is told once"),
		func(ctx context.Context, in *struct{ Body people.NewToken }) (*body[people.MadeToken], error) {
			if _, err := s.self(ctx); err != nil {
				return nil, fail(err)
			}
			return answer(s.People.MakeToken(ctx, in.Body))
		})
	route(s, api, operation("DELETE", "/me/tokens/{mine}", "remove-token", "End a token, at once"),
		func(ctx context.Context, in *struct {
			Mine string `path:"mine" format:"uuid"`
		},
		) (*empty, error) {
			who, err := s.self(ctx)
			if err != nil {
				return nil, fail(err)
			}
			return nothing(s.Store.RemoveToken(ctx, who.ID, in.Mine))
		})
}
