package running

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/google/uuid"
)

// folder is where a house keeps everything. Nobody but its user can look into what is in
// it; one house at a time uses it.
type folder struct {
	path string
	lock *os.File
}

// openFolder makes the folder, if it is missing, and takes it for this process.
func openFolder(path string) (*folder, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(path, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be made: %w; choose another with --data", path, err)
	}
	f := &folder{path: path}
	if f.lock, err = os.OpenFile(f.join("lock"), os.O_RDWR|os.O_CREATE, 0o600); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be written to: %w; choose another with --data", path, err)
	}
	if err := syscall.Flock(int(f.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		defer f.lock.Close()
		if !errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, fmt.Errorf("the data folder %s cannot be locked: %w; choose another with --data", path, err)
		}
		who, _ := os.ReadFile(f.lock.Name())
		return nil, fmt.Errorf("another Ruvel (process %s) is using the data folder %s; end that one first, or choose another folder with --data", strings.TrimSpace(string(who)), path)
	}
	if err := f.settle(); err != nil {
		f.close()
		return nil, err
	}
	return f, nil
}

// settle notes whose the folder is and clears what earlier processes had no more use for.
func (f *folder) settle() error {
	if err := f.lock.Truncate(0); err != nil {
		return err
	}
	if _, err := f.lock.WriteAt(fmt.Appendln(nil, os.Getpid()), 0); err != nil {
		return err
	}
	if err := os.RemoveAll(f.scratch()); err != nil {
		return err
	}
	for _, name := range []string{"originals", "cache", "queue", "takes", "uploads", "outside", "scratch"} {
		if err := os.MkdirAll(f.join(name), 0o700); err != nil {
			return err
		}
		if err := os.Chmod(f.join(name), 0o700); err != nil { // earlier versions left them open to others
			return err
		}
	}
	return nil
}

// name is the folder's own, made when it is first asked for.
func (f *folder) name() (string, error) {
	path := f.join("house")
	if data, err := os.ReadFile(path); err == nil && uuid.Validate(string(data)) == nil {
		return string(data), nil
	}
	name := uuid.NewString()
	return name, os.WriteFile(path, []byte(name), 0o600)
}

// letThrough lets the database's user, which is not ours when we are root, reach its own
// folder inside this one.
func (f *folder) letThrough() error {
	if os.Getuid() != 0 {
		return nil
	}
	info, err := os.Stat(f.path)
	if err != nil {
		return err
	}
	return os.Chmod(f.path, info.Mode().Perm()|0o011)
}

func (f *folder) join(name string) string { return filepath.Join(f.path, name) }

// scratch is for what is of no use any more when the process has ended.
func (f *folder) scratch() string { return f.join("scratch") }

func (f *folder) close() { _ = f.lock.Close() }
