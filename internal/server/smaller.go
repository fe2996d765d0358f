package server

import (
	"net/http"

	"github.com/klauspost/compress/gzhttp"
)

const (
	// smaller is how many bytes an answer has at least that is sent compressed: a shorter one fits a packet anyway.
	smaller = 1400
	// effort is the level of gzip. From here on more takes twice the time for a twentieth of the bytes.
	effort = 3
)

// texts are the kinds of answers that are sent compressed. Sound and pictures are not: they are already, or are wanted at once.
var texts = []string{
	"application/json", "application/problem+json", "application/rss+xml", "application/xml", "image/svg+xml",
	"text/css", "text/csv", "text/html", "text/javascript", "text/plain", "text/vtt",
}

// compressed sends texts compressed to whoever takes them so.
func compressed(next http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(smaller), gzhttp.CompressionLevel(effort), gzhttp.EnableZstd(false), gzhttp.ContentTypes(texts))
	if err != nil {
		panic(err) // its settings stand above
	}
	return wrap(next)
}
