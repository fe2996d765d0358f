package session

import (
	"strings"
	"unicode"

	"ruvel/core/problem"
)

// NewName is a name that somebody has given to something, cut to what fits. One without
// anything to see in it is refused.
func NewName(text, where string) (string, error) {
	name := ShortName(text)
	if !strings.ContainsFunc(name, func(r rune) bool { return unicode.IsGraphic(r) && !unicode.IsSpace(r) }) {
		return "", problem.New("bad-name", where, "A name cannot be empty. Type at least one letter.")
	}
	return name, nil
}

// ShortName is a name without white space around it, on one line, cut to what fits into a document. It may be empty.
func ShortName(name string) string {
	name = strings.TrimSpace(onOneLine(strings.ToValidUTF8(name, "?")))
	count := 0
	for at := range name {
		if count == maxName {
			return strings.TrimSpace(name[:at])
		}
		count++
	}
	return name
}

// onOneLine is a text with a space in the place of each sign that controls what shows it, line breaks among them.
func onOneLine(text string) string {
	if !strings.ContainsFunc(text, unicode.IsControl) {
		return text
	}
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return ' '
		}
		return r
	}, text)
}
