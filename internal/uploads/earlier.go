package uploads

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"ruvel/internal/disk"
)

// ended is how the notes of earlier versions of Ruvel end, which lay beside a file on its way in.
const ended = ".info"

// TakeOver brings what earlier versions of Ruvel have left of uploads in a folder, a file and a note for each, to where uploads are now.
// What cannot be read as that stays where it is.
func (u *Uploads) TakeOver(ctx context.Context, dir string) error {
	notes, err := filepath.Glob(filepath.Join(dir, "*"+ended))
	if err != nil {
		return err
	}
	for _, note := range notes {
		var info Announced
		data, err := os.ReadFile(note)
		if err != nil || json.Unmarshal(data, &info) != nil || info.ID+ended != filepath.Base(note) {
			continue
		}
		if err := u.takeOver(ctx, info, strings.TrimSuffix(note, ended)); err != nil {
			return fmt.Errorf("take over an upload of an earlier version: %w", err)
		}
		if err := os.Remove(note); err != nil {
			return err
		}
	}
	return nil
}

func (u *Uploads) takeOver(ctx context.Context, info Announced, path string) error {
	// Where uploads lie in the same folder now, its name is taken by what is to become of it.
	aside := path + disk.Unfinished
	if kept, err := os.Stat(path); err == nil && kept.Mode().IsRegular() {
		if err := os.Rename(path, aside); err != nil {
			return err
		}
	}
	if err := u.Begin(ctx, info); err != nil {
		return err
	}
	f, err := os.Open(aside)
	if os.IsNotExist(err) {
		return nil
	}
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := u.Worker.Uploads.Write(ctx, info.ID, 0, f); err != nil {
		return err
	}
	return os.Remove(aside)
}
