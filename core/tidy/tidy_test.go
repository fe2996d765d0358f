package tidy_test

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/tidy"
)

func TestATextIsPutInOrder(t *testing.T) {
	for given, of := range map[string]struct{ lines, line, seen string }{
		"Two long blasts":               {"Two long blasts", "Two long blasts", "Two long blasts"},
		"  fog \r\n\r\n at\tfour \r":    {"fog \n\n at\tfour", "fog at four", "fog \n\n at four"},
		"one\u2028two\u2029three":       {"one\ntwo\n\nthree", "one two three", "one\ntwo\n\nthree"},
		"\x00bell\x07\x7f\ufeff":        {"bell", "bell", "bell"},
		"fog\xff":                       {"fog\ufffd", "fog\ufffd", "fog"},
		"\u202egnihton\u202c":           {"\u202egnihton\u202c", "\u202egnihton\u202c", "gnihton"},
		"می\u200cخواهم 👨\u200d👩\u200d👧": {"می\u200cخواهم 👨\u200d👩\u200d👧", "می\u200cخواهم 👨\u200d👩\u200d👧", "می\u200cخواهم 👨\u200d👩\u200d👧"},
	} {
		assert.Equal(t, of.lines, tidy.Lines(given), "%q", given)
		assert.Equal(t, of.line, tidy.Line(given), "%q", given)
		assert.Equal(t, of.seen, tidy.Seen(tidy.Lines(given)), "%q", given)
	}
}

func TestWhatIsInOrderStaysAsItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		given := string(rapid.SliceOf(rapid.Byte()).Draw(t, "given"))
		for _, once := range []string{tidy.Lines(given), tidy.Line(given), tidy.Seen(tidy.Lines(given))} {
			require.True(t, utf8.ValidString(once))
			require.Equal(t, strings.TrimSpace(once), once)
			require.Equal(t, once, tidy.Lines(once))
		}
		require.NotContains(t, tidy.Line(given), "\n")
		require.Equal(t, tidy.Line(given), tidy.Line(tidy.Line(given)))
		for _, r := range tidy.Seen(given) {
			require.True(t, r == '\n' || r == '\u200c' || r == '\u200d' || unicode.IsGraphic(r))
		}
	})
}
