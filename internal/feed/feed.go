// Package feed writes the feed of a show, by which players fetch its episodes: RSS 2.0 (RSS Advisory Board, 2009) with
// Atom's self link, Media RSS for length and rating, and the podcast namespace for chapters, transcripts and people. The same
// show is always the same bytes.
package feed

import (
	"bytes"
	"cmp"
	"encoding/json"
	"encoding/xml"
	"slices"
	"strconv"
	"strings"
	"time"

	"ruvel/core/audio"
	"ruvel/core/details"
)

// Show is what a feed says of a show. Addresses are absolute.
type Show struct {
	Title, Description, Language string
	Author, Contact, Copyright   string
	Category                     string
	Explicit                     bool // not for children
	Self                         string
	Home                         string // a page about it
	Artwork                      string
	Episodes                     []Episode
}

// Episode is one of a feed's.
type Episode struct {
	GUID        string // stays the same for good, whatever else changes
	Title       string
	Description string
	Published   time.Time
	Sound       string
	Bytes       int64
	Type        string // MIME
	Length      audio.Frames
	Number      int
	Season      int
	Presenter   string
	Guests      []string
	Keywords    []string
	Artwork     string
	Page        string // for listeners
	Chapters    string // as JSON
	Transcript  string // as a page
}

const (
	nsAtom    = "http://www.w3.org/2005/Atom"
	nsMedia   = "http://search.yahoo.com/mrss/"
	nsPodcast = "https://podcastindex.org/namespace/1.0"
)

type rss struct {
	XMLName xml.Name `xml:"rss"`
	Version string   `xml:"version,attr"`
	Atom    string   `xml:"xmlns:atom,attr"`
	Media   string   `xml:"xmlns:media,attr"`
	Podcast string   `xml:"xmlns:podcast,attr"`
	Channel channel  `xml:"channel"`
}

type channel struct {
	Title       string   `xml:"title"`
	Link        string   `xml:"link"`
	Description string   `xml:"description"`
	Language    string   `xml:"language"`
	Copyright   string   `xml:"copyright,omitempty"`
	Editor      string   `xml:"managingEditor,omitempty"`
	Changed     string   `xml:"lastBuildDate,omitempty"`
	Category    string   `xml:"category,omitempty"`
	Generator   string   `xml:"generator"`
	Image       *image   `xml:"image"`
	Self        self     `xml:"atom:link"`
	Rating      rating   `xml:"media:rating"`
	Medium      string   `xml:"podcast:medium"`
	People      []person `xml:"podcast:person"`
	Items       []item   `xml:"item"`
}

type image struct {
	URL   string `xml:"url"`
	Title string `xml:"title"`
	Link  string `xml:"link"`
}

type self struct {
	Address string `xml:"href,attr"`
	Rel     string `xml:"rel,attr"`
	Type    string `xml:"type,attr"`
}

type rating struct {
	Scheme string `xml:"scheme,attr"`
	Value  string `xml:",chardata"`
}

type person struct {
	Role string `xml:"role,attr"`
	Name string `xml:",chardata"`
}

type item struct {
	Title       string     `xml:"title"`
	Link        string     `xml:"link,omitempty"`
	Description string     `xml:"description"`
	Enclosure   enclosure  `xml:"enclosure"`
	GUID        guid       `xml:"guid"`
	Published   string     `xml:"pubDate"`
	Media       sound      `xml:"media:content"`
	Keywords    string     `xml:"media:keywords,omitempty"`
	Picture     *thumbnail `xml:"media:thumbnail"`
	Rating      rating     `xml:"media:rating"`
	Season      int        `xml:"podcast:season,omitempty"`
	Number      int        `xml:"podcast:episode,omitempty"`
	Chapters    *elsewhere `xml:"podcast:chapters"`
	Transcript  *elsewhere `xml:"podcast:transcript"`
	People      []person   `xml:"podcast:person"`
}

type enclosure struct {
	URL    string `xml:"url,attr"`
	Length int64  `xml:"length,attr"`
	Type   string `xml:"type,attr"`
}

type sound struct {
	URL      string `xml:"url,attr"`
	Bytes    int64  `xml:"fileSize,attr"`
	Type     string `xml:"type,attr"`
	Medium   string `xml:"medium,attr"`
	Duration int    `xml:"duration,attr"` // seconds
}

type thumbnail struct {
	URL string `xml:"url,attr"`
}

type guid struct {
	Address bool   `xml:"isPermaLink,attr"`
	Value   string `xml:",chardata"`
}

type elsewhere struct {
	URL  string `xml:"url,attr"`
	Type string `xml:"type,attr"`
}

// ChaptersType is the MIME type of chapters as JSON.
const ChaptersType = "application/json+chapters"

// Write gives the feed of a show, the episode that was published last first.
func Write(s Show) ([]byte, error) {
	episodes := slices.Clone(s.Episodes)
	slices.SortStableFunc(episodes, func(a, b Episode) int {
		return cmp.Or(b.Published.Compare(a.Published), strings.Compare(a.GUID, b.GUID))
	})
	c := channel{
		Title: s.Title, Link: s.Home, Description: cmp.Or(html(s.Description), html(s.Title)), Language: cmp.Or(s.Language, "en"), Copyright: s.Copyright,
		Category: s.Category, Generator: "Ruvel", Self: self{s.Self, "self", "application/rss+xml"}, Rating: rated(s.Explicit), Medium: "podcast",
	}
	if s.Contact != "" {
		c.Editor = s.Contact
		if s.Author != "" {
			c.Editor += " (" + s.Author + ")"
		}
	}
	if s.Author != "" {
		c.People = []person{{"host", s.Author}}
	}
	if s.Artwork != "" {
		c.Image = &image{s.Artwork, s.Title, s.Home}
	}
	for _, e := range episodes {
		c.Items = append(c.Items, e.item(s.Explicit))
	}
	if len(episodes) > 0 {
		c.Changed = date(episodes[0].Published)
	}
	out := bytes.NewBufferString(xml.Header)
	enc := xml.NewEncoder(out)
	enc.Indent("", "  ")
	err := enc.Encode(rss{Version: "2.0", Atom: nsAtom, Media: nsMedia, Podcast: nsPodcast, Channel: c})
	out.WriteByte('\n')
	return out.Bytes(), err
}

func (e Episode) item(explicit bool) item {
	i := item{
		Title: e.Title, Link: e.Page, Description: cmp.Or(html(e.Description), html(e.Title)), Enclosure: enclosure{e.Sound, e.Bytes, e.Type}, GUID: guid{Value: e.GUID},
		Published: date(e.Published), Media: sound{e.Sound, e.Bytes, e.Type, "audio", int(e.Length.Seconds() + 0.5)},
		Keywords: strings.Join(e.Keywords, ", "), Rating: rated(explicit), Season: e.Season, Number: e.Number,
	}
	if e.Artwork != "" {
		i.Picture = &thumbnail{e.Artwork}
	}
	if e.Chapters != "" {
		i.Chapters = &elsewhere{e.Chapters, ChaptersType}
	}
	if e.Transcript != "" {
		i.Transcript = &elsewhere{e.Transcript, "text/html"}
	}
	if e.Presenter != "" {
		i.People = append(i.People, person{"host", e.Presenter})
	}
	for _, g := range e.Guests {
		i.People = append(i.People, person{"guest", g})
	}
	return i
}

// html is a text as the HTML that descriptions in feeds are taken for, with a paragraph for each of its lines if it has several. That it is escaped
// once more, as RSS 2.0 has it, the encoder sees to.
func html(text string) string {
	var lines []string
	for line := range strings.SplitSeq(text, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			lines = append(lines, escaped.Replace(line))
		}
	}
	if len(lines) == 1 {
		return lines[0]
	}
	var out strings.Builder
	for _, line := range lines {
		out.WriteString("<p>" + line + "</p>")
	}
	return out.String()
}

var escaped = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")

func rated(explicit bool) rating {
	if explicit {
		return rating{"urn:simple", "adult"}
	}
	return rating{"urn:simple", "nonadult"}
}

// date is a moment as RFC 822 has it, with a year of four digits, as RSS wants it.
func date(t time.Time) string { return t.UTC().Format(time.RFC1123Z) }

// Chapters are those of a file as JSON, form 1.2.0, with the addresses of their pictures.
func Chapters(chapters []details.Chapter, picture func(id string) string) ([]byte, error) {
	type chapter struct {
		Start json.Number `json:"startTime"`
		End   json.Number `json:"endTime,omitempty"`
		Title string      `json:"title"`
		Link  string      `json:"url,omitempty"`
		Image string      `json:"img,omitempty"`
	}
	out := struct {
		Version  string    `json:"version"`
		Chapters []chapter `json:"chapters"`
	}{"1.2.0", []chapter{}}
	place := func(at audio.Frames) json.Number {
		return json.Number(strconv.FormatFloat(at.Seconds(), 'f', 3, 64))
	}
	for _, c := range chapters {
		one := chapter{Start: place(c.At), End: place(c.End), Title: c.Title, Link: c.Link}
		if c.Picture != "" {
			one.Image = picture(c.Picture)
		}
		out.Chapters = append(out.Chapters, one)
	}
	return json.Marshal(out)
}
