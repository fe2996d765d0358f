package session

import (
	"encoding/json"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// Change is one operation of a JSON Patch (RFC 6902).
type Change struct {
	Op    string // add, remove, replace or move
	Path  string // a JSON Pointer (RFC 6901)
	From  string // with move: where it stands before
	Value any    // with add and replace
}

// MarshalJSON writes the fields that the operation has: a value, be it 0 or false, with add and replace alone.
func (c Change) MarshalJSON() ([]byte, error) {
	out := map[string]any{"op": c.Op, "path": c.Path}
	switch c.Op {
	case "move":
		out["from"] = c.From
	case "add", "replace":
		out["value"] = c.Value
	}
	return json.Marshal(out)
}

// Diff is the JSON Patch that makes b of a. It knows the document's types, so it is
// much quicker than comparing two texts: only what differs is written as JSON. Lists
// are compared by their common beginning and end, and a track that has changed its
// place is moved, so that a patch is as small as the change.
func Diff(a, b Document) []Change {
	d := differ{out: []Change{}} // an empty patch is [], not null
	d.values("", documentShape, reflect.ValueOf(&a).Elem(), reflect.ValueOf(&b).Elem())
	return d.out
}

// documentShape is how documents are written. What Diff could not handle is found when the program starts.
var documentShape = must(shapeOf(reflect.TypeFor[Document]()))

// differ collects the changes between two values of one type.
type differ struct{ out []Change }

func (d *differ) add(op, path string, value reflect.Value) {
	c := Change{Op: op, Path: path}
	if value.IsValid() {
		c.Value = tidied(value).Interface()
	}
	d.out = append(d.out, c)
}

// values compares two values that are both written.
func (d *differ) values(path string, s *shape, a, b reflect.Value) {
	if same(a, b) {
		return
	}
	switch s.kind {
	case reflect.Struct:
		d.fields(path, s, a, b)
	case reflect.Map:
		d.entries(path, s, a, b)
	case reflect.Slice:
		if s.elem.id >= 0 {
			d.named(path, s.elem, a, b)
		} else {
			d.list(path, a, b)
		}
	default:
		d.add("replace", path, b)
	}
}

func (d *differ) fields(path string, s *shape, a, b reflect.Value) {
	for _, f := range s.fields {
		x, y := a.Field(f.index), b.Field(f.index)
		at := path + "/" + escaped(f.name)
		switch before, after := f.written(x), f.written(y); {
		case before && after:
			d.values(at, f.shape, x, y)
		case after:
			d.add("add", at, y)
		case before:
			d.add("remove", at, reflect.Value{})
		}
	}
}

// entries compares two maps, in the order of their keys.
func (d *differ) entries(path string, s *shape, a, b reflect.Value) {
	keys := append(a.MapKeys(), b.MapKeys()...)
	slices.SortFunc(keys, func(x, y reflect.Value) int { return strings.Compare(x.String(), y.String()) })
	keys = slices.CompactFunc(keys, func(x, y reflect.Value) bool { return x.String() == y.String() })
	for _, k := range keys {
		at := path + "/" + escaped(k.String())
		switch before, after := a.MapIndex(k), b.MapIndex(k); {
		case !after.IsValid():
			d.add("remove", at, reflect.Value{})
		case !before.IsValid():
			d.add("add", at, after)
		default:
			d.values(at, s.elem, before, after)
		}
	}
}

// list compares two lists whose elements have no names: what lies between their common
// beginning and end is replaced one by one, then added or removed. Where that is most
// of a list, the list is replaced.
func (d *differ) list(path string, a, b reflect.Value) {
	first, n, m := 0, a.Len(), b.Len()
	for first < min(n, m) && same(a.Index(first), b.Index(first)) {
		first++
	}
	for n > first && m > first && same(a.Index(n-1), b.Index(m-1)) {
		n, m = n-1, m-1
	}
	if 2*max(n-first, m-first) > b.Len() && b.Len() > 1 {
		d.add("replace", path, b)
		return
	}
	for i := first; i < min(n, m); i++ {
		d.add("replace", place(path, i), b.Index(i))
	}
	for i := n - 1; i >= m; i-- {
		d.add("remove", place(path, i), reflect.Value{})
	}
	for i := n; i < m; i++ {
		d.add("add", place(path, i), b.Index(i))
	}
}

// named compares two lists whose elements have ids: those that are gone are removed, the
// others moved to their order, new ones added, and then each is compared.
func (d *differ) named(path string, s *shape, a, b reflect.Value) {
	before, now := byID(s, a)
	after, order := byID(s, b)
	for i := len(now) - 1; i >= 0; i-- {
		if _, stays := after[now[i]]; !stays {
			d.add("remove", place(path, i), reflect.Value{})
			now = slices.Delete(now, i, i+1)
		}
	}
	staying := slices.DeleteFunc(slices.Clone(order), func(id string) bool { _, there := before[id]; return !there })
	for i := range staying {
		for now[i] != staying[i] {
			from, to := slices.Index(now, staying[i]), i
			if from == i+1 { // it did not move: the one before it left its place
				from, to = i, slices.Index(staying, now[i])
			}
			d.out = append(d.out, Change{Op: "move", From: place(path, from), Path: place(path, to)})
			id := now[from]
			now = slices.Insert(slices.Delete(now, from, from+1), to, id)
		}
	}
	for i, id := range order {
		if old, there := before[id]; there {
			d.values(place(path, i), s, old, after[id])
		} else {
			d.add("add", place(path, i), after[id])
		}
	}
}

// byID gives the elements of a list by their ids, and the ids in order.
func byID(s *shape, list reflect.Value) (elements map[string]reflect.Value, ids []string) {
	elements = map[string]reflect.Value{}
	for i := range list.Len() {
		e := list.Index(i)
		id := e.Field(s.id).String()
		elements[id], ids = e, append(ids, id)
	}
	return elements, ids
}

func place(path string, index int) string { return path + "/" + strconv.Itoa(index) }

// escaped writes a key as a part of a JSON Pointer (RFC 6901, section 3).
func escaped(key string) string {
	return strings.ReplaceAll(strings.ReplaceAll(key, "~", "~0"), "/", "~1")
}
