// Package people is who works with a Ruvel that several use: how they come in by a link that is good once, sign in by a password that is
// kept as argon2id, are known by a token, and what they are in which show. It knows nothing of HTTP; sessions of browsers are kept by the
// server, which notes in each whose it is and of which epoch of theirs.
package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"golang.org/x/text/unicode/norm"

	"ruvel/core/problem"
	"ruvel/core/tidy"
	"ruvel/internal/access"
	"ruvel/internal/store"
	"ruvel/internal/turns"
)

// Limits, in characters.
const (
	ShortestPassword = 10
	LongestPassword  = 100
	LongestName      = 60
	LongestSignIn    = 60
)

// How long links are good.
const (
	FirstGood  = 7 * 24 * time.Hour
	JoinGood   = 7 * 24 * time.Hour
	RenewGood  = 24 * time.Hour
	secretSize = 24 // bytes: 192 bits are not guessed
)

// People are those of a Ruvel.
type People struct {
	Store *store.Store
	// hashing is how many passwords are worked on at a time, by turns between where they come from: each takes 64 MB.
	hashing *turns.Hands
	params  *argon2id.Params
	dummy   string // what is compared where there is nobody, so that it takes as long
}

// New makes it.
func New(st *store.Store) (*People, error) {
	p := &People{Store: st, hashing: turns.NewHands(2), params: argon2id.DefaultParams}
	var err error
	p.dummy, err = argon2id.CreateHash("nobody signs in with this", p.params)
	return p, err
}

// secret is what stands in a link or is a token, and how that is kept.
func secret() (said string, kept []byte) {
	random := make([]byte, secretSize)
	_, _ = rand.Read(random) // which never fails
	said = base64.RawURLEncoding.EncodeToString(random)
	return said, keptAs(said)
}

func keptAs(said string) []byte {
	sum := sha256.Sum256([]byte(said))
	return sum[:]
}

// First is what stands in the link for the first person, good once; empty: there is somebody.
func (p *People) First(ctx context.Context) (string, error) {
	there, err := p.Store.Anybody(ctx)
	if err != nil || there {
		return "", err
	}
	said, kept := secret()
	return said, p.Store.AddInvitation(ctx, store.Invitation{ID: store.NewID(), Secret: kept, Kind: store.ForFirst, Ends: time.Now().Add(FirstGood).UTC()})
}

// Newcomer is what somebody says of themselves.
type Newcomer struct {
	Name     string `json:"name,omitempty" maxLength:"200" doc:"What they are called here"`
	SignIn   string `json:"signIn,omitempty" maxLength:"200" doc:"The name by which they will sign in"`
	Password string `json:"password,omitempty" maxLength:"400"`
}

// Accept takes the invitation in a link: for somebody new by what they say of themselves; for who has signed in, as themselves; for who has
// forgotten their password, with another one.
func (p *People) Accept(ctx context.Context, said string, n Newcomer, from string) (store.Person, error) {
	i, err := p.Store.InvitationBy(ctx, keptAs(said))
	if err != nil {
		return store.Person{}, gone(err)
	}
	if who := access.Asks(ctx); who != nil && i.Kind == store.ForJoin {
		return p.accept(ctx, said, store.Joining{Person: who.Person})
	}
	var person store.Person
	if i.Kind != store.ForRenew {
		if person, err = n.person(); err != nil {
			return store.Person{}, err
		}
	}
	if person.Password, err = p.hash(ctx, from, n.Password); err != nil {
		return store.Person{}, err
	}
	return p.accept(ctx, said, store.Joining{Person: person})
}

func (p *People) accept(ctx context.Context, said string, j store.Joining) (store.Person, error) {
	person, err := p.Store.Accept(ctx, keptAs(said), j)
	return person, gone(err)
}

// gone says of a link that is no longer good what it is.
func gone(err error) error {
	if store.IsNotFound(err) {
		return problem.New("link-used", "invitation", "This link is not good any more: it was used, taken back, or has ended. Ask for another one.")
	}
	return err
}

// person is somebody new.
func (n Newcomer) person() (store.Person, error) {
	name, err := Name(n.Name)
	if err != nil {
		return store.Person{}, err
	}
	signIn := Folded(n.SignIn)
	switch l := utf8.RuneCountInString(signIn); {
	case l == 0:
		return store.Person{}, problem.New("no-name", "signIn", "Give the name by which you will sign in.")
	case l > LongestSignIn:
		return store.Person{}, problem.New("too-long", "signIn", "A name to sign in by has at most %d characters.", LongestSignIn)
	}
	return store.Person{Name: name, Letters: Letters(name), SignIn: &signIn}, nil
}

// Name is what somebody is called, put in order.
func Name(said string) (string, error) {
	name := tidy.Seen(tidy.Line(said))
	switch l := utf8.RuneCountInString(name); {
	case l == 0:
		return "", problem.New("no-name", "name", "Give a name.")
	case l > LongestName:
		return "", problem.New("too-long", "name", "A name has at most %d characters.", LongestName)
	}
	return name, nil
}

// Folded is a name to sign in by as it is compared: without regard to case, width and form of its letters.
func Folded(name string) string {
	const most = 4 // one form may bring about what another takes away, such as white space around it
	for range most {
		// By way of the capitals, so that it comes to the same from either case in every script.
		folded := norm.NFKC.String(strings.ToLower(strings.ToUpper(norm.NFKC.String(tidy.Seen(tidy.Line(name))))))
		if folded == name {
			break
		}
		name = folded
	}
	return name
}

// Letters are the two that stand for a name: the first of its first word and of its last.
func Letters(name string) string {
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsNumber(r) })
	switch len(words) {
	case 0:
		first, _ := utf8.DecodeRuneInString(name)
		return string(first)
	case 1:
		runes := []rune(words[0])
		return strings.ToUpper(string(runes[0])) + strings.ToLower(string(runes[1:min(2, len(runes))]))
	}
	first, _ := utf8.DecodeRuneInString(words[0])
	last, _ := utf8.DecodeRuneInString(words[len(words)-1])
	return strings.ToUpper(string(first) + string(last))
}

// hash is a new password as it is kept.
func (p *People) hash(ctx context.Context, from, password string) (string, error) {
	if n := utf8.RuneCountInString(password); n < ShortestPassword || n > LongestPassword {
		return "", problem.New("bad-password", "password", "A password has %d to %d characters. Four words that have nothing to do with each other are a good one.", ShortestPassword, LongestPassword)
	}
	if err := p.hand(ctx, from); err != nil {
		return "", err
	}
	defer p.hashing.Give()
	return argon2id.CreateHash(password, p.params)
}

// hand waits for one of the hands that work on passwords.
func (p *People) hand(ctx context.Context, from string) error {
	const patience = 10 * time.Second
	waiting, stop := context.WithTimeout(ctx, patience)
	defer stop()
	if err := p.hashing.Take(waiting, from); err != nil {
		return problem.New("busy", "password", "Many sign in at once. Try again in a moment.")
	}
	return nil
}

// Offer is what an invitation is for, told to who has its link.
type Offer struct {
	Kind string     `json:"kind" enum:"first,join,renew"`
	Show string     `json:"show,omitempty" doc:"The name of the show that it is to"`
	Role store.Role `json:"role,omitempty" enum:"owner,producer,reader,listener"`
	By   string     `json:"by,omitempty" doc:"Who invites"`
	Name string     `json:"name,omitempty" doc:"Whose password is made anew"`
	Ends time.Time  `json:"ends"`
}

// Offer is that of a link.
func (p *People) Offer(ctx context.Context, said string) (Offer, error) {
	i, err := p.Store.InvitationBy(ctx, keptAs(said))
	if err != nil {
		return Offer{}, gone(err)
	}
	o := Offer{Kind: i.Kind, Ends: i.Ends}
	if i.Role != nil {
		o.Role = *i.Role
	}
	if i.Show != nil {
		show, err := p.Store.Show(ctx, *i.Show)
		if err != nil {
			return Offer{}, err
		}
		o.Show = show.Name
	}
	for of, into := range map[*string]*string{i.By: &o.By, i.Person: &o.Name} {
		if of == nil {
			continue
		}
		person, err := p.Store.Person(ctx, *of)
		if err != nil && !store.IsNotFound(err) {
			return Offer{}, err
		}
		*into = person.Name
	}
	return o, nil
}

// Who is somebody with what they are in which show, as they are now. Sessions of an earlier epoch have ended.
func (p *People) Who(ctx context.Context, person string, epoch int) (*access.Who, error) {
	of, err := p.Store.Person(ctx, person)
	if err != nil {
		return nil, err
	}
	if of.Epoch != epoch {
		return nil, store.NotFound("session")
	}
	return p.with(ctx, of)
}

func (p *People) with(ctx context.Context, of store.Person) (*access.Who, error) {
	roles, err := p.Store.RolesOf(ctx, of.ID)
	return &access.Who{Person: of, Roles: roles}, err
}

// Again is who asked a while ago, as they are now: for what goes on for long.
func (p *People) Again(ctx context.Context, was *access.Who) (*access.Who, error) {
	if was.Token != "" {
		t, err := p.Store.Token(ctx, was.Token)
		if err != nil {
			return nil, err
		}
		return p.by(ctx, t)
	}
	return p.Who(ctx, was.ID, was.Epoch)
}

// ChangePassword gives somebody who knows their password another one, and ends all their sessions.
func (p *People) ChangePassword(ctx context.Context, person, old, password, from string) (store.Person, error) {
	of, err := p.Store.Person(ctx, person)
	if err != nil {
		return of, err
	}
	if of.Password != "" {
		if err := p.try(ctx, of, of.ID, old, from); err != nil {
			return of, err
		}
	}
	kept, err := p.hash(ctx, from, password)
	if err != nil {
		return of, err
	}
	return p.Store.ChangePerson(ctx, person, func(now *store.Person) error {
		if now.Password != of.Password {
			return problem.New("changed-meanwhile", "password", "Your password was changed somewhere else at this moment.")
		}
		now.Password = kept
		now.Epoch++
		return nil
	})
}

// Call changes what somebody is called.
func (p *People) Call(ctx context.Context, person, name string) (store.Person, error) {
	name, err := Name(name)
	if err != nil {
		return store.Person{}, err
	}
	return p.Store.ChangePerson(ctx, person, func(now *store.Person) error {
		now.Name, now.Letters = name, Letters(name)
		return nil
	})
}

// EndAll ends all sessions of somebody.
func (p *People) EndAll(ctx context.Context, person string) error {
	_, err := p.Store.ChangePerson(ctx, person, func(now *store.Person) error {
		now.Epoch++
		return nil
	})
	return err
}
