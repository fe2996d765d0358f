package server

import (
	"context"
	"net/http"
	"regexp"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/google/uuid"

	"ruvel/internal/store"
	"ruvel/internal/watch"
)

// requestID is the header in which a request has its id, and its answer the same.
const requestID = "X-Request-Id"

var aRequestID = regexp.MustCompile(`^[A-Za-z0-9_.:-]{1,64}$`)

// traced gives each request an id, or leaves it the one that it was given in front; what is logged for it, also by the jobs that it begins,
// has that id.
func traced(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := r.Header.Get(requestID)
		if !aRequestID.MatchString(id) {
			id = uuid.NewString()
		}
		w.Header().Set(requestID, id)
		next.ServeHTTP(w, r.WithContext(store.ForRequest(r.Context(), id)))
	})
}

// counted counts requests by their operations. Streams, which last as long as somebody listens, are not among them.
func (s *Server) counted(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.Watch == nil {
			next.ServeHTTP(w, r)
			return
		}
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		begun := time.Now()
		next.ServeHTTP(ww, r)
		pattern := "none"
		if c := chi.RouteContext(r.Context()); c != nil && c.RoutePattern() != "" {
			pattern = c.RoutePattern()
		}
		if pattern != "/api/events" && pattern != "/api/episodes/{episode}/listen" {
			s.Watch.Request(r.Method+" "+pattern, ww.Status(), time.Since(begun))
		}
	})
}

// Figures are what can be read of a server at any moment.
func (s *Server) Figures(ctx context.Context) []watch.Figure {
	made, bytes := s.Plans.Computed()
	all := []watch.Figure{
		{Name: "ruvel_spans_computed_total", Help: "Spans of treated tracks that were computed; what is not is reused.", Counts: true, Value: float64(made)},
		{Name: "ruvel_spans_bytes", Help: "Memory of the spans that are kept.", Value: float64(bytes)},
	}
	h, err := s.wholeHealth(ctx)
	if err != nil {
		return all
	}
	return append(all, []watch.Figure{
		{Name: "ruvel_jobs_waiting", Help: "Jobs that wait.", Value: float64(h.Waiting)},
		{Name: "ruvel_jobs_running", Help: "Jobs that are being done.", Value: float64(h.Running)},
		{Name: "ruvel_listening_streams", Help: "Listening streams.", Value: float64(h.Listeners)},
		{Name: "ruvel_working_copies", Help: "Working copies that are being read.", Value: float64(h.Copies)},
		{Name: "ruvel_disk_free_bytes", Help: "What is free on the disk of the data folder.", Value: float64(h.Free)},
	}...)
}

// dropouts is what a player reports.
type dropouts struct {
	Times int `json:"times" minimum:"1" maximum:"100000" doc:"How often it had nothing to play"`
}

func (s *Server) watchRoutes(api huma.API) {
	route(s, api, operation("POST", "/episodes/{episode}/dropouts", "report-dropouts", "Say how often a player had nothing to play, for who watches over this Ruvel"),
		func(_ context.Context, in *struct {
			InEpisode
			Body dropouts
		},
		) (*empty, error) {
			s.Watch.Dropouts(in.Body.Times)
			return &empty{}, nil
		})
}
