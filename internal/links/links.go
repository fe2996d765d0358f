// Package links lets finished files be heard by whoever has their address: it makes the addresses, takes them
// back, keeps the door where there is a password or an end, and takes what listeners write about a place.
package links

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/tidy"
	"ruvel/internal/store"
)

// What is answered where a link does not let anybody in.
var (
	ErrWithdrawn = errors.New("the link has been withdrawn")
	ErrEnded     = errors.New("the link has ended")
	ErrLocked    = errors.New("the link has a password")
)

// Wanted is how a file is to be heard.
type Wanted struct {
	Ends     *time.Time // nil: until it is withdrawn
	Password string     // empty: none
	Comments bool       // listeners may write some
}

// addressBytes is how long an address is before it is written as text: 192 bits are not guessed.
const addressBytes = 24

// Address is one that nobody guesses.
func Address() (string, error) {
	random := make([]byte, addressBytes)
	_, err := rand.Read(random)
	return base64.RawURLEncoding.EncodeToString(random), err
}

// Make makes a link to a finished file with what its page says.
func Make(ctx context.Context, st *store.Store, m store.Mixdown, page store.Page, w Wanted) (l store.Link, err error) {
	if err := w.check(); err != nil {
		return l, err
	}
	address, err := Address()
	if err != nil {
		return l, err
	}
	id, err := uuid.NewV7()
	if err != nil {
		return l, err
	}
	l = store.Link{ID: id.String(), Address: address, Episode: m.Episode, Mixdown: &m.ID, Ends: w.Ends, Comments: w.Comments, Made: time.Now()}
	l.Page.Of = page
	if l.Password, err = hashed(w.Password); err != nil {
		return l, err
	}
	return l, st.AddLink(ctx, l)
}

// Changed is what becomes of a link; what is nil stays.
type Changed struct {
	Ends     *time.Time
	Endless  bool // it does not end by itself any more
	Comments *bool
	Password *string // empty: there is none any more
}

// Change gives a link another end, another password, and comments or none.
func Change(ctx context.Context, st *store.Store, id string, to Changed) (err error) {
	w := Wanted{Ends: to.Ends}
	var password string
	if to.Password != nil {
		w.Password = *to.Password
	}
	if err := w.check(); err != nil {
		return err
	}
	if password, err = hashed(w.Password); err != nil {
		return err
	}
	return st.ChangeLink(ctx, id, func(l *store.Link) error {
		if l.Withdrawn != nil {
			return problem.New("link-withdrawn", "link", "This link has been withdrawn. Make another one.")
		}
		if to.Ends != nil || to.Endless {
			l.Ends = to.Ends
		}
		if to.Comments != nil {
			l.Comments = *to.Comments
		}
		if to.Password != nil {
			l.Password = password
		}
		return nil
	})
}

// Limits of a password, in characters.
const shortest, longest = 8, 100

func (w Wanted) check() error {
	if w.Ends != nil && w.Ends.Before(time.Now()) {
		return problem.New("ends-before", "ends", "This end is past already. Choose a later one, or none.")
	}
	if n := utf8.RuneCountInString(w.Password); w.Password != "" && (n < shortest || n > longest) {
		return problem.New("bad-password", "password", "A password has %d to %d characters.", shortest, longest)
	}
	return nil
}

func hashed(password string) (string, error) {
	if password == "" {
		return "", nil
	}
	return argon2id.CreateHash(password, argon2id.DefaultParams)
}

// Open gives the link with an address to somebody who holds a key, which may be empty. Besides store.NotFound it
// gives ErrWithdrawn, ErrEnded or ErrLocked, and the link with ErrLocked too: its key is to be had from Unlock.
func Open(ctx context.Context, st *store.Store, address, key string) (store.Link, error) {
	if len(address) != base64.RawURLEncoding.EncodedLen(addressBytes) {
		return store.Link{}, store.NotFound("link")
	}
	l, err := st.LinkAt(ctx, address)
	switch {
	case err != nil:
		return store.Link{}, err
	case l.Withdrawn != nil || l.Mixdown == nil:
		return store.Link{}, ErrWithdrawn
	case l.Ends != nil && l.Ends.Before(time.Now()):
		return store.Link{}, ErrEnded
	case l.Password != "" && !hmac.Equal([]byte(keyOf(l)), []byte(key)):
		return l, ErrLocked
	}
	return l, nil
}

// Unlock gives the key of a link to somebody who knows its password, or nothing.
func Unlock(l store.Link, password string) (key string, err error) {
	if utf8.RuneCountInString(password) > longest {
		return "", nil
	}
	right, err := argon2id.ComparePasswordAndHash(password, l.Password)
	if err != nil || !right {
		return "", err
	}
	return keyOf(l), nil
}

// keyOf is made from the password as it is kept, so that another password is another key.
func keyOf(l store.Link) string {
	h := hmac.New(sha256.New, []byte(l.Password))
	h.Write([]byte("listen " + l.Address))
	return hex.EncodeToString(h.Sum(nil))
}

// Limits of what a listener writes, in characters.
const (
	LongestName  = 60
	LongestWords = 1000
)

// Comment keeps what a listener has written about a place, for the producer to see.
func Comment(ctx context.Context, st *store.Store, l store.Link, at audio.Frames, name, words string) error {
	if !l.Comments {
		return problem.New("no-comments", "comments", "No comments are taken here any more.")
	}
	name, words = tidy.Seen(tidy.Line(name)), tidy.Seen(tidy.Lines(words))
	switch {
	case words == "":
		return problem.New("empty-comment", "words", "Write something first.")
	case utf8.RuneCountInString(words) > LongestWords:
		return problem.New("too-long", "words", "A comment has at most %d characters; this one has %d.", LongestWords, utf8.RuneCountInString(words))
	case utf8.RuneCountInString(name) > LongestName:
		return problem.New("too-long", "name", "A name has at most %d characters.", LongestName)
	}
	id, err := uuid.NewV7()
	if err != nil {
		return err
	}
	return st.AddComment(ctx, store.Comment{ID: id.String(), Link: l.ID, At: max(0, min(at, l.Page.Of.Length)), Name: name, Words: words})
}
