package media

import (
	"encoding/binary"
	"fmt"
	"strings"
	"unicode/utf16"
)

// id3 is the label as an ID3v2.3 tag (id3.org, "ID3 tag version 2.3.0", and "ID3v2 Chapter Frame Addendum 1.0"),
// the version that all players read. Its texts are UTF-16 where Latin 1 does not do.
func (l *Label) id3() []byte {
	var body []byte
	add := func(id string, frame []byte) {
		if frame != nil {
			body = append(body, frameOf(id, frame)...)
		}
	}
	texts := []pair{
		{"TIT2", l.Title},
		{"TPE1", l.Presenter},
		{"TALB", l.Show},
		{"TRCK", l.place("/")},
		{"TPOS", number(l.Season)},
		{"TCON", "Podcast"},
		{"TYER", l.year()},
		{"TDAT", dayAndMonth(l.Date)},
		{"TLAN", iso639(l.Language)},
		{"TCOP", l.Copyright},
	}
	for _, t := range texts {
		add(t.key, textFrame(t.value))
	}
	add("COMM", commentFrame(iso639(l.Language), l.about()))
	for _, t := range []pair{{"GUESTS", strings.Join(l.Guests, ", ")}, {"KEYWORDS", strings.Join(l.Keywords, ", ")}, {"CREDITS", l.Credits}, {"LANGUAGE", l.Language}} {
		if t.value != "" {
			add("TXXX", pairFrame(t.key, t.value))
		}
	}
	if cover, there := l.Pictures[l.Artwork]; there {
		add("APIC", cover.frame())
	}
	add("CTOC", l.contents())
	for i, c := range l.Chapters {
		frame := append([]byte(chapterID(i)), 0)
		for _, v := range []uint32{uint32(c.At * 1000 / 48000), uint32(c.End * 1000 / 48000), 0xFFFFFFFF, 0xFFFFFFFF} {
			frame = binary.BigEndian.AppendUint32(frame, v)
		}
		frame = append(frame, frameOf("TIT2", textFrame(c.Title))...)
		if c.Link != "" {
			frame = append(frame, frameOf("WXXX", linkFrame(c.Link))...)
		}
		if p, there := l.Pictures[c.Picture]; there {
			frame = append(frame, frameOf("APIC", p.frame())...)
		}
		add("CHAP", frame)
	}
	if len(body) == 0 {
		return nil
	}
	n := len(body)
	return append([]byte{'I', 'D', '3', 3, 0, 0, byte(n >> 21 & 0x7f), byte(n >> 14 & 0x7f), byte(n >> 7 & 0x7f), byte(n & 0x7f)}, body...)
}

func chapterID(i int) string { return fmt.Sprintf("chapter-%d", i+1) }

// contents is the table of all chapters, in order, at the top. It can name 255.
func (l *Label) contents() []byte {
	if len(l.Chapters) == 0 {
		return nil
	}
	const topLevel, ordered = 2, 1
	n := min(255, len(l.Chapters))
	out := append([]byte("contents\x00"), topLevel|ordered, byte(n))
	for i := range n {
		out = append(append(out, chapterID(i)...), 0)
	}
	return out
}

func frameOf(id string, body []byte) []byte {
	if body == nil {
		return nil
	}
	out := binary.BigEndian.AppendUint32([]byte(id), uint32(len(body)))
	return append(append(out, 0, 0), body...)
}

const (
	latin1 = 0
	utf16s = 1
)

// encoded is a text and how it is written: in Latin 1 if it can be, else in UTF-16 with its byte order mark.
func encoded(wide bool, text string) []byte {
	var out []byte
	if !wide {
		for _, r := range text {
			out = append(out, byte(r))
		}
		return out
	}
	out = []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(text)) {
		out = binary.LittleEndian.AppendUint16(out, u)
	}
	return out
}

func isWide(texts ...string) (wide bool, code byte) {
	for _, text := range texts {
		for _, r := range text {
			if r > 0xff {
				return true, utf16s
			}
		}
	}
	return false, latin1
}

// ended adds what ends a text before another one.
func ended(wide bool, text []byte) []byte {
	if wide {
		return append(text, 0, 0)
	}
	return append(text, 0)
}

func textFrame(text string) []byte {
	if text == "" {
		return nil
	}
	wide, code := isWide(text)
	return append([]byte{code}, encoded(wide, text)...)
}

func pairFrame(name, value string) []byte {
	wide, code := isWide(name, value)
	return append(append([]byte{code}, ended(wide, encoded(wide, name))...), encoded(wide, value)...)
}

func commentFrame(language, text string) []byte {
	if text == "" {
		return nil
	}
	if language == "" {
		language = "und"
	}
	wide, code := isWide(text)
	out := append([]byte{code}, language...)
	return append(append(out, ended(wide, encoded(wide, ""))...), encoded(wide, text)...)
}

// linkFrame is an address, which is always in Latin 1.
func linkFrame(address string) []byte {
	return append([]byte{latin1, 0}, encoded(false, address)...)
}

// frame is a picture as the front cover.
func (p Picture) frame() []byte {
	const frontCover = 3
	out := append([]byte{latin1}, p.Type...)
	return append(append(out, 0, frontCover, 0), p.Data...)
}

func dayAndMonth(date string) string {
	if len(date) != len("2006-01-02") {
		return ""
	}
	return date[8:10] + date[5:7]
}

// iso639 is the three letters that ISO 639-2 has for a language, of those that are spoken most, or nothing.
func iso639(tag string) string {
	base, _, _ := strings.Cut(strings.ToLower(tag), "-")
	if len(base) == 3 {
		return base
	}
	return languages[base]
}

var languages = map[string]string{
	"ar": "ara", "bg": "bul", "bn": "ben", "ca": "cat", "cs": "ces", "cy": "cym", "da": "dan", "de": "deu", "el": "ell", "en": "eng", "es": "spa",
	"et": "est", "eu": "eus", "fa": "fas", "fi": "fin", "fr": "fra", "ga": "gle", "he": "heb", "hi": "hin", "hr": "hrv", "hu": "hun", "id": "ind",
	"is": "isl", "it": "ita", "ja": "jpn", "ka": "kat", "ko": "kor", "lt": "lit", "lv": "lav", "nb": "nob", "nl": "nld", "no": "nor", "pl": "pol",
	"pt": "por", "ro": "ron", "ru": "rus", "sk": "slk", "sl": "slv", "sq": "sqi", "sr": "srp", "sv": "swe", "sw": "swa", "ta": "tam", "te": "tel",
	"th": "tha", "tr": "tur", "uk": "ukr", "ur": "urd", "vi": "vie", "zh": "zho",
}
