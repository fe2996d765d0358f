package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/work"
)

// InJob is a route within a job.
type InJob struct {
	Job string `path:"job" format:"uuid" of:"job"`
}

func (s *Server) jobRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows/{show}/jobs", "list-jobs", "Jobs of a show that are not finished, and failures that have not been put away"),
		func(ctx context.Context, in *InShow) (*body[[]work.JobEvent], error) {
			rows, err := s.Store.Pending(ctx, in.Show)
			out := []work.JobEvent{}
			for _, r := range rows {
				out = append(out, work.View(r))
			}
			return answer(out, err)
		})
	route(s, api, operation("GET", "/jobs/{job}", "get-job", "How far a job has come"),
		func(ctx context.Context, in *InJob) (*body[work.JobEvent], error) {
			job, err := s.Store.Job(ctx, in.Job)
			return answer(work.View(job), err)
		})
	route(s, api, operation("POST", "/jobs/{job}/cancel", "cancel-job", "End a job; nothing of it remains"),
		func(ctx context.Context, in *InJob) (*empty, error) { return nothing(s.Worker.Cancel(ctx, in.Job)) })
	route(s, api, operation("POST", "/jobs/{job}/put-away", "put-job-away", "Take a failure off the list"),
		func(ctx context.Context, in *InJob) (*empty, error) { return nothing(s.Store.PutAway(ctx, in.Job)) })
	route(s, api, operation("POST", "/jobs/{job}/again", "begin-job-again", "Begin a job anew that was given up, because Ruvel had ended again and again while it was under way"),
		func(ctx context.Context, in *InJob) (*empty, error) { return nothing(s.Worker.Again(ctx, in.Job)) })
}
