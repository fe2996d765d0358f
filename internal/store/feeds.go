package store

import (
	"context"
	"regexp"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"ruvel/core/problem"
)

// Feed is that of a show.
type Feed struct {
	Show    string         `db:"show_id"`
	Address string         `db:"address"`
	Name    *string        `db:"name"` // by which everybody finds it; nil: it is private
	Said    JSON[FeedSaid] `db:"said"`
}

// FeedSaid is what a feed says of a show besides its details.
type FeedSaid struct {
	Description string `json:"description,omitempty" maxLength:"4000"`
	Author      string `json:"author,omitempty" maxLength:"200"`
	Contact     string `json:"contact,omitempty" maxLength:"200" doc:"An address for mail"`
	Category    string `json:"category,omitempty" maxLength:"100"`
	Home        string `json:"home,omitempty" maxLength:"500" doc:"A page about the show on the web"`
	Explicit    bool   `json:"explicit,omitempty" doc:"It is not for children"`
}

// Publication is an episode in the feed of its show.
type Publication struct {
	Episode   string     `db:"episode_id"`
	Show      string     `db:"show_id"`
	GUID      string     `db:"guid"`
	Mixdown   *string    `db:"mixdown_id"` // nil: it was withdrawn, and the file removed since
	Page      JSON[Page] `db:"page"`
	Published time.Time  `db:"published_at"` // in the future: it waits until then
	Withdrawn *time.Time `db:"withdrawn_at"`
}

const (
	feedColumns        = `SELECT show_id, address, name, said FROM feeds`
	publicationColumns = `SELECT episode_id, show_id, guid, mixdown_id, page, published_at, withdrawn_at FROM publications`
	duplicateKey       = 1062
)

// Feed is the feed of a show, which is made with an address if there is none.
func (s *Store) Feed(ctx context.Context, show, address string) (f Feed, err error) {
	if _, err := s.Show(ctx, show); err != nil {
		return f, err
	}
	if _, err := s.db.ExecContext(ctx, `INSERT IGNORE INTO feeds (show_id, address, said) VALUES (?, ?, '{}')`, show, address); err != nil {
		return f, err
	}
	return f, found(s.db.GetContext(ctx, &f, feedColumns+` WHERE show_id = ?`, show), "feed")
}

// FeedSaid is what the feed of a show says, or nil if it has none yet.
func (s *Store) FeedSaid(ctx context.Context, show string) (*FeedSaid, error) {
	var f Feed
	err := found(s.db.GetContext(ctx, &f, feedColumns+` WHERE show_id = ?`, show), "feed")
	if IsNotFound(err) {
		return nil, nil
	}
	return &f.Said.Of, err
}

// FeedAt is the feed with an address, or with the name by which everybody finds it.
func (s *Store) FeedAt(ctx context.Context, address string) (f Feed, err error) {
	if !addressed.MatchString(address) {
		return f, NotFound("feed")
	}
	err = found(s.db.GetContext(ctx, &f, feedColumns+` WHERE address = ? OR name = ?`, address, address), "feed")
	if err == nil && f.Address != address && (f.Name == nil || *f.Name != address) { // to the database large and small letters are alike
		err = NotFound("feed")
	}
	return f, err
}

// addressed is the form of all addresses that are made, and of the names of feeds.
var addressed = regexp.MustCompile(`^[A-Za-z0-9_-]{1,100}$`)

// FeedMark is a mark of all that the feed of a show says at a moment: it is another one as soon as any of it is.
func (s *Store) FeedMark(ctx context.Context, show string, now time.Time) (mark string, err error) {
	return mark, found(s.db.GetContext(ctx, &mark, `SELECT MD5(CONCAT_WS('/', s.name, s.details, f.said, (SELECT GROUP_CONCAT(MD5(CONCAT_WS('/', p.guid, p.mixdown_id, p.published_at, p.page)) ORDER BY p.episode_id)
		FROM publications p WHERE p.show_id = s.id AND p.withdrawn_at IS NULL AND p.published_at <= ?))) FROM shows s JOIN feeds f ON f.show_id = s.id WHERE s.id = ?`, now, show), "feed")
}

// ReviseFeed changes the feed of a show, as it stands in the row that is locked meanwhile.
func (s *Store) ReviseFeed(ctx context.Context, show string, change func(Feed) (Feed, error)) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		var f Feed
		if err := found(tx.GetContext(ctx, &f, feedColumns+` WHERE show_id = ? FOR UPDATE`, show), "feed"); err != nil {
			return err
		}
		f, err := change(f)
		if err != nil {
			return err
		}
		return setFeed(ctx, tx, f)
	})
}

// SetFeed gives a feed another name and has it say something else.
func (s *Store) SetFeed(ctx context.Context, f Feed) error { return setFeed(ctx, s.db, f) }

func setFeed(ctx context.Context, to sqlx.ExecerContext, f Feed) error {
	_, err := to.ExecContext(ctx, `UPDATE feeds SET address = ?, name = ?, said = ? WHERE show_id = ?`, f.Address, f.Name, text(f.Said.Of), f.Show)
	if e, is := err.(*mysql.MySQLError); is && e.Number == duplicateKey { //nolint:errorlint // the driver's own
		return problem.New("name-taken", "name", "Another feed has this name already. Choose another one.")
	}
	return err
}

// Publish puts an episode into the feed of its show, with a file that is there. If it was there before, also if it was
// withdrawn, its GUID stays, so that players do not take it for another one.
func (s *Store) Publish(ctx context.Context, p Publication) error {
	return s.transaction(ctx, func(tx *sqlx.Tx) error {
		var there int
		if err := found(tx.GetContext(ctx, &there, `SELECT 1 FROM mixdowns WHERE id = ? AND episode_id = ? FOR UPDATE`, p.Mixdown, p.Episode), "mixdown"); err != nil {
			return err
		}
		page, transcript := p.Page.Of.kept()
		_, err := tx.ExecContext(ctx, `INSERT INTO publications (episode_id, show_id, guid, mixdown_id, page, transcript, published_at) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON DUPLICATE KEY UPDATE mixdown_id = VALUES(mixdown_id), page = VALUES(page), transcript = VALUES(transcript), published_at = VALUES(published_at), withdrawn_at = NULL`,
			p.Episode, p.Show, p.GUID, p.Mixdown, page, transcript, p.Published)
		return err
	})
}

// Publication is that of an episode, if it is or was in the feed.
func (s *Store) Publication(ctx context.Context, episode string) (p Publication, err error) {
	return p, found(s.db.GetContext(ctx, &p, publicationColumns+` WHERE episode_id = ?`, episode), "publication")
}

// Publications are the episodes that are in the feed of a show at a moment.
func (s *Store) Publications(ctx context.Context, show string, now time.Time) ([]Publication, error) {
	all := []Publication{}
	return all, s.db.SelectContext(ctx, &all, publicationColumns+` WHERE show_id = ? AND withdrawn_at IS NULL AND published_at <= ? ORDER BY published_at DESC, episode_id`, show, now)
}

// WithdrawPublication takes an episode out of the feed. It can be published again.
func (s *Store) WithdrawPublication(ctx context.Context, episode string) error {
	if _, err := s.Publication(ctx, episode); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `UPDATE publications SET withdrawn_at = CURRENT_TIMESTAMP(3) WHERE episode_id = ? AND withdrawn_at IS NULL`, episode)
	return err
}
