// Package ui is the application for the browser, as Vite has built it.
package ui

import (
	"bytes"
	"embed"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"time"
)

//go:embed all:dist
var built embed.FS

// forms are the compressed forms that the build lays beside a text, the shortest first.
var forms = []struct{ encoding, suffix string }{{"br", ".br"}, {"gzip", ".gz"}}

// Handler serves the application: files by their name, and its page for every other
// address, which the application itself makes sense of. What is named by its content is
// kept by the browser for good.
func Handler() http.Handler {
	files, err := fs.Sub(built, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		named := strings.HasPrefix(name, "assets/") // by its content
		switch {
		case isFile(files, name) && name != "index.html":
			if named {
				w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
		case named: // one of another build: the page would not make sense in its place
			http.NotFound(w, r)
			return
		default:
			name = "index.html"
			w.Header().Set("Cache-Control", "no-cache")
		}
		serve(w, r, files, name)
	})
}

// serve sends a file in the shortest form that is there and taken.
func serve(w http.ResponseWriter, r *http.Request, files fs.FS, name string) {
	w.Header().Add("Vary", "Accept-Encoding")
	w.Header().Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
	for _, form := range forms {
		if takes(r, form.encoding) && isFile(files, name+form.suffix) {
			w.Header().Set("Content-Encoding", form.encoding)
			name += form.suffix
			break
		}
	}
	data, err := fs.ReadFile(files, name)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(data))
}

func isFile(files fs.FS, name string) bool {
	info, err := fs.Stat(files, name)
	return err == nil && !info.IsDir()
}

// takes tells whether an encoding is among those that a request names, and not as one that it does not take (RFC 9110, 12.5.3).
func takes(r *http.Request, encoding string) bool {
	for _, word := range strings.Split(strings.Join(r.Header.Values("Accept-Encoding"), ","), ",") {
		name, weight, _ := strings.Cut(word, ";")
		if strings.EqualFold(strings.TrimSpace(name), encoding) {
			return strings.Trim(strings.TrimPrefix(strings.ReplaceAll(weight, " ", ""), "q="), "0.") != "" || weight == ""
		}
	}
	return false
}
