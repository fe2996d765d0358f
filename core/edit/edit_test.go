package edit_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/testkit"
)

var library = testkit.NewLibrary()

// desk applies edits one after the other and fails the test when one is refused.
type desk struct {
	t    *testing.T
	doc  session.Document
	name string // of the last step
}

func (d *desk) do(op edit.Op) {
	d.t.Helper()
	before := string(d.doc.JSON())
	next, name, err := edit.Apply(d.doc, op, library.Catalogue)
	require.NoError(d.t, err)
	require.Equal(d.t, before, string(d.doc.JSON()), "the given document must not change")
	require.NotEmpty(d.t, name)
	d.doc, d.name = next, name
}

func (d *desk) refuse(code string, op edit.Op) {
	d.t.Helper()
	_, _, err := edit.Apply(d.doc, op, library.Catalogue)
	var p session.Problem
	require.ErrorAs(d.t, err, &p)
	assert.Equal(d.t, code, p.Code)
}

func (d *desk) clip(id string) session.Clip {
	_, c, ok := d.doc.FindClip(id)
	require.True(d.t, ok, id)
	return c
}

func newDesk(t *testing.T) *desk {
	d := &desk{t: t, doc: session.New()}
	d.do(edit.AddTrack{Part: session.Voice, Name: "Presenter"})                         // t1
	d.do(edit.AddTrack{Part: session.Music})                                            // t2
	d.do(edit.InsertClip{Sound: testkit.ID(0), Track: "t1", Name: "Link", Start: 5000}) // c3, 20000 long
	return d
}

func TestTracksStandInTheOrderOfTheirParts(t *testing.T) {
	d := newDesk(t)
	d.do(edit.AddTrack{Part: session.Effect})
	d.do(edit.AddTrack{Part: session.Voice})
	var names []string
	for _, tr := range d.doc.Tracks {
		names = append(names, tr.Name)
	}
	assert.Equal(t, []string{"Presenter", "Voice 1", "Music 1", "Effects 1"}, names)
	d.do(edit.MoveTrack{Track: "t1", Index: 99})
	assert.Equal(t, "t1", d.doc.Tracks[3].ID)
	d.refuse("bad-part", edit.AddTrack{Part: "drums"})
}

func TestASoundDroppedOnThePageFindsAnEmptyTrackOfItsPartOrMakesOne(t *testing.T) {
	d := newDesk(t)
	d.do(edit.InsertClip{Sound: testkit.ID(2), Part: session.Music, Name: "Theme"})
	d.do(edit.InsertClip{Sound: testkit.ID(3), Part: session.Music, Name: "Second"})
	require.Len(t, d.doc.Tracks, 3)
	assert.Len(t, d.doc.Tracks[1].Clips, 1)
	assert.Equal(t, "Music 2", d.doc.Tracks[2].Name)
	assert.Equal(t, 2, d.doc.Sounds[testkit.ID(2)].Channels)
	d.refuse("unknown-sound", edit.InsertClip{Sound: testkit.ID(9), Part: session.Music})
}

func TestMovingKeepsDistancesWhenAGroupMeetsTheBeginning(t *testing.T) {
	d := newDesk(t)
	d.do(edit.CopyClips{Clips: []string{"c3"}, Start: 30000})
	d.do(edit.MoveClips{Moves: []edit.Move{{Clip: "c3", Start: -100}, {Clip: "c4", Start: 24900, Track: "t2"}}})
	assert.Equal(t, audio.Frames(0), d.clip("c3").Start)
	assert.Equal(t, audio.Frames(25000), d.clip("c4").Start)
	assert.Contains(t, d.doc.Tracks[1].Clips, "c4")
	assert.Equal(t, "Move 2 clips", d.name)
}

func TestTrimmingLosesNothingAndStaysWithinTheSound(t *testing.T) {
	d := newDesk(t)
	d.do(edit.TrimClip{Clip: "c3", Edge: "start", At: 9000})
	d.do(edit.TrimClip{Clip: "c3", Edge: "end", At: 20000})
	c := d.clip("c3")
	assert.Equal(t, []audio.Frames{9000, 4000, 11000}, []audio.Frames{c.Start, c.Offset, c.Length})
	d.do(edit.TrimClip{Clip: "c3", Edge: "start", At: -50000})
	d.do(edit.TrimClip{Clip: "c3", Edge: "end", At: 1e9})
	c = d.clip("c3")
	assert.Equal(t, []audio.Frames{5000, 0, 20000}, []audio.Frames{c.Start, c.Offset, c.Length})
	d.do(edit.TrimClip{Clip: "c3", Edge: "start", At: 1e9})
	assert.Equal(t, edit.Shortest, d.clip("c3").Length)
	d.refuse("bad-edit", edit.TrimClip{Clip: "c3", Edge: "middle"})
}

func TestSplittingKeepsBothHalvesAndTheFadeThatTheCutGoesThrough(t *testing.T) {
	d := newDesk(t)
	d.do(edit.SetFades{Clip: "c3", In: &edit.NewFade{Length: 8000, Shape: session.Smooth}})
	d.do(edit.SplitClips{Clips: []string{"c3"}, At: 10000})
	left, right := d.clip("c3"), d.clip("c4")
	assert.Equal(t, session.Fade{Length: 8000, Shape: session.Smooth}, left.FadeIn)
	assert.Equal(t, session.Fade{Length: 8000, Past: 5000, Shape: session.Smooth}, right.FadeIn)
	assert.Equal(t, left.End(), right.Start)
	d.refuse("nothing-to-split", edit.SplitClips{Clips: []string{"c3"}, At: 4000})
}

func TestRemovingCanCloseTheGapOnItsTrackAlone(t *testing.T) {
	d := newDesk(t)
	d.do(edit.SplitClips{Clips: []string{"c3"}, At: 10000})
	d.do(edit.InsertClip{Sound: testkit.ID(1), Track: "t2", Start: 40000})
	d.do(edit.RemoveClips{Clips: []string{"c3"}, Close: true})
	assert.Equal(t, audio.Frames(5000), d.clip("c4").Start)
	assert.Equal(t, audio.Frames(40000), d.clip("c5").Start)
	d.do(edit.RemoveClips{Clips: []string{"c4", "c5"}})
	assert.Empty(t, d.doc.Sounds, "sounds without clips are forgotten")
}

func TestPointsCanBeAddedMovedBetweenTheirNeighboursAndRemoved(t *testing.T) {
	d := newDesk(t)
	line := edit.Line{Clip: "c3"}
	for _, at := range []audio.Frames{1000, 9000, 5000} {
		d.do(edit.AddPoint{Line: line, At: at, Level: -10})
	}
	d.do(edit.MovePoint{Line: line, Index: 1, At: 20000, Level: 99})
	assert.Equal(t, []session.Point{{At: 1000, Level: -10}, {At: 8999, Level: 12}, {At: 9000, Level: -10}}, d.clip("c3").Envelope)
	d.do(edit.AddPoint{Line: line, At: 1000, Level: -200})
	assert.Equal(t, session.Point{At: 1000, Level: audio.Silence}, d.clip("c3").Envelope[0])
	d.do(edit.RemovePoints{Line: line, Indices: []int{0, 2}})
	assert.Len(t, d.clip("c3").Envelope, 1)
	d.refuse("unknown-point", edit.MovePoint{Line: line, Index: 1})
	d.refuse("unknown-point", edit.RemovePoints{Line: line, Indices: []int{7}})
	d.do(edit.AddPoint{Line: edit.Line{Track: "t2"}, At: 10, Level: -3})
	assert.Len(t, d.doc.Tracks[1].Envelope, 1)
	d.refuse("unknown-track", edit.AddPoint{})
}

func TestSettingChangesOnlyWhatIsGivenAndNamesTheStep(t *testing.T) {
	d := newDesk(t)
	fader, pan, mute, name, gain := audio.DB(-200), 3.0, true, "  Anna, take 3 ", audio.DB(-3)
	for _, c := range []struct {
		op   edit.Op
		want string
	}{
		{edit.SetTrack{Track: "t1", Fader: &fader}, "Fader of “Presenter” to silence"},
		{edit.SetTrack{Track: "t1", Pan: &pan}, "Pan “Presenter”"},
		{edit.SetTrack{Track: "t1", Mute: &mute}, "Mute “Presenter”"},
		{edit.SetClip{Clip: "c3", Name: &name}, "Rename “Link” to “Anna, take 3”"},
		{edit.SetClip{Clip: "c3", Gain: &gain}, "Gain of “Anna, take 3” to −3.0 dB"},
		{edit.AddMarker{At: audio.Second}, "Add “Marker 1” at 0:01.00"},
		{edit.SetTarget{Target: "radio-europe"}, "Aim at European radio and television"},
	} {
		d.do(c.op)
		assert.Equal(t, c.want, d.name)
	}
	tr := d.doc.Tracks[0]
	assert.Equal(t, []any{audio.Silence, 1.0, true, false, "Presenter"}, []any{tr.Fader, tr.Pan, tr.Mute, tr.Solo, tr.Name})
	d.refuse("unknown-target", edit.SetTarget{Target: "loud"})
	d.refuse("unknown-clip", edit.SetClip{Clip: "c99"})
}

func TestEveryOperationHasItsOwnTypeAndIsDecodedByIt(t *testing.T) {
	seen := map[string]bool{}
	for _, op := range edit.Ops() {
		typ := edit.TypeOf(op)
		require.False(t, seen[typ])
		seen[typ] = true
		got, err := edit.Decode(fmt.Appendf(nil, `{"type":%q}`, typ))
		require.NoError(t, err)
		assert.Equal(t, reflect.TypeOf(op), reflect.TypeOf(got))
	}
	assert.True(t, seen["insert-clip"])
	for text, code := range map[string]string{`{"type":"explode"}`: "unknown-edit", `{`: "bad-edit", `{"type":"add-point","colour":1}`: "bad-edit"} {
		_, err := edit.Decode([]byte(text))
		var p session.Problem
		require.True(t, errors.As(err, &p))
		assert.Equal(t, code, p.Code)
	}
}

// anyOp draws an operation that may or may not fit the document.
func anyOp(t *rapid.T, d session.Document) edit.Op {
	op := rapid.SampledFrom(edit.Ops()).Draw(t, "op")
	v := reflect.New(reflect.TypeOf(op)).Elem()
	var tracks, clips []string
	for _, tr := range d.Tracks {
		tracks = append(tracks, tr.ID)
		clips = append(clips, tr.ClipsInOrder()...)
	}
	pick := func(from []string) string { return rapid.SampledFrom(append(from, "x9")).Draw(t, "id") }
	fill(t, v, func(field string) string {
		switch field {
		case "Clip", "Clips":
			return pick(clips)
		case "Track":
			return pick(tracks)
		case "Sound", "With", "Instead":
			return testkit.ID(rapid.IntRange(0, 4).Draw(t, "sound"))
		case "Edge":
			return rapid.SampledFrom([]string{"start", "end"}).Draw(t, "edge")
		case "Part":
			return rapid.SampledFrom([]string{"voice", "music", "effect"}).Draw(t, "part")
		case "Shape":
			return rapid.SampledFrom([]string{"linear", "smooth", "odd"}).Draw(t, "shape")
		}
		return rapid.StringN(0, 300, -1).Draw(t, field)
	})
	return v.Interface().(edit.Op)
}

// fill gives every field of a struct a random value; texts come from the function, by the field's name.
func fill(t *rapid.T, v reflect.Value, text func(field string) string) {
	for i := range v.NumField() {
		setField(t, v.Type().Field(i).Name, v.Field(i), text)
	}
}

func setField(t *rapid.T, name string, f reflect.Value, text func(string) string) {
	switch f.Kind() {
	case reflect.Struct:
		fill(t, f, text)
	case reflect.Pointer:
		if rapid.Bool().Draw(t, "given") {
			f.Set(reflect.New(f.Type().Elem()))
			setField(t, name, f.Elem(), text)
		}
	case reflect.Slice:
		f.Set(reflect.MakeSlice(f.Type(), rapid.IntRange(0, 3).Draw(t, "count"), 3))
		for i := range f.Len() {
			setField(t, name, f.Index(i), text)
		}
	case reflect.String:
		f.SetString(text(name))
	case reflect.Bool:
		f.SetBool(rapid.Bool().Draw(t, name))
	case reflect.Float64:
		f.SetFloat(rapid.Float64().Draw(t, name))
	case reflect.Int, reflect.Int64:
		f.SetInt(rapid.OneOf(rapid.Int64Range(-10, 80000), rapid.Int64()).Draw(t, name))
	}
}

func TestNoRowOfEditsMakesAnInvalidDocument(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for range rapid.IntRange(1, 8).Draw(t, "edits") {
			op := anyOp(t, doc)
			before := string(doc.JSON())
			next, name, err := edit.Apply(doc, op, library.Catalogue)
			if string(doc.JSON()) != before {
				t.Fatalf("%T changed the document it was given", op)
			}
			if err != nil {
				var p session.Problem
				if !errors.As(err, &p) {
					t.Fatalf("%T: %v is no problem with a code", op, err)
				}
				continue
			}
			if err := next.Validate(); err != nil || strings.TrimSpace(name) == "" {
				t.Fatalf("%T left %v, name %q", op, err, name)
			}
			doc = next
		}
	})
}

func FuzzDecodingAndApplyingAnEdit(f *testing.F) {
	for _, op := range edit.Ops() {
		data, _ := json.Marshal(op)
		f.Add([]byte(strings.Replace(string(data), `"type":""`, fmt.Sprintf(`"type":%q`, edit.TypeOf(op)), 1)))
	}
	f.Add([]byte(`{"type":"split-clips","clips":["c3"],"at":9223372036854775807}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		op, err := edit.Decode(data)
		if err != nil {
			return
		}
		doc := newDesk(t).doc
		if next, _, err := edit.Apply(doc, op, library.Catalogue); err == nil {
			require.NoError(t, next.Validate())
		}
	})
}
