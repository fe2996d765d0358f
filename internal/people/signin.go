package people

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"ruvel/core/problem"
	"ruvel/internal/store"
)

// slowing is how wrong passwords slow down further ones: so many are free, each one more doubles the wait, from a second to the longest.
type slowing struct {
	key     string
	free    int
	longest time.Duration
}

// forgotten is after how long without a wrong password those before are forgotten.
const forgotten = 24 * time.Hour

// wait is how long after the last of so many wrong ones the next may come.
func (s slowing) wait(wrong int) time.Duration {
	if wrong < s.free {
		return 0
	}
	wait := time.Second
	for range min(wrong-s.free, 20) {
		wait = min(2*wait, s.longest)
	}
	return wait
}

// slowings are those that hold for one who wants to be somebody, from a network (an address, of IPv6 a /64). Who guesses at one person is
// slowed down soon, who guesses at many from one network somewhat later, and one person whom many networks guess at as well, but not where
// that person has signed in from before: nobody is kept out by what others do elsewhere.
func slowings(of, from string, known bool) []slowing {
	all := []slowing{
		{"at:" + short(of+"\n"+from), 4, 15 * time.Minute},
		{"from:" + short(from), 20, 15 * time.Minute},
	}
	if !known {
		all = append(all, slowing{"for:" + short(of), 30, time.Minute})
	}
	return all
}

// short is a key of a kept length that says nothing of what it stands for.
func short(of string) string {
	sum := sha256.Sum256([]byte(of))
	return base64.RawURLEncoding.EncodeToString(sum[:18])
}

// SignIn is who somebody is, by a name and a password, from a network. That it is nobody takes as long, and is said in the same words, as
// that the password is wrong.
func (p *People) SignIn(ctx context.Context, name, password, from string) (store.Person, error) {
	name = Folded(name)
	person, err := p.Store.PersonBySignIn(ctx, name)
	if err != nil && !store.IsNotFound(err) {
		return person, err
	}
	of := person.ID
	if of == "" {
		of = "nobody " + name
	}
	return person, p.try(ctx, person, of, password, from)
}

// try says whether a password is somebody's, and counts it if not.
func (p *People) try(ctx context.Context, person store.Person, of, password, from string) error {
	here := "known:" + short(of+"\n"+from)
	_, before, err := p.Store.Wrong(ctx, here)
	if err != nil {
		return err
	}
	slow := slowings(of, from, !before.IsZero())
	for _, s := range slow {
		wrong, last, err := p.Store.Wrong(ctx, s.key)
		if err != nil {
			return err
		}
		if left := time.Until(last.Add(s.wait(wrong))); left > 0 {
			return problem.New("too-often", "password", "Too many passwords were wrong. Try again in %s.", left.Truncate(time.Second)+time.Second)
		}
	}
	if err := p.hand(ctx, from); err != nil {
		return err
	}
	// Those that come at once are counted before any of them is compared.
	for _, s := range slow {
		if err := p.Store.NoteWrong(ctx, s.key, forgotten); err != nil {
			p.hashing.Give()
			return err
		}
	}
	kept := person.Password
	if kept == "" {
		kept = p.dummy
	}
	right := false
	if utf8.RuneCountInString(password) <= LongestPassword {
		right, err = argon2id.ComparePasswordAndHash(password, kept)
	}
	p.hashing.Give()
	if err != nil {
		return err
	}
	if !right || person.Password == "" {
		return problem.New("wrong-password", "password", "This name and this password do not go together.")
	}
	for _, s := range slow {
		if err := p.Store.TakeWrong(ctx, s.key); err != nil {
			return err
		}
	}
	if err := p.Store.ForgetWrong(ctx, slow[0].key); err != nil {
		return err
	}
	return p.Store.NoteWrong(ctx, here, forgotten)
}
