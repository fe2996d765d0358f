package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Sound is what is known of a sound in a show.
type Sound struct {
	Show     string                `db:"show_id"`
	ID       string                `db:"id"`
	Name     string                `db:"name"`
	Part     session.Part          `db:"part"`
	Channels int                   `db:"channels"`
	Rate     int                   `db:"rate"`
	Format   string                `db:"format"`
	Bytes    int64                 `db:"bytes"`
	Length   audio.Frames          `db:"length"`
	Loudness JSON[loudness.Result] `db:"loudness"`
	Title    string                `db:"title"`
	Author   string                `db:"author"`
	Source   string                `db:"source"`
	Licence  string                `db:"licence"`
	Notes    string                `db:"notes"`
	Words    string                `db:"words"` // mood, instrument, genre
	Tempo    float64               `db:"tempo"` // beats a minute, 0 if it is not known
	Created  time.Time             `db:"created_at"`
	Used     int                   `db:"used"` // by how many episodes
}

const soundColumns = `SELECT sounds.*, (SELECT COUNT(*) FROM sound_uses u WHERE u.show_id = sounds.show_id AND u.sound_id = sounds.id) AS used FROM sounds`

// Sounds lists the sounds of a show, the newest first.
func (s *Store) Sounds(ctx context.Context, show string) ([]Sound, error) {
	if _, err := s.Show(ctx, show); err != nil {
		return nil, err
	}
	sounds := []Sound{}
	return sounds, s.db.SelectContext(ctx, &sounds, soundColumns+` WHERE show_id = ? ORDER BY created_at DESC, name`, show)
}

// Sound is one sound of a show.
func (s *Store) Sound(ctx context.Context, show, id string) (sound Sound, err error) {
	return sound, found(s.db.GetContext(ctx, &sound, soundColumns+` WHERE show_id = ? AND id = ?`, show, id), "sound")
}

// AddSound adds a sound to a show. If the show has it already, it stays as it is.
func (s *Store) AddSound(ctx context.Context, v Sound) error { return addSound(ctx, s.db, v) }

func addSound(ctx context.Context, to sqlx.ExecerContext, v Sound) error {
	_, err := to.ExecContext(ctx, `INSERT INTO sounds (show_id, id, name, part, channels, rate, format, bytes, length, loudness, title, author, source, licence, notes, words, tempo)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = id`,
		v.Show, v.ID, v.Name, v.Part, v.Channels, v.Rate, v.Format, v.Bytes, v.Length, text(v.Loudness.Of), v.Title, v.Author, v.Source, v.Licence, v.Notes, v.Words, v.Tempo)
	return err
}

// SetSound changes what people write about a sound.
func (s *Store) SetSound(ctx context.Context, v Sound) error {
	r, err := s.db.ExecContext(ctx, `UPDATE sounds SET name = ?, part = ?, title = ?, author = ?, source = ?, licence = ?, notes = ?, words = ?, tempo = ? WHERE show_id = ? AND id = ?`,
		strings.TrimSpace(v.Name), v.Part, v.Title, v.Author, v.Source, v.Licence, v.Notes, v.Words, v.Tempo, v.Show, v.ID)
	return changed(r, err, "sound")
}

// SoundsOfAll is the set of the ids of the sounds that any show has.
func (s *Store) SoundsOfAll(ctx context.Context) (map[string]bool, error) {
	return set(ctx, s, `SELECT DISTINCT id FROM sounds`)
}

// MixdownsOfAll is the set of the ids of all mixdowns.
func (s *Store) MixdownsOfAll(ctx context.Context) (map[string]bool, error) {
	return set(ctx, s, `SELECT id FROM mixdowns`)
}

// TakesOfAll is the set of the ids of all takes.
func (s *Store) TakesOfAll(ctx context.Context) (map[string]bool, error) {
	return set(ctx, s, `SELECT id FROM takes`)
}

func set(ctx context.Context, s *Store, query string) (map[string]bool, error) {
	var ids []string
	if err := s.db.SelectContext(ctx, &ids, query); err != nil {
		return nil, err
	}
	out := map[string]bool{}
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}

// RemoveSound removes a sound from a show. One that an episode uses is kept, and the
// Problem says where. A take that it was goes with it. Last tells that no other show has the sound any more.
func (s *Store) RemoveSound(ctx context.Context, show, id string) (last bool, err error) {
	r, err := s.db.ExecContext(ctx, `DELETE FROM sounds WHERE show_id = ? AND id = ?`, show, id)
	var e *mysql.MySQLError
	if errors.As(err, &e) && e.Number == 1451 {
		return false, s.inUse(ctx, show, id)
	}
	if err := changed(r, err, "sound"); err != nil {
		return false, err
	}
	if _, err := s.db.ExecContext(ctx, `DELETE FROM takes WHERE sound_id = ? AND episode_id IN (SELECT id FROM episodes WHERE show_id = ?)`, id, show); err != nil {
		return false, err
	}
	there, err := s.HasSound(ctx, id)
	return !there, err
}

// EpisodesUsing lists the episodes of a show that use a sound.
func (s *Store) EpisodesUsing(ctx context.Context, show, sound string) ([]Episode, error) {
	episodes := []Episode{}
	return episodes, s.db.SelectContext(ctx, &episodes, episodeColumns+` WHERE show_id = ? AND id IN
		(SELECT episode_id FROM sound_uses WHERE show_id = ? AND sound_id = ?) ORDER BY number, id`, show, show, sound)
}

// HasSound says whether any show has a sound.
func (s *Store) HasSound(ctx context.Context, id string) (there bool, err error) {
	return there, s.db.GetContext(ctx, &there, `SELECT EXISTS (SELECT 1 FROM sounds WHERE id = ?)`, id)
}

func (s *Store) inUse(ctx context.Context, show, id string) error {
	episodes, err := s.EpisodesUsing(ctx, show, id)
	if err != nil {
		return err
	}
	var titles []string
	for _, e := range episodes {
		titles = append(titles, e.Title)
	}
	return problem.Problem{
		Code: "sound-in-use", Where: "sound",
		Message: fmt.Sprintf("This sound is used in “%s”. Remove its clips there first.", strings.Join(titles, "”, “")),
	}
}
