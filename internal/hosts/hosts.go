// Package hosts is where finished files are sent to: folders and hosts outside. A Host may stand for
// any of them; a folder and a practice host, which only behaves like one outside, ship with Ruvel.
package hosts

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"ruvel/core/problem"
	"ruvel/internal/disk"
)

// Keys of the hosts that ship.
const (
	FolderKey   = "folder"
	PracticeKey = "practice"
)

// Host takes finished files.
//
// Send is called until it gives no error, or one that is Refused: then it is not called again. Any other
// error means that it broke off, and Send is called again after a while with the same Key; what has
// arrived by then, in part or whole, must not become a second copy. A host may keep one waiting as long as
// the context lasts. Send opens the file as often as it needs to and closes what it has opened; it keeps
// nothing of the delivery afterwards. Hosts are used by many goroutines.
type Host interface {
	// Name is what people call it.
	Name() string
	// Ways are the methods by which it can be asked to take a file; none: there is but one.
	Ways() []Method
	Send(ctx context.Context, p Delivery) (Receipt, error)
}

// Method is one by which a host can be asked to take a file.
type Method struct {
	Key  string `json:"key"`
	Name string `json:"name"`
}

// Delivery is a finished file to be sent.
type Delivery struct {
	Key  string // the same at every try, and of this sending alone
	Try  int    // 1 the first time
	Way  string // one of the host's, by its key
	File string // what it is called
	Type string // of its content, as MIME has it
	Size int64  // bytes
	Open func(context.Context) (io.ReadCloser, error)
	// Told is told how many bytes the host has taken in this try; nil: nobody wants to know.
	Told func(bytes int64)
}

// Receipt is what a host says of a file that it has taken.
type Receipt struct {
	Words string `json:"words" doc:"Where it is now"`
}

// Refused is a host's last word: the file is not tried again.
type Refused struct{ Words string }

func (r Refused) Error() string { return r.Words }

// Set are the hosts that there are, by keys that stay.
type Set map[string]Host

// counting reads a file and tells how far it has come.
type counting struct {
	io.ReadCloser
	n    int64
	told func(int64)
}

func (c *counting) Read(p []byte) (int, error) {
	n, err := c.ReadCloser.Read(p)
	if c.n += int64(n); c.told != nil {
		c.told(c.n)
	}
	return n, err
}

// open opens the file so that what is read of it is told.
func (p Delivery) open(ctx context.Context) (io.ReadCloser, error) {
	r, err := p.Open(ctx)
	if err != nil {
		return nil, err
	}
	return &counting{ReadCloser: r, told: p.Told}, nil
}

// Folder takes files into a folder of this machine. What is there stays: a file of the same name gets a number.
type Folder struct{ Dir string }

var _ Host = Folder{}

// Name implements Host.
func (f Folder) Name() string { return "The folder " + filepath.Base(f.Dir) }

// Ways implements Host.
func (Folder) Ways() []Method { return nil }

// Send implements Host. What an earlier try has brought there already is not brought again.
func (f Folder) Send(ctx context.Context, p Delivery) (Receipt, error) {
	var name string
	var err error
	if p.Try > 1 {
		name, err = f.brought(ctx, p)
	}
	if name == "" && err == nil {
		name, err = f.Put(ctx, p)
	}
	return Receipt{"It lies in the folder as " + name + "."}, err
}

// Put copies a file into the folder and gives the name that it has there, as soon as it is whole.
func (f Folder) Put(ctx context.Context, p Delivery) (name string, err error) {
	r, err := p.open(ctx)
	if err != nil {
		return "", err
	}
	defer r.Close()
	// A try that broke off has left at most this, which is written anew.
	part := filepath.Join(f.Dir, ".ruvel-"+p.Key+".part")
	out, err := os.OpenFile(part, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o644)
	if err != nil {
		return "", problem.New("folder-away", "folder", "The folder %s cannot be written to at the moment.", filepath.Base(f.Dir))
	}
	defer os.Remove(part)
	_, err = io.Copy(out, disk.Until(ctx, r))
	if err = errors.Join(err, out.Chmod(0o644), out.Sync(), out.Close()); err != nil {
		return "", disk.Full(err)
	}
	return f.name(part, p.File)
}

// brought is the name of the file that an earlier try has brought; empty: there is none.
func (f Folder) brought(ctx context.Context, p Delivery) (name string, err error) {
	for n := 1; n < mostNames; n++ {
		there, err := os.Open(filepath.Join(f.Dir, numbered(p.File, n)))
		if errors.Is(err, fs.ErrNotExist) {
			return "", nil
		}
		if err != nil {
			return "", err
		}
		same, err := p.is(ctx, there)
		if err = errors.Join(err, there.Close()); err != nil || same {
			return numbered(p.File, n), err
		}
	}
	return "", nil
}

// is says whether a file has the content of the delivery.
func (p Delivery) is(ctx context.Context, there *os.File) (bool, error) {
	if info, err := there.Stat(); err != nil || info.Size() != p.Size {
		return false, err
	}
	r, err := p.Open(ctx)
	if err != nil {
		return false, err
	}
	defer r.Close()
	mine, theirs := sha256.New(), sha256.New()
	_, err = io.Copy(mine, disk.Until(ctx, r))
	if err == nil {
		_, err = io.Copy(theirs, there)
	}
	return bytes.Equal(mine.Sum(nil), theirs.Sum(nil)), err
}

// mostNames is how many files of one name a folder can have.
const mostNames = 1000

// numbered is the name of a file that is the nth of its name.
func numbered(file string, n int) string {
	ext := filepath.Ext(file)
	stem := strings.TrimSuffix(filepath.Base(file), ext)
	if n == 1 {
		return stem + ext
	}
	return fmt.Sprintf("%s (%d)%s", stem, n, ext)
}

// name gives a file that is whole its name, or the first with a number that is free.
func (f Folder) name(part, file string) (name string, err error) {
	for n := 1; n < mostNames; n++ {
		name = numbered(file, n)
		if err = place(part, filepath.Join(f.Dir, name), os.Link); !errors.Is(err, fs.ErrExist) {
			return name, err
		}
	}
	return name, err
}

// place gives a file its name if nothing has it. A link takes no place that is taken; on a file system that has none, as those of many
// sticks and shares, the name is reserved by an empty file, and then taken over.
func place(part, path string, link func(from, to string) error) error {
	err := link(part, path)
	if err == nil || errors.Is(err, fs.ErrExist) {
		return err
	}
	held, reserved := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if reserved != nil {
		return reserved
	}
	if err := errors.Join(held.Close(), os.Rename(part, path)); err != nil {
		_ = os.Remove(path)
		return err
	}
	return nil
}
