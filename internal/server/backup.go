package server

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

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/disk"
	"ruvel/internal/store"
)

// ShowForm is what the settings of a show are written in.
const ShowForm = "ruvel.show/1"

// ShowSettings is what a show keeps besides its episodes and layouts.
type ShowSettings struct {
	Form    string              `json:"form" enum:"ruvel.show/1"`
	Name    string              `json:"name" maxLength:"200"`
	Details details.Details     `json:"details" doc:"What is said of all episodes"`
	Targets []session.OwnTarget `json:"targets" nullable:"false" maxItems:"20"`
	Limits  review.Bounds       `json:"limits" doc:"Of the check"`
	// Treatments and Feed are left out of what was kept by earlier versions.
	Treatments []NamedTreatment `json:"treatments,omitempty" maxItems:"100" doc:"Of voices, by name"`
	Feed       *store.FeedSaid  `json:"feed,omitempty" doc:"What its feed says besides; its address is its own"`
}

// NamedTreatment is a treatment of voices that a show keeps.
type NamedTreatment struct {
	Name      string            `json:"name" maxLength:"1000"`
	Treatment session.Treatment `json:"treatment"`
}

func (s *Server) backupRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/shows/{show}/settings", "get-show-settings", "What a show keeps besides its episodes and layouts, to be kept elsewhere"),
		func(ctx context.Context, in *InShow) (*body[ShowSettings], error) {
			return answer(s.settingsOf(ctx, in.Show))
		})
	huma.Register(api, operation("PUT", "/shows/{show}/settings", "set-show-settings", "Give a show the settings of one that was kept. Its name stays; artwork that it does not have is left out"),
		func(ctx context.Context, in *struct {
			InShow
			Body ShowSettings
		},
		) (*empty, error) {
			return nothing(s.takeSettings(ctx, in.Show, in.Body))
		})
}

func (s *Server) settingsOf(ctx context.Context, show string) (out ShowSettings, err error) {
	named, err := s.Store.Show(ctx, show)
	if err != nil {
		return out, err
	}
	out.Form, out.Name = ShowForm, named.Name
	var errs [5]error
	out.Details, errs[0] = s.Store.Details(ctx, show)
	out.Targets, errs[1] = s.Store.Targets(ctx, show)
	out.Limits, errs[2] = s.Store.Limits(ctx, show)
	out.Feed, errs[3] = s.Store.FeedSaid(ctx, show)
	var all []store.Treatment
	all, errs[4] = s.Store.Treatments(ctx, show)
	for _, t := range all {
		out.Treatments = append(out.Treatments, NamedTreatment{t.Name, t.Settings.Of})
	}
	return out, errors.Join(errs[:]...)
}

func (s *Server) takeSettings(ctx context.Context, show string, in ShowSettings) error {
	if in.Form != ShowForm {
		return problem.New("unknown-form", "form", "These settings have the form %q; this version of Ruvel reads %s.", problem.Short(in.Form, 80), ShowForm)
	}
	if err := errors.Join(in.Details.Check(), in.Limits.Check()); err != nil { // before anything is kept
		return err
	}
	for _, t := range in.Treatments {
		if _, err := session.NewTreatment(t.Treatment, "treatments"); err != nil {
			return err
		}
	}
	if in.Details.Artwork != "" {
		if _, err := s.Store.Picture(ctx, show, in.Details.Artwork); store.IsNotFound(err) {
			in.Details.Artwork = ""
		} else if err != nil {
			return err
		}
	}
	if err := s.Store.SetTargets(ctx, show, in.Targets); err != nil {
		return err
	}
	if err := s.Store.SetDetails(ctx, show, in.Details); err != nil {
		return err
	}
	if err := s.Store.SetLimits(ctx, show, in.Limits); err != nil {
		return err
	}
	for _, t := range in.Treatments {
		if _, err := s.Store.KeepTreatment(ctx, show, t.Name, t.Treatment); err != nil {
			return err
		}
	}
	if in.Feed == nil {
		return nil
	}
	f, err := s.feedOf(ctx, show)
	if err != nil {
		return err
	}
	f.Said.Of = *in.Feed
	return s.Store.SetFeed(ctx, f)
}

// KeepBackups writes backups into a folder, at once and then again and again, until the context ends.
func (s *Server) KeepBackups(ctx context.Context, folder string, every time.Duration) {
	for {
		begun := time.Now()
		written, err := s.Backup(ctx, folder)
		switch {
		case ctx.Err() != nil:
			return
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

// Backup writes the archives of all episodes and layouts that have changed since they were last written
// into a folder, and the settings of their shows, and says how many archives it wrote. Nothing there is
// removed; an archive gives way to a newer one of its episode when that is whole. What cannot be kept is
// told, and does not keep the rest from being kept.
func (s *Server) Backup(ctx context.Context, folder string) (written int, err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return 0, fmt.Errorf("the folder for backups cannot be made: %w", err)
	}
	shows, err := s.Store.Shows(ctx)
	if err != nil {
		return 0, err
	}
	var wrong []error
	for _, show := range shows {
		settings, err := s.settingsOf(ctx, show.ID)
		if err == nil {
			err = writeSettings(folder, show.ID, settings)
		}
		episodes, more := s.Store.Episodes(ctx, show.ID)
		layouts, most := s.Store.Layouts(ctx, show.ID)
		wrong = append(wrong, err, more, most)
		for _, e := range append(episodes, layouts...) {
			fresh, err := s.backUp(ctx, folder, e)
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
	return disk.File{Lasting: true}.ReplaceBy(filepath.Join(folder, name+" "+show[len(show)-8:]+".show.json"), data)
}

// backUp keeps the archive of an episode, if it has changed since it was kept.
func (s *Server) backUp(ctx context.Context, folder string, e store.Episode) (fresh bool, err error) {
	name, m, doc, err := s.archiveOf(ctx, e.ID)
	if err != nil {
		return false, err
	}
	path := filepath.Join(folder, name+" "+e.ID[len(e.ID)-8:]+".zip")
	if markOf(path) == archive.Mark(m, doc) { // of what it holds, not of when something was written
		return false, nil
	}
	if err := s.Space.Room(0); err != nil {
		return false, err
	}
	return true, disk.File{Lasting: true, Of: e.Changed.Truncate(time.Microsecond)}.Replace(path, func(f *os.File) error {
		if err := archive.Write(ctx, f, m, doc, s.inArchive); err != nil {
			return err
		}
		n, err := f.Seek(0, io.SeekCurrent)
		if err == nil {
			_, err = archive.Open(f, n) // one that is not whole does not take the place of one that is
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
