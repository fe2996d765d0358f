package server

import (
	"context"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"ruvel/internal/access"
	"ruvel/internal/store"
)

// atDoor is under what an operation keeps which of its fields name things of shows, for whoever lists the routes.
const atDoor = "door"

// route adds a route to an API whose requests go through the door before anything else: what of its input has a tag of:"kind" names a
// thing of a show, and with of:"kind,gone" one that may have been removed. Which right is needed stands in rights. do is what is done then.
func route[I, O any](s *Server, api huma.API, op huma.Operation, do func(context.Context, *I) (*O, error)) {
	names := namesIn(reflect.TypeFor[I](), nil)
	huma.Register(api, through(op, names), func(ctx context.Context, in *I) (*O, error) {
		if err := s.Access.Enter(ctx, rightFor(op.OperationID), thingsIn(names, reflect.ValueOf(in).Elem())...); err != nil {
			return nil, fail(err)
		}
		return do(ctx, in)
	})
}

// through notes on an operation what it asks the door for.
func through(op huma.Operation, names []name) huma.Operation {
	op.Metadata = map[string]any{atDoor: names}
	op.Extensions = map[string]any{"x-needs": rightFor(op.OperationID)}
	return op
}

// name is a field that names a thing, or several.
type name struct {
	at    []int // the way to it, by fields
	thing store.Thing
	gone  bool
}

// namesIn finds those of a type, whose fields may lie within others. What is optional is a string that may be empty.
func namesIn(t reflect.Type, at []int) (out []name) {
	if t.Kind() != reflect.Struct {
		return nil
	}
	for i := range t.NumField() {
		f, way := t.Field(i), append(at[:len(at):len(at)], i)
		tag, is := f.Tag.Lookup("of")
		if !is {
			out = append(out, namesIn(f.Type, way)...)
			continue
		}
		thing, gone, _ := strings.Cut(tag, ",")
		out = append(out, name{way, store.Thing(thing), gone == "gone"})
	}
	return out
}

// thingsIn are the things that an input names.
func thingsIn(names []name, in reflect.Value) (out []access.Named) {
	for _, n := range names {
		field := in.FieldByIndex(n.at)
		if field.Kind() == reflect.String {
			out = append(out, access.Named{Thing: n.thing, ID: field.String(), Gone: n.gone})
			continue
		}
		for i := range field.Len() {
			out = append(out, access.Named{Thing: n.thing, ID: field.Index(i).String(), Gone: n.gone})
		}
	}
	return out
}

// Guarded are the kinds of things that each operation asks the door for, by its id. One that does not go through it is not among them.
func Guarded() map[string][]string {
	s := &Server{}
	api := humachi.New(chi.NewRouter(), Config())
	s.register(api)
	out := map[string][]string{}
	for _, path := range api.OpenAPI().Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil {
				continue
			}
			if names, guarded := op.Metadata[atDoor].([]name); guarded {
				out[op.OperationID] = []string{}
				for _, n := range names {
					out[op.OperationID] = append(out[op.OperationID], string(n.thing))
				}
			}
		}
	}
	return out
}
