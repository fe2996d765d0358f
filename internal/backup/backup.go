// Package backup keeps whole episodes outside Ruvel's own data: it says what an archive of one holds, writes the archives of
// all that have changed into a folder again and again, and what their shows keep besides.
package backup

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/disk"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
)

// Keeper keeps the episodes of all shows.
type Keeper struct {
	Store  *store.Store
	Sounds *sounds.Sounds
	Bucket *blob.Bucket
	Space  *disk.Space
	// Sheet is what is said of an episode.
	Sheet func(ctx context.Context, e store.Episode, doc session.Document, from, to audio.Frames) (details.Sheet, error)
	// Owner is the process that writes them, of those on one database.
	Owner string
}

// Run writes backups into a folder, at once and then again and again, until the context ends.
func (k *Keeper) Run(ctx context.Context, folder string, every time.Duration) {
	for {
		begun := time.Now()
		mine, err := k.Store.Duty(ctx, "backup", k.Owner, every+time.Hour)
		written := 0
		if err == nil && mine {
			written, err = k.Write(ctx, folder)
		}
		switch {
		case ctx.Err() != nil:
			return
		case err == nil && !mine: // another process does
		case err != nil:
			slog.Error("the backup is not whole; what could be kept was, and the rest is tried again", "folder", folder, "archives", written, "error", err)
		default:
			slog.Info("a backup was made", "folder", folder, "archives", written, "took", time.Since(begun).Round(time.Millisecond))
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
	}
}

// Write writes the archives of all episodes and layouts that have changed since they were last written
// into a folder, and the settings of their shows, and says how many archives it wrote. Nothing there is
// removed; an archive gives way to a newer one of its episode when that is whole. What cannot be kept is
// told, and does not keep the rest from being kept.
func (k *Keeper) Write(ctx context.Context, folder string) (written int, err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return 0, fmt.Errorf("the folder for backups cannot be made: %w", err)
	}
	shows, err := k.Store.Shows(ctx)
	if err != nil {
		return 0, err
	}
	var wrong []error
	for _, show := range shows {
		settings, err := k.Settings(ctx, show.ID)
		if err == nil {
			err = writeSettings(folder, show.ID, settings)
		}
		episodes, more := k.Store.Episodes(ctx, show.ID)
		layouts, most := k.Store.Layouts(ctx, show.ID)
		wrong = append(wrong, err, more, most)
		for _, e := range append(episodes, layouts...) {
			fresh, err := k.keep(ctx, folder, e)
			if err != nil {
				err = fmt.Errorf("%s: %w", e.Title, err)
			}
			if wrong = append(wrong, err); fresh {
				written++
			}
			if ctx.Err() != nil {
				return written, ctx.Err()
			}
		}
	}
	return written, errors.Join(wrong...)
}

// writeSettings keeps the settings of a show.
func writeSettings(folder, show string, settings ShowSettings) error {
	data, err := json.MarshalIndent(settings, "", "  ")
	if err != nil {
		return err
	}
	name := details.Sheet{Show: settings.Name}.FileName("")
	return disk.File{Lasting: true}.ReplaceBy(filepath.Join(folder, Named(name, show)+SettingsEnding), data)
}

// keep keeps the archive of an episode, if it has changed since it was kept.
func (k *Keeper) keep(ctx context.Context, folder string, e store.Episode) (fresh bool, err error) {
	name, m, doc, err := k.Contents(ctx, e.ID)
	if err != nil {
		return false, err
	}
	path := filepath.Join(folder, Named(name, e.ID)+".zip")
	if markOf(path) == archive.Mark(m, doc) { // of what it holds, not of when something was written
		return false, nil
	}
	if err := k.Space.Room(0); err != nil {
		return false, err
	}
	return true, Archive(path, disk.File{Of: e.Changed.Truncate(time.Microsecond)}, func(f *os.File) error {
		return archive.Write(ctx, f, m, doc, k.Open)
	})
}

// SettingsEnding is how the settings of a show end.
const SettingsEnding = ".show.json"

// Named is what something is called in a folder, without its ending: two episodes, or two shows, of one name are two files.
func Named(name, id string) string { return name + " " + id[max(0, len(id)-8):] }

// Archive writes an archive into a folder. One that is not whole does not take the place of one that is.
func Archive(path string, as disk.File, write func(f *os.File) error) error {
	as.Lasting = true
	return as.Replace(path, func(f *os.File) error {
		if err := write(f); err != nil {
			return err
		}
		n, err := f.Seek(0, io.SeekCurrent)
		if err == nil {
			_, err = archive.Open(f, n)
		}
		return err
	})
}

// markOf is the mark of an archive on the disk, or nothing.
func markOf(path string) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return ""
	}
	return archive.MarkOf(f, info.Size())
}
