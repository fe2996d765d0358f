package server

import (
	"bytes"
	"encoding/json"
	"reflect"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"ruvel/core/session"
)

// Describe gives the API's OpenAPI 3.1 description and the session document's JSON
// Schema (2020-12), both as indented JSON.
func Describe() (api, schema []byte, err error) {
	s := &Server{}
	r := chi.NewRouter()
	described := humachi.New(r, Config())
	s.register(described)
	if api, err = indented(described.OpenAPI()); err != nil {
		return nil, nil, err
	}
	registry := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	root := registry.Schema(reflect.TypeFor[session.Document](), true, "Document")
	schema, err = indented(map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title":   "Ruvel session, form " + session.Format,
		"$ref":    root.Ref,
		"$defs":   registry.Map(),
	})
	return api, schema, err
}

func indented(v any) ([]byte, error) {
	data, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = json.Indent(&out, data, "", "  ")
	out.WriteByte('\n')
	return out.Bytes(), err
}
