// Package uploads takes files in that come piece by piece, by the tus protocol (version
// 1.0.0): it says which may come, and has what has arrived imported by a job whose id is
// that of the upload. The protocol itself is served by internal/server.
package uploads

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/access"
	"ruvel/internal/disk"
	"ruvel/internal/media"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// mostWaiting is how many uploads of a show may be unfinished at a time.
const mostWaiting = 200

// Uploads says what may come in and where it goes.
type Uploads struct {
	Store  *store.Store
	Worker *work.Worker
	Door   *access.Door
	// Most is the largest file that is taken in, in bytes.
	Most int64
	// Space is the disk that they are kept on.
	Space *disk.Space

	missed chan struct{} // has a value while a file that has arrived could not be taken up
}

// New makes one.
func New(st *store.Store, w *work.Worker, door *access.Door, most int64, space *disk.Space) *Uploads {
	return &Uploads{Store: st, Worker: w, Door: door, Most: most, Space: space, missed: make(chan struct{}, 1)}
}

// Announced is what is said of a file before it comes. Its fields are called as earlier versions of Ruvel have noted them.
type Announced struct {
	ID             string
	Size           int64
	SizeIsDeferred bool
	MetaData       map[string]string
}

// Admit says whether a file may come in.
func (u *Uploads) Admit(ctx context.Context, info Announced) error {
	file := info.MetaData["filename"]
	_, _, err := importOf(info)
	if err != nil {
		return err
	}
	if err := u.enter(ctx, info); err != nil {
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
	of, err := u.Store.UploadsOf(ctx, info.MetaData["show"])
	if err != nil {
		return err
	}
	if of >= mostWaiting {
		return work.NameFile(file, problem.New("too-many-uploads", "show", "%d files of this show are on their way already. Let some of them arrive first.", of))
	}
	return work.NameFile(file, u.Space.Room(info.Size))
}

// Begin notes that a file is to come, which was admitted.
func (u *Uploads) Begin(ctx context.Context, info Announced) error {
	return u.Store.AddUpload(ctx, info.ID, info.MetaData["show"], info)
}

// Find is what was announced of an upload, and how much of it has come, in bytes.
func (u *Uploads) Find(ctx context.Context, id string) (info Announced, come int64, err error) {
	row, err := u.Store.Upload(ctx, id)
	if err != nil {
		return info, 0, err
	}
	if info, err = said(row); err != nil {
		return info, 0, err
	}
	if _, err := u.Store.Job(ctx, id); err == nil { // all of it has come, and may have been put away
		return info, info.Size, nil
	} else if !store.IsNotFound(err) {
		return info, 0, err
	}
	come, err = u.Worker.Uploads.Come(ctx, id)
	return info, min(come, info.Size), err
}

// said is what was announced of an upload.
func said(row store.Upload) (info Announced, err error) {
	if err := json.Unmarshal(row.Said.Of, &info); err != nil {
		return info, fmt.Errorf("read what was announced of an upload: %w", err)
	}
	return info, nil
}

// Enter says whether the one who asks may go on with an upload that has begun: one may if one may go into its show. Of one that there is
// not, nothing is said.
func (u *Uploads) Enter(ctx context.Context, id string) error {
	row, err := u.Store.Upload(ctx, id)
	if store.IsNotFound(err) {
		return nil
	}
	if err != nil {
		return err
	}
	info, err := said(row)
	if err != nil {
		return err
	}
	return u.enter(ctx, info)
}

// enter is Enter by what was said of it.
func (u *Uploads) enter(ctx context.Context, info Announced) error {
	return u.Door.Enter(ctx, access.Make, access.Named{Thing: store.AShow, ID: info.MetaData["show"]}, access.Named{Thing: store.AnEpisode, ID: info.MetaData["episode"]})
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
	case args.Replaces != "" && !sounds.IsID(args.Replaces):
		return args, nil, bad("which sound it replaces")
	}
	if id := m["episode"]; id != "" {
		start, err := strconv.ParseInt("0"+m["start"], 10, 64)
		lined := m["lined"]
		wrong := lined != "" && lined != work.LinedVoices && lined != work.LinedAll
		if uuid.Validate(id) != nil || err != nil || len(m["track"]) > 20 || wrong {
			return args, nil, bad("where it is to be placed")
		}
		args.Place = &work.Place{Episode: id, Track: m["track"], Start: audio.Frames(start), Lined: lined}
		episode = &id
	}
	return args, episode, nil
}

// Arrived queues the import of a file that is complete. If its episode is gone, the file
// becomes a sound of the show without being placed. Where this fails the file stays, and is
// taken up again soon: who has sent all of it does not send anything again.
func (u *Uploads) Arrived(ctx context.Context, info Announced) error {
	err := u.arrived(ctx, info)
	if err != nil {
		select {
		case u.missed <- struct{}{}:
		default: // it is known already
		}
	}
	return err
}

func (u *Uploads) arrived(ctx context.Context, info Announced) error {
	args, episode, err := importOf(info)
	if err != nil {
		return err
	}
	if episode != nil {
		if _, err := u.Store.Episode(ctx, *episode); store.IsNotFound(err) {
			args.Place, episode = nil, nil
		} else if err != nil {
			return err
		}
	}
	if _, err := u.Store.Show(ctx, info.MetaData["show"]); err != nil {
		return err
	}
	kind := work.Import
	if strings.EqualFold(filepath.Ext(args.File), ".zip") {
		kind, episode = work.Opening, nil
	}
	job, err := u.Worker.SubmitAs(ctx, info.ID, kind, info.MetaData["show"], episode, args.File, args)
	if err == nil && job.State.Final() { // it was taken up, and the process ended before it could be put away
		return u.Worker.Uploads.Remove(ctx, info.ID)
	}
	return err
}

// again is how long it is from one look for files that were not taken up to the next.
const again = 20 * time.Second

// soon is the same where one could not be taken up just now.
const soon = time.Second

// TakeUp queues, at once and then every so often, the imports of files that had arrived
// when they could not be, because the process ended or something was away.
func (u *Uploads) TakeUp(ctx context.Context) {
	for next := time.Duration(0); ; {
		if err := u.Resume(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("a file that has arrived could not be taken up; trying again", "error", err)
			next = min(again, max(soon, 2*next)) // and what never can be holds up nobody
		} else {
			next = again
		}
		wait := time.NewTimer(next)
		select {
		case <-wait.C:
		case <-u.missed:
			next = 0
		case <-ctx.Done():
			wait.Stop()
			return
		}
		wait.Stop()
	}
}

// Resume queues the imports of all files that have arrived and wait, whichever process they came to.
func (u *Uploads) Resume(ctx context.Context) (failed error) {
	rows, err := u.Store.Uploads(ctx)
	for _, row := range rows {
		info, err := said(row)
		if err != nil {
			failed = errors.Join(failed, err)
			continue
		}
		come, err := u.Worker.Uploads.Come(ctx, info.ID)
		if err != nil {
			failed = errors.Join(failed, err)
			continue
		}
		if come < info.Size {
			continue // it has not arrived
		}
		if _, err := u.Store.Show(ctx, info.MetaData["show"]); store.IsNotFound(err) {
			continue // nobody is left to have it; it goes by its age
		}
		failed = errors.Join(failed, u.arrived(ctx, info))
	}
	return errors.Join(err, failed)
}
