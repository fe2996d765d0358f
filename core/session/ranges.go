package session

import (
	"fmt"
	"maps"
	"reflect"
	"strconv"
	"strings"

	"ruvel/core/problem"
)

// Range is where a setting lies, both ends included.
type Range struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// ranges are those of the settings of the stages of a treatment, by stage, and of making way, under "way": by setting, as they are called in a
// document. They stand in the tags of their types.
var ranges = func() map[string]map[string]Range {
	out := map[string]map[string]Range{"way": rangesOf(reflect.TypeFor[Way]())}
	for i := range reflect.TypeFor[Treatment]().NumField() {
		stage := reflect.TypeFor[Treatment]().Field(i)
		out[named(stage)] = rangesOf(stage.Type)
	}
	return out
}()

// Ranges gives those of the settings of each stage of a treatment, by stage, and those of making way, under "way".
func Ranges() map[string]map[string]Range {
	out := map[string]map[string]Range{}
	for of, own := range ranges {
		out[of] = maps.Clone(own)
	}
	return out
}

func rangesOf(t reflect.Type) map[string]Range {
	out := map[string]Range{}
	for i := range t.NumField() {
		if low, bounded := t.Field(i).Tag.Lookup("minimum"); bounded {
			out[named(t.Field(i))] = Range{bound(low), bound(t.Field(i).Tag.Get("maximum"))}
		}
	}
	return out
}

// named is what a field is called in a document.
func named(f reflect.StructField) string {
	name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
	return name
}

func bound(text string) float64 {
	v, err := strconv.ParseFloat(text, 64)
	if err != nil {
		panic(fmt.Sprintf("session: a bound of a setting is no number: %v", err)) // it stands in the code
	}
	return v
}

// withinRanges says which setting of something lies outside of its range; of what is not there none does.
func withinRanges(of any, own map[string]Range, called, where string) error {
	v := reflect.ValueOf(of)
	if v.IsZero() {
		return nil
	}
	for i := range v.NumField() {
		name := named(v.Type().Field(i))
		r, bounded := own[name]
		if !bounded {
			continue
		}
		if at := v.Field(i).Float(); !(at >= r.Low && at <= r.High) {
			return problem.New("setting-out-of-range", where+"."+name,
				"The setting %s of the %s goes from %g to %g; %g does not lie there.", name, called, r.Low, r.High, at)
		}
	}
	return nil
}
