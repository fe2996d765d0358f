package session

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// shape is how encoding/json writes the values of a type.
type shape struct {
	kind   reflect.Kind
	fields []field // of a struct
	elem   *shape  // of a map or a slice
	id     int     // of a struct: the index of the field that names it, or -1
}

type field struct {
	index     int
	name      string
	shape     *shape
	omitEmpty bool
	omitZero  bool
}

// written says whether a field with a value appears in the JSON form.
func (f field) written(v reflect.Value) bool {
	return !(f.omitEmpty && isEmpty(v)) && !(f.omitZero && v.IsZero())
}

// isEmpty is what encoding/json means by "omitempty": false, 0, nil, and what has no length.
func isEmpty(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Slice, reflect.Map, reflect.String:
		return v.Len() == 0
	case reflect.Struct:
		return false
	}
	return v.IsZero()
}

func must(s *shape, err error) *shape {
	if err != nil {
		panic("session: " + err.Error())
	}
	return s
}

// shapeOf reads a type. Whatever it does not understand as encoding/json does is an
// error: pointers, interfaces, embedded structs, maps whose keys are no texts, and the
// tag option "string".
func shapeOf(t reflect.Type) (s *shape, err error) {
	s = &shape{kind: t.Kind(), id: -1}
	switch t.Kind() {
	case reflect.Bool, reflect.String, reflect.Float32, reflect.Float64,
		reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64,
		reflect.Uint, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return s, nil
	case reflect.Slice:
		s.elem, err = shapeOf(t.Elem()) // bytes, which are written as text, are refused as uint8
		return s, err
	case reflect.Map:
		if t.Key().Kind() != reflect.String {
			return nil, fmt.Errorf("the keys of %v are no texts", t)
		}
		s.elem, err = shapeOf(t.Elem())
		return s, err
	case reflect.Struct:
		return s, s.readFields(t)
	}
	return nil, fmt.Errorf("a value of the type %v cannot be compared", t)
}

func (s *shape) readFields(t reflect.Type) (err error) {
	for i := range t.NumField() {
		f := t.Field(i)
		tag := f.Tag.Get("json")
		if !f.IsExported() || tag == "-" { // while "-," is a field that is called "-"
			continue
		}
		name, options, _ := strings.Cut(tag, ",")
		if f.Anonymous {
			return fmt.Errorf("%v embeds %v", t, f.Type)
		}
		known := field{index: i, name: name}
		if name == "" {
			known.name = f.Name
		}
		for option := range strings.SplitSeq(options, ",") {
			switch option {
			case "":
			case "omitempty":
				known.omitEmpty = true
			case "omitzero":
				known.omitZero = true
				if _, own := f.Type.MethodByName("IsZero"); own {
					return fmt.Errorf("%v.%s says itself when it is zero", t, f.Name)
				}
			default:
				return fmt.Errorf("%v.%s has the tag option %q", t, f.Name, option)
			}
		}
		if known.shape, err = shapeOf(f.Type); err != nil {
			return fmt.Errorf("%v.%s: %w", t, f.Name, err)
		}
		if slices.ContainsFunc(s.fields, func(other field) bool { return other.name == known.name }) {
			return fmt.Errorf("two fields of %v are called %q", t, known.name)
		}
		if known.name == "id" && f.Type.Kind() == reflect.String {
			s.id = i
		}
		s.fields = append(s.fields, known)
	}
	return nil
}

// same says that two values are alike. Values that it says are not may still be written alike.
func same(a, b reflect.Value) bool {
	switch a.Kind() {
	case reflect.Map, reflect.Slice:
		if a.Len() == 0 && b.Len() == 0 {
			return true
		}
	}
	return reflect.DeepEqual(a.Interface(), b.Interface())
}

// tidied is a value with empty lists and maps in the place of missing ones, which are written as null.
func tidied(v reflect.Value) reflect.Value {
	switch v.Kind() {
	case reflect.Slice:
		if v.IsNil() {
			return reflect.MakeSlice(v.Type(), 0, 0)
		}
		if v.Type().Elem().Kind() != reflect.Struct {
			return v
		}
		out := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
		for i := range v.Len() {
			out.Index(i).Set(tidied(v.Index(i)))
		}
		return out
	case reflect.Map:
		out := reflect.MakeMapWithSize(v.Type(), v.Len())
		for k, e := range v.Seq2() {
			out.SetMapIndex(k, tidied(e))
		}
		return out
	case reflect.Struct:
		out := reflect.New(v.Type()).Elem()
		out.Set(v)
		for i := range v.NumField() {
			// What is left out where it is missing stays so.
			left := strings.Contains(v.Type().Field(i).Tag.Get("json"), ",omit")
			if out.Field(i).CanSet() && !(left && v.Field(i).IsZero()) {
				out.Field(i).Set(tidied(v.Field(i)))
			}
		}
		return out
	}
	return v
}
