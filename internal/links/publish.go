package links

import (
	"context"
	"regexp"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"ruvel/core/problem"
	"ruvel/core/revise"
	"ruvel/core/session"
	"ruvel/core/tidy"
	"ruvel/internal/store"
)

var feedName = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{1,58}[a-z0-9])$`)

// said is a feed as it is changed.
type said struct {
	Name string `json:"name,omitempty"`
	store.FeedSaid
}

// ReviseFeed gives the feed of a show a name by which everybody finds it, or none, and has it say something else.
func ReviseFeed(ctx context.Context, st *store.Store, show string, changes revise.Revision) error {
	return st.ReviseFeed(ctx, show, func(f store.Feed) (store.Feed, error) {
		now := said{FeedSaid: f.Said.Of}
		if f.Name != nil {
			now.Name = *f.Name
		}
		next, err := revise.Apply(now, changes)
		if err != nil {
			return f, err
		}
		f.Name = nil
		if next.Name != "" {
			if !feedName.MatchString(next.Name) {
				return f, problem.New("bad-name", "name", "A feed's name has 3 to 60 small letters, digits and hyphens, such as harbour-hours.")
			}
			f.Name = &next.Name
		}
		f.Said.Of = next.FeedSaid
		return f, checkFeed(&f.Said.Of)
	})
}

// FeedOf is the feed of a show, which is made when it is first asked for.
func FeedOf(ctx context.Context, st *store.Store, show string) (store.Feed, error) {
	address, err := Address()
	if err != nil {
		return store.Feed{}, err
	}
	return st.Feed(ctx, show, address)
}

// RenewFeed gives the feed of a show another address.
func RenewFeed(ctx context.Context, st *store.Store, show string) error {
	return st.ReviseFeed(ctx, show, func(f store.Feed) (_ store.Feed, err error) {
		f.Address, err = Address()
		return f, err
	})
}

// checkFeed says what is wrong with what a feed says, and puts its texts in order.
func checkFeed(said *store.FeedSaid) error {
	if said.Home != "" {
		if err := session.CheckLink(said.Home); err != nil {
			return problem.New("bad-link", "home", "The page of the show is an address that begins with https://, such as https://example.org.")
		}
	}
	if said.Contact != "" && (!strings.Contains(strings.Trim(said.Contact, "@"), "@") || strings.ContainsAny(said.Contact, " \n<>")) {
		return problem.New("bad-contact", "contact", "The contact is an address for mail, such as show@example.org.")
	}
	for _, f := range []struct {
		name  string
		text  *string
		most  int
		lines bool
	}{
		{"author", &said.Author, 200, false},
		{"contact", &said.Contact, 200, false},
		{"category", &said.Category, 100, false},
		{"home", &said.Home, 500, false},
		{"description", &said.Description, 4000, true},
	} {
		if *f.text = tidy.Seen(tidy.Lines(*f.text)); !f.lines {
			*f.text = tidy.Line(*f.text)
		}
		if utf8.RuneCountInString(*f.text) > f.most {
			return problem.New("too-long", f.name, "The %s may have %d characters; this one has %d.", f.name, f.most, utf8.RuneCountInString(*f.text))
		}
	}
	return nil
}

// Publish puts a finished file of an episode into the feed of its show, from a moment on. Where none is given that is now, or, if
// the episode is in the feed already, when it came into it: another file does not make it a new episode.
func Publish(ctx context.Context, st *store.Store, e store.Episode, m store.Mixdown, page store.Page, at *time.Time) error {
	if m.Episode != e.ID {
		return store.NotFound("mixdown")
	}
	if m.Made.Of.Chapter != "" {
		return problem.New("chapter-alone", "mixdown", "This file is one chapter. Publish a file of the whole episode.")
	}
	if at == nil {
		now := time.Now()
		at = &now
		before, err := st.Publication(ctx, e.ID)
		switch {
		case err == nil && before.Withdrawn == nil && before.Published.Before(now):
			at = &before.Published
		case err != nil && !store.IsNotFound(err):
			return err
		}
	}
	id, err := uuid.NewV7()
	if err != nil {
		return err
	}
	return st.Publish(ctx, store.Publication{Episode: e.ID, Show: e.Show, GUID: id.String(), Mixdown: &m.ID, Page: store.JSON[store.Page]{Of: page}, Published: *at})
}
