package server

import (
	"context"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

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

type newLink struct {
	Ends       *time.Time `json:"ends,omitempty" doc:"Left out: it does not end by itself"`
	Password   string     `json:"password,omitempty" maxLength:"100" doc:"Left out: none"`
	Comments   bool       `json:"comments,omitempty" doc:"Listeners may write some"`
	Transcript bool       `json:"transcript,omitempty" doc:"The script is on the page"`
}

type changedLink struct {
	Ends     *time.Time `json:"ends,omitempty"`
	Endless  bool       `json:"endless,omitempty" doc:"It does not end by itself any more"`
	Comments *bool      `json:"comments,omitempty"`
	Password *string    `json:"password,omitempty" maxLength:"100" doc:"Empty: there is none any more"`
}

// InLink is a route within a link.
type InLink struct {
	Link string `path:"link" format:"uuid"`
}

// InComment is a route within a comment.
type InComment struct {
	Comment string `path:"comment" format:"uuid"`
}

func (s *Server) linkRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/links", "list-links", "The addresses at which finished files of an episode are heard, and what listeners have written"),
		func(ctx context.Context, in *InEpisode) (*body[Sharing], error) {
			return answer(s.sharing(ctx, in.Episode))
		})
	huma.Register(api, operation("POST", "/mixdowns/{mixdown}/links", "add-link", "Let a finished file be heard by whoever has the address that is answered. The page says what the episode says of itself now"),
		func(ctx context.Context, in *struct {
			InMixdown
			Body newLink
		},
		) (*body[Shared], error) {
			return answer(s.addLink(ctx, in.Mixdown, in.Body))
		})
	huma.Register(api, operation("PATCH", "/links/{link}", "change-link", "Give a link another end, another password, comments or none. What is left out stays"),
		func(ctx context.Context, in *struct {
			InLink
			Body changedLink
		},
		) (*body[Shared], error) {
			err := links.Change(ctx, s.Store, in.Link, links.Changed(in.Body))
			return s.changedLink(ctx, in.Link, err)
		})
	huma.Register(api, operation("POST", "/links/{link}/withdraw", "withdraw-link", "Take a link back, for good: its page says so from now on"),
		func(ctx context.Context, in *InLink) (*body[Shared], error) {
			return s.changedLink(ctx, in.Link, s.Store.WithdrawLink(ctx, in.Link))
		})
	huma.Register(api, operation("PUT", "/comments/{comment}", "set-comment", "Have a comment shown on the page, or not"),
		func(ctx context.Context, in *struct {
			InComment
			Body struct {
				State store.CommentState `json:"state" enum:"shown,hidden"`
			}
		},
		) (*empty, error) {
			return nothing(s.onComment(ctx, in.Comment, func() error { return s.Store.SetComment(ctx, in.Comment, in.Body.State) }))
		})
	huma.Register(api, operation("DELETE", "/comments/{comment}", "remove-comment", "Remove a comment"),
		func(ctx context.Context, in *InComment) (*empty, error) {
			return nothing(s.onComment(ctx, in.Comment, func() error { return s.Store.RemoveComment(ctx, in.Comment) }))
		})
}

func (s *Server) sharing(ctx context.Context, episode string) (out Sharing, err error) {
	out = Sharing{Links: []Shared{}, Remarks: []Remark{}}
	if _, err := s.Store.Episode(ctx, episode); err != nil {
		return out, err
	}
	all, err := s.Store.Links(ctx, episode)
	if err != nil {
		return out, err
	}
	begins := map[string]audio.Frames{}
	for _, l := range all {
		out.Links = append(out.Links, sharedView(l))
		begins[l.ID] = l.Page.Of.Begins
	}
	comments, err := s.Store.Comments(ctx, episode)
	for _, c := range comments {
		out.Remarks = append(out.Remarks, Remark{c.ID, c.Link, c.At, begins[c.Link] + c.At, c.Name, c.Words, c.State, c.Made})
	}
	return out, err
}

func sharedView(l store.Link) Shared {
	out := Shared{
		ID: l.ID, Path: pageOf(l), File: l.Page.Of.File, Title: l.Page.Of.Sheet.Title, Ends: l.Ends, Ended: l.Ends != nil && l.Ends.Before(time.Now()),
		Password: l.Password != "", Comments: l.Comments, Transcript: l.Page.Of.Told || len(l.Page.Of.Transcript) > 0, Withdrawn: l.Withdrawn != nil, Made: l.Made,
	}
	if l.Mixdown != nil {
		out.Mixdown = *l.Mixdown
	}
	return out
}

func (s *Server) addLink(ctx context.Context, mixdown string, want newLink) (Shared, error) {
	m, err := s.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return Shared{}, err
	}
	page, err := s.listenersPage(ctx, m, want.Transcript)
	if err != nil {
		return Shared{}, err
	}
	l, err := links.Make(ctx, s.Store, m, page, links.Wanted{Ends: want.Ends, Password: want.Password, Comments: want.Comments})
	if err != nil {
		return Shared{}, err
	}
	s.linksChanged(ctx, l.Episode)
	return sharedView(l), nil
}

// listenersPage is what the page of a file says: the details of the episode as they are now, and the chapters of the
// session that the file was made from.
func (s *Server) listenersPage(ctx context.Context, m store.Mixdown, transcript bool) (p store.Page, err error) {
	format, _ := media.FindFormat(m.Format)
	if format.Stems {
		return p, problem.New("no-sound", "mixdown", "An archive of stems cannot be listened to. Share another finished file.")
	}
	e, err := s.Store.Episode(ctx, m.Episode)
	if err != nil {
		return p, err
	}
	doc := session.New()
	if m.Kept {
		if doc, err = s.Store.MadeFrom(ctx, m.ID); err != nil {
			return p, err
		}
	}
	p = store.Page{Outline: m.Made.Of.Outline, Begins: m.Begins, Length: m.Loudness.Of.Length, File: m.File, Bytes: m.Bytes, Type: format.Type}
	if p.Sheet, err = s.Handover.Sheet(ctx, e, doc, m.Begins, m.Ends); err != nil {
		return p, err
	}
	if i := slices.IndexFunc(p.Sheet.Chapters, func(c details.Chapter) bool { return c.Title == m.Made.Of.Chapter }); i >= 0 && m.Made.Of.Chapter != "" {
		p.Sheet, _ = p.Sheet.OfChapter(i)
	}
	if p.Credits = p.Sheet.Credits; p.Credits == "" {
		papers, err := s.Library.Papers(ctx, e.Show, doc)
		if err != nil {
			return p, err
		}
		p.Credits = credits.For(papers).Text
	}
	if transcript {
		text, err := s.Store.Script(ctx, m.Episode)
		if err != nil {
			return p, err
		}
		if p.Transcript = script.Read(text.Text, script.Usual, nil).Parts; len(p.Transcript) == 0 {
			return p, problem.New("no-script", "transcript", "This episode has no script that could be shown. Write or paste it in Gather first.")
		}
	}
	return p, nil
}

// changedLink answers with a link after something was done to it.
func (s *Server) changedLink(ctx context.Context, id string, err error) (*body[Shared], error) {
	if err != nil {
		return nil, fail(err)
	}
	l, err := s.Store.Link(ctx, id)
	if err == nil {
		s.linksChanged(ctx, l.Episode)
	}
	return answer(sharedView(l), err)
}

func (s *Server) onComment(ctx context.Context, id string, act func() error) error {
	_, episode, err := s.Store.CommentOn(ctx, id)
	if err != nil {
		return err
	}
	if err = act(); err == nil {
		s.linksChanged(ctx, episode)
	}
	return err
}

// linksChanged tells the windows on an episode.
func (s *Server) linksChanged(ctx context.Context, episode string) {
	if e, err := s.Store.Episode(ctx, episode); err == nil {
		s.Queue.Announce(work.EpisodeSubject(episode), work.Event{Links: &work.ShowEvent{Show: e.Show}})
	}
}
