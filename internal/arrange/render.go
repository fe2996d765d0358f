package arrange

import (
	"context"

	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/work"
)

// NewRendering is what is asked for when clips are to become a sound.
type NewRendering struct {
	edit.Rendering
	Name  string `json:"name" maxLength:"1000"`
	Place bool   `json:"place" doc:"Put it on a new track, and silence the clips"`
}

// Render has clips of the current version of an episode rendered to a sound of its show.
func (a *Arranger) Render(ctx context.Context, episode string, want NewRendering) (work.JobEvent, error) {
	name, err := session.NewName(want.Name, "name")
	if err != nil {
		return work.JobEvent{}, err
	}
	doc, version, err := a.Store.KeepVersion(ctx, episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	if _, _, err := want.Alone(doc); err != nil { // it is known now that this cannot be done
		return work.JobEvent{}, err
	}
	e, err := a.Store.Episode(ctx, episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	job, err := a.Worker.Submit(ctx, work.Rendering, e.Show, &episode, name, work.RenderArguments{Rendering: want.Rendering, Version: version, Name: name, Place: want.Place})
	return work.View(job), err
}
