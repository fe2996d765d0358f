package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"ruvel/core/details"
	"ruvel/internal/archive"
)

// unpacked is a session as files: a document beside its sounds. Of an archive it lies in a folder of its own until done.
type unpacked struct {
	session string
	details string // and credits: what the archive says of them, as files; empty: it is no archive
	credits string
	done    func()
}

// unpack unpacks a file if it is an archive.
func unpack(ctx context.Context, path string) (u unpacked, err error) {
	u = unpacked{session: path, done: func() {}}
	f, err := os.Open(path)
	if err != nil {
		return u, err
	}
	defer f.Close()
	begin := make([]byte, 2)
	if _, err := io.ReadFull(f, begin); err != nil || string(begin) != "PK" {
		return u, nil //nolint:nilerr // it is read as a document, which says what is wrong
	}
	info, err := f.Stat()
	if err != nil {
		return u, err
	}
	a, err := archive.Open(f, info.Size())
	if err != nil {
		return u, fmt.Errorf("%s: %w", path, err)
	}
	dir, err := os.MkdirTemp("", "ruvel-archive-*")
	if err != nil {
		return u, err
	}
	u.done = func() { _ = os.RemoveAll(dir) }
	if err := a.Unpack(ctx, dir); err != nil {
		u.done()
		return u, fmt.Errorf("%s: %w", path, err)
	}
	u.session, u.details, u.credits = filepath.Join(dir, "session.json"), filepath.Join(dir, "details.json"), filepath.Join(dir, "credits.json")
	sheet := details.Sheet{Details: a.Details, Show: a.Show, Title: a.Title, Number: a.Number}
	if sheet.Artwork != "" {
		sheet.Artwork = "pictures/" + sheet.Artwork
	}
	for name, what := range map[string]any{u.details: sheet, u.credits: a.Sounds} {
		data, err := json.Marshal(what)
		if err == nil {
			err = os.WriteFile(name, data, 0o600)
		}
		if err != nil {
			u.done()
			return u, err
		}
	}
	return u, nil
}
