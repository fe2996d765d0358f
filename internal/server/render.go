package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/work"
)

func (s *Server) renderRoutes(api huma.API) {
	huma.Register(api, operation("POST", "/episodes/{episode}/renderings", "render-clips", "Render clips of the current version to a sound of the show"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body newRendering
		},
		) (*body[work.JobEvent], error) {
			return answer(s.render(ctx, in.Episode, in.Body))
		})
}

// newRendering is what is asked for when clips are to become a sound.
type newRendering struct {
	edit.Rendering
	Name  string `json:"name" maxLength:"1000"`
	Place bool   `json:"place" doc:"Put it on a new track, and silence the clips"`
}

func (s *Server) render(ctx context.Context, episode string, want newRendering) (work.JobEvent, error) {
	name, err := session.NewName(want.Name, "name")
	if err != nil {
		return work.JobEvent{}, err
	}
	doc, version, err := s.Store.KeepVersion(ctx, episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	if _, _, err := want.Alone(doc); err != nil { // it is known now that this cannot be done
		return work.JobEvent{}, err
	}
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	job, err := s.Worker.Submit(ctx, work.Rendering, e.Show, &episode, name, work.RenderArguments{Rendering: want.Rendering, Version: version, Name: name, Place: want.Place})
	return work.View(job), err
}
