package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/edit"
)

// asked holds operations that come in against the schema of their own type, so that what is wrong is said of that one, with the
// field and what it takes.
type asked struct {
	registry huma.Registry
	byType   map[string]*huma.Schema
	types    []string
}

func newAsked(r huma.Registry) *asked {
	a := &asked{registry: r, byType: map[string]*huma.Schema{}}
	for _, op := range edit.Ops() {
		name := edit.TypeOf(op)
		a.byType[name] = r.Schema(reflect.TypeOf(op), true, "")
		a.types = append(a.types, name)
	}
	slices.Sort(a.types)
	return a
}

// check says what is wrong with an edit.
func (a *asked) check(e NewEdit) error {
	if len(e.Gesture) > longestGesture {
		return wrongEdit("gesture", fmt.Sprintf("A gesture is named by at most %d characters; this one has %d.", longestGesture, len(e.Gesture)))
	}
	if len(e.Op.RawMessage) == 0 {
		return wrongEdit("op", "The operation is missing: give op, with its type and its fields.")
	}
	var of any
	if err := json.Unmarshal(e.Op.RawMessage, &of); err != nil {
		return wrongEdit("op", "The operation is not valid JSON.")
	}
	fields, ok := of.(map[string]any)
	if !ok {
		return wrongEdit("op", "The operation is an object with its type and its fields.")
	}
	name, _ := fields["type"].(string)
	schema, known := a.byType[name]
	if !known {
		return wrongEdit("op.type", fmt.Sprintf("There is no operation %q. Those that there are: %s.", shorten(name), strings.Join(a.types, ", ")))
	}
	var found huma.ValidateResult
	huma.Validate(a.registry, schema, huma.NewPathBuffer([]byte("op"), 2), huma.ModeWriteToServer, of, &found)
	if len(found.Errors) == 0 {
		return nil
	}
	e2 := wrongEdit("op", "")
	e2.Errors = nil
	var said []string
	for i, err := range found.Errors {
		detail, ok := err.(*huma.ErrorDetail)
		if !ok || i >= mostWrong {
			continue
		}
		e2.Errors = append(e2.Errors, detail)
		where := strings.TrimPrefix(strings.TrimPrefix(detail.Location, "op"), ".")
		said = append(said, strings.TrimPrefix(where+": ", ": ")+detail.Message)
	}
	e2.Detail = fmt.Sprintf("The operation %q cannot be carried out as it is: %s.", name, strings.Join(said, "; "))
	return e2
}

const (
	longestGesture = 64
	// mostWrong is of how many fields it is said that they are wrong.
	mostWrong = 5
)

func wrongEdit(where, detail string) *apiError {
	e := newError(http.StatusUnprocessableEntity, detail, "bad-request")
	e.Errors = []*huma.ErrorDetail{{Message: detail, Location: "body." + where}}
	return e
}
