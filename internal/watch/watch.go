// Package watch counts what those who run a Ruvel want to see of it, in the text form of Prometheus: requests and how long they took, edits,
// jobs, listening and what of it came too late, sign-ins that were wrong, spans of the mix that were computed, memory and disk.
package watch

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Watch counts. It is safe for use by many goroutines; nil counts nothing.
type Watch struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	jobs     *prometheus.HistogramVec
	parts    prometheus.Counter
	dropouts prometheus.Counter
	wrong    prometheus.Counter
}

// Figure is something that can be read at any moment.
type Figure struct {
	Name, Help string
	Counts     bool // it only ever grows
	Value      float64
}

// New is one that reads some figures each time it is asked; what cannot be read just now is left out.
func New(figures func(ctx context.Context) []Figure) *Watch {
	w := &Watch{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "ruvel_request_seconds", Help: "How long requests took until their answer began to be sent whole, by operation and status.",
			Buckets: []float64{.001, .0025, .005, .01, .02, .03, .05, .1, .25, .5, 1, 2.5, 5, 10},
		}, []string{"operation", "status"}),
		jobs: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "ruvel_job_seconds", Help: "How long jobs took from when they were asked for, by kind and how they ended.", Buckets: prometheus.ExponentialBuckets(.1, 2.5, 10),
		}, []string{"kind", "state"}),
		parts:    prometheus.NewCounter(prometheus.CounterOpts{Name: "ruvel_parts_total", Help: "Parts of jobs that were made here, of jobs that several processes make together."}),
		dropouts: prometheus.NewCounter(prometheus.CounterOpts{Name: "ruvel_dropouts_total", Help: "Moments at which a player had nothing to play, as players report them."}),
		wrong:    prometheus.NewCounter(prometheus.CounterOpts{Name: "ruvel_sign_ins_refused_total", Help: "Sign-ins that were refused."}),
	}
	w.registry.MustRegister(w.requests, w.jobs, w.parts, w.dropouts, w.wrong, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), reading(figures))
	return w
}

// Request counts one that was answered.
func (w *Watch) Request(operation string, status int, took time.Duration) {
	if w != nil {
		w.requests.WithLabelValues(operation, strconv.Itoa(status)).Observe(took.Seconds())
	}
}

// Job counts one that has ended.
func (w *Watch) Job(kind, state string, took time.Duration) {
	if w != nil {
		w.jobs.WithLabelValues(kind, state).Observe(took.Seconds())
	}
}

// Part counts a part of a job that was made here.
func (w *Watch) Part() {
	if w != nil {
		w.parts.Inc()
	}
}

// Dropouts counts what a player reports.
func (w *Watch) Dropouts(n int) {
	if w != nil {
		w.dropouts.Add(float64(n))
	}
}

// Refused counts a sign-in that was.
func (w *Watch) Refused() {
	if w != nil {
		w.wrong.Inc()
	}
}

// Gatherer gives all of it.
func (w *Watch) Gatherer() prometheus.Gatherer { return w.registry }

// Handler answers with all of it.
func (w *Watch) Handler() http.Handler {
	return promhttp.HandlerFor(w.registry, promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError})
}

// reading collects figures.
type reading func(ctx context.Context) []Figure

// patience is how long they may take.
const patience = 2 * time.Second

// Describe says nothing: which there are is found by collecting.
func (r reading) Describe(chan<- *prometheus.Desc) {}

// Collect reads them.
func (r reading) Collect(out chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	for _, f := range r(ctx) {
		kind := prometheus.GaugeValue
		if f.Counts {
			kind = prometheus.CounterValue
		}
		out <- prometheus.MustNewConstMetric(prometheus.NewDesc(f.Name, f.Help, nil, nil), kind, f.Value)
	}
}
