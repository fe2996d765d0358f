// Package tidy puts what people type in order, in one way for all of it: valid UTF-8, with the line ends of Unix, without signs that control
// what shows them.
package tidy

import (
	"strings"
	"unicode"
)

var lineEnds = strings.NewReplacer("\r\n", "\n", "\r", "\n", "\u2028", "\n", "\u2029", "\n\n")

// Lines is a text of any number of lines, without white space around it. Of what controls, line ends and tabs stay; what is no character
// becomes U+FFFD.
func Lines(text string) string {
	text = lineEnds.Replace(strings.ToValidUTF8(text, "\uFFFD"))
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' && r != '\t' || r == 0x7f || r == 0xfeff {
			return -1
		}
		return r
	}, text))
}

// Line is a text on one line, its words apart by one space.
func Line(text string) string { return strings.Join(strings.Fields(Lines(text)), " ") }

const zeroWidthNonJoiner, zeroWidthJoiner = '\u200c', '\u200d'

// Seen is a text that has been put in order without what cannot be seen, which could turn it around or hide some of it: for what strangers
// write.
func Seen(text string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		switch {
		case r == '\t':
			return ' '
		case r == '\n', r == zeroWidthNonJoiner, r == zeroWidthJoiner: // the last two make words and faces
			return r
		case r == unicode.ReplacementChar || !unicode.IsGraphic(r):
			return -1
		}
		return r
	}, text))
}
