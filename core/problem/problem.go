// Package problem is how everything in Ruvel says what is wrong: a code that programs
// can rely on, the place that is meant, and a sentence for the person at the desk that
// says what happened, to what, and what to do.
package problem

import "fmt"

// Problem is an error that people are told in its own words.
type Problem struct {
	Code    string `json:"code" doc:"Stays the same between versions, for programs"`
	Where   string `json:"where" doc:"The path in the document, or the field of the edit"`
	Message string `json:"message" doc:"What is wrong and what to do"`
}

func (p Problem) Error() string { return p.Message }

// New makes a Problem; its sentence is formatted as fmt.Sprintf does.
func New(code, where, format string, args ...any) Problem {
	return Problem{Code: code, Where: where, Message: fmt.Sprintf(format, args...)}
}
