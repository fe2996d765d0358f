package work

import (
	"os"
	"path/filepath"
	"strings"
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

// Sweep takes away uploads that nobody has gone on with for a time and that nothing needs, by their ids, and says how many.
func (u Uploads) Sweep(age time.Duration, needed map[string]bool) (swept int) {
	all, _ := filepath.Glob(filepath.Join(string(u), "*"))
	for _, path := range all {
		id := strings.TrimSuffix(filepath.Base(path), note)
		if !needed[id] && !u.touched(id, age) {
			u.Remove(id)
			if strings.HasSuffix(path, note) {
				swept++
			}
		}
	}
	return swept
}

// touched says whether anything of an upload was written within a time.
func (u Uploads) touched(id string, age time.Duration) bool {
	for _, path := range []string{u.File(id), u.File(id) + note} {
		if info, err := os.Stat(path); err == nil && time.Since(info.ModTime()) < age {
			return true
		}
	}
	return false
}
