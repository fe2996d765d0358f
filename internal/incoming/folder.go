package incoming

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ruvel/internal/disk"
)

// Folder is a place on a disk, by its path.
type Folder string

// Open makes the folder, if it is missing, and clears away what was left half-written; whole pieces stay.
func Open(path string) (Folder, error) {
	if err := os.MkdirAll(path, 0o700); err != nil {
		return "", err
	}
	left, _ := filepath.Glob(filepath.Join(path, "*", "*"+disk.Unfinished))
	for _, half := range left {
		if info, err := os.Stat(half); err == nil && time.Since(info.ModTime()) > abandoned {
			_ = os.Remove(half)
		}
	}
	return Folder(path), nil
}

// abandoned is after how long nobody is writing a file any more that is half-written: another process may use the folder.
const abandoned = time.Minute

func (f Folder) of(thing string) string { return filepath.Join(string(f), filepath.Base(thing)) }

func (f Folder) path(thing, name string) string {
	return filepath.Join(f.of(thing), filepath.Base(name))
}

// Put is Place's.
func (f Folder) Put(_ context.Context, of, name string, data []byte) error {
	dir := f.of(of)
	if _, err := os.Stat(dir); errors.Is(err, fs.ErrNotExist) { // its first piece: the folder must outlast a loss of power as well
		if err := os.MkdirAll(dir, 0o700); err != nil {
			return disk.Full(err)
		}
		if err := disk.SyncNames(string(f)); err != nil {
			return err
		}
	}
	return disk.Full(disk.File{Lasting: true}.ReplaceBy(f.path(of, name), data))
}

// Get is Place's.
func (f Folder) Get(_ context.Context, of, name string) ([]byte, error) {
	return os.ReadFile(f.path(of, name))
}

// Size is Place's.
func (f Folder) Size(_ context.Context, of, name string) (int64, bool, error) {
	info, err := os.Stat(f.path(of, name))
	if errors.Is(err, fs.ErrNotExist) {
		return 0, false, nil
	}
	if err != nil {
		return 0, false, err
	}
	return info.Size(), true, nil
}

// List is Place's.
func (f Folder) List(_ context.Context, of string) (out []Piece, err error) {
	entries, err := os.ReadDir(f.of(of)) // in the order of their names
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), disk.Unfinished) {
			continue
		}
		info, err := e.Info()
		if errors.Is(err, fs.ErrNotExist) {
			continue // it went while it was asked for
		}
		if err != nil {
			return nil, err
		}
		out = append(out, Piece{Name: e.Name(), Bytes: info.Size(), Came: info.ModTime()})
	}
	return out, nil
}

// Things is Place's.
func (f Folder) Things(context.Context) (map[string]time.Time, error) {
	all, err := os.ReadDir(string(f))
	out := map[string]time.Time{}
	for _, e := range all { // a folder is as new as its newest name
		if info, err := e.Info(); err == nil && e.IsDir() {
			out[e.Name()] = info.ModTime()
		}
	}
	return out, err
}

// Remove is Place's.
func (f Folder) Remove(_ context.Context, of string) error { return os.RemoveAll(f.of(of)) }
