package publish

import (
	"context"
	"slices"
	"time"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/script"
	"ruvel/core/session"
	"ruvel/internal/links"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Pages is where the pages behind links are.
const Pages = "/p"

// PageOf is the path of the page behind a link.
func PageOf(l store.Link) string { return Pages + "/" + l.Address }

// Shared is an address at which a finished file is heard by whoever has it.
type Shared struct {
	ID         string     `json:"id"`
	Path       string     `json:"path" doc:"Of the page on this server"`
	Mixdown    string     `json:"mixdown,omitempty" doc:"The finished file; left out: it has been removed since the link was withdrawn"`
	File       string     `json:"file"`
	Title      string     `json:"title"`
	Ends       *time.Time `json:"ends,omitempty" doc:"Left out: it does not end by itself"`
	Ended      bool       `json:"ended"`
	Password   bool       `json:"password" doc:"It has one"`
	Comments   bool       `json:"comments" doc:"Listeners may write some"`
	Transcript bool       `json:"transcript" doc:"The script is on the page"`
	Withdrawn  bool       `json:"withdrawn"`
	Made       time.Time  `json:"made"`
}

// Remark is what a listener has written about a place.
type Remark struct {
	ID    string             `json:"id"`
	Link  string             `json:"link"`
	At    audio.Frames       `json:"at" doc:"In the file"`
	Place audio.Frames       `json:"place" doc:"In the session that the file was made from"`
	Name  string             `json:"name"`
	Words string             `json:"words"`
	State store.CommentState `json:"state" enum:"new,shown,hidden" doc:"new: nobody has looked at it yet; shown: listeners read it"`
	Made  time.Time          `json:"made"`
}

// Sharing is what listeners can hear of an episode, and what they have written.
type Sharing struct {
	Links   []Shared `json:"links" nullable:"false" doc:"The newest first"`
	Remarks []Remark `json:"remarks" nullable:"false" doc:"In the order of their places"`
}

// NewLink is a link that is to be made.
type NewLink struct {
	Ends       *time.Time `json:"ends,omitempty" doc:"Left out: it does not end by itself"`
	Password   string     `json:"password,omitempty" maxLength:"100" doc:"Left out: none"`
	Comments   bool       `json:"comments,omitempty" doc:"Listeners may write some"`
	Transcript bool       `json:"transcript,omitempty" doc:"The script is on the page"`
}

// ChangedLink is what is to become of a link; what is left out stays.
type ChangedLink struct {
	Ends     *time.Time `json:"ends,omitempty"`
	Endless  bool       `json:"endless,omitempty" doc:"It does not end by itself any more"`
	Comments *bool      `json:"comments,omitempty"`
	Password *string    `json:"password,omitempty" maxLength:"100" doc:"Empty: there is none any more"`
}

// Sharing is what listeners can hear of an episode, and what they have written.
func (p *Publisher) Sharing(ctx context.Context, episode string) (out Sharing, err error) {
	out = Sharing{Links: []Shared{}, Remarks: []Remark{}}
	if _, err := p.Store.Episode(ctx, episode); err != nil {
		return out, err
	}
	all, err := p.Store.Links(ctx, episode)
	if err != nil {
		return out, err
	}
	begins := map[string]audio.Frames{}
	for _, l := range all {
		out.Links = append(out.Links, viewOf(l))
		begins[l.ID] = l.Page.Of.Begins
	}
	comments, err := p.Store.Comments(ctx, episode)
	for _, c := range comments {
		out.Remarks = append(out.Remarks, Remark{c.ID, c.Link, c.At, begins[c.Link] + c.At, c.Name, c.Words, c.State, c.Made})
	}
	return out, err
}

// viewOf is a link as people see it.
func viewOf(l store.Link) Shared {
	out := Shared{
		ID: l.ID, Path: PageOf(l), File: l.Page.Of.File, Title: l.Page.Of.Sheet.Title, Ends: l.Ends, Ended: l.Ends != nil && l.Ends.Before(time.Now()),
		Password: l.Password != "", Comments: l.Comments, Transcript: l.Page.Of.Told || len(l.Page.Of.Transcript) > 0, Withdrawn: l.Withdrawn != nil, Made: l.Made,
	}
	if l.Mixdown != nil {
		out.Mixdown = *l.Mixdown
	}
	return out
}

// Share lets a finished file be heard by whoever has the address that is given back. Its page says what the episode says of
// itself now.
func (p *Publisher) Share(ctx context.Context, mixdown string, want NewLink) (Shared, error) {
	m, err := p.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return Shared{}, err
	}
	page, err := p.page(ctx, m, want.Transcript)
	if err != nil {
		return Shared{}, err
	}
	l, err := links.Make(ctx, p.Store, m, page, links.Wanted{Ends: want.Ends, Password: want.Password, Comments: want.Comments})
	if err != nil {
		return Shared{}, err
	}
	p.changed(ctx, l.Episode)
	return viewOf(l), nil
}

// page is what the page of a file says: the details of the episode as they are now, and the chapters of the session that the
// file was made from.
func (p *Publisher) page(ctx context.Context, m store.Mixdown, transcript bool) (out store.Page, err error) {
	format, _ := media.FindFormat(m.Format)
	if format.Stems {
		return out, problem.New("no-sound", "mixdown", "An archive of stems cannot be listened to. Share another finished file.")
	}
	e, err := p.Store.Episode(ctx, m.Episode)
	if err != nil {
		return out, err
	}
	doc := session.New()
	if m.Kept {
		if doc, err = p.Store.MadeFrom(ctx, m.ID); err != nil {
			return out, err
		}
	}
	out = store.Page{Outline: m.Made.Of.Outline, Begins: m.Begins, Length: m.Loudness.Of.Length, File: m.File, Bytes: m.Bytes, Type: format.Type}
	if out.Sheet, err = p.Sheet(ctx, e, doc, m.Begins, m.Ends); err != nil {
		return out, err
	}
	if i := slices.IndexFunc(out.Sheet.Chapters, func(c details.Chapter) bool { return c.Title == m.Made.Of.Chapter }); i >= 0 && m.Made.Of.Chapter != "" {
		out.Sheet, _ = out.Sheet.OfChapter(i)
	}
	if out.Credits = out.Sheet.Credits; out.Credits == "" {
		papers, err := p.Library.Papers(ctx, e.Show, doc)
		if err != nil {
			return out, err
		}
		out.Credits = credits.For(papers).Text
	}
	if transcript {
		out.Transcript, err = p.transcript(ctx, m.Episode)
	}
	return out, err
}

// transcript is the script of an episode as a page shows it.
func (p *Publisher) transcript(ctx context.Context, episode string) ([]script.Part, error) {
	text, err := p.Store.Script(ctx, episode)
	if err != nil {
		return nil, err
	}
	parts := script.Read(text.Text, script.Usual, nil).Parts
	if len(parts) == 0 {
		return nil, problem.New("no-script", "transcript", "This episode has no script that could be shown. Write or paste it in Gather first.")
	}
	return parts, nil
}

// Change gives a link another end, another password, comments or none. What is left out stays.
func (p *Publisher) Change(ctx context.Context, link string, to ChangedLink) (Shared, error) {
	return p.now(ctx, link, links.Change(ctx, p.Store, link, links.Changed(to)))
}

// Withdraw takes a link back, for good: its page says so from then on.
func (p *Publisher) Withdraw(ctx context.Context, link string) (Shared, error) {
	return p.now(ctx, link, p.Store.WithdrawLink(ctx, link))
}

// now is a link after something was done to it.
func (p *Publisher) now(ctx context.Context, link string, err error) (Shared, error) {
	if err != nil {
		return Shared{}, err
	}
	l, err := p.Store.Link(ctx, link)
	if err == nil {
		p.changed(ctx, l.Episode)
	}
	return viewOf(l), err
}

// Comment takes what a listener writes about a place of what is behind a link.
func (p *Publisher) Comment(ctx context.Context, l store.Link, at audio.Frames, name, words string) error {
	if err := links.Comment(ctx, p.Store, l, at, name, words); err != nil {
		return err
	}
	p.changed(ctx, l.Episode)
	return nil
}

// SetComment has a comment shown on its page, or not.
func (p *Publisher) SetComment(ctx context.Context, comment string, state store.CommentState) error {
	return p.onComment(ctx, comment, func() error { return p.Store.SetComment(ctx, comment, state) })
}

// RemoveComment removes a comment.
func (p *Publisher) RemoveComment(ctx context.Context, comment string) error {
	return p.onComment(ctx, comment, func() error { return p.Store.RemoveComment(ctx, comment) })
}

func (p *Publisher) onComment(ctx context.Context, comment string, act func() error) error {
	_, episode, err := p.Store.CommentOn(ctx, comment)
	if err != nil {
		return err
	}
	if err = act(); err == nil {
		p.changed(ctx, episode)
	}
	return err
}

// changed tells the windows on an episode.
func (p *Publisher) changed(ctx context.Context, episode string) {
	if e, err := p.Store.Episode(ctx, episode); err == nil {
		p.Queue.Announce(work.EpisodeSubject(episode), work.Event{Links: &work.ShowEvent{Show: e.Show}})
	}
}
