// Package uploads takes files in that come piece by piece, by the tus protocol (version
// 1.0.0): it says which may come, and has what has arrived imported by a job whose id is
// that of the upload. The protocol itself is served by internal/server.
package uploads

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// patience is how long an upload that broke off is kept.
const patience = 48 * time.Hour

// Uploads says what may come in and where it goes.
type Uploads struct {
	Store  *store.Store
	Worker *work.Worker
	// Most is the largest file that is taken in, in bytes.
	Most int64
	// KeepFree is how many bytes must stay free on the disk.
	KeepFree int64
}

// Announced is what is said of a file before it comes. In the note that lies beside the
// file, its fields are called as the protocol's store calls them.
type Announced struct {
	ID             string
	Size           int64
	SizeIsDeferred bool
	MetaData       map[string]string
}

var soundID = regexp.MustCompile(`^[0-9a-f]{64}$`)

// Admit says whether a file may come in.
func (u *Uploads) Admit(ctx context.Context, info Announced) error {
	file := info.MetaData["filename"]
	if _, _, err := importOf(info); err != nil {
		return err
	}
	if _, err := u.Store.Show(ctx, info.MetaData["show"]); err != nil {
		return err
	}
	switch {
	case info.SizeIsDeferred:
		return problem.New("bad-upload", "size", "The upload does not say how large its file is.")
	case info.Size == 0:
		return work.NameFile(file, media.Unreadable("empty-file", "The file is empty."))
	case info.Size > u.Most:
		return work.NameFile(file, TooLarge(u.Most))
	}
	return work.NameFile(file, media.Room(string(u.Worker.Uploads), u.KeepFree+info.Size))
}

// TooLarge says that a file is larger than may be taken in, in bytes.
func TooLarge(most int64) error {
	return problem.New("too-large", "file", "The file is larger than %d MB, the most that can be imported.", most>>20)
}

// importOf reads what is to be done with a file from what was said when it was announced.
func importOf(info Announced) (args work.ImportArguments, episode *string, err error) {
	m := info.MetaData
	args = work.ImportArguments{Upload: info.ID, File: strings.ToValidUTF8(m["filename"], "?"), Part: session.Part(m["part"]), Replaces: m["replaces"]}
	bad := func(what string) error {
		return problem.New("bad-upload", what, "The upload does not say rightly %s.", what)
	}
	switch {
	case args.File == "" || len(args.File) > 1000:
		return args, nil, bad("what its file is called")
	case args.Part != "" && args.Part != session.Voice && args.Part != session.Music && args.Part != session.Effect:
		return args, nil, bad("which part it is for")
	case uuid.Validate(m["show"]) != nil:
		return args, nil, bad("which show it is for")
	case args.Replaces != "" && !soundID.MatchString(args.Replaces):
		return args, nil, bad("which sound it replaces")
	}
	if id := m["episode"]; id != "" {
		start, err := strconv.ParseInt("0"+m["start"], 10, 64)
		if uuid.Validate(id) != nil || err != nil || len(m["track"]) > 20 {
			return args, nil, bad("where it is to be placed")
		}
		args.Place = &work.Place{Episode: id, Track: m["track"], Start: audio.Frames(start)}
		episode = &id
	}
	return args, episode, nil
}

// Arrived queues the import of a file that is complete.
func (u *Uploads) Arrived(ctx context.Context, info Announced) error {
	args, episode, err := importOf(info)
	if err != nil {
		return err
	}
	_, err = u.Worker.SubmitAs(ctx, info.ID, work.Import, info.MetaData["show"], episode, args.File, args)
	return err
}

// Resume queues the imports of files that had arrived when an earlier process
// ended before it could, and takes away what nobody has gone on with.
func (u *Uploads) Resume(ctx context.Context) error {
	u.Worker.Uploads.Sweep(patience)
	all, err := filepath.Glob(u.Worker.Uploads.File("*.info"))
	if err != nil {
		return err
	}
	for _, path := range all {
		var info Announced
		data, err := os.ReadFile(path)
		if err == nil {
			err = json.Unmarshal(data, &info)
		}
		there, statErr := os.Stat(strings.TrimSuffix(path, ".info"))
		if err != nil || statErr != nil || there.Size() != info.Size {
			continue // it has not arrived
		}
		if err := u.Arrived(ctx, info); err != nil {
			u.Worker.Uploads.Remove(info.ID)
		}
	}
	return nil
}
