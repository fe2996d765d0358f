package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/script"
)

// Link is an address at which a finished file is heard by whoever has it.
type Link struct {
	ID        string     `db:"id"`
	Address   string     `db:"address"`
	Episode   string     `db:"episode_id"`
	Mixdown   *string    `db:"mixdown_id"` // nil: it was withdrawn, and the file removed since
	Page      JSON[Page] `db:"page"`
	Ends      *time.Time `db:"ends_at"`
	Password  string     `db:"password"` // argon2id; empty: none
	Comments  bool       `db:"comments"`
	Withdrawn *time.Time `db:"withdrawn_at"`
	Made      time.Time  `db:"made_at"`
}

// Page is what listeners read, as it was when the link was made: what belongs to the file stays with it.
type Page struct {
	Sheet      details.Sheet `json:"sheet"`
	Credits    string        `json:"credits,omitempty"`
	Transcript []script.Part `json:"transcript,omitempty"` // kept besides the page, and read by itself
	Told       bool          `json:"told,omitempty"`       // there is a transcript
	Outline    []byte        `json:"outline,omitempty"`    // heights of the silhouette, 0 to 255
	Begins     audio.Frames  `json:"begins"`               // of the file in the session
	Length     audio.Frames  `json:"length"`
	File       string        `json:"file"`
	Bytes      int64         `json:"bytes"`
	Type       string        `json:"type"`
}

// kept is a page as it is kept: without its transcript, which comes besides, or nil.
func (p Page) kept() (page string, transcript *string) {
	if p.Told = len(p.Transcript) > 0; p.Told {
		parts := text(p.Transcript)
		transcript, p.Transcript = &parts, nil
	}
	return text(p), transcript
}

// LinkTranscript is that of the page behind a link.
func (s *Store) LinkTranscript(ctx context.Context, id string) ([]script.Part, error) {
	return s.transcript(ctx, `SELECT transcript FROM links WHERE id = ?`, id)
}

// PublishedTranscript is that of the page of an episode in the feed.
func (s *Store) PublishedTranscript(ctx context.Context, episode string) ([]script.Part, error) {
	return s.transcript(ctx, `SELECT transcript FROM publications WHERE episode_id = ?`, episode)
}

func (s *Store) transcript(ctx context.Context, query, id string) ([]script.Part, error) {
	var parts JSON[[]script.Part]
	return parts.Of, found(s.db.GetContext(ctx, &parts, query, id), "transcript")
}

// Comment is what a listener has written about a place.
type Comment struct {
	ID    string       `db:"id"`
	Link  string       `db:"link_id"`
	At    audio.Frames `db:"at"` // from the beginning of the file
	Name  string       `db:"name"`
	Words string       `db:"words"`
	State CommentState `db:"state"`
	Made  time.Time    `db:"made_at"`
}

// CommentState is what has become of a comment.
type CommentState string

// A comment is new until the producer has it shown on the page, or not.
const (
	CommentNew    CommentState = "new"
	CommentShown  CommentState = "shown"
	CommentHidden CommentState = "hidden"
)

const linkColumns = `SELECT id, address, episode_id, mixdown_id, page, ends_at, password, comments, withdrawn_at, made_at FROM links`

// AddLink keeps a link to a file that is there.
func (s *Store) AddLink(ctx context.Context, l Link) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		var there int
		if err := found(tx.GetContext(ctx, &there, `SELECT 1 FROM mixdowns WHERE id = ? FOR UPDATE`, l.Mixdown), "mixdown"); err != nil {
			return err
		}
		page, transcript := l.Page.Of.kept()
		_, err := tx.ExecContext(ctx, `INSERT INTO links (id, address, episode_id, mixdown_id, page, transcript, ends_at, password, comments) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			l.ID, l.Address, l.Episode, l.Mixdown, page, transcript, l.Ends, l.Password, l.Comments)
		return err
	})
}

// Links are those of an episode, the newest first.
func (s *Store) Links(ctx context.Context, episode string) ([]Link, error) {
	links := []Link{}
	return links, s.db.SelectContext(ctx, &links, linkColumns+` WHERE episode_id = ? ORDER BY made_at DESC, id DESC`, episode)
}

// Link is one link by its id.
func (s *Store) Link(ctx context.Context, id string) (l Link, err error) {
	return l, found(s.db.GetContext(ctx, &l, linkColumns+` WHERE id = ?`, id), "link")
}

// LinkAt is the link with an address.
func (s *Store) LinkAt(ctx context.Context, address string) (l Link, err error) {
	if !addressed.MatchString(address) {
		return l, NotFound("link")
	}
	if err = found(s.db.GetContext(ctx, &l, linkColumns+` WHERE address = ?`, address), "link"); err == nil && l.Address != address {
		err = NotFound("link")
	}
	return l, err
}

// ChangeLink gives a link another end, another password, or comments, as it stands in the row that is locked meanwhile.
func (s *Store) ChangeLink(ctx context.Context, id string, change func(*Link) error) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		var l Link
		if err := found(tx.GetContext(ctx, &l, linkColumns+` WHERE id = ? FOR UPDATE`, id), "link"); err != nil {
			return err
		}
		if err := change(&l); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE links SET ends_at = ?, password = ?, comments = ? WHERE id = ?`, l.Ends, l.Password, l.Comments, id)
		return err
	})
}

// WithdrawLink takes a link back, for good. Taking it back again changes nothing.
func (s *Store) WithdrawLink(ctx context.Context, id string) error {
	if _, err := s.Link(ctx, id); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `UPDATE links SET withdrawn_at = CURRENT_TIMESTAMP(3) WHERE id = ? AND withdrawn_at IS NULL`, id)
	return err
}

// mostComments is how many a link takes.
const mostComments = 500

// AddComment keeps what a listener has written.
func (s *Store) AddComment(ctx context.Context, c Comment) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		var there int
		if err := found(tx.GetContext(ctx, &there, `SELECT 1 FROM links WHERE id = ? FOR UPDATE`, c.Link), "link"); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &there, `SELECT COUNT(*) FROM comments WHERE link_id = ?`, c.Link); err != nil {
			return err
		}
		if there >= mostComments {
			return problem.New("too-many-comments", "comments", "There is no room for another comment here.")
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO comments (id, link_id, at, name, words) VALUES (?, ?, ?, ?, ?)`, c.ID, c.Link, c.At, c.Name, c.Words)
		return err
	})
}

const commentColumns = `SELECT c.id, c.link_id, c.at, c.name, c.words, c.state, c.made_at FROM comments c`

// Comments are all that were written about the files of an episode, in the order of their places.
func (s *Store) Comments(ctx context.Context, episode string) ([]Comment, error) {
	out := []Comment{}
	return out, s.db.SelectContext(ctx, &out, commentColumns+` JOIN links l ON l.id = c.link_id WHERE l.episode_id = ? ORDER BY c.at, c.id`, episode)
}

// CommentsShown are those that listeners see behind a link.
func (s *Store) CommentsShown(ctx context.Context, link string) ([]Comment, error) {
	out := []Comment{}
	return out, s.db.SelectContext(ctx, &out, commentColumns+` WHERE c.link_id = ? AND c.state = 'shown' ORDER BY c.at, c.id`, link)
}

// CommentOn is a comment with the episode that it is about.
func (s *Store) CommentOn(ctx context.Context, id string) (c Comment, episode string, err error) {
	var row struct {
		Comment
		Episode string `db:"episode_id"`
	}
	err = s.db.GetContext(ctx, &row, `SELECT c.id, c.link_id, c.at, c.name, c.words, c.state, c.made_at, l.episode_id FROM comments c JOIN links l ON l.id = c.link_id WHERE c.id = ?`, id)
	return row.Comment, row.Episode, found(err, "comment")
}

// SetComment says what becomes of a comment.
func (s *Store) SetComment(ctx context.Context, id string, state CommentState) error {
	_, err := s.db.ExecContext(ctx, `UPDATE comments SET state = ? WHERE id = ?`, state, id)
	return err
}

// RemoveComment removes a comment.
func (s *Store) RemoveComment(ctx context.Context, id string) error {
	r, err := s.db.ExecContext(ctx, `DELETE FROM comments WHERE id = ?`, id)
	return changed(r, err, "comment")
}
