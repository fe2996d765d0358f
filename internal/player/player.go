// Package player is the page behind a link for listeners: title, artwork, description, chapters, credits, transcript and
// comments around the sound, with its silhouette to seek on. All of it can be read and heard without scripts, and
// nothing is loaded from elsewhere.
package player

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"strings"
	"time"

	"ruvel/core/audio"
	"ruvel/core/marks"
	"ruvel/core/script"
	"ruvel/internal/store"
)

//go:embed page.html static
var files embed.FS

// Static are the style, the script and the type that pages are made with.
func Static() http.Handler {
	static, err := fs.Sub(files, "static")
	if err != nil {
		panic(err) // it is embedded
	}
	return http.FileServerFS(static)
}

// Page is what somebody with an address sees.
type Page struct {
	Base     string // address of the page, without a slash at its end
	Static   string // and of what it is made with
	Origin   string // how all addresses begin for who asks; for previews of the page elsewhere
	Link     store.Page
	Password bool // it is asked for
	Comments bool // listeners may write some
	Alone    bool // the transcript is all that is shown
	Shown    []store.Comment
	// Said is what has become of what the listener has sent, in words.
	Said    string
	Wrong   bool // it was not taken
	Written Written
	// Notice is said instead of everything else: its first words, and more.
	Notice, More string
}

// Written is what a listener has written, given back if it was not taken.
type Written struct{ At, Name, Words string }

// Render gives the page as HTML.
func Render(p Page) ([]byte, error) {
	var out bytes.Buffer
	err := page.Execute(&out, p)
	return out.Bytes(), err
}

var page = template.Must(template.New("page.html").Funcs(template.FuncMap{
	"time": marks.Clock, "seconds": seconds, "paragraphs": paragraphs, "summary": summary, "silhouette": silhouette, "date": date, "minutes": minutes,
	"heading": func(p script.Part) bool { return p.Kind == script.Heading },
	"spoken":  func(p script.Part) bool { return p.Kind == script.Spoken },
}).ParseFS(files, "page.html"))

func seconds(at audio.Frames) string { return fmt.Sprintf("%.3f", at.Seconds()) }

func minutes(length audio.Frames) string {
	if m := int(length.Seconds()/60 + 0.5); m > 0 {
		return fmt.Sprintf("%d min", m)
	}
	return fmt.Sprintf("%d s", int(length.Seconds()+0.5))
}

// date is a day as people write it.
func date(day string) string {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return day
	}
	return t.Format("2 January 2006")
}

// summary is the beginning of a text on one line, as previews show it.
func summary(text string) string {
	const most = 200
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > most {
		return strings.TrimSpace(string(r[:most-1])) + "…"
	}
	return text
}

func paragraphs(text string) (out []string) {
	for p := range strings.SplitSeq(text, "\n") {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return out
}

// silhouette is the path of an outline, 400 wide and 100 high: a bar for each height, around the middle.
func silhouette(heights []byte) string {
	if len(heights) == 0 {
		return "M0 48h400v4h-400z" // of a file that was made before outlines were kept
	}
	var out strings.Builder
	wide := 400 / float64(len(heights))
	for i, h := range heights {
		high := max(1.5, float64(h)/255*96)
		fmt.Fprintf(&out, "M%.2f %.1fh%.2fv%.1fh-%.2fz", float64(i)*wide, 50-high/2, 0.7*wide, high, 0.7*wide)
	}
	return out.String()
}
