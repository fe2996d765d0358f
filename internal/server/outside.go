package server

import (
	"context"
	"errors"
	"net/http"
	"net/url"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/problem"
	"ruvel/internal/outside"
)

// What a session holds while somebody is at a provider elsewhere.
const (
	sessionState    = "state"
	sessionNonce    = "nonce"
	sessionVerifier = "verifier"
	sessionLink     = "link"
)

// Away is where a browser is to go to sign in elsewhere.
type Away struct {
	Address string `json:"address"`
}

func (s *Server) outsideRoutes(api huma.API) {
	route(s, api, operation("POST", "/sign-in/outside", "sign-in-outside", "Where to go to sign in elsewhere, with the link of an invitation if there is one"),
		func(ctx context.Context, in *struct {
			Body struct {
				Link string `json:"link,omitempty" maxLength:"100"`
			}
		},
		) (*cookied[Away], error) {
			if s.People == nil || s.Outside == nil {
				return nil, newError(http.StatusNotFound, "Nobody signs in elsewhere here.", "not-found")
			}
			address, asking, err := s.Outside.Ask(ctx, s.back(ctx))
			if err != nil {
				return nil, fail(err)
			}
			session, err := s.sessions.Load(ctx, "")
			if err != nil {
				return nil, fail(err)
			}
			s.sessions.Put(session, sessionState, asking.State)
			s.sessions.Put(session, sessionNonce, asking.Nonce)
			s.sessions.Put(session, sessionVerifier, asking.Verifier)
			s.sessions.Put(session, sessionLink, in.Body.Link)
			token, _, err := s.sessions.Commit(session)
			if err != nil {
				return nil, fail(err)
			}
			return &cookied[Away]{cookie(ctx, token, 600), Away{address}}, nil
		})
	back := operation("GET", "/sign-in/back", "come-back", "Where a provider elsewhere sends those back who have signed in with it")
	back.DefaultStatus = http.StatusSeeOther
	route(s, api, back,
		func(ctx context.Context, in *struct {
			State string `query:"state" maxLength:"200"`
			Code  string `query:"code" maxLength:"4000"`
			Error string `query:"error" maxLength:"200"`
		},
		) (*sent, error) {
			c, err := s.comeBack(ctx, in.State, in.Code)
			if err != nil {
				var p problem.Problem
				if !errors.As(err, &p) {
					return nil, fail(err)
				}
				return &sent{cookie(ctx, "", -1), "/sign-in?why=" + url.QueryEscape(p.Code)}, nil
			}
			return &sent{c, "/"}, nil
		})
}

// sent is an answer that sends a browser elsewhere.
type sent struct {
	Cookie   http.Cookie `header:"Set-Cookie"`
	Location string      `header:"Location"`
}

func (s *Server) back(ctx context.Context) string {
	return origin(requestIn(ctx)) + "/api/sign-in/back"
}

// comeBack begins the session of somebody who comes back from a provider. What was remembered of the question is used once.
func (s *Server) comeBack(ctx context.Context, state, code string) (none http.Cookie, err error) {
	if s.People == nil || s.Outside == nil {
		return none, problem.New("not-found", "outside", "Nobody signs in elsewhere here.")
	}
	c, err := requestIn(ctx).Cookie(signedIn)
	if err != nil {
		return none, problem.New("outside-refused", "outside", "This browser did not ask to sign in, or too long ago. Try again.")
	}
	session, err := s.sessions.Load(ctx, c.Value)
	if err != nil {
		return none, err
	}
	asking := outside.Asking{
		State: s.sessions.GetString(session, sessionState), Nonce: s.sessions.GetString(session, sessionNonce), Verifier: s.sessions.GetString(session, sessionVerifier),
	}
	link := s.sessions.GetString(session, sessionLink)
	if err := s.sessions.Destroy(session); err != nil {
		return none, err
	}
	known, err := s.Outside.Answer(ctx, s.back(ctx), asking, state, code)
	if err != nil {
		return none, err
	}
	p, err := s.People.Known(ctx, known, link)
	if err != nil {
		return none, err
	}
	return s.begin(ctx, p)
}
