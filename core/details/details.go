// Package details is what a finished file says about itself: title, people, date, description, chapters.
// It checks them, adds what the show says of all its episodes, and makes file names from them.
package details

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/tidy"
)

// Details is what is said of an episode, or of all episodes of a show. What is empty is not said.
type Details struct {
	Season      int      `json:"season,omitempty" minimum:"0" maximum:"1000000"`
	Presenter   string   `json:"presenter,omitempty" maxLength:"200"`
	Guests      []string `json:"guests,omitempty" maxItems:"50" doc:"Names"`
	Date        string   `json:"date,omitempty" maxLength:"10" doc:"On which it is published, as 2026-11-30"`
	Description string   `json:"description,omitempty" maxLength:"4000"`
	Keywords    []string `json:"keywords,omitempty" maxItems:"50"`
	Language    string   `json:"language,omitempty" maxLength:"35" doc:"A tag as BCP 47 has it, such as en or pt-BR"`
	Copyright   string   `json:"copyright,omitempty" maxLength:"300"`
	Credits     string   `json:"credits,omitempty" maxLength:"8000" doc:"Of the sounds that are used, in words"`
	Artwork     string   `json:"artwork,omitempty" maxLength:"300" doc:"The id of a picture; on the command line, a file beside this one"`
}

// Sheet is all that a finished file says about itself.
type Sheet struct {
	Details
	Show     string    `json:"show,omitempty" maxLength:"200"`
	Title    string    `json:"title,omitempty" maxLength:"200"`
	Number   int       `json:"number,omitempty" minimum:"0" maximum:"1000000"`
	Part     int       `json:"part,omitempty" minimum:"0" maximum:"1000" doc:"Of a file that is one of several of the episode, which it is; players put them in a row by it"`
	Parts    int       `json:"parts,omitempty" minimum:"0" maximum:"1000" doc:"And how many there are"`
	Chapters []Chapter `json:"chapters,omitempty" maxItems:"1000"`
}

// Chapter is a stretch of the file with a title. It lasts until the next one begins, or the file ends.
type Chapter struct {
	At      audio.Frames `json:"at" doc:"Where it begins, in frames at 48 kHz from the beginning of the file"`
	End     audio.Frames `json:"end" doc:"Where it ends"`
	Title   string       `json:"title" maxLength:"200"`
	Link    string       `json:"link,omitempty" maxLength:"2000" doc:"An address on the web"`
	Picture string       `json:"picture,omitempty" maxLength:"300" doc:"The id of a picture; on the command line, a file beside this one"`
}

// limits of texts, in characters, and of lists.
const (
	short, line, long, longest = 200, 300, 4000, 8000
	most                       = 50
)

// Check says what is wrong with details, and puts their texts in order: line ends as \n, no spaces around them.
func (d *Details) Check() error {
	for _, f := range []struct {
		name  string
		text  *string
		most  int
		lines bool
	}{
		{"presenter", &d.Presenter, short, false},
		{"description", &d.Description, long, true},
		{"copyright", &d.Copyright, line, false},
		{"credits", &d.Credits, longest, true},
	} {
		if *f.text = tidy.Lines(*f.text); !f.lines {
			*f.text = tidy.Line(*f.text)
		}
		if utf8.RuneCountInString(*f.text) > f.most {
			return problem.New("too-long", f.name, "The %s may have %d characters; this one has %d.", f.name, f.most, utf8.RuneCountInString(*f.text))
		}
	}
	for _, f := range []struct {
		name string
		list *[]string
	}{{"guests", &d.Guests}, {"keywords", &d.Keywords}} {
		if err := tidyList(f.name, f.list); err != nil {
			return err
		}
	}
	if d.Season < 0 || d.Season > 1_000_000 {
		return problem.New("bad-season", "season", "A season is a number from 1 to 1000000.")
	}
	if d.Date = strings.TrimSpace(d.Date); d.Date != "" {
		if _, err := time.Parse(time.DateOnly, d.Date); err != nil {
			return problem.New("bad-date", "date", "%q is not a day. Write it as 2026-11-30: year, month, day.", d.Date)
		}
	}
	return checkLanguage(&d.Language)
}

var tag = regexp.MustCompile(`^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$`)

func checkLanguage(text *string) error {
	*text = strings.TrimSpace(*text)
	if *text == "" {
		return nil
	}
	if len(*text) > 35 || !tag.MatchString(*text) {
		return problem.New("bad-language", "language", "%q is no language tag. Write a tag such as en, en-GB or pt-BR (BCP 47).", *text)
	}
	return nil
}

func tidyList(name string, list *[]string) error {
	var out []string
	for _, text := range *list {
		text = tidy.Line(text)
		if utf8.RuneCountInString(text) > short {
			return problem.New("too-long", name, "Each of the %s may have %d characters; one has %d.", name, short, utf8.RuneCountInString(text))
		}
		if text != "" && !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	if len(out) > most {
		return problem.New("too-many", name, "There may be %d %s; these are %d.", most, name, len(out))
	}
	*list = out
	return nil
}

// Over gives the details of an episode, and where they are empty those of its show.
func (d Details) Over(show Details) Details {
	out := d
	out.Season = cmp.Or(d.Season, show.Season)
	out.Presenter = cmp.Or(d.Presenter, show.Presenter)
	out.Language = cmp.Or(d.Language, show.Language)
	out.Copyright = cmp.Or(d.Copyright, show.Copyright)
	out.Artwork = cmp.Or(d.Artwork, show.Artwork)
	out.Keywords = slices.Clone(d.Keywords)
	for _, k := range show.Keywords {
		if !slices.Contains(out.Keywords, k) {
			out.Keywords = append(out.Keywords, k)
		}
	}
	return out
}

// Check says what is wrong with a sheet.
func (s *Sheet) Check() error {
	if err := s.Details.Check(); err != nil {
		return err
	}
	s.Show, s.Title = tidy.Line(s.Show), tidy.Line(s.Title)
	for _, text := range []string{s.Show, s.Title} {
		if utf8.RuneCountInString(text) > line {
			return problem.New("too-long", "title", "A title may have %d characters.", line)
		}
	}
	for i := range s.Chapters {
		c := &s.Chapters[i]
		c.Title = tidy.Line(c.Title)
		if c.At < 0 || c.End <= c.At {
			return problem.New("bad-chapter", "chapters", "The chapter %q ends before it begins.", c.Title)
		}
		if i > 0 && c.At < s.Chapters[i-1].At {
			return problem.New("bad-chapter", "chapters", "The chapter %q begins before the one above it.", c.Title)
		}
		if err := session.CheckLink(c.Link); err != nil {
			return err
		}
	}
	return nil
}

// Chapters are those of a session within a stretch of it, in order, as they lie in a file of that stretch.
// One that is only a place lasts until the next one.
func Chapters(doc session.Document, from, to audio.Frames) (out []Chapter) {
	for _, id := range session.MarkersInOrder(doc.Markers) {
		m := doc.Markers[id]
		end := m.At + m.Length
		if !m.Chapter || m.At >= to || m.Length > 0 && end <= from {
			continue
		}
		c := Chapter{At: max(0, m.At-from), End: min(end, to) - from, Title: m.Name, Link: m.Link, Picture: m.Picture}
		if m.Length == 0 {
			c.End = 0
		}
		if m.At < from && m.Length == 0 {
			out = out[:0] // of the places before the stretch, the last one is what it begins in
		}
		out = append(out, c)
	}
	for i := range out {
		next := to - from
		if i+1 < len(out) {
			next = out[i+1].At
		}
		if out[i].End == 0 || out[i].End > next && next > out[i].At {
			out[i].End = next
		}
	}
	return slices.DeleteFunc(out, func(c Chapter) bool { return c.End <= c.At })
}

// mostName is how many bytes a file name may have, with room for an ending and a number.
const mostName = 180

// reserved are names that some systems keep for themselves, whatever the ending.
var reserved = []string{"con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8", "com9", "lpt1", "lpt2", "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9"}

// FileName makes a name that every system takes of the details, without an ending: show, number and title,
// and what part it is if it is not the whole.
func (s Sheet) FileName(part string) string {
	var pieces []string
	if s.Show != "" {
		pieces = append(pieces, s.Show)
	}
	if s.Season > 0 && s.Number > 0 {
		pieces = append(pieces, fmt.Sprintf("%dx%02d", s.Season, s.Number))
	} else if s.Number > 0 {
		pieces = append(pieces, fmt.Sprintf("%02d", s.Number))
	}
	if s.Title != "" {
		pieces = append(pieces, s.Title)
	}
	if part != "" {
		pieces = append(pieces, part)
	}
	return safe(strings.Join(pieces, " - "))
}

func safe(name string) string {
	name = strings.Map(func(r rune) rune {
		switch {
		case r < ' ' || r == 0x7f || strings.ContainsRune(`/\:*?"<>|`, r):
			return ' '
		case r >= 0x200e && r <= 0x200f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069 || r == 0xfeff || r == utf8.RuneError:
			return -1 // which turn a name around
		}
		return r
	}, name)
	name = strings.Join(strings.Fields(name), " ")
	for len(name) > mostName {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	name = strings.Trim(name, " .")
	if name == "" {
		return "Episode"
	}
	if stem, _, _ := strings.Cut(strings.ToLower(name), "."); slices.Contains(reserved, strings.TrimSpace(stem)) {
		name = "_" + name
	}
	return name
}

// OfChapter is the sheet of a file of one chapter alone, and the name of that file without an ending.
func (s Sheet) OfChapter(i int) (own Sheet, name string) {
	c := s.Chapters[i]
	own = s
	own.Part, own.Parts = i+1, len(s.Chapters)
	own.Title, own.Chapters = strings.Trim(s.Title+": "+c.Title, ": "), nil
	if c.Picture != "" {
		own.Artwork = c.Picture
	}
	return own, s.FileName(fmt.Sprintf("%02d %s", i+1, c.Title))
}
