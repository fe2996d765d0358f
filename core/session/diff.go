package session

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// Change is one operation of a JSON Patch (RFC 6902).
type Change struct {
	Op    string // add, remove or replace
	Path  string // a JSON Pointer (RFC 6901)
	Value any    // nil with remove
}

// MarshalJSON writes a value, be it 0 or false, unless the operation has none.
func (c Change) MarshalJSON() ([]byte, error) {
	if c.Op == "remove" {
		return json.Marshal(map[string]any{"op": c.Op, "path": c.Path})
	}
	return json.Marshal(map[string]any{"op": c.Op, "path": c.Path, "value": c.Value})
}

// Diff is the JSON Patch that makes b of a. It knows the document, so it is much
// quicker than comparing two texts: only what differs is written as JSON.
func Diff(a, b Document) []Change {
	a, b = a.Clone(), b.Clone()
	out := append([]Change{}, tracks(a.Tracks, b.Tracks)...) // an empty patch is [], not null
	a.Tracks, b.Tracks = nil, nil
	return append(out, structs("", reflect.ValueOf(a), reflect.ValueOf(b))...)
}

// tracks compares the order first: one track more, one less, or everything anew.
func tracks(a, b []Track) []Change {
	id := func(t Track) string { return t.ID }
	one, two := names(a, id), names(b, id)
	switch {
	case slices.Equal(one, two):
		var out []Change
		for i := range a {
			out = append(out, structs(fmt.Sprintf("/tracks/%d", i), reflect.ValueOf(a[i]), reflect.ValueOf(b[i]))...)
		}
		return out
	case len(two) == len(one)+1:
		at := firstDifference(one, two)
		if slices.Equal(one, slices.Delete(slices.Clone(two), at, at+1)) {
			return append([]Change{{"add", fmt.Sprintf("/tracks/%d", at), b[at]}}, tracks(slices.Insert(slices.Clone(a), at, b[at]), b)...)
		}
	case len(two) == len(one)-1:
		at := firstDifference(one, two)
		if slices.Equal(two, slices.Delete(slices.Clone(one), at, at+1)) {
			return append([]Change{{Op: "remove", Path: fmt.Sprintf("/tracks/%d", at)}}, tracks(slices.Delete(slices.Clone(a), at, at+1), b)...)
		}
	}
	return []Change{{"replace", "/tracks", b}}
}

func names[T any](all []T, name func(T) string) (out []string) {
	for _, v := range all {
		out = append(out, name(v))
	}
	return out
}

func firstDifference(a, b []string) int {
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			return i
		}
	}
	return min(len(a), len(b))
}

// structs compares two values of one struct type, field by field under their JSON names.
func structs(path string, a, b reflect.Value) (out []Change) {
	for i := range a.NumField() {
		tag := strings.Split(a.Type().Field(i).Tag.Get("json"), ",")
		out = append(out, values(path+"/"+tag[0], a.Field(i), b.Field(i), slices.Contains(tag, "omitempty"))...)
	}
	return out
}

func values(path string, a, b reflect.Value, mayBeLeftOut bool) []Change {
	switch a.Kind() {
	case reflect.Struct:
		return structs(path, a, b)
	case reflect.Map:
		return entries(path, a, b)
	}
	switch {
	case reflect.DeepEqual(a.Interface(), b.Interface()):
		return nil
	case mayBeLeftOut && b.IsZero():
		return []Change{{Op: "remove", Path: path}}
	case mayBeLeftOut && a.IsZero():
		return []Change{{"add", path, b.Interface()}}
	}
	return []Change{{"replace", path, b.Interface()}}
}

// entries compares two maps from names to structs. The names are ids, which need no escaping in a path.
func entries(path string, a, b reflect.Value) (out []Change) {
	keys := append(a.MapKeys(), b.MapKeys()...)
	slices.SortFunc(keys, func(x, y reflect.Value) int { return strings.Compare(x.String(), y.String()) })
	keys = slices.CompactFunc(keys, func(x, y reflect.Value) bool { return x.String() == y.String() })
	for _, k := range keys {
		at := path + "/" + k.String()
		before, after := a.MapIndex(k), b.MapIndex(k)
		switch {
		case !after.IsValid():
			out = append(out, Change{Op: "remove", Path: at})
		case !before.IsValid():
			out = append(out, Change{"add", at, after.Interface()})
		case !reflect.DeepEqual(before.Interface(), after.Interface()):
			out = append(out, structs(at, before, after)...)
		}
	}
	return out
}
