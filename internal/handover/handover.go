// Package handover is what can be done to hand an episode over: it says beforehand what that will come to, orders finished
// files, lists them, brings the session of one back, and sends them elsewhere.
package handover

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/details"
	"ruvel/core/master"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/finish"
	"ruvel/internal/library"
	"ruvel/internal/measure"
	"ruvel/internal/media"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Handover is that of all episodes.
type Handover struct {
	Store   *store.Store
	Sounds  *sounds.Sounds
	Bucket  *blob.Bucket
	Worker  *work.Worker
	Queue   *work.Queue
	Library *library.Library
	Measure *measure.Measurer
	// Folder is where finished files can be copied to; empty: nowhere.
	Folder string
	// Check is what a second pair of ears finds in a version of an episode.
	Check func(ctx context.Context, episode string, version int64) ([]review.Finding, error)
}

// Ahead is what handing an episode over will come to, before it is done.
type Ahead struct {
	Version  int64           `json:"version" doc:"That it is of"`
	Measured bool            `json:"measured" doc:"The mix has been measured; otherwise the outlook is not known yet"`
	Outlook  *master.Outlook `json:"outlook,omitempty" doc:"What the target will take, in the first of the formats; left out until the whole mix is measured, and for a part of it"`
	Instead  *Instead        `json:"instead,omitempty" doc:"A target that suits the formats better"`
	Sheet    details.Sheet   `json:"sheet" doc:"What is written into the files: of the episode, and where it says nothing, of the show"`
	Names    []string        `json:"names" nullable:"false" doc:"Of the files, without an ending"`
	Sizes    []int64         `json:"sizes" nullable:"false" doc:"Bytes that each of the formats asked for will take, about, all files of it together"`
	Musts    []string        `json:"musts" nullable:"false" doc:"What the check says must be mended first"`
	Credits  string          `json:"credits" doc:"Those of the sounds that are used, in words"`
	Folder   string          `json:"folder,omitempty" doc:"The folder that finished files can be copied to"`
}

// Instead is a target that suits some formats better than the one that is aimed at.
type Instead struct {
	Target string `json:"target" doc:"Its key"`
	Name   string `json:"name"`
	Text   string `json:"text" doc:"Why, in words"`
}

// Stretch is what of an episode is handed over, and as what.
type Stretch struct {
	From, To audio.Frames // To 0, or beyond it: to the end of the session
	Chapters bool         // each as a file of its own
	AsItIs   bool         // the mix is not brought to the target
}

// within ends a stretch where the session does.
func (s Stretch) within(length audio.Frames) Stretch {
	if s.To == 0 || s.To > length {
		s.To = length
	}
	return s
}

// patience is how long an answer waits for the mix to be measured: a small change takes less.
const patience = time.Second

// Ahead says what handing over a stretch of an episode in some formats will come to.
func (h *Handover) Ahead(ctx context.Context, episode string, of Stretch, settings []media.Setting) (out Ahead, err error) {
	out = Ahead{Names: []string{}, Sizes: []int64{}, Musts: []string{}}
	e, err := h.Store.Episode(ctx, episode)
	if err != nil {
		return out, err
	}
	doc, version, err := h.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	out.Version, of = version, of.within(doc.Length())
	if out.Sheet, err = h.Sheet(ctx, e, doc, of.From, of.To); err != nil {
		return out, err
	}
	if h.Folder != "" {
		out.Folder = filepath.Base(h.Folder)
	}
	papers, err := h.Library.Papers(ctx, e.Show, doc)
	if err != nil {
		return out, err
	}
	out.Credits = credits.For(papers).Text
	if of.From >= of.To {
		return out, nil
	}
	files, err := filesOf(out.Sheet, doc, of)
	if err != nil {
		return out, err
	}
	for _, f := range files {
		out.Names = append(out.Names, f.name)
	}
	out.Sizes = append(out.Sizes, sizesOf(files, settings)...)
	if out.Musts, err = h.musts(ctx, episode, version, !of.AsItIs); err != nil {
		return out, err
	}
	out.Instead = instead(doc, of, settings)
	if of.From > 0 || of.To < doc.Length() || len(settings) == 0 {
		_, out.Measured = h.Measure.Latest(episode, version)
		return out, nil
	}
	return out, h.outlook(ctx, episode, doc, version, settings[0], &out)
}

// instead proposes the target for as many channels as all files have, where the one that is aimed at is for others.
func instead(doc session.Document, of Stretch, settings []media.Setting) *Instead {
	for _, s := range settings {
		if s.Channels != settings[0].Channels {
			return nil
		}
	}
	if of.AsItIs || len(settings) == 0 {
		return nil
	}
	now := doc.Goal()
	t, there := now.For(settings[0].Channels)
	if !there {
		return nil
	}
	channels := "mono"
	if settings[0].Channels == 2 {
		channels = "stereo"
	}
	text := fmt.Sprintf("“%s” is for files in %s: one in %s sounds as loud at %g LUFS.", now.Name, map[string]string{"mono": "stereo", "stereo": "mono"}[channels], channels, t.Integrated)
	return &Instead{t.Key, t.Name, strings.ReplaceAll(text, "-", "−")}
}

// outlook adds what the target will take, if the mix is measured.
func (h *Handover) outlook(ctx context.Context, episode string, doc session.Document, version int64, set media.Setting, out *Ahead) error {
	waiting, stop := context.WithTimeout(ctx, patience)
	defer stop()
	m, there := h.Measure.Await(waiting, episode, version)
	if out.Measured = there; !there {
		return nil
	}
	look := finish.Ahead(m, doc.Goal(), set)
	out.Outlook = &look
	return nil
}

// wantedFile is one of the files that an episode is handed over as.
type wantedFile struct {
	from, to audio.Frames
	name     string // without an ending
	chapter  string
	sheet    details.Sheet
}

// Sheet is what is said of an episode in a file of a stretch of it.
func (h *Handover) Sheet(ctx context.Context, e store.Episode, doc session.Document, from, to audio.Frames) (sheet details.Sheet, err error) {
	show, err := h.Store.Show(ctx, e.Show)
	if err != nil {
		return sheet, err
	}
	said, err := h.Store.Details(ctx, e.Show)
	if err != nil {
		return sheet, err
	}
	sheet = details.Sheet{Details: e.Said().Over(said), Show: show.Name, Title: e.Title, Number: e.Number, Chapters: details.Chapters(doc, from, to)}
	return sheet, sheet.Check()
}

// filesOf are the files that a stretch of an episode is handed over as: itself, or each of its chapters.
func filesOf(sheet details.Sheet, doc session.Document, of Stretch) (files []wantedFile, err error) {
	if !of.Chapters {
		part := ""
		if of.From > 0 || of.To < doc.Length() {
			part = "part"
		}
		return []wantedFile{{of.From, of.To, sheet.FileName(part), "", sheet}}, nil
	}
	if len(sheet.Chapters) == 0 {
		return nil, errNoChapters
	}
	for i, c := range sheet.Chapters {
		own, name := sheet.OfChapter(i)
		files = append(files, wantedFile{of.From + c.At, of.From + c.End, name, c.Title, own})
	}
	return files, nil
}

// sizesOf are the bytes that files take in each of some formats, about, all of them together.
func sizesOf(files []wantedFile, settings []media.Setting) (sizes []int64) {
	for _, set := range settings {
		var size int64
		for _, f := range files {
			size += set.Size(f.to - f.from)
		}
		sizes = append(sizes, size)
	}
	return sizes
}

var errNoChapters = problem.New("no-chapters", "chapters", "There are no chapters in this stretch. Make markers or ranges to chapters in Arrange.")

// broughtAbout are the kinds of findings that bringing a mix to its target mends, so that they are no must, unless it is left as it is.
var broughtAbout = map[string]bool{"loudness": true, "true-peak": true}

// musts are what must be mended before an episode is handed over, in sentences.
func (h *Handover) musts(ctx context.Context, episode string, version int64, brought bool) ([]string, error) {
	found, err := h.Check(ctx, episode, version)
	if err != nil {
		return nil, err
	}
	out := []string{}
	for _, f := range found {
		if (f.Weight == review.Must || !brought && broughtAbout[f.Kind]) && !f.Aside {
			out = append(out, f.Text)
		}
	}
	return out, nil
}
