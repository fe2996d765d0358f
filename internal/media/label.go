package media

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/language"

	"ruvel/core/details"
)

// Picture is one that is written into a file.
type Picture struct {
	Type          string // MIME type: image/jpeg or image/png
	Data          []byte
	Width, Height int
}

// Label is what is written into a file besides its sound.
type Label struct {
	details.Sheet
	Pictures map[string]Picture // by the ids, or names, that the sheet gives
	Origin   int64              // frames at 48 kHz from the beginning of the session to that of the file
}

// pair is a field and what stands in it.
type pair struct{ key, value string }

// about puts description and credits together.
func (l *Label) about() string {
	if l.Credits == "" || l.Description == "" {
		return l.Description + l.Credits
	}
	return l.Description + "\n\n" + l.Credits
}

// spoken is the language as MP4 has it (ISO 639-2), or nothing.
func (l *Label) spoken() string {
	tag, err := language.Parse(l.Language)
	if l.Language == "" || err != nil {
		return ""
	}
	base, _ := tag.Base()
	return base.ISO3()
}

// serial is the number of an Ogg stream (RFC 3533), which is to tell streams apart: the same for what says the same of itself, and never 0.
func (l *Label) serial() int {
	h := fnv.New32a()
	fmt.Fprintf(h, "%s/%s/%d/%s", l.Show, l.Title, l.Part, l.Date)
	return int(h.Sum32()>>2) + 1
}

// withGuests is what the file is about, and who is in it: for formats that have no field for that.
func (l *Label) withGuests() string {
	if len(l.Guests) == 0 {
		return l.about()
	}
	return strings.TrimSpace("With " + strings.Join(l.Guests, ", ") + ".\n\n" + l.about())
}

// year of the date, or nothing.
func (l *Label) year() string {
	year, _, _ := strings.Cut(l.Date, "-")
	return year
}

// fields are those that all formats of ffmpeg have, by the names that it has for them.
func (l *Label) fields() []pair {
	return []pair{
		{"title", l.Title},
		{"artist", l.Presenter},
		{"album", l.Show},
		{"album_artist", l.Presenter},
		{"date", l.Date},
		{"genre", "Podcast"},
		{"copyright", l.Copyright},
		{"track", l.place("/")},
		{"language", l.Language},
	}
}

func number(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// place is the number by which players put files in a row: of a part which it is, and of how many; of an episode its own.
func (l *Label) place(of string) string {
	if l.Part > 0 {
		return number(l.Part) + of + number(l.Parts)
	}
	return number(l.Number)
}

// comments are those of Ogg Vorbis, Opus and FLAC (xiph.org, "Ogg Vorbis I format specification: comment
// field", its proposed field names, and the chapter extension CHAPTERxxx).
func (l *Label) comments(picture bool) []pair {
	out := append(l.fields(),
		pair{"description", l.Description}, pair{"credits", l.Credits}, pair{"season", number(l.Season)}, pair{"guests", strings.Join(l.Guests, ", ")},
		pair{"keywords", strings.Join(l.Keywords, ", ")})
	for i, c := range l.Chapters {
		h, m, s, ms := c.At.Clock(1000)
		out = append(out,
			pair{fmt.Sprintf("CHAPTER%03d", i+1), fmt.Sprintf("%02d:%02d:%02d.%03d", h, m, s, ms)},
			pair{fmt.Sprintf("CHAPTER%03dNAME", i+1), c.Title}, pair{fmt.Sprintf("CHAPTER%03dURL", i+1), c.Link})
	}
	if cover, there := l.Pictures[l.Artwork]; there && picture {
		out = append(out, pair{"METADATA_BLOCK_PICTURE", base64.StdEncoding.EncodeToString(cover.block())})
	}
	return out
}

// block is a picture as FLAC has it (xiph.org, "FLAC format", METADATA_BLOCK_PICTURE): a front cover.
func (p Picture) block() []byte {
	const frontCover = 3
	out := binary.BigEndian.AppendUint32(nil, frontCover)
	text := func(s string) {
		out = binary.BigEndian.AppendUint32(out, uint32(len(s)))
		out = append(out, s...)
	}
	text(p.Type)
	text("")
	for _, n := range []int{p.Width, p.Height, 24, 0} {
		out = binary.BigEndian.AppendUint32(out, uint32(n))
	}
	text(string(p.Data))
	return out
}

// boxes are the fields of an MP4 file, by ffmpeg's names for them.
func (l *Label) boxes() []pair {
	return append(l.fields(), pair{"description", l.withGuests()}, pair{"comment", l.withGuests()}, pair{"show", l.Show}, pair{"episode_sort", number(l.Number)},
		pair{"season_number", number(l.Season)}, pair{"keywords", strings.Join(l.Keywords, ", ")})
}

// metadata writes fields, and chapters if wanted, in the form that ffmpeg reads them in, into a folder.
func (l *Label) metadata(dir string, fields []pair, chapters bool) (path string, err error) {
	var out bytes.Buffer
	out.WriteString(";FFMETADATA1\n")
	put := func(p pair) {
		if p.value != "" {
			fmt.Fprintf(&out, "%s=%s\n", p.key, escape.Replace(p.value))
		}
	}
	for _, f := range fields {
		put(f)
	}
	if chapters {
		for _, c := range l.Chapters {
			fmt.Fprintf(&out, "[CHAPTER]\nTIMEBASE=1/48000\nSTART=%d\nEND=%d\n", c.At, c.End)
			put(pair{"title", upTo(255, c.Title)}) // as many bytes as a chapter's title can have in MP4
		}
	}
	path = filepath.Join(dir, "details.txt")
	return path, os.WriteFile(path, out.Bytes(), 0o600)
}

// upTo cuts a text to so many bytes, at a letter.
func upTo(most int, text string) string {
	for len(text) > most {
		_, size := utf8.DecodeLastRuneInString(text)
		text = text[:len(text)-size]
	}
	return text
}

var escape = strings.NewReplacer(`\`, `\\`, `=`, `\=`, `;`, `\;`, `#`, `\#`, "\n", "\\\n")
