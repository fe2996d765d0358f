package server

import (
	"context"
	"mime"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/internal/handover"
	"ruvel/internal/media"
	"ruvel/internal/work"
)

// Begun is what has been begun.
type Begun struct {
	Jobs []work.JobEvent `json:"jobs" nullable:"false" doc:"One for each file"`
}

// Copied is where a file has been copied to.
type Copied struct {
	Name string `json:"name" doc:"Of the file in the folder"`
}

// InMixdown is a route within a mixdown.
type InMixdown struct {
	Mixdown string `path:"mixdown" format:"uuid" of:"mixdown"`
}

func (s *Server) mixdownRoutes(api huma.API) {
	route(s, api, operation("GET", "/formats", "list-formats", "The file formats in the order they are offered"),
		func(context.Context, *empty) (*body[[]media.Format], error) {
			out := media.Formats()
			for i := range out {
				if out[i].Qualities == nil {
					out[i].Qualities = []media.Quality{}
				}
			}
			return answer(out, nil)
		})
	route(s, api, operation("GET", "/episodes/{episode}/mixdowns", "list-mixdowns", "List the finished files of an episode, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]handover.Mixdown], error) {
			return answer(s.Handover.Mixdowns(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/episodes/{episode}/mixdowns", "add-mixdowns", "Make finished files of the current version. If the check has found something that must be mended, that is said instead, unless it is overruled"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body handover.NewMixdowns
		},
		) (*body[Begun], error) {
			jobs, err := s.Handover.MixDown(ctx, in.Episode, in.Body)
			out := Begun{Jobs: []work.JobEvent{}}
			for _, job := range jobs {
				out.Jobs = append(out.Jobs, work.View(job))
			}
			return answer(out, err)
		})
	route(s, api, operation("DELETE", "/mixdowns/{mixdown}", "remove-mixdown", "Remove a finished file"),
		func(ctx context.Context, in *InMixdown) (*empty, error) {
			return nothing(s.Handover.Remove(ctx, in.Mixdown))
		})
	route(s, api, operation("GET", "/mixdowns/{mixdown}/file", "get-mixdown-file", "The finished file, for playing or, with download, for keeping"), s.mixdownFile)
	route(s, api, operation("GET", "/mixdowns/{mixdown}/since", "get-changes-since", "What has changed in the session since a file was made from it"),
		func(ctx context.Context, in *InMixdown) (*body[handover.Since], error) {
			return answer(s.Handover.Since(ctx, in.Mixdown))
		})
	route(s, api, operation("POST", "/mixdowns/{mixdown}/reopen", "reopen-session", "Bring the episode back to the session that a file was made from, as a step that can be undone"),
		func(ctx context.Context, in *InMixdown) (*body[work.ChangeEvent], error) {
			return answer(s.Handover.Reopen(ctx, in.Mixdown))
		})
	route(s, api, operation("POST", "/mixdowns/{mixdown}/sound", "take-mixdown-in", "Put a finished file among the sounds of its show"),
		func(ctx context.Context, in *InMixdown) (*body[work.JobEvent], error) {
			job, err := s.Handover.TakeIn(ctx, in.Mixdown)
			return answer(work.View(job), err)
		})
	route(s, api, operation("POST", "/mixdowns/{mixdown}/copy", "copy-mixdown", "Copy a finished file to the folder that whoever runs Ruvel has named. What is there stays"),
		func(ctx context.Context, in *InMixdown) (*body[Copied], error) {
			name, err := s.Handover.Copy(ctx, in.Mixdown)
			return answer(Copied{name}, err)
		})
}

func (s *Server) mixdownFile(ctx context.Context, in *struct {
	InMixdown
	Download bool `query:"download"`
},
) (*huma.StreamResponse, error) {
	m, r, err := s.Handover.Open(ctx, in.Mixdown)
	if err != nil {
		return nil, fail(err)
	}
	format, _ := media.FindFormat(m.Format)
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		defer r.Close()
		req, w := humachi.Unwrap(hctx)
		w.Header().Set("Content-Type", format.Type)
		if in.Download {
			w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": m.File}))
		}
		served(w, req, m.Created, r)
	}}, nil
}
