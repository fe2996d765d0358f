// Package server is Ruvel over HTTP: the API under /api, described by OpenAPI 3.1, the
// listening stream, events, and the application for the browser.
package server

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/unrolled/secure"
	"gocloud.dev/blob"

	"ruvel/core/audio"
	"ruvel/internal/access"
	"ruvel/internal/arrange"
	"ruvel/internal/backup"
	"ruvel/internal/balance"
	"ruvel/internal/check"
	"ruvel/internal/disk"
	"ruvel/internal/episodes"
	"ruvel/internal/flight"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/measure"
	"ruvel/internal/notes"
	"ruvel/internal/outside"
	"ruvel/internal/people"
	"ruvel/internal/plans"
	"ruvel/internal/publish"
	"ruvel/internal/shelf"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/turns"
	"ruvel/internal/uploads"
	"ruvel/internal/watch"
	"ruvel/internal/work"
	"ruvel/ui"
)

// Version is the API's version.
const Version = "0.1.0"

// Server answers requests. Its fields are what it rests on: what can be done is done by
// packages of their own, and here it is only decoded, called and answered.
type Server struct {
	Store    *store.Store
	Sounds   *sounds.Sounds
	Bucket   *blob.Bucket
	Worker   *work.Worker
	Queue    *work.Queue
	Plans    *plans.Plans
	Measure  *measure.Measurer
	Takes    *takes.Takes
	Library  *library.Library
	Uploads  *uploads.Uploads
	Shelf    *shelf.Fetcher
	Backup   *backup.Keeper
	Check    *check.Checker
	Access   *access.Door
	Arrange  *arrange.Arranger
	Episodes *episodes.Episodes
	Balance  *balance.Balancer
	// Turns are of those who render for listeners, or compute much.
	Turns   *turns.Turns
	Publish *publish.Publisher
	// People are those who sign in; nil: there is one person, who does not.
	People *people.People
	// Watch counts what is done; nil: nothing does.
	Watch *watch.Watch
	// Outside says who somebody is elsewhere; nil: nothing does.
	Outside *outside.Provider
	Notes   *notes.Notes
	// PagesApart: pages for listeners and feeds are served at an address of their own, and not here; Pages is that address.
	PagesApart bool
	Pages      string
	// Handover is what finished files are made and sent with.
	Handover *handover.Handover
	// Space is the disk that everything is kept on.
	Space *disk.Space
	// Trouble says in words why the database does not answer at the moment, or nothing; nil: nothing is known.
	Trouble func() string
	// Names are those that it answers to besides loopback addresses and localhost.
	Names  []string
	making atomic.Pointer[string]
	// Ahead is how much more than has been heard a listener is sent at most; 0: a second and a half. It comes at once.
	Ahead audio.Frames
	// BodyPatience is how long the next bytes of a request may keep one waiting; 0: twenty seconds.
	BodyPatience time.Duration

	trying    atomic.Int32            // edits that are being tried
	listening atomic.Int32            // streams that there are
	findings  *flight.Group[Findings] // and what is found in episodes
	comparing *turns.Hands            // passwords of pages, which takes 64 MB each
	hands     sync.Once
	sessions  *scs.SessionManager // of browsers in which somebody has signed in
	streams   context.Context     // ends those requests that never end by themselves; nil: nothing does
}

var once sync.Once

// Handler is everything that the server answers.
func (s *Server) Handler() http.Handler { return s.handlerUntil(context.Background()) }

// handlerUntil is Handler of a server that ends with a context: nobody waits any more for what has not been begun by then.
func (s *Server) handlerUntil(end context.Context) http.Handler {
	s.Turns.Until(end)
	s.findings = flight.New[Findings](reviewers)
	s.comparingOnce()
	s.sessions = newSessions(s.Store)
	r := chi.NewRouter()
	sameOrigin := http.NewCrossOriginProtection()
	sameOrigin.SetDenyHandler(http.HandlerFunc(foreign))
	r.Use(signed, traced, s.counted, middleware.Recoverer, log, headers().Handler, compressed, s.ours(func() []string { return s.Names }), sameOrigin.Handler, s.leaving, s.arriving)
	r.MethodNotAllowed(wrongMethod)
	r.Route("/api", func(r chi.Router) {
		r.Use(noStore, s.there, s.known, s.roomy, s.followable)
		s.routes(r)
	})
	if !s.PagesApart {
		s.playerRoutes(r)
		s.publicFeedRoutes(r)
	}
	r.NotFound(onlyRead(ui.Handler()).ServeHTTP)
	return r
}

// pageNames are those that the server of pages answers to: its own, and the others.
func (s *Server) pageNames() []string {
	names := slices.Clone(s.Names)
	if at, err := url.Parse(s.Pages); err == nil && at.Host != "" {
		names = append(names, at.Host)
	}
	return names
}

// comparingOnce gives the two servers the same hands for passwords of pages.
func (s *Server) comparingOnce() {
	s.hands.Do(func() { s.comparing = turns.NewHands(comparing) })
}

// PagesHandler is everything that a server of pages for listeners and feeds alone answers, at a port of its own.
func (s *Server) PagesHandler() http.Handler {
	s.comparingOnce()
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, log, headers().Handler, compressed, s.ours(s.pageNames), s.leaving, s.arriving)
	r.MethodNotAllowed(func(w http.ResponseWriter, _ *http.Request) {
		tell(w, http.StatusMethodNotAllowed, "Not in this way", "This address cannot be asked like that.")
	})
	s.playerRoutes(r)
	s.publicFeedRoutes(r)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.refusePage(w, store.NotFound("page")) })
	return r
}

// reviewers is how many episodes are checked at a time. Most of that is waiting for the mix to be measured.
const reviewers = 4

// onlyRead lets nothing but reads through.
func onlyRead(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			wrongMethod(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

func (s *Server) routes(r chi.Router) {
	s.register(humachi.New(r, Config()))
	if err := s.uploadRoutes(r); err != nil {
		panic(err) // its settings stand in the code
	}
	r.NotFound(notFound)
	r.MethodNotAllowed(wrongMethod)
}

// register adds every route to an API.
func (s *Server) register(api huma.API) {
	once.Do(useOurErrors)
	s.showRoutes(api)
	s.episodeRoutes(api)
	s.editRoutes(api)
	s.arrangeRoutes(api)
	s.fitRoutes(api)
	s.houseRoutes(api)
	s.soundRoutes(api)
	s.jobRoutes(api)
	s.peakRoutes(api)
	s.evenRoutes(api)
	s.treatmentRoutes(api)
	s.balanceRoutes(api)
	s.checkRoutes(api)
	s.compareRoutes(api)
	s.takeRoutes(api)
	s.scriptRoutes(api)
	s.shelfRoutes(api)
	s.mixdownRoutes(api)
	s.handoverRoutes(api)
	s.pictureRoutes(api)
	s.archiveRoutes(api)
	s.backupRoutes(api)
	s.markerRoutes(api)
	s.linkRoutes(api)
	s.feedRoutes(api)
	s.sendingRoutes(api)
	s.listenRoutes(api)
	s.eventRoutes(api)
	s.healthRoutes(api)
	s.personRoutes(api)
	s.memberRoutes(api)
	s.outsideRoutes(api)
	s.noteRoutes(api)
	s.togetherRoutes(api)
	s.hearingRoutes(api)
	s.watchRoutes(api)
	exemplify(api.OpenAPI())
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
		CrossOriginResourcePolicy: "same-origin",
		ContentSecurityPolicy: strings.Join([]string{
			"default-src 'self'", "script-src 'self'", "style-src 'self' 'unsafe-inline'", "img-src 'self' data:",
			"worker-src 'self'", "object-src 'none'", "base-uri 'none'", "frame-ancestors 'none'", "form-action 'self'",
		}, "; "),
	})
}

// roomy refuses what would fill the disk before it is begun, and while it comes. What makes
// room is let through.
func (s *Server) roomy(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if slices.Contains([]string{http.MethodGet, http.MethodHead, http.MethodDelete}, r.Method) || strings.HasSuffix(r.URL.Path, "/cancel") {
			next.ServeHTTP(w, r)
			return
		}
		if err := s.Space.Room(0); err != nil {
			refuseFor(w, err)
			return
		}
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = noted{struct {
				io.Reader
				io.Closer
			}{s.Space.Reader(r.Body), r.Body}, r}
		}
		next.ServeHTTP(w, r)
	})
}

// there answers for the database while it is known not to.
func (s *Server) there(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.Trouble != nil {
			if words := s.Trouble(); words != "" {
				refuse(w, newError(http.StatusServiceUnavailable, words+" Nothing that was kept is lost.", "database-away"))
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}

// signed lets an answer be told from what a proxy says in its place.
func signed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Ruvel", Version)
		next.ServeHTTP(w, r)
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
			slog.Warn("request", "method", r.Method, "path", r.URL.Path, "status", ww.Status(), "request", store.RequestIn(r.Context()), "took", time.Since(begun).Round(time.Millisecond))
		}
	})
}

// operation describes a route.
func operation(method, path, id, summary string) huma.Operation {
	return huma.Operation{Method: method, Path: path, OperationID: id, Summary: summary, MaxBodyBytes: 8 << 20}
}

// streaming gives the context of a request that never ends by itself.
func (s *Server) streaming(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	if s.streams == nil {
		return ctx, cancel
	}
	stop := context.AfterFunc(s.streams, cancel)
	return ctx, func() { stop(); cancel() }
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
