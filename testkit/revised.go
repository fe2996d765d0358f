package testkit

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/core/revise"
)

// Revised is an object as changes that make it so, whatever is there: all fields of a struct, also those that are
// empty, and the entries of a map. Of a list they are its elements, by their names.
func Revised(t testing.TB, object any) revise.Revision {
	t.Helper()
	out := revise.Revision{}
	set := func(name string, v any) {
		data, err := json.Marshal(v)
		require.NoError(t, err)
		out[name] = revise.Field{Now: data}
	}
	switch v := reflect.ValueOf(object); v.Kind() {
	case reflect.Slice:
		for i := range v.Len() {
			set(v.Index(i).FieldByName("Name").String(), v.Index(i).Interface())
		}
	case reflect.Map:
		for _, key := range v.MapKeys() {
			set(key.String(), v.MapIndex(key).Interface())
		}
	default:
		for i := range v.NumField() {
			name, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
			set(name, v.Field(i).Interface())
		}
	}
	return out
}
