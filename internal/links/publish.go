package links

import (
	"context"
	"regexp"
	"strings"
	"time"

	"github.com/google/uuid"

	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/store"
)

var feedName = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{1,58}[a-z0-9])$`)

// SetFeed gives a feed a name by which everybody finds it, or none, and has it say something else of its show.
func SetFeed(ctx context.Context, st *store.Store, f store.Feed, name string, renew bool, said store.FeedSaid) (err error) {
	f.Name = nil
	if name != "" {
		if !feedName.MatchString(name) {
			return problem.New("bad-name", "name", "A feed's name has 3 to 60 small letters, digits and hyphens, such as harbour-hours.")
		}
		f.Name = &name
	}
	if renew {
		if f.Address, err = Address(); err != nil {
			return err
		}
	}
	if said.Home != "" {
		if err := session.CheckLink(said.Home); err != nil {
			return problem.New("bad-link", "home", "The page of the show is an address that begins with https://, such as https://example.org.")
		}
	}
	if said.Contact != "" && (!strings.Contains(strings.Trim(said.Contact, "@"), "@") || strings.ContainsAny(said.Contact, " \n<>")) {
		return problem.New("bad-contact", "contact", "The contact is an address for mail, such as show@example.org.")
	}
	for _, text := range []*string{&said.Author, &said.Contact, &said.Category, &said.Home} {
		*text = tidy(*text, false)
	}
	said.Description = tidy(said.Description, true)
	f.Said.Of = said
	return st.SetFeed(ctx, f)
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
