package server_test

import (
	"bytes"
	"encoding/json"
	"os"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/edit"
	"ruvel/internal/server"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestThePublishedSchemaAcceptsEverySessionAndRefusesOthers(t *testing.T) {
	raw, err := os.ReadFile("../../docs/session.schema.json")
	require.NoError(t, err)
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("session.schema.json", document))
	schema, err := c.Compile("session.schema.json")
	require.NoError(t, err)
	library := testkit.NewLibrary()
	law.Check(t, func(rt *rapid.T) {
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader(library.Session(rt).JSON()))
		require.NoError(t, err)
		require.NoError(t, schema.Validate(v))
	})
	for _, text := range []string{`{}`, `{"format":"other","target":"","next":1,"sounds":{},"tracks":[],"markers":{}}`, `[]`} {
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader([]byte(text)))
		require.NoError(t, err)
		assert.Error(t, schema.Validate(v), text)
	}
}

func TestTheDescriptionOfTheAPINamesEveryEdit(t *testing.T) {
	api, _, err := server.Describe()
	require.NoError(t, err)
	var d struct {
		OpenAPI    string                     `json:"openapi"`
		Paths      map[string]json.RawMessage `json:"paths"`
		Components struct {
			Schemas map[string]json.RawMessage `json:"schemas"`
		} `json:"components"`
	}
	require.NoError(t, json.Unmarshal(api, &d))
	assert.Equal(t, "3.1.0", d.OpenAPI)
	assert.Contains(t, d.Paths, "/episodes/{episode}/edits")
	for _, op := range edit.Ops() {
		assert.Contains(t, string(api), `"`+edit.TypeOf(op)+`"`)
	}
	_, _, served := call(t, "GET", "/openapi.json", nil)
	assert.JSONEq(t, string(api), string(served))
}
