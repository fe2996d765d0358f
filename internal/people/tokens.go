package people

import (
	"context"
	"strings"

	"ruvel/core/problem"
	"ruvel/internal/access"
	"ruvel/internal/store"
)

// tokenMark is how a token begins, so that one that got lost somewhere is known for what it is.
const tokenMark = "ruvel_"

// mostTokens is how many somebody may have.
const mostTokens = 50

// NewToken is a token as it is asked for.
type NewToken struct {
	Name  string `json:"name" maxLength:"200" doc:"What it is for"`
	Looks bool   `json:"looks,omitempty" doc:"It may look, and change nothing"`
	Show  string `json:"show,omitempty" format:"uuid" of:"show" doc:"The only show that it is for; left out: all"`
}

// MadeToken is a token with what stands in it, which is told once.
type MadeToken struct {
	store.Token
	Said string `json:"said" doc:"Send it as Authorization: Bearer"`
}

// MakeToken makes one for who asks, who must have signed in: a token makes no tokens.
func (p *People) MakeToken(ctx context.Context, n NewToken) (MadeToken, error) {
	who := access.Asks(ctx)
	name, err := Name(n.Name)
	if err != nil {
		return MadeToken{}, err
	}
	all, err := p.Store.Tokens(ctx, who.ID)
	if err != nil {
		return MadeToken{}, err
	}
	if len(all) >= mostTokens {
		return MadeToken{}, problem.New("too-many", "tokens", "You have %d tokens already. End those that nothing uses.", mostTokens)
	}
	said, _ := secret()
	said = tokenMark + said
	t := store.Token{ID: store.NewID(), Person: who.ID, Name: name, Secret: keptAs(said), Looks: n.Looks}
	if n.Show != "" {
		t.Show = &n.Show
	}
	if err := p.Store.AddToken(ctx, t); err != nil {
		return MadeToken{}, err
	}
	t, err = p.Store.Token(ctx, t.ID)
	return MadeToken{t, said}, err
}

// ByToken is whom a token lets in.
func (p *People) ByToken(ctx context.Context, said string) (*access.Who, error) {
	if !strings.HasPrefix(said, tokenMark) || len(said) > 100 {
		return nil, store.NotFound("token")
	}
	t, err := p.Store.TokenBy(ctx, keptAs(said))
	if err != nil {
		return nil, err
	}
	return p.by(ctx, t)
}

// by is whom a token lets in, where it does.
func (p *People) by(ctx context.Context, t store.Token) (*access.Who, error) {
	of, err := p.Store.Person(ctx, t.Person)
	if err != nil {
		return nil, err
	}
	who, err := p.with(ctx, of)
	if err != nil {
		return nil, err
	}
	who.Token, who.Looks = t.ID, t.Looks
	if t.Show != nil {
		role, is := who.Roles[*t.Show]
		who.Roles = map[string]store.Role{}
		if is {
			who.Roles[*t.Show] = role
		}
		who.Keeper = false // it is for one show alone
	}
	return who, nil
}
