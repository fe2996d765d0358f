package store

import (
	"context"
	"encoding/json"
	"time"
)

// Upload is a file on its way in.
type Upload struct {
	ID    string                `db:"id"`
	Show  string                `db:"show_id"`
	Said  JSON[json.RawMessage] `db:"said"` // what was announced of it
	Begun time.Time             `db:"begun_at"`
}

// AddUpload notes that a file is to come. The same id twice is one.
func (s *Store) AddUpload(ctx context.Context, id, show string, said any) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO uploads (id, show_id, said) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE id = id`, id, show, text(said))
	return err
}

// Upload is one of them.
func (s *Store) Upload(ctx context.Context, id string) (u Upload, err error) {
	return u, found(s.db.GetContext(ctx, &u, `SELECT * FROM uploads WHERE id = ?`, id), "upload")
}

// UploadsOf is how many files are on their way to a show.
func (s *Store) UploadsOf(ctx context.Context, show string) (n int, err error) {
	return n, s.db.GetContext(ctx, &n, `SELECT COUNT(*) FROM uploads WHERE show_id = ? AND NOT EXISTS (SELECT 1 FROM jobs WHERE jobs.id = uploads.id)`, show)
}

// Uploads lists those of all shows that no job is about yet.
func (s *Store) Uploads(ctx context.Context) ([]Upload, error) {
	all := []Upload{}
	return all, s.db.SelectContext(ctx, &all, `SELECT * FROM uploads WHERE NOT EXISTS (SELECT 1 FROM jobs WHERE jobs.id = uploads.id) ORDER BY id`)
}

// RemoveUpload takes a file off the list of those that come. One that is not there is no error.
func (s *Store) RemoveUpload(ctx context.Context, id string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM uploads WHERE id = ?`, id)
	return err
}

// OldUploads lists those that began longer ago than that.
func (s *Store) OldUploads(ctx context.Context, age time.Duration) (ids []string, err error) {
	return ids, s.db.SelectContext(ctx, &ids, `SELECT id FROM uploads WHERE begun_at <= CURRENT_TIMESTAMP(3) - INTERVAL ? MICROSECOND ORDER BY id`, age.Microseconds())
}
