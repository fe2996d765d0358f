// Package script reads the text that a presenter speaks, plain or in Markdown, as a
// row of parts: headings, paragraphs to be spoken, and directions in brackets that
// are not. It estimates how long they take to say, and keeps which have been recorded.
package script

import (
	"crypto/sha256"
	"encoding/hex"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"ruvel/core/audio"
)

// Kind is what a part is.
type Kind string

// The kinds of parts.
const (
	Heading   Kind = "heading"
	Spoken    Kind = "spoken"
	Direction Kind = "direction" // such as [music], not spoken
)

// Pace is how fast somebody reads, in words a minute. 150 is a usual pace for
// narration (common practice).
type Pace int

// The paces that can be chosen.
const (
	Slowest Pace = 60
	Usual   Pace = 150
	Fastest Pace = 300
)

// breath is the pause after a spoken part (common practice).
const breath = audio.Second / 2

// Part is a stretch of the script.
type Part struct {
	Key      string       `json:"key" doc:"Stays the same while the words do"`
	Kind     Kind         `json:"kind" enum:"heading,spoken,direction"`
	Level    int          `json:"level" doc:"Of a heading: 1 to 6"`
	Text     string       `json:"text" doc:"As it is read, without marks"`
	Words    int          `json:"words" doc:"That are spoken"`
	Time     audio.Frames `json:"time" doc:"Estimated, in frames at 48 kHz"`
	Recorded bool         `json:"recorded"`
}

// Reading is a script made ready to be read.
type Reading struct {
	Parts []Part       `json:"parts" nullable:"false"`
	Words int          `json:"words"`
	Time  audio.Frames `json:"time" doc:"Estimated speaking time of all parts"`
	Left  audio.Frames `json:"left" doc:"Estimated speaking time of the parts that have not been recorded"`
}

var (
	directed     = regexp.MustCompile(`\[[^\]]*\]`)
	wholeBracket = regexp.MustCompile(`^[\[(][^\])]*[\])]$`)
)

// Read splits a text into parts and marks those whose keys have been recorded.
func Read(text string, pace Pace, recorded map[string]bool) Reading {
	pace = max(Slowest, min(Fastest, pace))
	r := Reading{Parts: []Part{}}
	seen := map[string]int{}
	for _, block := range blocks(text) {
		p := block.part()
		p.Key = key(p, seen)
		if p.Words > 0 {
			p.Time = TimeOf(p.Words, pace)
			r.Words += p.Words
			r.Time += p.Time
			if p.Recorded = recorded[p.Key]; !p.Recorded {
				r.Left += p.Time
			}
		}
		r.Parts = append(r.Parts, p)
	}
	return r
}

// TimeOf is how long so many words take to say, with a breath after them.
func TimeOf(words int, pace Pace) audio.Frames {
	return audio.Seconds(float64(words)*60/float64(pace)) + breath
}

// part says what a block is.
func (b block) part() Part {
	switch {
	case b.heading > 0:
		return Part{Kind: Heading, Level: b.heading, Text: b.text}
	case wholeBracket.MatchString(b.text):
		return Part{Kind: Direction, Text: b.text}
	}
	return Part{Kind: Spoken, Text: b.text, Words: words(directed.ReplaceAllString(b.text, " "))}
}

// words counts what is said: runs of characters with a letter or a digit in them.
func words(s string) (n int) {
	for _, f := range strings.Fields(s) {
		if strings.ContainsFunc(f, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
			n++
		}
	}
	return n
}

// key names a part by its words. The same words a second time get a number.
func key(p Part, seen map[string]int) string {
	sum := sha256.Sum256([]byte(string(p.Kind) + "\n" + strings.ToLower(p.Text)))
	k := hex.EncodeToString(sum[:8])
	seen[k]++
	if n := seen[k]; n > 1 {
		return k + "-" + strconv.Itoa(n)
	}
	return k
}
