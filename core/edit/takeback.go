package edit

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"

	"ruvel/core/problem"
	"ruvel/core/session"
)

// TakeBack gives a document without what one step before has changed: before and after are the documents that it led between, now is where
// later steps have led since. Of what that step changed, everything is put back as it was; what it did not touch stays as it is now. Where a
// later step has changed the same thing, or would be left without what it needs, the problem needed-later says what of. Things are the same by
// their ids, points of a level line by their time.
func TakeBack(before, after, now session.Document) (session.Document, error) {
	if bytes.Equal(after.JSON(), now.JSON()) {
		return before, nil
	}
	t := taking{}
	b, a, n := tree(before), tree(after), tree(now)
	for _, of := range []map[string]any{b, a, n} { // which follow from the rest
		delete(of, "sounds")
		delete(of, "next")
	}
	out := t.fields(b, a, n, "")
	if t.needed != "" {
		return now, needed(t.needed)
	}
	data, err := json.Marshal(out)
	if err != nil {
		return now, err
	}
	d := &draft{}
	if err := json.Unmarshal(data, &d.Document); err != nil {
		return now, err
	}
	d.Next = max(before.Next, now.Next)
	d.Sounds = maps.Clone(before.Sounds)
	maps.Copy(d.Sounds, now.Sounds)
	d.clips, d.points = now.Size()
	d.forgetUnusedSounds()
	d.Settle()
	if err := d.Validate(); err != nil {
		return now, needed(somethingOfIt)
	}
	if err := d.settleOverlaps(now); err != nil {
		return now, needed(somethingOfIt)
	}
	return d.Document, nil
}

// somethingOfIt is said of what has no name.
const somethingOfIt = "something of it"

func needed(what string) error {
	return problem.New("needed-later", "history", "A later step has changed %s, or builds on it. Take that step back first, or change by hand what is to be different.", what)
}

// tree is a document as JSON has it.
func tree(d session.Document) (out map[string]any) {
	read := json.NewDecoder(bytes.NewReader(d.JSON()))
	read.UseNumber()
	if err := read.Decode(&out); err != nil {
		panic(fmt.Sprintf("edit: a document that was written could not be read: %v", err)) // it is of ours
	}
	return out
}

// taking brings what a step changed back, value by value.
type taking struct{ needed string } // what of the first thing is that a later step needs, as people call it

// value is what becomes of a value that was one thing before a step, another after it, and is a third now; nil is none.
func (t *taking) value(before, after, now any, of string) any {
	switch {
	case reflect.DeepEqual(before, after):
		return now
	case reflect.DeepEqual(after, now):
		return before
	case reflect.DeepEqual(before, now):
		return now // it was put back by hand
	}
	b, object := before.(map[string]any)
	a, both := after.(map[string]any)
	n, all := now.(map[string]any)
	if object && both && all {
		return t.fields(b, a, n, of)
	}
	bl, list := before.([]any)
	al, lists := after.([]any)
	nl, three := now.([]any)
	if list && lists && three {
		if key := keyOf(bl, al, nl); key != "" {
			return t.list(bl, al, nl, key, of)
		}
	}
	t.need(of)
	return now
}

func (t *taking) need(of string) {
	if t.needed == "" {
		t.needed = cmp.Or(of, somethingOfIt)
	}
}

func (t *taking) fields(before, after, now map[string]any, of string) map[string]any {
	if name, is := now["name"].(string); is && name != "" {
		of = quote(name)
	}
	out := map[string]any{}
	for _, side := range []map[string]any{before, after, now} {
		for key := range side {
			if _, done := out[key]; done {
				continue
			}
			if v := t.value(before[key], after[key], now[key], of); v != nil {
				out[key] = v
			}
		}
	}
	return out
}

// keyOf is the field by which the elements of three lists are the same: their id, or of points their time; none if one has none, or two
// of a list have the same.
func keyOf(lists ...[]any) string {
	for _, key := range []string{"id", "at"} {
		if !slices.ContainsFunc(lists, func(l []any) bool { return !keyed(l, key) }) {
			return key
		}
	}
	return ""
}

func keyed(list []any, key string) bool {
	seen := map[any]bool{}
	for _, e := range list {
		object, is := e.(map[string]any)
		if !is || object[key] == nil || seen[object[key]] {
			return false
		}
		seen[object[key]] = true
	}
	return true
}

// list is value for lists whose elements are the same by a key. What is put back stands after what it stood after.
func (t *taking) list(before, after, now []any, key, of string) []any {
	b, a, n := by(before, key), by(after, key), by(now, key)
	order := names(append(append([]any{}, now...), missing(before, n, key)...), key) // points are put in order by their times
	if key == "id" {
		order = t.order(names(before, key), names(after, key), names(now, key), of)
	}
	for name := range a {
		if key == "at" && b[name] == nil && n[name] == nil {
			t.need(of) // a point that the step brought was moved, or taken away with others
		}
	}
	out := []any{}
	for _, name := range order {
		if v := t.value(b[name], a[name], n[name], of); v != nil {
			out = append(out, v)
		}
	}
	if key == "at" {
		slices.SortStableFunc(out, func(x, y any) int { return compareNumbers(x.(map[string]any)["at"], y.(map[string]any)["at"]) })
	}
	return out
}

func compareNumbers(x, y any) int {
	a, _ := x.(json.Number).Float64()
	b, _ := y.(json.Number).Float64()
	return cmp.Compare(a, b)
}

func by(list []any, key string) map[any]any {
	out := map[any]any{}
	for _, e := range list {
		out[e.(map[string]any)[key]] = e
	}
	return out
}

// missing are those of a list that are not among others.
func missing(list []any, others map[any]any, key string) (out []any) {
	for _, e := range list {
		if _, there := others[e.(map[string]any)[key]]; !there {
			out = append(out, e)
		}
	}
	return out
}

func names(list []any, key string) (out []any) {
	for _, e := range list {
		out = append(out, e.(map[string]any)[key])
	}
	return out
}

// order is that of all names that may be in the list: as it is now, or, where the step changed the order and nothing later did, as it was.
func (t *taking) order(before, after, now []any, of string) []any {
	moved := !slices.Equal(shared(before, after), shared(after, before))
	leading, more := now, before
	if moved {
		if slices.Equal(shared(after, now), shared(now, after)) {
			leading, more = before, now
		} else if !slices.Equal(shared(before, now), shared(now, before)) {
			t.need(of)
		}
	}
	order := slices.Clone(leading)
	for i, name := range more {
		if slices.Contains(order, name) {
			continue
		}
		at := 0
		for k := i - 1; k >= 0; k-- {
			if p := slices.Index(order, more[k]); p >= 0 {
				at = p + 1
				break
			}
		}
		order = slices.Insert(order, at, name)
	}
	return order
}

// shared are those of one list that another has too, in the order of the first.
func shared(list, other []any) (out []any) {
	for _, name := range list {
		if slices.Contains(other, name) {
			out = append(out, name)
		}
	}
	return out
}
