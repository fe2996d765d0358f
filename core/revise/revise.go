// Package revise changes an object of plain fields, such as what is said of an episode, without losing what somebody
// else has written meanwhile: a change names single fields and what each of them said when it was read. What stands
// there by now and is neither that nor what is wanted is not overwritten; it is given back, so that both can be seen.
package revise

import (
	"bytes"
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"

	"ruvel/core/problem"
)

// Field is what becomes of one.
type Field struct {
	Was json.RawMessage `json:"was,omitempty" doc:"What it said when it was read; left out: whatever it says"`
	Now json.RawMessage `json:"now" doc:"What it is to say; null: nothing"`
}

// Revision is what becomes of an object, by the JSON names of its fields.
type Revision map[string]Field

// Stale says that fields do not say any more what whoever wants to change them has read.
type Stale struct {
	There map[string]json.RawMessage // what they say, by their names
}

func (s Stale) Error() string {
	names := slices.Sorted(maps.Keys(s.There))
	return "This was changed elsewhere meanwhile: " + strings.Join(names, ", ") + ". Look at both and choose."
}

// Apply gives an object, a struct or a map with JSON fields, after some changes; a field that is empty and one that is
// not there are the same. If any of its fields is stale nothing is changed, and the error is a Stale; a field that the
// object does not have, or a value that does not fit, is a problem.Problem.
func Apply[T any](object T, changes Revision) (T, error) {
	var none T
	data, err := json.Marshal(object)
	if err != nil {
		return none, err
	}
	fields := map[string]json.RawMessage{}
	if err := json.Unmarshal(data, &fields); err != nil {
		return none, err
	}
	stale := map[string]json.RawMessage{}
	for _, name := range slices.Sorted(maps.Keys(changes)) {
		if !known[T](name) {
			return none, problem.New("unknown-field", name, "There is no “%s” that could be changed.", name)
		}
		c, there := changes[name], fields[name]
		if len(c.Was) > 0 && !same(c.Was, there) && !same(c.Now, there) {
			stale[name] = there
			if there == nil {
				stale[name] = json.RawMessage("null")
			}
			continue
		}
		delete(fields, name)
		if string(bytes.TrimSpace(c.Now)) == "null" || len(c.Now) == 0 {
			continue
		}
		var one T
		if err := json.Unmarshal(objectOf(name, c.Now), &one); err != nil {
			return none, problem.New("bad-value", name, "This cannot be said of %s.", name)
		}
		fields[name] = c.Now
	}
	if len(stale) > 0 {
		return none, Stale{stale}
	}
	if data, err = json.Marshal(fields); err != nil {
		return none, err
	}
	var out T
	return out, json.Unmarshal(data, &out)
}

// objectOf is a JSON object with one field.
func objectOf(name string, value json.RawMessage) []byte {
	key, _ := json.Marshal(name) // a string can always be written
	return slices.Concat([]byte("{"), key, []byte(":"), value, []byte("}"))
}

// known says whether an object has a field of a name; a map has them all.
func known[T any](name string) bool {
	t := reflect.TypeFor[T]()
	return t.Kind() != reflect.Struct || has(t, name)
}

func has(t reflect.Type, name string) bool {
	for i := range t.NumField() {
		f := t.Field(i)
		tag, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.Anonymous && tag == "" {
			if f.Type.Kind() == reflect.Struct && has(f.Type, name) {
				return true
			}
		} else if f.IsExported() && tag == name && tag != "-" {
			return true
		}
	}
	return false
}

// same says whether two values are alike; nothing, null and all that is empty are.
func same(a, b json.RawMessage) bool {
	x, okX := read(a)
	y, okY := read(b)
	return okX && okY && reflect.DeepEqual(x, y)
}

func read(data json.RawMessage) (any, bool) {
	if len(data) == 0 {
		return nil, true
	}
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		return nil, false
	}
	switch v := v.(type) {
	case string:
		if v == "" {
			return nil, true
		}
	case float64:
		if v == 0 {
			return nil, true
		}
	case bool:
		if !v {
			return nil, true
		}
	case []any:
		if len(v) == 0 {
			return nil, true
		}
	case map[string]any:
		if len(v) == 0 {
			return nil, true
		}
	}
	return v, true
}
