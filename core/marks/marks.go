// Package marks writes markers, ranges and chapters in forms that others read, and reads them: a table (CSV, RFC 4180),
// WebVTT (W3C, "WebVTT: The Web Video Text Tracks Format", 2019), and chapters as lines of text. A table keeps places to the
// frame; WebVTT has milliseconds.
package marks

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// columns of a table, with the names by which those of others are known.
var columns = []struct {
	name  string
	known []string
}{
	{"name", []string{"title", "label", "text"}},
	{"start", []string{"at", "time", "in", "begin", "from", "position"}},
	{"end", []string{"out", "to", "stop"}},
	{"length", []string{"duration"}},
	{"kind", []string{"type"}},
	{"link", []string{"url", "address"}},
}

// Kinds of markers in a table.
const (
	place   = "marker"
	stretch = "range"
	chapter = "chapter"
)

// CSV is a table of all markers in their order, with places in seconds.
func CSV(doc session.Document) []byte {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	_ = w.Write([]string{"name", "start", "end", "kind", "link"})
	for _, id := range session.MarkersInOrder(doc.Markers) {
		m := doc.Markers[id]
		kind, end := place, ""
		if m.Length > 0 {
			kind, end = stretch, exact(m.At+m.Length)
		}
		if m.Chapter {
			kind = chapter
		}
		_ = w.Write([]string{m.Name, exact(m.At), end, kind, m.Link})
	}
	w.Flush()
	return out.Bytes()
}

// exact is a place in seconds from which its frame can be told.
func exact(at audio.Frames) string {
	return strings.TrimSuffix(strings.TrimRight(strconv.FormatFloat(at.Seconds(), 'f', 6, 64), "0"), ".")
}

// WebVTT are all markers as cues. A place lasts for a millisecond, as a cue must last.
func WebVTT(doc session.Document) []byte {
	out := bytes.NewBufferString("WEBVTT\n")
	for n, id := range session.MarkersInOrder(doc.Markers) {
		m := doc.Markers[id]
		kind := map[bool]string{true: stretch, false: place}[m.Length > 0]
		if m.Chapter {
			kind = chapter
		}
		from := milliseconds(m.At)
		to := max(from+1, milliseconds(m.At+m.Length))
		fmt.Fprintf(out, "\n%s %d\n%s --> %s\n%s\n", kind, n+1, stamp(from), stamp(to), escape.Replace(oneLine(m.Name)))
	}
	return out.Bytes()
}

func milliseconds(at audio.Frames) int64 { return (int64(at)*1000 + audio.Rate/2) / audio.Rate }

func stamp(ms int64) string {
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}

var (
	escape   = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")
	unescape = strings.NewReplacer("&lt;", "<", "&gt;", ">", "&nbsp;", "\u00a0", "&amp;", "&")
)

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

// Chapters are the chapters as lines of text: where each begins, and what it is called.
func Chapters(doc session.Document) []byte {
	var out bytes.Buffer
	for _, id := range session.MarkersInOrder(doc.Markers) {
		if m := doc.Markers[id]; m.Chapter {
			fmt.Fprintf(&out, "%s %s\n", Clock(m.At), oneLine(m.Name))
		}
	}
	return out.Bytes()
}

// Clock is a place as listeners read it: 1:04, 1:02:03.
func Clock(at audio.Frames) string {
	s := int64(at) / audio.Rate
	if s >= 3600 {
		return fmt.Sprintf("%d:%02d:%02d", s/3600, s/60%60, s%60)
	}
	return fmt.Sprintf("%d:%02d", s/60, s%60)
}

// Most is how many bytes are read at most.
const Most = 4 << 20

// quoted is a field that is something else, as it is told.
func quoted(field string) string { return problem.Short(field, 40) }

func bad(line int, format string, args ...any) error {
	return problem.New("bad-markers", "file", "Line %d: "+format, append([]any{line}, args...)...)
}

// Read reads markers from a table or from WebVTT. What cannot be read is told with its line, and nothing is taken then.
func Read(data []byte) (out []session.Marker, err error) {
	if len(data) > Most {
		return nil, problem.New("bad-markers", "file", "The file has more than %d MB; a list of markers has far less.", Most>>20)
	}
	text := strings.TrimPrefix(strings.ToValidUTF8(string(data), "?"), "\ufeff")
	text = strings.NewReplacer("\r\n", "\n", "\r", "\n", "\x00", "").Replace(text)
	if strings.HasPrefix(text, "WEBVTT") {
		out, err = readWebVTT(text)
	} else {
		out, err = readTable(text)
	}
	switch {
	case err != nil:
		return nil, err
	case len(out) == 0:
		return nil, problem.New("no-markers", "file", "There are no markers in this file. It is a table with name, start and end, or WebVTT.")
	case len(out) > session.MaxMarkers:
		return nil, problem.New("too-many-markers", "file", "A session holds at most %d markers and ranges; this file has %d.", session.MaxMarkers, len(out))
	}
	return out, nil
}

// longest is a place beyond which nothing is meant.
const longest = 1000 * 3600 * audio.Second

// Time reads a place as people write it: 64.5, 1:04.5, 1:02:03; with a comma, too.
func Time(text string) (at audio.Frames, ok bool) {
	parts := strings.Split(strings.ReplaceAll(strings.TrimSpace(text), ",", "."), ":")
	var seconds float64
	for _, part := range parts {
		v, err := strconv.ParseFloat(part, 64)
		if err != nil || len(parts) > 3 || !(v >= 0) || strings.ContainsAny(part, "+-eExXpPiInN_") {
			return 0, false
		}
		seconds = 60*seconds + v
	}
	if seconds > longest.Seconds() {
		return 0, false
	}
	return audio.Seconds(seconds), true
}

func readWebVTT(text string) (out []session.Marker, err error) {
	lines := strings.Split(text, "\n")
	for i := 0; i < len(lines); i++ {
		from, to, is := strings.Cut(lines[i], "-->")
		if !is {
			continue
		}
		to, _, _ = strings.Cut(strings.TrimSpace(to), " ") // settings may follow
		to, _, _ = strings.Cut(to, "\t")
		begin, one := Time(from)
		end, two := Time(to)
		if !one || !two || end < begin {
			return nil, bad(i+1, "this is no time from which to which a cue lasts.")
		}
		m := session.Marker{At: begin}
		if milliseconds(end)-milliseconds(begin) > 1 {
			m.Length = end - begin
		}
		m.Chapter = i > 0 && strings.HasPrefix(lines[i-1], chapter+" ")
		var said []string
		for i+1 < len(lines) && strings.TrimSpace(lines[i+1]) != "" {
			i++
			said = append(said, untagged(lines[i]))
		}
		m.Name = session.ShortName(oneLine(strings.Join(said, " ")))
		out = append(out, m)
	}
	return out, nil
}

// untagged is the text of a line without its tags.
func untagged(line string) string {
	var out strings.Builder
	for {
		before, rest, tag := strings.Cut(line, "<")
		out.WriteString(before)
		if !tag {
			return unescape.Replace(out.String())
		}
		if _, line, tag = strings.Cut(rest, ">"); !tag {
			return unescape.Replace(out.String())
		}
	}
}

func readTable(text string) (out []session.Marker, err error) {
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = -1, true, true
	first, _, _ := strings.Cut(strings.TrimLeft(text, "\n"), "\n")
	for _, other := range []rune{';', '\t'} {
		if strings.Count(first, string(other)) > strings.Count(first, string(r.Comma)) {
			r.Comma = other
		}
	}
	var at map[string]int
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, problem.New("bad-markers", "file", "This is no table that can be read: %v.", err)
		}
		line, _ := r.FieldPos(0)
		if at == nil {
			var head bool
			if at, head = header(row); head {
				continue
			}
		}
		m, err := markerOf(row, at, line)
		if err != nil {
			return nil, err
		}
		out = append(out, m)
	}
}

// header says which column is what: of a first row that says so, else by what stands in it.
func header(row []string) (at map[string]int, is bool) {
	at = map[string]int{}
	for i, field := range row {
		field = strings.ToLower(strings.TrimSpace(field))
		for _, c := range columns {
			for _, known := range append(c.known, c.name) {
				if _, taken := at[c.name]; field == known && !taken {
					at[c.name] = i
				}
			}
		}
	}
	if _, is = at["start"]; is {
		return at, true
	}
	if _, is := Time(row[0]); !is {
		return map[string]int{"name": 0, "start": 1, "end": 2, "kind": 3, "link": 4}, false
	}
	if len(row) > 2 {
		return map[string]int{"start": 0, "end": 1, "name": 2}, false
	}
	return map[string]int{"start": 0, "name": 1}, false
}

func markerOf(row []string, at map[string]int, line int) (m session.Marker, err error) {
	field := func(name string) string {
		if i, there := at[name]; there && i < len(row) {
			return strings.TrimSpace(row[i])
		}
		return ""
	}
	var ok bool
	if m.At, ok = Time(field("start")); !ok {
		return m, bad(line, "%q is no time. Write it as 64.5 or 1:04.5.", quoted(field("start")))
	}
	for name, from := range map[string]audio.Frames{"end": m.At, "length": 0} {
		if text := field(name); text != "" {
			to, ok := Time(text)
			if !ok || to < from {
				return m, bad(line, "%q is no time at which it could end. Write it as 64.5 or 1:04.5, not before its start.", quoted(text))
			}
			m.Length = to - from
		}
	}
	m.Name, m.Link = session.ShortName(oneLine(field("name"))), field("link")
	if err := session.CheckLink(m.Link); m.Link != "" && err != nil {
		return m, bad(line, "%q is no address on the web. It begins with https://.", quoted(m.Link))
	}
	switch kind := strings.ToLower(field("kind")); kind {
	case chapter:
		m.Chapter = true
	case place:
		m.Length = 0
	}
	return m, nil
}
