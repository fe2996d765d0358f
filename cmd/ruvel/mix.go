package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/finish"
	"ruvel/internal/media"
	"ruvel/internal/pictures"
)

type mixdown struct {
	Session  string  `arg:"" help:"An archive of an episode, or a session document whose sounds are given by relative path." type:"existingfile"`
	Output   string  `short:"o" required:"" help:"File to write, or with --chapters the folder. Its ending chooses the format." type:"path"`
	Format   string  `help:"Another format: mp3, m4a, opus, ogg, wav-24, wav-16, wav-32f, bwf, flac, flac-16."`
	Quality  string  `help:"Of a format that has one: high, usual, small; of mp3 also varying."`
	Rate     int     `help:"48000 or 44100; 0 is the usual of the format."`
	Mono     bool    `help:"Fold down to one channel."`
	From     float64 `help:"Begin at this second."`
	To       float64 `help:"End at this second; 0 is the end."`
	Target   string  `help:"Bring the mix to a delivery target, by its key, or 'session' for that of the document; left out, the mix is written as it is."`
	Details  string  `help:"JSON file with what is written into the file: show, title, number, season, presenter, guests, date, description, keywords, language, copyright, credits, and artwork, a JPEG or PNG file beside it." type:"existingfile"`
	Stems    bool    `help:"Write an archive of one WAV file for each part."`
	Chapters bool    `help:"Write each chapter as a file of its own."`
	ByItself bool    `help:"Bring each chapter to the target by itself, and not the show that they are parts of."`

	archived bool // the details are those of an archive, whose pictures are ready
}

// Run makes the files.
func (c mixdown) Run(ctx context.Context) error {
	u, err := unpack(ctx, c.Session)
	if err != nil {
		return err
	}
	defer u.done()
	c.Session = u.session
	if c.archived = c.Details == "" && u.details != ""; c.archived {
		c.Details = u.details
	}
	data, err := os.ReadFile(c.Session)
	if err != nil {
		return err
	}
	doc, err := session.Parse(data)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Session, err)
	}
	order, err := c.order(doc)
	if err != nil {
		return err
	}
	plan, err := mix.Compile(doc, files(ctx, filepath.Dir(c.Session), doc), nil)
	if err != nil {
		return err
	}
	if order.To <= 0 || order.To > plan.Length() {
		order.To = plan.Length()
	}
	if order.Label.Sheet, order.Label.Pictures, err = c.label(doc, order.From, order.To); err != nil {
		return err
	}
	if !c.Chapters {
		order.Name = strings.TrimSuffix(filepath.Base(c.Output), filepath.Ext(c.Output))
		return make1(ctx, plan, order, c.Output)
	}
	return c.eachChapter(ctx, plan, order)
}

func (c mixdown) order(doc session.Document) (o finish.Order, err error) {
	key := c.Format
	if key == "" {
		key = map[string]string{".wav": "wav-24", ".mp3": "mp3", ".m4a": "m4a", ".opus": "opus", ".ogg": "ogg", ".flac": "flac", ".zip": "stems"}[strings.ToLower(filepath.Ext(c.Output))]
	}
	if c.Stems {
		key = "stems"
	}
	if key == "" {
		return o, fmt.Errorf("%s: end its name with .mp3, .m4a, .opus, .ogg, .flac or .wav, or give --format", c.Output)
	}
	channels := 2
	if c.Mono {
		channels = 1
	}
	if o.Setting, err = media.Set(key, c.Quality, c.Rate, channels); err != nil {
		return o, err
	}
	o.From, o.To = audio.Seconds(c.From), audio.Seconds(c.To)
	o.Label.Origin = int64(o.From)
	switch c.Target {
	case "":
		return o, nil
	case "session":
		t, known := doc.Aim()
		if !known {
			return o, fmt.Errorf("the document names a target that is not known: %q", doc.Target)
		}
		o.Target = &t
		return o, nil
	}
	t, known := loudness.FindTarget(c.Target)
	if !known {
		return o, fmt.Errorf("there is no target called %q; there are %s", c.Target, strings.Join(targetKeys(), ", "))
	}
	o.Target = &t
	return o, nil
}

func targetKeys() (keys []string) {
	for _, t := range loudness.Targets() {
		keys = append(keys, t.Key)
	}
	return keys
}

// label is what is written into the file, with its chapters from the document unless the details have their own.
func (c mixdown) label(doc session.Document, from, to audio.Frames) (sheet details.Sheet, all map[string]media.Picture, err error) {
	all = map[string]media.Picture{}
	if c.Details != "" {
		f, err := os.Open(c.Details)
		if err != nil {
			return sheet, nil, err
		}
		defer f.Close()
		strict := json.NewDecoder(io.LimitReader(f, 1<<20))
		strict.DisallowUnknownFields()
		if err := strict.Decode(&sheet); err != nil {
			return sheet, nil, fmt.Errorf("%s: %w", c.Details, err)
		}
	}
	if sheet.Chapters == nil {
		sheet.Chapters = details.Chapters(doc, from, to)
		for i := range sheet.Chapters {
			if p := &sheet.Chapters[i].Picture; !c.archived {
				*p = "" // it is in a database
			} else if *p = filepath.Join("pictures", *p); !exists(filepath.Join(filepath.Dir(c.Details), *p)) {
				*p = ""
			}
		}
	}
	if err := sheet.Check(); err != nil {
		return sheet, nil, fmt.Errorf("%s: %w", c.Details, err)
	}
	artwork, ofChapter := pictures.Artwork, pictures.OfChapter
	if c.archived {
		artwork, ofChapter = pictures.Ready, pictures.Ready
	}
	names := map[string]func([]byte) (pictures.Picture, error){}
	for _, chapter := range sheet.Chapters {
		names[chapter.Picture] = ofChapter
	}
	names[sheet.Artwork] = artwork
	for name, prepare := range names {
		if name == "" {
			continue
		}
		if !filepath.IsLocal(name) {
			return sheet, nil, fmt.Errorf("%s: the picture %q does not lie beside it", c.Details, name)
		}
		data, err := os.ReadFile(filepath.Join(filepath.Dir(c.Details), name))
		if err != nil {
			return sheet, nil, err
		}
		p, err := prepare(data)
		if err != nil {
			return sheet, nil, fmt.Errorf("%s: %w", name, err)
		}
		all[name] = media.Picture{Type: p.Type, Data: p.Data, Width: p.Size, Height: p.Size}
	}
	return sheet, all, nil
}

func exists(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

// make1 makes one file in a folder beside its place and puts it there when it is whole.
func make1(ctx context.Context, plan *mix.Plan, o finish.Order, output string) error {
	dir, err := os.MkdirTemp(filepath.Dir(output), ".ruvel-mix-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "mix."+o.Setting.Format.Extension)
	made, err := finish.Make(ctx, plan, o, path, func(float64) {})
	if err == nil {
		err = os.Rename(path, output)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", output, disk.Full(err))
	}
	fmt.Printf("%s: %s %.1f LUFS, %.1f dBTP. %s\n", output, o.Setting.Say(), made.Loudness.Integrated, made.Loudness.TruePeak, made.Text)
	return nil
}

// eachChapter makes a file of each chapter, into a folder.
func (c mixdown) eachChapter(ctx context.Context, plan *mix.Plan, o finish.Order) error {
	sheet := o.Label.Sheet
	if len(sheet.Chapters) == 0 {
		return errors.New("there are no chapters in the session: make markers or ranges to chapters")
	}
	if err := os.MkdirAll(c.Output, 0o755); err != nil {
		return err
	}
	var course *master.Course // of the show, which is measured once
	known := func(measure func() (master.Course, error)) (master.Course, error) {
		if course == nil {
			of, err := measure()
			if err != nil {
				return of, err
			}
			course = &of
		}
		return *course, nil
	}
	for i := range sheet.Chapters {
		one, name := sheet.OfChapter(i)
		part := o
		part.From, part.To = o.From+sheet.Chapters[i].At, o.From+sheet.Chapters[i].End
		if !c.ByItself && o.Target != nil {
			part.Of, part.Course = &session.Span{From: o.From, To: o.To}, known
		}
		part.Label.Sheet, part.Label.Origin, part.Name = one, int64(part.From), name
		if err := make1(ctx, plan, part, filepath.Join(c.Output, name+"."+o.Setting.Format.Extension)); err != nil {
			return err
		}
	}
	return nil
}
