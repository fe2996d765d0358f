// Package credits says which sounds of an episode must be named with it, what is
// still missing for that, and writes the list as text, Markdown or HTML. What a
// licence demands is taken from its own text.
package credits

import (
	"fmt"
	"html"
	"strings"

	"ruvel/core/session"
)

// Sound is what people have written down about a sound.
type Sound struct {
	ID      string
	Name    string
	Part    session.Part
	Title   string
	Author  string
	Source  string
	Licence string // the key of a licence or words of their own
}

// Field is something that a credit can lack.
type Field string

// The fields of a credit.
const (
	Title    Field = "title"
	Author   Field = "author"
	Source   Field = "source"
	Licensed Field = "licence"
)

// Need says whether a sound must be credited, and what is missing for that.
type Need struct {
	Credit  bool    `json:"credit" doc:"True if the sound must be named with an episode that uses it"`
	Missing []Field `json:"missing" nullable:"false" enum:"title,author,source,licence" doc:"What has still to be written down"`
}

// Of is what a sound needs. A voice without a licence is taken to be the show's own
// recording; music and effects without one lack it.
func Of(s Sound) Need {
	n := Need{Missing: []Field{}}
	if strings.TrimSpace(s.Licence) == "" {
		if s.Part != session.Voice {
			n.Credit, n.Missing = true, append(n.Missing, Licensed)
		}
		return n
	}
	demands := demandsOf(s.Licence)
	n.Credit = len(demands) > 0
	for _, field := range demands {
		if strings.TrimSpace(s.field(field)) == "" {
			n.Missing = append(n.Missing, field)
		}
	}
	return n
}

func (s Sound) field(f Field) string {
	switch f {
	case Title:
		return s.title()
	case Author:
		return s.Author
	case Source:
		return s.Source
	}
	return s.Licence
}

// title is what a sound is called in a list; its name stands in for a title.
func (s Sound) title() string {
	if t := strings.TrimSpace(s.Title); t != "" {
		return t
	}
	return strings.TrimSpace(s.Name)
}

// Entry is a line of the list.
type Entry struct {
	Sound   string  `json:"sound"`
	Title   string  `json:"title"`
	Author  string  `json:"author"`
	Source  string  `json:"source"`
	Licence string  `json:"licence" doc:"Its name, or words of the producer's own"`
	Link    string  `json:"link" doc:"Where the licence can be read; empty for words of one's own"`
	Demands string  `json:"demands" doc:"What the licence asks for, in a sentence"`
	Missing []Field `json:"missing" nullable:"false" enum:"title,author,source,licence"`
}

// List is the credits of an episode in three forms.
type List struct {
	Entries  []Entry `json:"entries" nullable:"false"`
	Complete bool    `json:"complete" doc:"False if something is missing"`
	Text     string  `json:"text"`
	Markdown string  `json:"markdown"`
	HTML     string  `json:"html"`
}

// For lists the credits of the sounds of an episode, in the order they are given.
// Sounds that need no credit are left out; the same credit twice stands once.
func For(sounds []Sound) List {
	l := List{Entries: []Entry{}, Complete: true}
	seen := map[string]bool{}
	for _, s := range sounds {
		need := Of(s)
		if !need.Credit {
			continue
		}
		e := entry(s, need)
		if key := fmt.Sprintf("%q", []string{e.Title, e.Author, e.Source, e.Licence}); seen[key] {
			continue
		} else {
			seen[key] = true
		}
		l.Entries = append(l.Entries, e)
		l.Complete = l.Complete && len(need.Missing) == 0
	}
	l.Text, l.Markdown, l.HTML = plain.write(l.Entries), markdown.write(l.Entries), hypertext.write(l.Entries)
	return l
}

func entry(s Sound, need Need) Entry {
	e := Entry{
		Sound: s.ID, Title: s.title(), Author: strings.TrimSpace(s.Author), Source: strings.TrimSpace(s.Source),
		Licence: strings.TrimSpace(s.Licence), Missing: need.Missing,
	}
	if licence, ok := Find(s.Licence); ok {
		e.Licence, e.Link, e.Demands = licence.Name, licence.Link, licence.Demands
	}
	return e
}

// form is a way to write the list down.
type form struct {
	before, after string
	line          string // around one entry
	escape        func(string) string
	link          func(text, address string) string
}

var (
	plain = form{line: "%s\n", escape: func(s string) string { return s }, link: func(text, address string) string {
		if text == address {
			return text
		}
		return text + " (" + address + ")"
	}}
	markdown = form{line: "- %s\n", escape: escapeMarkdown, link: func(text, address string) string {
		if text == address {
			return "<" + address + ">"
		}
		return "[" + escapeMarkdown(text) + "](<" + address + ">)"
	}}
	hypertext = form{before: "<ul>\n", line: "  <li>%s</li>\n", after: "</ul>\n", escape: html.EscapeString, link: func(text, address string) string {
		return `<a href="` + html.EscapeString(address) + `">` + html.EscapeString(text) + "</a>"
	}}
)

func (f form) write(entries []Entry) string {
	if len(entries) == 0 {
		return ""
	}
	var b strings.Builder
	b.WriteString(f.before)
	for _, e := range entries {
		fmt.Fprintf(&b, f.line, f.entry(e))
	}
	b.WriteString(f.after)
	return b.String()
}

// entry is one line: “Title” by Author, Licence. Source: address
func (f form) entry(e Entry) string {
	text := "“" + f.escape(oneLine(e.Title)) + "”"
	if e.Author != "" {
		text += " by " + f.escape(oneLine(e.Author))
	}
	switch {
	case e.Link != "":
		text += ", " + f.link(e.Licence, e.Link)
	case e.Licence != "":
		text += ", " + f.escape(oneLine(e.Licence))
	}
	text += "."
	if e.Source != "" {
		source := oneLine(e.Source)
		if isAddress(source) {
			text += " Source: " + f.link(source, source)
		} else {
			text += " Source: " + f.escape(source)
		}
	}
	return text
}

// isAddress says whether a source can be a link: nothing but the web's own schemes,
// and no character that could end the link early.
func isAddress(s string) bool {
	return (strings.HasPrefix(s, "https://") || strings.HasPrefix(s, "http://")) && !strings.ContainsAny(s, " <>\"'`\\")
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

func escapeMarkdown(s string) string {
	var b strings.Builder
	for _, r := range s {
		if strings.ContainsRune("\\`*_{}[]<>#|!", r) {
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}
