package handover

import (
	"context"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"time"

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

// NewMixdowns are the finished files that are wanted.
type NewMixdowns struct {
	Files    []FileWanted `json:"files" nullable:"false" minItems:"1" maxItems:"20"`
	From     audio.Frames `json:"from,omitempty" minimum:"0"`
	To       audio.Frames `json:"to,omitempty" minimum:"0" doc:"Left out: to the end of the session"`
	Chapters bool         `json:"chapters,omitempty" doc:"Each chapter within the stretch as a file of its own"`
	ByItself bool         `json:"byItself,omitempty" doc:"Each chapter is brought to the target by itself; left out: each is as loud as it is in the show, which is brought to it as a whole"`
	AsItIs   bool         `json:"asItIs,omitempty" doc:"The mix is not brought to the episode's target"`
	Overrule bool         `json:"overrule,omitempty" doc:"Also if the check has found something that must be mended"`
}

// Since is what has changed in a session since a file was made from it.
type Since struct {
	Same  bool     `json:"same" doc:"The session is as it was"`
	Text  string   `json:"text" doc:"In words"`
	Steps []string `json:"steps" nullable:"false" doc:"The last steps since then, the newest first"`
}

// Mixdowns are the finished files of an episode, the newest first.
func (h *Handover) Mixdowns(ctx context.Context, episode string) ([]Mixdown, error) {
	doc, _, err := h.Store.Document(ctx, episode)
	if err != nil {
		return nil, err
	}
	target := doc.Goal()
	rows, err := h.Store.Mixdowns(ctx, episode)
	out := []Mixdown{}
	for _, m := range rows {
		out = append(out, viewOf(m, target))
	}
	return out, err
}

// viewOf is a finished file of an episode that has a target now.
func viewOf(m store.Mixdown, target loudness.Target) Mixdown {
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
	return view
}

// MixDown has finished files made of the current version of an episode, each by a job of its own. If the check has found
// something that must be mended, that is a problem, unless it is overruled.
func (h *Handover) MixDown(ctx context.Context, episode string, want NewMixdowns) (jobs []store.Job, err error) {
	var settings []media.Setting
	for _, f := range want.Files {
		set, err := media.Set(f.Format, f.Quality, f.Rate, f.Channels)
		if err != nil {
			return nil, err
		}
		settings = append(settings, set)
	}
	doc, version, err := h.Store.KeepVersion(ctx, episode)
	if err != nil {
		return nil, err
	}
	e, err := h.Store.Episode(ctx, episode)
	if err != nil {
		return nil, err
	}
	of := Stretch{want.From, want.To, want.Chapters, want.AsItIs}.within(doc.Length())
	if of.From >= of.To {
		return nil, problem.New("nothing-to-mix", "from", "There is nothing to mix down in this range. Place a clip first, or choose another range.")
	}
	if !want.Overrule {
		if err := h.mustMend(ctx, episode, version, !want.AsItIs); err != nil {
			return nil, err
		}
	}
	sheet, err := h.Sheet(ctx, e, doc, of.From, of.To)
	if err != nil {
		return nil, err
	}
	files, err := filesOf(sheet, doc, of)
	if err != nil {
		return nil, err
	}
	common := work.MixdownArguments{Version: version, Asked: time.Now().UTC()}
	if !want.AsItIs {
		t := doc.Goal()
		common.Target = &t
		if want.Chapters && !want.ByItself {
			common.Of = &session.Span{From: of.From, To: of.To}
		}
	}
	for _, set := range settings {
		for _, f := range files {
			job, err := h.order(ctx, e, set, f, common)
			if err != nil {
				return jobs, err
			}
			jobs = append(jobs, job)
		}
	}
	return jobs, nil
}

// order has one file made.
func (h *Handover) order(ctx context.Context, e store.Episode, set media.Setting, f wantedFile, a work.MixdownArguments) (store.Job, error) {
	name := f.name + "." + set.Format.Extension
	if set.Format.Stems {
		name = f.name + " - stems." + set.Format.Extension
	}
	a.Format, a.Quality, a.Rate, a.Channels = set.Format.Key, set.Quality.Key, set.Rate, set.Channels
	a.From, a.To, a.File, a.Sheet, a.Chapter = f.from, f.to, name, f.sheet, f.chapter
	return h.Worker.Submit(ctx, work.Mixdown, e.Show, &e.ID, name, a)
}

// mustMend is a problem if the check has found something that must be mended and that bringing the mix to its target does not mend.
func (h *Handover) mustMend(ctx context.Context, episode string, version int64, brought bool) error {
	musts, err := h.musts(ctx, episode, version, brought)
	if err != nil || len(musts) == 0 {
		return err
	}
	return problem.New("must-mend", "episode", "Something must be mended first: %s", strings.Join(musts, " "))
}

// Remove removes a finished file.
func (h *Handover) Remove(ctx context.Context, mixdown string) error {
	m, err := h.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return err
	}
	if err := h.Store.RemoveMixdown(ctx, mixdown); err != nil {
		return err
	}
	_ = h.Bucket.Delete(ctx, work.MixdownKey(m))
	h.Queue.Announce(work.EpisodeSubject(m.Episode), work.Event{Mixdowns: &work.ShowEvent{}})
	return nil
}

// Reopen brings an episode back to the session that a file was made from, as a step that can be undone.
func (h *Handover) Reopen(ctx context.Context, mixdown string) (work.ChangeEvent, error) {
	m, err := h.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	c, err := h.Store.Reopen(ctx, m)
	if err != nil {
		return work.ChangeEvent{}, err
	}
	return h.Queue.Changed(m.Episode, c), nil
}

// mostSteps is how many steps are named that were taken since a file was made.
const mostSteps = 20

// Since tells what has changed in a session since a file was made from it.
func (h *Handover) Since(ctx context.Context, mixdown string) (out Since, err error) {
	m, err := h.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return out, err
	}
	asked := m.Made.Of.Asked
	if asked.IsZero() {
		asked = m.Created
	}
	doc, _, err := h.Store.Document(ctx, m.Episode)
	if err != nil {
		return out, err
	}
	var count int
	if out.Steps, count, err = h.Store.StepsSince(ctx, m.Episode, asked, mostSteps); err != nil {
		return out, err
	}
	if m.Kept {
		then, err := h.Store.MadeFrom(ctx, m.ID)
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

// TakeIn puts a finished file among the sounds of its show.
func (h *Handover) TakeIn(ctx context.Context, mixdown string) (store.Job, error) {
	m, err := h.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return store.Job{}, err
	}
	if format, _ := media.FindFormat(m.Format); format.Stems {
		return store.Job{}, problem.New("no-sound", "mixdown", "An archive of stems is not one sound. Download it and import the files in it.")
	}
	e, err := h.Store.Episode(ctx, m.Episode)
	if err != nil {
		return store.Job{}, err
	}
	r, err := h.open(ctx, m)
	if err != nil {
		return store.Job{}, err
	}
	defer r.Close()
	id, _, err := h.Sounds.Put(ctx, r)
	if err != nil {
		return store.Job{}, err
	}
	name := session.ShortName(strings.TrimSuffix(m.File, filepath.Ext(m.File)))
	return h.Worker.Submit(ctx, work.Import, e.Show, nil, m.File, work.ImportArguments{
		Sound: id, File: m.File, Part: session.Effect, About: &work.About{Name: name, Notes: "A finished file of this show."},
	})
}

// Open opens a finished file. Whoever asks closes it.
func (h *Handover) Open(ctx context.Context, mixdown string) (m store.Mixdown, r *blob.Reader, err error) {
	if m, err = h.Store.Mixdown(ctx, mixdown); err != nil {
		return m, nil, err
	}
	r, err = h.open(ctx, m)
	return m, r, err
}

func (h *Handover) open(ctx context.Context, m store.Mixdown) (*blob.Reader, error) {
	r, err := h.Bucket.NewReader(ctx, work.MixdownKey(m), nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, problem.New("file-missing", "mixdown", "The file %s is not in the folder of finished files any more. Put that back from a backup, or mix it down again.", m.File)
	}
	if err != nil {
		return nil, fmt.Errorf("open the mixdown: %w", err)
	}
	return r, nil
}

// Copy copies a finished file into the folder that was named for it, and gives its name there.
func (h *Handover) Copy(ctx context.Context, mixdown string) (name string, err error) {
	m, err := h.Store.Mixdown(ctx, mixdown)
	if err != nil {
		return "", err
	}
	if h.Folder == "" {
		return "", problem.New("no-folder", "folder", "No folder has been named to copy finished files to. Whoever runs Ruvel names one with --folder.")
	}
	return hosts.Folder{Dir: h.Folder}.Put(ctx, hosts.Delivery{
		Key: store.NewID(), File: m.File, Size: m.Bytes,
		Open: func(ctx context.Context) (io.ReadCloser, error) { return h.open(ctx, m) },
	})
}
