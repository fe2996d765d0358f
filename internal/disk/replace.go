package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"time"
)

// Unfinished is how names of files end that are not whole yet.
const Unfinished = ".part"

// File is how a file is written: aside, in the folder that it is to lie in, and then given its name. Whoever reads that
// finds what was there before or all of what is new, also if several write it at once; what has failed leaves nothing.
// The zero value is a file for its user alone that can be made again.
type File struct {
	Mode    fs.FileMode // 0: for its user alone
	Of      time.Time   // the time that it is of; zero: when it was written
	Lasting bool        // once written, it outlasts a loss of power
}

// Replace writes a file. What write has written need not be flushed.
func (w File) Replace(path string, write func(f *os.File) error) (err error) {
	dir := filepath.Dir(path)
	f, err := os.CreateTemp(dir, ".ruvel-*"+Unfinished)
	if err != nil {
		return Full(err)
	}
	defer func() {
		if err != nil {
			_ = os.Remove(f.Name())
		}
	}()
	err = write(f)
	if err == nil && w.Mode != 0 {
		err = f.Chmod(w.Mode)
	}
	if err == nil && w.Lasting {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return Full(err)
	}
	if !w.Of.IsZero() {
		if err := os.Chtimes(f.Name(), w.Of, w.Of); err != nil {
			return err
		}
	}
	if err := os.Rename(f.Name(), path); err != nil {
		return err
	}
	if w.Lasting {
		return SyncNames(dir)
	}
	return nil
}

// ReplaceBy is Replace by some bytes.
func (w File) ReplaceBy(path string, data []byte) error {
	return w.Replace(path, func(f *os.File) error {
		_, err := f.Write(data)
		return err
	})
}

// SyncNames brings a folder's list of names onto the disk.
func SyncNames(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}
