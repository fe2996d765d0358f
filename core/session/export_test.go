package session

import "reflect"

// Comparable says why values of a type could not be compared.
func Comparable(t reflect.Type) error {
	_, err := shapeOf(t)
	return err
}

// DiffOf is Diff of two values of any type that can be compared.
func DiffOf[T any](a, b T) []Change {
	d := differ{out: []Change{}}
	d.values("", must(shapeOf(reflect.TypeFor[T]())), reflect.ValueOf(&a).Elem(), reflect.ValueOf(&b).Elem())
	return d.out
}

// Tidied is a value with empty lists and maps in the place of missing ones.
func Tidied[T any](v T) T { return tidied(reflect.ValueOf(&v).Elem()).Interface().(T) }
