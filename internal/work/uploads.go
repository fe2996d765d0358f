package work

import (
	"os"
	"path/filepath"
	"time"
)

// Uploads is the folder of files that are on their way in. For each there is the file
// itself, named by its id, and a note beside it of what is known of it.
type Uploads string

// note ends the name of what is known of an upload.
const note = ".info"

// File is the path of an upload.
func (u Uploads) File(id string) string { return filepath.Join(string(u), filepath.Base(id)) }

// Remove takes an upload away.
func (u Uploads) Remove(id string) {
	_ = os.Remove(u.File(id))
	_ = os.Remove(u.File(id) + note)
}

// Sweep takes away uploads that nobody has gone on with for a time.
func (u Uploads) Sweep(age time.Duration) {
	all, _ := filepath.Glob(filepath.Join(string(u), "*"+note))
	for _, path := range all {
		id := filepath.Base(path[:len(path)-len(note)])
		if info, err := os.Stat(u.File(id)); err != nil || time.Since(info.ModTime()) > age {
			u.Remove(id)
		}
	}
}
