package publish

import (
	"cmp"
	"context"
	"path/filepath"
	"time"

	"ruvel/core/revise"
	"ruvel/internal/feed"
	"ruvel/internal/links"
	"ruvel/internal/store"
)

// Feeds is where feeds are.
const Feeds = "/f"

// FeedView is the feed of a show.
type FeedView struct {
	Path string `json:"path" doc:"Of the feed on this server"`
	Name string `json:"name" doc:"By which everybody finds it; empty: it is for those alone who have its address"`
	store.FeedSaid
}

// Publishing is how an episode stands to the feed of its show.
type Publishing struct {
	State   string     `json:"state" enum:"never,waiting,published,withdrawn"`
	At      *time.Time `json:"at,omitempty" doc:"When it was or will be published"`
	Mixdown string     `json:"mixdown,omitempty"`
	File    string     `json:"file,omitempty"`
	Page    string     `json:"page,omitempty" doc:"Path of its page for listeners"`
}

// ToPublish is a finished file that is to be put into a feed.
type ToPublish struct {
	Mixdown    string     `json:"mixdown" format:"uuid" of:"mixdown" doc:"A finished file of the episode"`
	At         *time.Time `json:"at,omitempty" doc:"Left out: now; of an episode that is in the feed: as it was"`
	Transcript bool       `json:"transcript,omitempty" doc:"With the script as its transcript"`
}

// Feed is the feed of a show, which is made when it is first asked for.
func (p *Publisher) Feed(ctx context.Context, show string) (FeedView, error) {
	f, err := links.FeedOf(ctx, p.Store, show)
	return FeedView{Feeds + "/" + cmp.Or(nameOf(f), f.Address), nameOf(f), f.Said.Of}, err
}

func nameOf(f store.Feed) string {
	if f.Name == nil {
		return ""
	}
	return *f.Name
}

// Publish puts a finished file of an episode into the feed of its show, now or later. Published again, it stays the same
// episode to players.
func (p *Publisher) Publish(ctx context.Context, episode string, want ToPublish) error {
	m, err := p.Store.Mixdown(ctx, want.Mixdown)
	if err != nil {
		return err
	}
	e, err := p.Store.Episode(ctx, episode)
	if err != nil {
		return err
	}
	page, err := p.page(ctx, m, want.Transcript)
	if err != nil {
		return err
	}
	if err := links.Publish(ctx, p.Store, e, m, page, want.At); err != nil {
		return err
	}
	p.changed(ctx, episode)
	return nil
}

// ReviseFeed has a feed say something else of its show, and gives it a name by which everybody finds it, or none.
func (p *Publisher) ReviseFeed(ctx context.Context, show string, changes revise.Revision) (FeedView, error) {
	return p.feedAfter(ctx, show, func() error { return links.ReviseFeed(ctx, p.Store, show, changes) })
}

// RenewFeed gives a feed another address; whoever has the one before finds nothing there any more.
func (p *Publisher) RenewFeed(ctx context.Context, show string) (FeedView, error) {
	return p.feedAfter(ctx, show, func() error { return links.RenewFeed(ctx, p.Store, show) })
}

// feedAfter is a feed after something was done to it.
func (p *Publisher) feedAfter(ctx context.Context, show string, act func() error) (FeedView, error) {
	_, err := links.FeedOf(ctx, p.Store, show) // so that there is one
	if err == nil {
		err = act()
	}
	if err != nil {
		return FeedView{}, err
	}
	return p.Feed(ctx, show)
}

// Unpublish takes an episode out of the feed of its show.
func (p *Publisher) Unpublish(ctx context.Context, episode string) error {
	if _, err := p.Store.Episode(ctx, episode); err != nil {
		return err
	}
	if err := p.Store.WithdrawPublication(ctx, episode); err != nil {
		return err
	}
	p.changed(ctx, episode)
	return nil
}

// Publication is how an episode stands to the feed of its show.
func (p *Publisher) Publication(ctx context.Context, episode string) (out Publishing, err error) {
	e, err := p.Store.Episode(ctx, episode)
	if err != nil {
		return out, err
	}
	made, err := p.Store.Publication(ctx, episode)
	if store.IsNotFound(err) {
		return Publishing{State: "never"}, nil
	}
	if err != nil {
		return out, err
	}
	f, err := links.FeedOf(ctx, p.Store, e.Show)
	if err != nil {
		return out, err
	}
	out = Publishing{State: "published", At: &made.Published, File: made.Page.Of.File, Page: Feeds + "/" + cmp.Or(nameOf(f), f.Address) + "/" + episode}
	if made.Mixdown != nil {
		out.Mixdown = *made.Mixdown
	}
	switch {
	case made.Withdrawn != nil:
		out.State = "withdrawn"
	case made.Published.After(time.Now()):
		out.State = "waiting"
	}
	return out, nil
}

// FeedText is a feed as somebody reads it who has asked at an address. It is made when something in it has changed.
func (p *Publisher) FeedText(ctx context.Context, f store.Feed, self string, now time.Time) ([]byte, error) {
	mark, err := p.Store.FeedMark(ctx, f.Show, now)
	if err != nil {
		return nil, err
	}
	key := f.Show + " " + mark + " " + self
	if out, there := p.feeds.Get(key); there {
		return out, nil
	}
	out, err := p.feeding.Do(ctx, key, func(ctx context.Context) ([]byte, error) { return p.text(ctx, f, self, now) })
	if err == nil {
		p.feeds.Add(key, out)
	}
	return out, err
}

// text is a feed as somebody reads it who has asked at an address: all others in it begin with that.
func (p *Publisher) text(ctx context.Context, f store.Feed, self string, now time.Time) ([]byte, error) {
	all, err := p.Store.Publications(ctx, f.Show, now)
	if err != nil {
		return nil, err
	}
	show, err := p.Store.Show(ctx, f.Show)
	if err != nil {
		return nil, err
	}
	said, err := p.Store.Details(ctx, f.Show)
	if err != nil {
		return nil, err
	}
	out := feed.Show{
		Title: show.Name, Description: f.Said.Of.Description, Language: said.Language, Author: cmp.Or(f.Said.Of.Author, said.Presenter), Contact: f.Said.Of.Contact,
		Copyright: said.Copyright, Category: f.Said.Of.Category, Explicit: f.Said.Of.Explicit, Self: self, Home: cmp.Or(f.Said.Of.Home, self),
	}
	if said.Artwork != "" {
		out.Artwork = self + "/artwork.jpg"
	}
	for _, made := range all {
		out.Episodes = append(out.Episodes, episodeOf(made, self+"/"+made.Episode))
	}
	return feed.Write(out)
}

// episodeOf is an episode in a feed; at is its address there.
func episodeOf(made store.Publication, at string) feed.Episode {
	page := made.Page.Of
	e := feed.Episode{
		GUID: made.GUID, Title: page.Sheet.Title, Description: page.Sheet.Description, Published: made.Published, Sound: at + "/sound" + filepath.Ext(page.File),
		Bytes: page.Bytes, Type: page.Type, Length: page.Length, Number: page.Sheet.Number, Season: page.Sheet.Season, Presenter: page.Sheet.Presenter,
		Guests: page.Sheet.Guests, Keywords: page.Sheet.Keywords, Page: at,
	}
	if page.Sheet.Artwork != "" {
		e.Artwork = at + "/artwork.jpg"
	}
	if len(page.Sheet.Chapters) > 0 {
		e.Chapters = at + "/chapters.json"
	}
	if page.Told {
		e.Transcript = at + "/transcript.html"
	}
	return e
}
