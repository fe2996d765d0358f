// Package problem is how everything in Ruvel says what is wrong: a code that programs
// can rely on, the place that is meant, and a sentence for the person at the desk that
// says what happened, to what, and what to do.
package problem

import (
	"fmt"
	"strings"
)

// Problem is an error that people are told in its own words.
type Problem struct {
	Code    string `json:"code" doc:"Stays the same between versions, for programs"`
	Where   string `json:"where" doc:"The path in the document, or the field of the edit"`
	Message string `json:"message" doc:"What is wrong and what to do"`
}

func (p Problem) Error() string { return p.Message }

// Short keeps a text that somebody else has chosen from filling the sentence that it is told in.
func Short(text string, characters int) string {
	text = strings.ToValidUTF8(text, "?")
	if r := []rune(text); len(r) > characters {
		return string(r[:characters]) + "…"
	}
	return text
}

// New makes a Problem; its sentence is formatted as fmt.Sprintf does.
func New(code, where, format string, args ...any) Problem {
	return Problem{Code: code, Where: where, Message: fmt.Sprintf(format, args...)}
}
