package server

import (
	"encoding/json"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/credits"
	"ruvel/core/details"
	"ruvel/core/edit"
	"ruvel/core/review"
	"ruvel/core/revise"
	"ruvel/core/session"
	"ruvel/internal/backup"
	"ruvel/internal/hosts"
)

// example is a request that goes well: what its query says and what its body is.
type example struct {
	query map[string]any
	body  any
}

type fields = map[string]any

// anID stands in examples for the id of something that was made before.
const anID = "01890000-0000-7000-8000-000000000001"

// examples are one of each operation, by its id, where it needs more than an address. In an episode they are meant for the
// document of edit.Example.
func examples() map[string]example {
	aTreatment := session.Usual()
	aTreatment.Compressor.On = true
	return map[string]example{
		"set-comment":         {body: fields{"state": "shown"}},
		"rename-episode":      {body: fields{"title": "The Last Fog Signal", "number": 12}},
		"get-archive":         {query: fields{"files": true}},
		"compare-versions":    {query: fields{"of": "step:0"}},
		"revise-details":      {body: revise.Revision{"description": {Now: json.RawMessage(`"Two voices, one horn."`)}}},
		"edit":                {body: NewEdit{Base: 1, Op: Op{edit.Encode(edit.Examples()[0])}}},
		"find-evening":        {query: fields{"of": "tracks"}},
		"find-fits":           {query: fields{"clip": "c8", "until": 1_680_000}},
		"copy-fragment":       {body: fields{"clips": []string{"c7"}}},
		"get-handover":        {query: fields{"files": "mp3"}},
		"list-history":        {query: fields{"most": 20}},
		"get-levels":          {query: fields{"clip": "c7", "at": 48_000}},
		"listen":              {query: fields{"from": 0, "to": 96_000}},
		"add-mixdowns":        {body: fields{"files": []any{fields{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true, "to": 96_000}},
		"find-pauses":         {query: fields{"tracks": "t1"}},
		"publish":             {body: fields{"mixdown": anID}},
		"render-clips":        {body: fields{"clips": []string{"c7"}, "name": "Bed, rendered", "treatment": true, "lines": true, "place": false}},
		"change-script":       {body: fields{"base": 0, "text": "# Fog\n\nTwo long blasts.\n"}},
		"add-take":            {body: fields{"track": "t1", "begins": 0, "rate": 48_000, "channels": 1}},
		"get-course":          {query: fields{"count": 200}},
		"try-edit":            {query: fields{"op": string(edit.Encode(edit.AddMarker{Name: "Here"})), "to": 48_000}},
		"name-version":        {body: fields{"name": "For the editor"}},
		"follow-episodes":     {query: fields{"episode": anID}},
		"change-link":         {body: fields{"comments": true}},
		"read-markers":        {body: fields{"text": "name,start\nFog,0:12\n"}},
		"add-link":            {body: fields{"comments": true}},
		"send-mixdown":        {body: fields{"host": hosts.PracticeKey}},
		"get-peaks":           {query: fields{"of": edit.ExampleVoice + ":3:0:100"}},
		"search-shelf":        {query: fields{"words": "harbour"}},
		"add-show":            {body: fields{"name": "Harbour Hours"}},
		"rename-show":         {body: fields{"name": "Harbour Hours"}},
		"revise-show-details": {body: revise.Revision{"presenter": {Now: json.RawMessage(`"Ada Quill"`)}}},
		"add-episode":         {body: fields{"title": "The Last Fog Signal", "number": 12}},
		"revise-feed":         {body: revise.Revision{"description": {Now: json.RawMessage(`"Voices of a harbour."`)}}},
		"add-layout":          {body: fields{"name": "Feature"}},
		"revise-limits":       {body: revise.Revision{"apart": {Now: json.RawMessage(`4`)}}},
		"set-show-settings":   {body: backup.ShowSettings{Form: backup.ShowForm, Name: "Harbour Hours", Details: details.Details{Presenter: "Ada Quill"}, Targets: []session.OwnTarget{}, Limits: review.Usual()}},
		"take-piece":          {body: fields{"episode": anID}},
		"add-sound":           {query: fields{"file": "Keeper.wav", "part": "voice"}},
		"change-sound":        {body: fields{"author": "Ada Quill", "licence": credits.Licences()[0].Key}},
		"replace-sound":       {body: fields{"with": edit.ExampleOther}},
		"revise-show-targets": {body: revise.Revision{"Own": {Now: json.RawMessage(`{"name":"Own","integrated":-18,"tolerance":1,"truePeak":-1}`)}}},
		"keep-treatment":      {body: fields{"name": "Presenter", "treatment": aTreatment}},
		"get-sound-peaks":     {query: fields{"count": 100}},
		"finish-take":         {body: fields{"chunks": 1}},
		"use-take":            {body: fields{}},
		"sign-in":             {body: fields{"name": "keeper", "password": "fog horn at four"}},
		"look-at-invitation":  {body: fields{"link": "what-stands-behind-the-hash"}},
		"accept-invitation":   {body: fields{"link": "what-stands-behind-the-hash", "name": "Ada Quill", "signIn": "ada", "password": "four words of a harbour"}},
		"call-me":             {body: fields{"name": "Ada Quill"}},
		"change-password":     {body: fields{"old": "fog horn at four", "new": "two long blasts at six"}},
		"add-token":           {body: fields{"name": "Nightly copies", "looks": true}},
		"invite":              {body: fields{"role": "producer", "note": "The archivist"}},
		"set-role":            {body: fields{"role": "listener"}},
		"sign-in-outside":     {body: fields{}},
		"add-note":            {body: fields{"words": "The horn comes too early.", "begins": 48_000}},
		"change-note":         {body: fields{"settled": true}},
		"report-dropouts":     {body: fields{"times": 1}},
		"be-here":             {body: fields{"window": anID, "at": 48_000, "chosen": []string{"c7"}}},
	}
}

// exemplify puts the examples into a description: of requests, and of every kind of edit.
func exemplify(api *huma.OpenAPI) {
	all := examples()
	for _, path := range api.Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil {
				continue
			}
			of := all[op.OperationID]
			for _, p := range op.Parameters {
				if v, there := of.query[p.Name]; there && p.In == "query" {
					p.Example = v
				}
			}
			if op.RequestBody != nil && of.body != nil {
				for _, content := range op.RequestBody.Content {
					content.Example = of.body
				}
			}
		}
	}
	schemas := api.Components.Schemas.Map()
	for _, op := range edit.Examples() {
		s := schemas[reflect.TypeOf(op).Name()]
		s.Examples = append(s.Examples, edit.Encode(op))
	}
}
