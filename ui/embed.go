// Package ui is the application for the browser, as Vite has built it.
package ui

import (
	"embed"
	"io/fs"
	"net/http"
	"path"
	"strings"
)

//go:embed all:dist
var built embed.FS

// Handler serves the application: files by their name, and its page for every other
// address, which the application itself makes sense of.
func Handler() http.Handler {
	files, err := fs.Sub(built, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	server := http.FileServerFS(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		if info, err := fs.Stat(files, name); err != nil || info.IsDir() || name == "index.html" {
			w.Header().Set("Cache-Control", "no-cache")
			http.ServeFileFS(w, r, files, "index.html")
			return
		}
		if strings.HasPrefix(name, "assets/") { // named by their content
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		server.ServeHTTP(w, r)
	})
}
