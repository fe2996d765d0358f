package session

import (
	"strings"
	"unicode"
	"unicode/utf8"

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

// ShortName is a name without white space around it, cut to what fits into a document. It may be empty.
func ShortName(name string) string {
	name = strings.TrimSpace(strings.ToValidUTF8(name, "?"))
	for utf8.RuneCountInString(name) > maxName {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	return name
}
