package review

import (
	"fmt"
	"strconv"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// quote is a name as it stands in a sentence.
func quote(name string) string { return "“" + name + "”" }

// number is a value with one decimal and a true minus.
func number(v float64) string { return strings.ReplaceAll(fmt.Sprintf("%.1f", v), "-", "−") }

// plain is a limit: as few decimals as it has.
func plain(v float64) string {
	return strings.ReplaceAll(strconv.FormatFloat(v, 'f', -1, 64), "-", "−")
}

// moment is a time as the ruler has it.
func moment(at audio.Frames) string {
	h, m, s, tenths := at.Clock(10)
	return fmt.Sprintf("%d:%02d.%d", 60*h+m, s, tenths)
}

// long is a length.
func long(n audio.Frames) string { return fmt.Sprintf("%.1f s", n.Seconds()) }

func ordinal(n int) string { return "#" + strconv.Itoa(n) }

// listed puts words together: one, two and three.
func listed(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// span is where a clip lies.
func span(c session.Clip) (from, to audio.Frames) { return c.Start, c.End() }

// clip finds a clip that the document surely has.
func (r *reader) clip(id string) (session.Track, session.Clip) {
	i, c, _ := r.Document.FindClip(id)
	return r.Document.Tracks[i], c
}
