package server

import (
	"context"
	"fmt"
	"io"
	"mime"
	"path/filepath"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/hosts"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Mixdown is a finished file of an episode.
type Mixdown struct {
	ID       string           `json:"id"`
	Version  int64            `json:"version"`
	Format   string           `json:"format"`
	Setting  string           `json:"setting" doc:"The format in words"`
	Channels int              `json:"channels"`
	From     audio.Frames     `json:"from"`
	To       audio.Frames     `json:"to"`
	Chapter  string           `json:"chapter,omitempty" doc:"It is of this chapter alone"`
	File     string           `json:"file"`
	Bytes    int64            `json:"bytes"`
	Loudness loudness.Result  `json:"loudness" doc:"Measured on the finished file"`
	Target   string           `json:"target,omitempty" doc:"The target that it was brought to; left out: the mix was left as it is"`
	Verdict  loudness.Verdict `json:"verdict" doc:"How it stands to that target, or to the episode's as it is now if it has none"`
	Done     string           `json:"done" doc:"What was done to its level, in words"`
	Plays    bool             `json:"plays" doc:"It can be listened to in place"`
	Reopens  bool             `json:"reopens" doc:"The session that it was made from is kept"`
	Created  time.Time        `json:"created"`
}

// FileWanted is a format that a mix is wanted in. What is left out is the usual.
type FileWanted struct {
	Format   string `json:"format" doc:"A key of /formats"`
	Quality  string `json:"quality,omitempty" doc:"One of the format"`
	Rate     int    `json:"rate,omitempty" doc:"Hertz, one of the format"`
	Channels int    `json:"channels,omitempty" enum:"1,2" doc:"Left out: 2"`
}

type newMixdowns struct {
	Files    []FileWanted `json:"files" nullable:"false" minItems:"1" maxItems:"20"`
	From     audio.Frames `json:"from,omitempty" minimum:"0"`
	To       audio.Frames `json:"to,omitempty" minimum:"0" doc:"Left out: to the end of the session"`
	Chapters bool         `json:"chapters,omitempty" doc:"Each chapter within the stretch as a file of its own"`
	ByItself bool         `json:"byItself,omitempty" doc:"Each chapter is brought to the target by itself; left out: each is as loud as it is in the show, which is brought to it as a whole"`
	AsItIs   bool         `json:"asItIs,omitempty" doc:"The mix is not brought to the episode's target"`
	Overrule bool         `json:"overrule,omitempty" doc:"Also if the check has found something that must be mended"`
}

// Begun is what has been begun.
type Begun struct {
	Jobs []work.JobEvent `json:"jobs" nullable:"false" doc:"One for each file"`
}

// Since is what has changed in a session since a file was made from it.
type Since struct {
	Same  bool     `json:"same" doc:"The session is as it was"`
	Text  string   `json:"text" doc:"In words"`
	Steps []string `json:"steps" nullable:"false" doc:"The last steps since then, the newest first"`
}

// Copied is where a file has been copied to.
type Copied struct {
	Name string `json:"name" doc:"Of the file in the folder"`
}

// InMixdown is a route within a mixdown.
type InMixdown struct {
	Mixdown string `path:"mixdown" format:"uuid"`
}

func (s *Server) mixdownRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/formats", "list-formats", "The file formats in the order they are offered"),
		func(context.Context, *empty) (*body[[]media.Format], error) {
			out := media.Formats()
			for i := range out {
				if out[i].Qualities == nil {
					out[i].Qualities = []media.Quality{}
				}
			}
			return answer(out, nil)
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/mixdowns", "list-mixdowns", "List the finished files of an episode, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]Mixdown], error) {
			return answer(s.mixdowns(ctx, in.Episode))
		})
	huma.Register(api, operation("POST", "/episodes/{episode}/mixdowns", "add-mixdowns", "Make finished files of the current version. If the check has found something that must be mended, that is said instead, unless it is overruled"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body newMixdowns
		},
		) (*body[Begun], error) {
			return answer(s.mixDown(ctx, in.Episode, in.Body))
		})
	huma.Register(api, operation("DELETE", "/mixdowns/{mixdown}", "remove-mixdown", "Remove a finished file"),
		func(ctx context.Context, in *InMixdown) (*empty, error) {
			m, err := s.Store.Mixdown(ctx, in.Mixdown)
			if err == nil {
				err = s.Store.RemoveMixdown(ctx, in.Mixdown)
			}
			if err == nil {
				_ = s.Bucket.Delete(ctx, work.MixdownKey(m))
				s.Queue.Announce(work.EpisodeSubject(m.Episode), work.Event{Mixdowns: &work.ShowEvent{}})
			}
			return nothing(err)
		})
	huma.Register(api, operation("GET", "/mixdowns/{mixdown}/file", "get-mixdown-file", "The finished file, for playing or, with download, for keeping"), s.mixdownFile)
	huma.Register(api, operation("GET", "/mixdowns/{mixdown}/since", "get-changes-since", "What has changed in the session since a file was made from it"),
		func(ctx context.Context, in *InMixdown) (*body[Since], error) {
			return answer(s.since(ctx, in.Mixdown))
		})
	huma.Register(api, operation("POST", "/mixdowns/{mixdown}/reopen", "reopen-session", "Bring the episode back to the session that a file was made from, as a step that can be undone"),
		func(ctx context.Context, in *InMixdown) (*body[work.ChangeEvent], error) {
			m, err := s.Store.Mixdown(ctx, in.Mixdown)
			if err != nil {
				return nil, fail(err)
			}
			c, err := s.Store.Reopen(ctx, m)
			if err != nil {
				return nil, fail(err)
			}
			return answer(s.Queue.Changed(m.Episode, c), nil)
		})
	huma.Register(api, operation("POST", "/mixdowns/{mixdown}/sound", "take-mixdown-in", "Put a finished file among the sounds of its show"),
		func(ctx context.Context, in *InMixdown) (*body[work.JobEvent], error) {
			return answer(s.takeMixdownIn(ctx, in.Mixdown))
		})
	huma.Register(api, operation("POST", "/mixdowns/{mixdown}/copy", "copy-mixdown", "Copy a finished file to the folder that whoever runs Ruvel has named. What is there stays"),
		func(ctx context.Context, in *InMixdown) (*body[Copied], error) {
			return answer(s.copyMixdown(ctx, in.Mixdown))
		})
}

func (s *Server) mixdowns(ctx context.Context, episode string) ([]Mixdown, error) {
	target, err := s.target(ctx, episode)
	if err != nil {
		return nil, err
	}
	rows, err := s.Store.Mixdowns(ctx, episode)
	out := []Mixdown{}
	for _, m := range rows {
		format, _ := media.FindFormat(m.Format)
		made := m.Made.Of
		view := Mixdown{
			ID: m.ID, Version: m.Version, Format: m.Format, Setting: made.Setting, Channels: m.Channels, From: m.Begins, To: m.Ends, Chapter: made.Chapter,
			File: m.File, Bytes: m.Bytes, Loudness: m.Loudness.Of, Verdict: target.Judge(m.Loudness.Of), Done: made.Text, Plays: !format.Stems,
			Reopens: m.Kept, Created: m.Created,
		}
		if made.Target != nil {
			view.Target, view.Verdict = made.Target.Name, made.Target.Judge(m.Loudness.Of)
		}
		if view.Setting == "" { // of a version that did not keep it
			view.Setting = format.Name + map[int]string{1: ", mono", 2: ", stereo"}[m.Channels]
		}
		out = append(out, view)
	}
	return out, err
}

func (s *Server) mixDown(ctx context.Context, episode string, want newMixdowns) (Begun, error) {
	out := Begun{Jobs: []work.JobEvent{}}
	var settings []media.Setting
	for _, f := range want.Files {
		set, err := media.Set(f.Format, f.Quality, f.Rate, f.Channels)
		if err != nil {
			return out, err
		}
		settings = append(settings, set)
	}
	doc, version, err := s.Store.KeepVersion(ctx, episode)
	if err != nil {
		return out, err
	}
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return out, err
	}
	if want.To == 0 || want.To > doc.Length() {
		want.To = doc.Length()
	}
	if want.From >= want.To {
		return out, problem.New("nothing-to-mix", "from", "There is nothing to mix down in this range. Place a clip first, or choose another range.")
	}
	if !want.Overrule {
		if err := s.mustMend(ctx, episode, version, !want.AsItIs); err != nil {
			return out, err
		}
	}
	var target *loudness.Target
	if !want.AsItIs {
		t, known := doc.Aim()
		if !known {
			t = loudness.Targets()[0]
		}
		target = &t
	}
	sheet, err := s.sheet(ctx, e, doc, want.From, want.To)
	if err != nil {
		return out, err
	}
	files, err := filesOf(sheet, doc, want.From, want.To, want.Chapters)
	if err != nil {
		return out, err
	}
	var of *session.Span
	if want.Chapters && !want.ByItself && target != nil {
		of = &session.Span{From: want.From, To: want.To}
	}
	for _, set := range settings {
		for _, f := range files {
			name := f.name + "." + set.Format.Extension
			if set.Format.Stems {
				name = f.name + " - stems." + set.Format.Extension
			}
			job, err := s.Worker.Submit(ctx, work.Mixdown, e.Show, &episode, name, work.MixdownArguments{
				Version: version, Format: set.Format.Key, Quality: set.Quality.Key, Rate: set.Rate, Channels: set.Channels, From: f.from, To: f.to, File: name,
				Target: target, Sheet: f.sheet, Chapter: f.chapter, Of: of, Asked: time.Now().UTC(),
			})
			if err != nil {
				return out, err
			}
			out.Jobs = append(out.Jobs, work.View(job))
		}
	}
	return out, nil
}

// mustMend is a problem if the check has found something that must be mended and that bringing the mix to its target does not mend.
func (s *Server) mustMend(ctx context.Context, episode string, version int64, brought bool) error {
	musts, err := s.musts(ctx, episode, version, brought)
	if err != nil || len(musts) == 0 {
		return err
	}
	return problem.New("must-mend", "episode", "Something must be mended first: %s", strings.Join(musts, " "))
}

// since tells what has changed.
func (s *Server) since(ctx context.Context, mixdown string) (out Since, err error) {
	m, err := s.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return out, err
	}
	asked := m.Made.Of.Asked
	if asked.IsZero() {
		asked = m.Created
	}
	doc, _, err := s.Store.Document(ctx, m.Episode)
	if err != nil {
		return out, err
	}
	var count int
	if out.Steps, count, err = s.Store.StepsSince(ctx, m.Episode, asked, 20); err != nil {
		return out, err
	}
	if m.Kept {
		then, err := s.Store.MadeFrom(ctx, m.ID)
		if err != nil {
			return out, err
		}
		then.Next = doc.Next // numbers that have been used are not used again
		out.Same = len(session.Diff(then, doc)) == 0
	}
	switch {
	case out.Same:
		out.Steps, out.Text = []string{}, "The session is as it was when this file was made."
	case count == 0:
		out.Text = "Steps have been taken back since this file was made."
	case count == 1:
		out.Text = "One step since this file was made."
	default:
		out.Text = fmt.Sprintf("%d steps since this file was made.", count)
	}
	return out, nil
}

func (s *Server) takeMixdownIn(ctx context.Context, mixdown string) (work.JobEvent, error) {
	m, err := s.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return work.JobEvent{}, err
	}
	format, _ := media.FindFormat(m.Format)
	if format.Stems {
		return work.JobEvent{}, problem.New("no-sound", "mixdown", "An archive of stems is not one sound. Download it and import the files in it.")
	}
	e, err := s.Store.Episode(ctx, m.Episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	r, err := s.finished(ctx, m)
	if err != nil {
		return work.JobEvent{}, err
	}
	defer r.Close()
	id, _, err := s.Sounds.Put(ctx, r)
	if err != nil {
		return work.JobEvent{}, err
	}
	name := session.ShortName(strings.TrimSuffix(m.File, filepath.Ext(m.File)))
	job, err := s.Worker.Submit(ctx, work.Import, e.Show, nil, m.File, work.ImportArguments{
		Sound: id, File: m.File, Part: session.Effect, About: &work.About{Name: name, Notes: "A finished file of this show."},
	})
	return work.View(job), err
}

// finished opens a finished file.
func (s *Server) finished(ctx context.Context, m store.Mixdown) (*blob.Reader, error) {
	r, err := s.Bucket.NewReader(ctx, work.MixdownKey(m), nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, problem.New("file-missing", "mixdown", "The file %s is not in the folder of finished files any more. Put that back from a backup, or mix it down again.", m.File)
	}
	if err != nil {
		return nil, fmt.Errorf("open the mixdown: %w", err)
	}
	return r, nil
}

// copyMixdown copies a file into the folder that was named for it.
func (s *Server) copyMixdown(ctx context.Context, mixdown string) (out Copied, err error) {
	m, err := s.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return out, err
	}
	if s.Folder == "" {
		return out, problem.New("no-folder", "folder", "No folder has been named to copy finished files to. Whoever runs Ruvel names one with --folder.")
	}
	out.Name, err = hosts.Folder{Dir: s.Folder}.Put(ctx, hosts.Parcel{
		Key: store.NewID(), File: m.File, Size: m.Bytes,
		Open: func(ctx context.Context) (io.ReadCloser, error) {
			return s.finished(ctx, m)
		},
	})
	return out, err
}

func (s *Server) mixdownFile(ctx context.Context, in *struct {
	InMixdown
	Download bool `query:"download"`
},
) (*huma.StreamResponse, error) {
	m, err := s.Store.Mixdown(ctx, in.Mixdown)
	if err != nil {
		return nil, fail(err)
	}
	r, err := s.finished(ctx, m)
	if err != nil {
		return nil, fail(err)
	}
	format, _ := media.FindFormat(m.Format)
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		defer r.Close()
		req, w := humachi.Unwrap(hctx)
		w.Header().Set("Content-Type", format.Type)
		if in.Download {
			w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": m.File}))
		}
		served(w, req, m.Created, r)
	}}, nil
}
