package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/notes"
)

// InNote is a route within a note.
type InNote struct {
	Note string `path:"note" format:"uuid" of:"note"`
}

func (s *Server) noteRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/notes", "list-notes", "What is noted at places of an episode, by place, with its answers"),
		func(ctx context.Context, in *InEpisode) (*body[[]notes.Note], error) {
			return answer(s.Notes.List(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/episodes/{episode}/notes", "add-note", "Note something at a place or a stretch, or answer a note. It is for those who work on the episode, and never in a finished file"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body notes.NewNote
		},
		) (*body[notes.Note], error) {
			return answer(s.Notes.Add(ctx, in.Episode, in.Body))
		})
	route(s, api, operation("PATCH", "/notes/{note}", "change-note", "Change what a note says, or settle it. What is left out stays"),
		func(ctx context.Context, in *struct {
			InNote
			Body notes.ChangedNote
		},
		) (*body[notes.Note], error) {
			return answer(s.Notes.Change(ctx, in.Note, in.Body))
		})
	route(s, api, operation("DELETE", "/notes/{note}", "remove-note", "Remove a note with its answers"),
		func(ctx context.Context, in *InNote) (*empty, error) { return nothing(s.Notes.Remove(ctx, in.Note)) })
}
