package server

import (
	"context"
	"io"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/revise"
	"ruvel/core/session"
	"ruvel/internal/finish"
	"ruvel/internal/media"
	"ruvel/internal/pictures"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Ahead is what handing an episode over will come to, before it is done.
type Ahead struct {
	Version  int64           `json:"version" doc:"That it is of"`
	Measured bool            `json:"measured" doc:"The mix has been measured; otherwise the outlook is not known yet"`
	Outlook  *master.Outlook `json:"outlook,omitempty" doc:"What the target will take; left out until the whole mix is measured, and for a part of it"`
	Sheet    details.Sheet   `json:"sheet" doc:"What is written into the files: of the episode, and where it says nothing, of the show"`
	Names    []string        `json:"names" nullable:"false" doc:"Of the files, without an ending"`
	Sizes    []int64         `json:"sizes" nullable:"false" doc:"Bytes that each of the formats asked for will take, about, all files of it together"`
	Musts    []string        `json:"musts" nullable:"false" doc:"What the check says must be mended first"`
	Credits  string          `json:"credits" doc:"Those of the sounds that are used, in words"`
	Folder   string          `json:"folder,omitempty" doc:"The folder that finished files can be copied to"`
}

type aheadQuery struct {
	InEpisode
	Rev      int64        `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
	From     audio.Frames `query:"from" minimum:"0"`
	To       audio.Frames `query:"to" minimum:"0" doc:"0: to the end of the session"`
	Chapters bool         `query:"chapters" doc:"Each chapter as a file of its own"`
	AsItIs   bool         `query:"asItIs" doc:"The mix is not brought to the target"`
	Files    []string     `query:"files" maxItems:"20" doc:"Formats as key:quality:rate:channels"`
}

// revising is how a part of something is changed.
const revising = "Only what is named changes; what has been changed elsewhere since it was read is not overwritten, but given back with the code changed-meanwhile"

func (s *Server) handoverRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/episodes/{episode}/handover", "get-handover", "What handing an episode over will come to, before it is done"),
		func(ctx context.Context, in *aheadQuery) (*body[Ahead], error) { return answer(s.ahead(ctx, in)) })
	huma.Register(api, operation("PATCH", "/episodes/{episode}/details", "revise-details", "Say something else of an episode. What is empty is not said of it, or only by its show. "+revising),
		func(ctx context.Context, in *struct {
			InEpisode
			Body revise.Revision
		},
		) (*body[Episode], error) {
			if err := s.Store.ReviseEpisode(ctx, in.Episode, in.Body); err != nil {
				return nil, fail(err)
			}
			e, err := s.Store.Episode(ctx, in.Episode)
			return answer(view(e), err)
		})
	huma.Register(api, operation("GET", "/shows/{show}/details", "get-show-details", "What is said of all episodes of a show"),
		func(ctx context.Context, in *InShow) (*body[details.Details], error) {
			return answer(s.Store.Details(ctx, in.Show))
		})
	huma.Register(api, operation("PATCH", "/shows/{show}/details", "revise-show-details", "Say something else of all episodes of a show. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[details.Details], error) {
			return answer(s.Store.ReviseDetails(ctx, in.Show, in.Body))
		})
	huma.Register(api, operation("GET", "/shows/{show}/targets", "list-show-targets", "The delivery targets that a show has made for itself"),
		func(ctx context.Context, in *InShow) (*body[[]session.OwnTarget], error) {
			return answer(s.Store.Targets(ctx, in.Show))
		})
	huma.Register(api, operation("PATCH", "/shows/{show}/targets", "revise-show-targets", "Give a show targets of its own, by their names, or take them off. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[[]session.OwnTarget], error) {
			return answer(s.Store.ReviseTargets(ctx, in.Show, in.Body))
		})
	add := operation("POST", "/shows/{show}/pictures", "add-picture", "Hand in a picture; the request's body is its bytes, JPEG or PNG. It is cropped to a square and scaled")
	add.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
	add.MaxBodyBytes = pictures.MostBytes + 1
	huma.Register(api, add, func(ctx context.Context, in *pictureUpload) (*body[Picture], error) {
		return answer(s.addPicture(ctx, in))
	})
	huma.Register(api, operation("GET", "/pictures/{picture}", "get-picture", "A picture"),
		func(ctx context.Context, in *struct {
			Picture string `path:"picture" pattern:"^[0-9a-f]{64}$"`
		},
		) (*bytesAnswer, error) {
			p, err := s.Store.AnyPicture(ctx, in.Picture)
			if err != nil {
				return nil, fail(err)
			}
			data, err := s.Bucket.ReadAll(ctx, work.PictureFolder+p.ID)
			if err != nil {
				return nil, fail(err)
			}
			return &bytesAnswer{p.Type, forever, data}, nil
		})
}

// Picture is one that has been handed in.
type Picture struct {
	store.Picture
	Note string `json:"note" doc:"What has been done to it, in words, or nothing"`
}

type pictureUpload struct {
	InShow
	For  string `query:"for" enum:"artwork,chapter" default:"artwork" doc:"Artwork has 1400 to 3000 pixels on each side; a picture of a chapter 300 to 1400"`
	body io.Reader
}

func (u *pictureUpload) Resolve(ctx huma.Context) []error {
	u.body = ctx.BodyReader()
	return nil
}

func (s *Server) addPicture(ctx context.Context, in *pictureUpload) (out Picture, err error) {
	if _, err := s.Store.Show(ctx, in.Show); err != nil {
		return out, err
	}
	data, err := io.ReadAll(io.LimitReader(in.body, pictures.MostBytes+1))
	if err != nil {
		return out, err
	}
	prepare := pictures.Artwork
	if in.For == "chapter" {
		prepare = pictures.OfChapter
	}
	var p pictures.Picture
	if refused := s.turns.in(ctx, in.Show, func() { p, err = prepare(data) }); refused != nil {
		return out, refused
	}
	if err != nil {
		return out, err
	}
	if err := s.Space.Room(int64(len(p.Data))); err != nil {
		return out, err
	}
	out.Note = p.Note
	out.Picture, err = s.Worker.Pictures.Keep(ctx, in.Show, p)
	return out, err
}

// wantedFile is one of the files that an episode is handed over as.
type wantedFile struct {
	from, to audio.Frames
	name     string // without an ending
	chapter  string
	sheet    details.Sheet
}

// sheet is what is said of an episode in a file of a stretch of it.
func (s *Server) sheet(ctx context.Context, e store.Episode, doc session.Document, from, to audio.Frames) (sheet details.Sheet, err error) {
	show, err := s.Store.Show(ctx, e.Show)
	if err != nil {
		return sheet, err
	}
	said, err := s.Store.Details(ctx, e.Show)
	if err != nil {
		return sheet, err
	}
	sheet = details.Sheet{Details: e.Said().Over(said), Show: show.Name, Title: e.Title, Number: e.Number, Chapters: details.Chapters(doc, from, to)}
	return sheet, sheet.Check()
}

// filesOf are the files that a stretch of an episode is handed over as: itself, or each of its chapters.
func filesOf(sheet details.Sheet, doc session.Document, from, to audio.Frames, chapters bool) (files []wantedFile, err error) {
	if !chapters {
		part := ""
		if from > 0 || to < doc.Length() {
			part = "part"
		}
		return []wantedFile{{from, to, sheet.FileName(part), "", sheet}}, nil
	}
	if len(sheet.Chapters) == 0 {
		return nil, errNoChapters
	}
	for i, c := range sheet.Chapters {
		own, name := sheet.OfChapter(i)
		files = append(files, wantedFile{from + c.At, from + c.End, name, c.Title, own})
	}
	return files, nil
}

var errNoChapters = problem.New("no-chapters", "chapters", "There are no chapters in this stretch. Make markers or ranges to chapters in Arrange.")

// broughtAbout are the kinds of findings that bringing a mix to its target mends.
var broughtAbout = map[string]bool{"loudness": true, "true-peak": true}

// parseSetting reads a format with what is chosen of it, as key:quality:rate:channels.
func parseSetting(text string) (media.Setting, error) {
	fields := append(strings.Split(text, ":"), "", "", "")
	rate, _ := strconv.Atoi(fields[2])
	channels, _ := strconv.Atoi(fields[3])
	return media.Set(fields[0], fields[1], rate, channels)
}

// musts are what must be mended before an episode is handed over, in sentences.
func (s *Server) musts(ctx context.Context, episode string, version int64, brought bool) ([]string, error) {
	found, err := s.check(ctx, episode, version, nil)
	if err != nil {
		return nil, err
	}
	out := []string{}
	for _, f := range found.Findings {
		if f.Weight == review.Must && !f.Aside && (!brought || !broughtAbout[f.Kind]) {
			out = append(out, f.Text)
		}
	}
	return out, nil
}

func (s *Server) ahead(ctx context.Context, in *aheadQuery) (out Ahead, err error) {
	out = Ahead{Names: []string{}, Sizes: []int64{}, Musts: []string{}}
	var settings []media.Setting
	for _, text := range in.Files {
		set, err := parseSetting(text)
		if err != nil {
			return out, err
		}
		settings = append(settings, set)
	}
	e, err := s.Store.Episode(ctx, in.Episode)
	if err != nil {
		return out, err
	}
	doc, version, err := s.Store.Document(ctx, in.Episode)
	if err != nil {
		return out, err
	}
	out.Version = version
	length := doc.Length()
	from, to := in.From, in.To
	if to == 0 || to > length {
		to = length
	}
	if out.Sheet, err = s.sheet(ctx, e, doc, from, to); err != nil {
		return out, err
	}
	if s.Folder != "" {
		out.Folder = filepath.Base(s.Folder)
	}
	papers, err := s.Library.Papers(ctx, e.Show, doc)
	if err != nil {
		return out, err
	}
	out.Credits = credits.For(papers).Text
	if from >= to {
		return out, nil
	}
	files, err := filesOf(out.Sheet, doc, from, to, in.Chapters)
	if err != nil {
		return out, err
	}
	for _, f := range files {
		out.Names = append(out.Names, f.name)
	}
	for _, set := range settings {
		var size int64
		for _, f := range files {
			size += set.Size(f.to - f.from)
		}
		out.Sizes = append(out.Sizes, size)
	}
	if out.Musts, err = s.musts(ctx, in.Episode, version, !in.AsItIs); err != nil {
		return out, err
	}
	return out, s.outlook(ctx, in.Episode, doc, version, &out)
}

// outlook adds what the target will take, if the mix is measured.
func (s *Server) outlook(ctx context.Context, episode string, doc session.Document, version int64, out *Ahead) error {
	waiting, stop := context.WithTimeout(ctx, checkPatience)
	defer stop()
	m, there := s.Measure.Await(waiting, episode, version)
	if out.Measured = there; !there {
		return nil
	}
	target, known := doc.Aim()
	if !known {
		target = loudness.Targets()[0]
	}
	look := finish.Course(m).Ahead(target)
	out.Outlook = &look
	return nil
}
