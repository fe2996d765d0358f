package people

import (
	"context"
	"time"

	"ruvel/core/problem"
	"ruvel/core/tidy"
	"ruvel/internal/access"
	"ruvel/internal/store"
)

// Invited is an invitation that is still good, as those see it who may take it back.
type Invited struct {
	ID   string     `json:"id"`
	Role store.Role `json:"role" enum:"owner,producer,reader,listener"`
	Note string     `json:"note" doc:"Whom it is for"`
	Ends time.Time  `json:"ends"`
	Link string     `json:"link,omitempty" doc:"What stands behind /join# in its link; told once, when it is made"`
}

// OfShow are the people of a show.
type OfShow struct {
	Members []store.Member `json:"members" nullable:"false"`
	Invited []Invited      `json:"invited" nullable:"false" doc:"Empty for all but owners"`
	Yours   store.Role     `json:"yours,omitempty" enum:"owner,producer,reader,listener"`
}

// OfShow lists those of a show; who does not own it does not see who is invited.
func (p *People) OfShow(ctx context.Context, show string) (out OfShow, err error) {
	out.Invited = []Invited{}
	if out.Members, err = p.Store.Members(ctx, show); err != nil {
		return out, err
	}
	if who := access.Asks(ctx); who != nil {
		out.Yours = who.Roles[show]
	}
	if out.Yours != store.Owner {
		return out, nil
	}
	all, err := p.Store.Invitations(ctx, show)
	for _, i := range all {
		out.Invited = append(out.Invited, Invited{ID: i.ID, Role: *i.Role, Note: i.Note, Ends: i.Ends})
	}
	return out, err
}

// mostInvited is how many invitations of a show may be good at a time.
const mostInvited = 100

// Invite makes a link by which somebody becomes of a show.
func (p *People) Invite(ctx context.Context, show string, role store.Role, note string) (Invited, error) {
	if !role.Known() {
		return Invited{}, problem.New("unknown-role", "role", "There is no such role.")
	}
	open, err := p.Store.Invitations(ctx, show)
	if err != nil {
		return Invited{}, err
	}
	if len(open) >= mostInvited {
		return Invited{}, problem.New("too-many", "invitations", "%d invitations are open already. Take back those that nobody needs.", mostInvited)
	}
	by := access.Asks(ctx).ID
	return p.InviteBy(ctx, &by, show, role, note)
}

// InviteBy is Invite by somebody, or by nobody that is known.
func (p *People) InviteBy(ctx context.Context, by *string, show string, role store.Role, note string) (Invited, error) {
	note = problem.Short(tidy.Seen(tidy.Line(note)), LongestName)
	said, kept := secret()
	i := store.Invitation{ID: store.NewID(), Secret: kept, Kind: store.ForJoin, Show: &show, Role: &role, By: by, Note: note, Ends: time.Now().Add(JoinGood).UTC()}
	return Invited{ID: i.ID, Role: role, Note: note, Ends: i.Ends, Link: said}, p.Store.AddInvitation(ctx, i)
}

// SetRole gives somebody of a show another role.
func (p *People) SetRole(ctx context.Context, show, person string, role store.Role) error {
	if !role.Known() {
		return problem.New("unknown-role", "role", "There is no such role.")
	}
	return p.Store.SetRole(ctx, show, person, role)
}

// Renew makes a link by which somebody who has forgotten their password gives another one.
func (p *People) Renew(ctx context.Context, person string) (string, error) {
	if _, err := p.Store.Person(ctx, person); err != nil {
		return "", err
	}
	said, kept := secret()
	return said, p.Store.AddInvitation(ctx, store.Invitation{ID: store.NewID(), Secret: kept, Kind: store.ForRenew, Person: &person, Ends: time.Now().Add(RenewGood).UTC()})
}
