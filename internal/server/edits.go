package server

import (
	"context"
	"encoding/json"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/internal/episodes"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// NewEdit is an operation on a version.
type NewEdit struct {
	Base    int64  `json:"base" doc:"The version that the operation is meant for"`
	Gesture string `json:"gesture,omitempty" maxLength:"64" doc:"Edits of one gesture, such as a drag, share a step of the history"`
	Again   bool   `json:"again,omitempty" doc:"This edit, alone of its gesture, may have arrived before without its answer coming through: if so, it is not done twice, and the answer is the current version without a patch"`
	Op      Op     `json:"op"`
}

// Op is the JSON form of an operation.
type Op struct{ json.RawMessage }

// Schema describes an operation as one of all there are, told apart by their type.
func (Op) Schema(r huma.Registry) *huma.Schema {
	s := &huma.Schema{Description: "One operation, by its type"}
	for _, op := range edit.Ops() {
		ref := r.Schema(reflect.TypeOf(op), true, "")
		full := r.SchemaFromRef(ref.Ref)
		full.Properties["type"].Enum = []any{edit.TypeOf(op)}
		s.OneOf = append(s.OneOf, ref)
	}
	return s
}

// inHistory is a step through the history of an episode.
type inHistory struct {
	InEpisode
	Base int64 `query:"base" minimum:"0" doc:"The version that it is meant for; left out: whichever there is"`
}

// inUndo is the step back, which can be meant for one gesture.
type inUndo struct {
	InEpisode
	Base    int64  `query:"base" minimum:"0" doc:"The version that it is meant for; left out: whichever there is"`
	Gesture string `query:"gesture" maxLength:"100" doc:"Only if the last step is one of this gesture, and as if it had never been begun"`
}

func (s *Server) editRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}", "get-desk", "An episode with its document"),
		func(ctx context.Context, in *InEpisode) (*body[episodes.Desk], error) {
			return answer(s.Episodes.Desk(ctx, in.Episode))
		})
	editing := operation("POST", "/episodes/{episode}/edits", "edit", "Carry out an operation on the document")
	editing.SkipValidateBody = true // which would say of a wrong field that it matches none of some fifty schemas
	asked := newAsked(api.OpenAPI().Components.Schemas)
	route(s, api, editing,
		func(ctx context.Context, in *struct {
			InEpisode
			Body NewEdit
		},
		) (*body[work.ChangeEvent], error) {
			if err := asked.check(in.Body); err != nil {
				return nil, err
			}
			op, err := edit.Decode(in.Body.Op.RawMessage)
			if err != nil {
				return nil, fail(err)
			}
			if err := s.Access.Bring(ctx, op); err != nil {
				return nil, fail(err)
			}
			carryOut := s.Store.Edit
			if in.Body.Again && in.Body.Gesture != "" {
				carryOut = s.Store.EditAgain
			}
			c, err := carryOut(ctx, in.Episode, in.Body.Base, in.Body.Gesture, op)
			return s.changed(in.Episode, c, err)
		})
	route(s, api, operation("POST", "/episodes/{episode}/undo", "undo", "Take the last step back"),
		func(ctx context.Context, in *inUndo) (*body[work.ChangeEvent], error) {
			if in.Gesture != "" {
				c, err := s.Store.TakeBack(ctx, in.Episode, in.Base, in.Gesture)
				return s.changed(in.Episode, c, err)
			}
			c, err := s.Store.Undo(ctx, in.Episode, in.Base)
			return s.changed(in.Episode, c, err)
		})
	route(s, api, operation("POST", "/episodes/{episode}/redo", "redo", "Carry the step that was undone last out again"),
		func(ctx context.Context, in *inHistory) (*body[work.ChangeEvent], error) {
			c, err := s.Store.Redo(ctx, in.Episode, in.Base)
			return s.changed(in.Episode, c, err)
		})
	route(s, api, operation("GET", "/episodes/{episode}/levels", "get-levels", "What acts on the level of a clip at a moment"),
		func(ctx context.Context, in *struct {
			InEpisode
			Clip string       `query:"clip" required:"true"`
			At   audio.Frames `query:"at" minimum:"0"`
		},
		) (*body[mix.Levels], error) {
			return answer(s.Arrange.Levels(ctx, in.Episode, in.Clip, in.At))
		})
}

func (s *Server) changed(episode string, c store.Change, err error) (*body[work.ChangeEvent], error) {
	if err != nil {
		return nil, fail(err)
	}
	return &body[work.ChangeEvent]{s.Queue.Changed(episode, c)}, nil
}
