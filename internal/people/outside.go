package people

import (
	"context"

	"ruvel/core/problem"
	"ruvel/internal/outside"
	"ruvel/internal/store"
)

// Known is whom a provider elsewhere knows; who is not known here yet comes in by the link of an invitation.
func (p *People) Known(ctx context.Context, as outside.Known, link string) (store.Person, error) {
	person, err := p.Store.PersonKnownAs(ctx, as.Issuer, as.Subject)
	if !store.IsNotFound(err) && link == "" {
		return person, err
	}
	if link == "" {
		return person, problem.New("not-invited", "outside", "You are not known here yet. Whoever owns a show can send you a link to come in by.")
	}
	if err == nil { // who is here already, and is invited to a further show
		return p.accept(ctx, link, store.Joining{Person: person})
	}
	if !store.IsNotFound(err) {
		return person, err
	}
	name, err := Name(as.Name)
	if err != nil {
		name = "Somebody"
	}
	return p.accept(ctx, link, store.Joining{Person: store.Person{Name: name, Letters: Letters(name)}, Issuer: as.Issuer, Subject: as.Subject})
}
