package session_test

import (
	"math"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
	"ruvel/core/session"
)

// stages gives every number of a treatment, by its place in the document.
func stages(t *session.Treatment) map[string]reflect.Value {
	out := map[string]reflect.Value{}
	v := reflect.ValueOf(t).Elem()
	for i := range v.NumField() {
		stage := v.Field(i)
		for k := range stage.NumField() {
			if stage.Field(k).Kind() == reflect.Float64 {
				name, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
				setting, _, _ := strings.Cut(stage.Type().Field(k).Tag.Get("json"), ",")
				out[name+"."+setting] = stage.Field(k)
			}
		}
	}
	return out
}

func withTreatment(t session.Treatment) session.Document {
	d := session.New()
	d.Tracks = append(d.Tracks, session.Track{ID: "t1", Name: "Presenter", Part: session.Voice, Treatment: t})
	d.Next = 2
	return d
}

func TestATreatmentIsReadBackAndOneThatIsNotThereIsOff(t *testing.T) {
	usual := session.Usual()
	require.NoError(t, withTreatment(usual).Validate())
	assert.True(t, usual.Off())
	back, err := session.Parse(withTreatment(usual).JSON())
	require.NoError(t, err)
	assert.Equal(t, usual, back.Tracks[0].Treatment)
	plain := string(withTreatment(session.Treatment{}).JSON())
	assert.NotContains(t, plain, "treatment", "a document of a version before is written as it was")
	back, err = session.Parse([]byte(plain))
	require.NoError(t, err)
	assert.True(t, back.Tracks[0].Treatment.Off())
	for name := range stages(&usual) {
		negative := session.Usual()
		stages(&negative)[name].SetFloat(math.Copysign(0, -1))
		if d := withTreatment(negative); d.Validate() == nil {
			d.Settle()
			assert.NotContains(t, string(d.JSON()), ":-0", "%s is a negative zero", name)
		}
	}
}

func TestEverySettingOutsideItsRangeIsRefusedWhereItIs(t *testing.T) {
	for name := range stages(&session.Treatment{}) {
		for _, wrong := range []float64{-1e6, 1e6, math.NaN(), math.Inf(1), math.Inf(-1)} {
			treatment := session.Usual()
			stages(&treatment)[name].SetFloat(wrong)
			var p problem.Problem
			require.ErrorAs(t, withTreatment(treatment).Validate(), &p, "%s is %v", name, wrong)
			assert.Equal(t, "setting-out-of-range", p.Code)
			assert.Equal(t, "tracks.0.treatment."+name, p.Where)
		}
	}
	crossed := session.Usual()
	crossed.Gate.Close = crossed.Gate.Open + 1
	assert.ErrorContains(t, withTreatment(crossed).Validate(), "cannot close at a higher level")
	unheard := session.Usual()
	unheard.Compressor.Detector = "ear"
	assert.ErrorContains(t, withTreatment(unheard).Validate(), "peak or by the level")
}
