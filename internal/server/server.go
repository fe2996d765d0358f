// Package server is Ruvel over HTTP: the API under /api, described by OpenAPI 3.1, the
// listening stream, events, and the application for the browser.
package server

import (
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/unrolled/secure"
	"gocloud.dev/blob"

	"ruvel/internal/library"
	"ruvel/internal/measure"
	"ruvel/internal/plans"
	"ruvel/internal/shelf"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/uploads"
	"ruvel/internal/work"
	"ruvel/ui"
)

// Version is the API's version.
const Version = "0.1.0"

// Server answers requests. Its fields are what it rests on: what can be done is done by
// packages of their own, and here it is only decoded, called and answered.
type Server struct {
	Store   *store.Store
	Sounds  *sounds.Library
	Bucket  *blob.Bucket
	Worker  *work.Worker
	Queue   *work.Queue
	Plans   *plans.Plans
	Measure *measure.Measurer
	Takes   *takes.Takes
	Library *library.Library
	Uploads *uploads.Uploads
	Shelf   *shelf.Fetcher
}

var once sync.Once

// Handler is everything that the server answers.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, log, headers().Handler, http.NewCrossOriginProtection().Handler)
	r.Route("/api", func(r chi.Router) {
		r.Use(noStore)
		s.routes(r)
	})
	r.NotFound(ui.Handler().ServeHTTP)
	return r
}

func (s *Server) routes(r chi.Router) {
	s.register(humachi.New(r, Config()))
	if err := s.uploadRoutes(r); err != nil {
		panic(err) // its settings stand in the code
	}
	r.NotFound(notFound)
}

func notFound(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(http.StatusNotFound)
	_, _ = w.Write([]byte(`{"title":"Not Found","status":404,"detail":"There is nothing at this address.","code":"not-found"}`))
}

// register adds every route to an API.
func (s *Server) register(api huma.API) {
	once.Do(useOurErrors)
	s.showRoutes(api)
	s.episodeRoutes(api)
	s.editRoutes(api)
	s.soundRoutes(api)
	s.takeRoutes(api)
	s.scriptRoutes(api)
	s.shelfRoutes(api)
	s.mixdownRoutes(api)
	s.listenRoutes(api)
	s.eventRoutes(api)
}

// Config is the API's general part.
func Config() huma.Config {
	c := huma.DefaultConfig("Ruvel", Version)
	c.Info.Description = "Assemble voice and music into an episode, hear it, and mix it down."
	c.Servers = []*huma.Server{{URL: "/api"}}
	c.DocsPath, c.SchemasPath = "", ""
	c.CreateHooks = nil // no $schema fields in the answers
	return c
}

// headers are what keeps a page of ours from loading or being loaded by anything else.
func headers() *secure.Secure {
	return secure.New(secure.Options{
		ContentTypeNosniff: true, FrameDeny: true, ReferrerPolicy: "same-origin", CrossOriginOpenerPolicy: "same-origin",
		ContentSecurityPolicy: strings.Join([]string{
			"default-src 'self'", "script-src 'self'", "style-src 'self' 'unsafe-inline'", "img-src 'self' data:",
			"worker-src 'self'", "object-src 'none'", "base-uri 'none'", "frame-ancestors 'none'", "form-action 'self'",
		}, "; "),
	})
}

func noStore(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// log writes a line for each request that failed or took long.
func log(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		begun := time.Now()
		next.ServeHTTP(ww, r)
		if ww.Status() >= 500 && ww.Status() != http.StatusServiceUnavailable {
			slog.Warn("request", "method", r.Method, "path", r.URL.Path, "status", ww.Status(), "took", time.Since(begun).Round(time.Millisecond))
		}
	})
}

// operation describes a route.
func operation(method, path, id, summary string) huma.Operation {
	return huma.Operation{Method: method, Path: path, OperationID: id, Summary: summary, MaxBodyBytes: 8 << 20}
}

// empty is an input or an answer without content.
type empty struct{}

// body is an answer with content.
type body[T any] struct{ Body T }

func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, fail(err)
	}
	return &body[T]{v}, nil
}

func nothing(err error) (*empty, error) {
	if err != nil {
		return nil, fail(err)
	}
	return &empty{}, nil
}
