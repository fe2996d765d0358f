package edit

import (
	"cmp"
	"strings"
	"unicode"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// hasFrom says whether a clip of a track begins at a time or later.
func hasFrom(t session.Track, from audio.Frames) bool {
	for _, c := range t.Clips {
		if c.Start >= from {
			return true
		}
	}
	return false
}

// lineUp makes room for a clip among those of a track that begin at a time or later: behind all whose names come before its own.
// What comes after it moves later by its length. It gives where the clip begins.
func lineUp(t *session.Track, name string, from, length audio.Frames) audio.Frames {
	start := from
	for _, c := range t.Clips {
		if c.Start >= from && CompareNames(c.Name, name) <= 0 {
			start = max(start, c.End())
		}
	}
	for id, c := range t.Clips {
		if c.Start >= from && CompareNames(c.Name, name) > 0 {
			c.Start += length
			t.Clips[id] = c
		}
	}
	return start
}

// CompareNames orders names as people do: without regard to case, and numbers in them by what they are worth, so that "Take 2"
// comes before "Take 10".
func CompareNames(a, b string) int {
	x, y := []rune(strings.ToLower(a)), []rune(strings.ToLower(b))
	for len(x) > 0 && len(y) > 0 {
		if unicode.IsDigit(x[0]) && unicode.IsDigit(y[0]) {
			n, m := digits(x), digits(y)
			p, q := strings.TrimLeft(string(x[:n]), "0"), strings.TrimLeft(string(y[:m]), "0")
			if c := cmp.Or(cmp.Compare(len(p), len(q)), cmp.Compare(p, q)); c != 0 {
				return c
			}
			x, y = x[n:], y[m:]
			continue
		}
		if c := cmp.Compare(x[0], y[0]); c != 0 {
			return c
		}
		x, y = x[1:], y[1:]
	}
	return cmp.Or(cmp.Compare(len(x), len(y)), strings.Compare(a, b))
}

// digits is how many of them a text begins with.
func digits(s []rune) int {
	n := 0
	for n < len(s) && unicode.IsDigit(s[n]) {
		n++
	}
	return n
}
