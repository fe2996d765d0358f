package edit_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
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
	var p problem.Problem
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
	d.do(edit.MoveTracks{Tracks: []string{"t1"}})
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

// trim is an edit of one end of the clip c3.
func trim(edge string, at audio.Frames) edit.TrimClips {
	return edit.TrimClips{Trims: []edit.Trim{{Clip: "c3", Edge: edge, At: at}}}
}

func TestTrimmingLosesNothingAndStaysWithinTheSound(t *testing.T) {
	d := newDesk(t)
	d.do(trim("start", 9000))
	d.do(trim("end", 20000))
	c := d.clip("c3")
	assert.Equal(t, []audio.Frames{9000, 4000, 11000}, []audio.Frames{c.Start, c.Offset, c.Length})
	d.do(trim("start", -50000))
	d.do(trim("end", 1e9))
	c = d.clip("c3")
	assert.Equal(t, []audio.Frames{5000, 0, 20000}, []audio.Frames{c.Start, c.Offset, c.Length})
	d.do(trim("start", 1e9))
	assert.Equal(t, edit.Shortest, d.clip("c3").Length)
	d.refuse("bad-edit", trim("middle", 0))
}

func TestSplittingKeepsBothHalvesAndTheFadeThatTheCutGoesThrough(t *testing.T) {
	d := newDesk(t)
	d.do(edit.SetFades{Fades: []edit.ClipFades{{Clip: "c3", In: &edit.NewFade{Length: 8000, Shape: session.Smooth}}}})
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
	d.do(edit.RemoveClips{Clips: []string{"c3"}, Close: edit.CloseTrack})
	assert.Equal(t, audio.Frames(5000), d.clip("c4").Start)
	assert.Equal(t, audio.Frames(40000), d.clip("c5").Start)
	d.do(edit.RemoveClips{Clips: []string{"c4", "c5"}})
	assert.Empty(t, d.doc.Sounds, "sounds without clips are forgotten")
}

func TestPointsCanBeAddedMovedBetweenTheirNeighboursAndRemoved(t *testing.T) {
	d := newDesk(t)
	line := edit.Line{Clip: "c3"}
	add := func(at audio.Frames, level audio.DB) edit.AddPoints {
		return edit.AddPoints{Points: []edit.NewPoint{{Line: line, At: at, Level: level}}}
	}
	for _, at := range []audio.Frames{1000, 9000, 5000} {
		d.do(add(at, -10))
	}
	d.do(edit.MovePoints{Moves: []edit.PointMove{{Line: line, From: 5000, At: 20000, Level: 99}}})
	assert.Equal(t, []session.Point{{At: 1000, Level: -10}, {At: 8999, Level: 12}, {At: 9000, Level: -10}}, d.clip("c3").Envelope)
	d.do(add(1000, -200))
	assert.Equal(t, session.Point{At: 1000, Level: audio.Silence}, d.clip("c3").Envelope[0])
	d.do(edit.RemovePoints{Points: []edit.PointAt{{Line: line, At: 1000}, {Line: line, At: 9000}}})
	assert.Equal(t, []session.Point{{At: 8999, Level: 12}}, d.clip("c3").Envelope)
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Track: "t2"}, At: 10, Level: -3}}})
	assert.Len(t, d.doc.Tracks[1].Envelope, 1)
	d.refuse("unknown-track", edit.AddPoints{Points: []edit.NewPoint{{}}})
}

func TestAnEditThatIsSentAgainMeetsNothingElse(t *testing.T) {
	d := newDesk(t)
	line := edit.Line{Clip: "c3"}
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: line, At: 1000}, {Line: line, At: 2000}, {Line: line, At: 3000}}})
	remove := edit.RemovePoints{Points: []edit.PointAt{{Line: line, At: 1000}}}
	d.do(remove)
	d.refuse("unknown-point", remove)
	move := edit.MovePoints{Moves: []edit.PointMove{{Line: line, From: 2000, At: 2500, Level: -6}}}
	d.do(move)
	d.refuse("unknown-point", move)
	assert.Equal(t, []session.Point{{At: 2500, Level: -6}, {At: 3000}}, d.clip("c3").Envelope)
	d.refuse("unknown-point", edit.RemovePoints{Points: []edit.PointAt{{Line: line, At: 2500}, {Line: line, At: 9}}})
	assert.Len(t, d.clip("c3").Envelope, 2, "where one of several is not there, none is removed")
}

func TestPointsThatMoveTogetherKeepTheirOrder(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := session.New()
		doc.Tracks = []session.Track{{ID: "t1", Name: "A", Part: session.Music, Clips: map[string]session.Clip{}}}
		at := audio.Frames(rapid.IntRange(0, 3).Draw(t, "first"))
		var points []session.Point
		for range rapid.IntRange(1, 8).Draw(t, "points") {
			points = append(points, session.Point{At: at})
			at += audio.Frames(rapid.IntRange(1, 5).Draw(t, "gap"))
		}
		doc.Tracks[0].Envelope = points
		op := edit.MovePoints{}
		moved := map[audio.Frames]bool{}
		for _, p := range points {
			if rapid.Bool().Draw(t, "moved") {
				moved[p.At] = true
				op.Moves = append(op.Moves, edit.PointMove{Line: edit.Line{Track: "t1"}, From: p.At, Level: -1, At: audio.Frames(rapid.IntRange(-20, 60).Draw(t, "at"))})
			}
		}
		if len(op.Moves) == 0 {
			t.Skip("none")
		}
		next, _, err := edit.Apply(doc, op, nil) // which refuses points that are out of order
		if err != nil {
			t.Fatalf("%v", err)
		}
		for i, p := range next.Tracks[0].Envelope {
			if still := points[i]; !moved[still.At] && p != still {
				t.Fatalf("the point at %d was not named and went to %d", still.At, p.At)
			} else if moved[still.At] && p.Level != -1 {
				t.Fatalf("the point at %d changed its place among the others", still.At)
			}
		}
	})
}

func TestWhatIsNamedTwiceCountsOnceAsItIsNamedLast(t *testing.T) {
	d := newDesk(t)
	low, high := audio.DB(-9), audio.DB(3)
	d.do(edit.CopyClips{Clips: []string{"c3", "c3", "c3"}, Start: 30000})
	require.Len(t, d.doc.Tracks[0].Clips, 2)
	d.do(edit.SetClips{Clips: []edit.ClipChange{{Clip: "c3", Gain: &low}, {Clip: "c3", Gain: &high}}})
	assert.Equal(t, high, d.clip("c3").Gain)
	assert.Equal(t, "Gain of “Link” to +3.0 dB", d.name)
	d.do(edit.SplitClips{Clips: []string{"c3", "c3"}, At: 6000})
	require.Len(t, d.doc.Tracks[0].Clips, 3)
	d.do(edit.RemoveClips{Clips: []string{"c3", "c3"}, Close: edit.CloseTrack})
	assert.Equal(t, audio.Frames(5000), d.clip("c5").Start, "the gap is closed once")
	d.do(edit.RemoveTracks{Tracks: []string{"t2", "t2"}})
	assert.Len(t, d.doc.Tracks, 1)
}

func TestSeveralAreOneStepAndAllOrNone(t *testing.T) {
	d := newDesk(t)
	d.do(edit.CopyClips{Clips: []string{"c3"}, Start: 30000})
	quiet, mute := audio.DB(-6), true
	in := &edit.NewFade{Length: 480, Shape: session.Linear}
	for _, c := range []struct {
		op   edit.Op
		want string
	}{
		{edit.SetClips{Clips: []edit.ClipChange{{Clip: "c3", Gain: &quiet}, {Clip: "c4", Gain: &quiet}}}, "Gain of 2 clips"},
		{edit.SetFades{Fades: []edit.ClipFades{{Clip: "c3", In: in}, {Clip: "c4", Out: in}}}, "Fades of 2 clips"},
		{edit.TrimClips{Trims: []edit.Trim{{Clip: "c3", Edge: "start", At: 5100}, {Clip: "c4", Edge: "start", At: 31000}}}, "Trim 2 clips"},
		{edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Mute: &mute}, {Track: "t2", Mute: &mute}}}, "Mute 2 tracks"},
		{edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c3"}, At: 9000}, {Line: edit.Line{Track: "t2"}, At: 9000}}}, "Add 2 points"},
		{edit.MoveTracks{Tracks: []string{"t2"}, Before: "t1"}, "Move the track “Music 1”"},
		{edit.RemovePoints{Points: []edit.PointAt{{Line: edit.Line{Clip: "c3"}, At: 9000}, {Line: edit.Line{Track: "t2"}, At: 9000}}}, "Remove 2 points"},
	} {
		d.do(c.op)
		assert.Equal(t, c.want, d.name)
	}
	before := string(d.doc.JSON())
	d.refuse("unknown-clip", edit.SetClips{Clips: []edit.ClipChange{{Clip: "c3", Gain: &quiet}, {Clip: "c99", Gain: &quiet}}})
	d.refuse("unknown-track", edit.RemoveTracks{Tracks: []string{"t1", "t99"}})
	d.refuse("nothing-chosen", edit.MoveClips{})
	assert.Equal(t, before, string(d.doc.JSON()))
}

func TestAnIDIsNeverUsedAgainWhereItOnceWas(t *testing.T) {
	d := newDesk(t)
	next, _, err := edit.ApplyFrom(d.doc, 40, edit.AddTrack{Part: session.Voice}, edit.Material{})
	require.NoError(t, err)
	assert.Equal(t, "t40", next.Tracks[1].ID)
	assert.Equal(t, 41, next.Next)
	mute := true
	next, _, err = edit.ApplyFrom(d.doc, 40, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Mute: &mute}}}, edit.Material{})
	require.NoError(t, err)
	assert.Equal(t, d.doc.Next, next.Next, "what names nothing new leaves the number alone")
}

// crowded has n clips with as many points each on one track.
func crowded(n, points int) session.Document {
	d := session.New()
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 20000}
	line := make([]session.Point, points)
	for i := range line {
		line[i].At = audio.Frames(i)
	}
	d.Tracks = []session.Track{{ID: "t1", Name: "A", Part: session.Voice, Clips: map[string]session.Clip{}}}
	for i := range n {
		d.Tracks[0].Clips[fmt.Sprintf("c%d", i+2)] = session.Clip{
			Name: "Clip", Sound: testkit.ID(0), Length: 100, Envelope: line,
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
		}
	}
	d.Next = n + 2
	return d.Clone()
}

func TestAnEditThatWouldMakeTheSessionTooLargeIsRefusedBeforeItIsDone(t *testing.T) {
	doc := crowded(150, 1000)
	all := doc.Tracks[0].ClipsInOrder()
	var p problem.Problem
	allocated := testing.AllocsPerRun(1, func() {
		_, _, err := edit.Apply(doc, edit.CopyClips{Clips: all, Start: 0}, nil)
		require.ErrorAs(t, err, &p)
	})
	assert.Equal(t, "too-many-points", p.Code)
	assert.Contains(t, p.Message, "200000 points")
	assert.Less(t, allocated, 5000.0)
	one := slices.Repeat([]string{"c2"}, 4900)
	next, _, err := edit.Apply(doc, edit.CopyClips{Clips: one}, nil)
	require.NoError(t, err)
	assert.Len(t, next.Tracks[0].Clips, 151)
	doc = crowded(4990, 0)
	_, _, err = edit.Apply(doc, edit.CopyClips{Clips: doc.Tracks[0].ClipsInOrder()}, nil)
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "too-many-clips", p.Code)
	full := session.New()
	for i := range session.MaxMarkers {
		full.Markers[fmt.Sprintf("m%d", i)] = session.Marker{Name: "Here"}
	}
	_, _, err = edit.Apply(full, edit.AddMarker{}, nil)
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "too-many-markers", p.Code)
}

func TestSettingChangesOnlyWhatIsGivenAndNamesTheStep(t *testing.T) {
	d := newDesk(t)
	fader, pan, mute, name, gain := audio.DB(-200), 3.0, true, "  Anna, take 3 ", audio.DB(-3)
	track := func(c edit.TrackChange) edit.Op { return edit.SetTracks{Tracks: []edit.TrackChange{c}} }
	clip := func(c edit.ClipChange) edit.Op { return edit.SetClips{Clips: []edit.ClipChange{c}} }
	for _, c := range []struct {
		op   edit.Op
		want string
	}{
		{track(edit.TrackChange{Track: "t1", Fader: &fader}), "Fader of “Presenter” to silence"},
		{track(edit.TrackChange{Track: "t1", Pan: &pan}), "Pan “Presenter”"},
		{track(edit.TrackChange{Track: "t1", Mute: &mute}), "Mute “Presenter”"},
		{clip(edit.ClipChange{Clip: "c3", Name: &name}), "Rename “Link” to “Anna, take 3”"},
		{clip(edit.ClipChange{Clip: "c3", Gain: &gain}), "Gain of “Anna, take 3” to −3.0 dB"},
		{edit.AddMarker{At: audio.Second}, "Add “Marker 1” at 0:01.00"},
		{edit.AddMarkers{Markers: []edit.NewMarker{{At: audio.Second, Name: "Fog", Chapter: true, Link: " https://example.org "}, {At: -5, Length: 9}}}, "Take in 2 markers"},
		{edit.SetTarget{Target: "radio-europe"}, "Aim at European radio and television"},
	} {
		d.do(c.op)
		assert.Equal(t, c.want, d.name)
	}
	treatment := session.Usual()
	treatment.Compressor.On = true
	d.do(track(edit.TrackChange{Track: "t1", Treatment: &treatment}))
	assert.Equal(t, "Treatment of “Presenter”", d.name)
	assert.Equal(t, treatment, d.doc.Tracks[0].Treatment)
	treatment.Compressor.Ratio = 0.5
	d.refuse("setting-out-of-range", track(edit.TrackChange{Track: "t1", Treatment: &treatment}))
	tr := d.doc.Tracks[0]
	assert.Equal(t, []any{audio.Silence, 1.0, true, false, "Presenter"}, []any{tr.Fader, tr.Pan, tr.Mute, tr.Solo, tr.Name})
	assert.Equal(t, session.Marker{Name: "Fog", At: audio.Second, Chapter: true, Link: "https://example.org"}, d.doc.Markers["m5"])
	assert.Equal(t, session.Marker{Name: "Marker 3", Length: 9}, d.doc.Markers["m6"])
	d.refuse("bad-link", edit.AddMarkers{Markers: []edit.NewMarker{{Link: "javascript:alert(1)"}}})
	d.refuse("unknown-target", edit.SetTarget{Target: "loud"})
	d.refuse("unknown-clip", clip(edit.ClipChange{Clip: "c99"}))
	for _, blank := range []string{"", " \t\u00a0", "\u200b"} {
		d.refuse("bad-name", clip(edit.ClipChange{Clip: "c3", Name: &blank}))
		d.refuse("bad-name", track(edit.TrackChange{Track: "t1", Name: &blank}))
		d.refuse("bad-name", edit.SetMarkers{Markers: []edit.MarkerChange{{Marker: "m4", Name: &blank}}})
	}
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
	for text, code := range map[string]string{`{"type":"explode"}`: "unknown-edit", `{`: "bad-edit", `{"type":"add-points","colour":1}`: "bad-edit"} {
		_, err := edit.Decode([]byte(text))
		var p problem.Problem
		require.True(t, errors.As(err, &p))
		assert.Equal(t, code, p.Code)
	}
}

// anyOp draws an operation that may or may not fit the document.
func anyOp(t *rapid.T, d session.Document) edit.Op {
	op := rapid.SampledFrom(edit.Ops()).Draw(t, "op")
	v := reflect.New(reflect.TypeOf(op)).Elem()
	var tracks, clips []string
	times := []int64{0}
	for _, tr := range d.Tracks {
		tracks = append(tracks, tr.ID)
		clips = append(clips, tr.ClipsInOrder()...)
		for _, c := range tr.Clips {
			for _, p := range c.Envelope {
				times = append(times, int64(p.At))
			}
		}
	}
	slices.Sort(times)
	pick := func(from []string) string { return rapid.SampledFrom(append(from, "x9")).Draw(t, "id") }
	fill(t, v, times, func(field string) string {
		switch field {
		case "Clip", "Clips":
			return pick(clips)
		case "Track", "Tracks", "Before":
			return pick(tracks)
		case "Stage":
			return rapid.SampledFrom([]string{"lowCut", "gate", "expander", "compressor", "limiter", "x"}).Draw(t, "stage")
		case "Settings of", "Ordinary of":
			return rapid.SampledFrom([]string{"on", "corner", "open", "close", "hold", "ratio", "threshold", "auto", "detector", "ceiling", "peak", "level", "x"}).Draw(t, "setting")
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

// fill gives every field of a struct a random value; texts come from the function, by the
// field's name, and times are often those of points.
func fill(t *rapid.T, v reflect.Value, times []int64, text func(field string) string) {
	for i := range v.NumField() {
		setField(t, v.Type().Field(i).Name, v.Field(i), times, text)
	}
}

func setField(t *rapid.T, name string, f reflect.Value, times []int64, text func(string) string) {
	switch f.Kind() {
	case reflect.Struct:
		fill(t, f, times, text)
	case reflect.Pointer:
		if rapid.Bool().Draw(t, "given") {
			f.Set(reflect.New(f.Type().Elem()))
			setField(t, name, f.Elem(), times, text)
		}
	case reflect.Slice:
		f.Set(reflect.MakeSlice(f.Type(), rapid.IntRange(0, 3).Draw(t, "count"), 3))
		for i := range f.Len() {
			setField(t, name, f.Index(i), times, text)
		}
	case reflect.Map: // of settings by their names
		f.Set(reflect.MakeMap(f.Type()))
		for range rapid.IntRange(0, 3).Draw(t, "count") {
			v := reflect.New(f.Type().Elem()).Elem()
			if v.Kind() == reflect.Interface {
				v.Set(reflect.ValueOf(rapid.OneOf(rapid.Float64Range(-100, 3000).AsAny(), rapid.Bool().AsAny(), rapid.SampledFrom([]string{"peak", "x"}).AsAny()).Draw(t, "value")))
			} else {
				setField(t, name, v, times, text)
			}
			f.SetMapIndex(reflect.ValueOf(text(name+" of")).Convert(f.Type().Key()), v)
		}
	case reflect.String:
		f.SetString(text(name))
	case reflect.Bool:
		f.SetBool(rapid.Bool().Draw(t, name))
	case reflect.Float64:
		f.SetFloat(rapid.Float64().Draw(t, name))
	case reflect.Int, reflect.Int64:
		f.SetInt(rapid.OneOf(rapid.SampledFrom(times), rapid.Int64Range(-10, 80000), rapid.Int64()).Draw(t, name))
	}
}

func TestNoRowOfEditsMakesAnInvalidDocument(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for range rapid.IntRange(1, 8).Draw(t, "edits") {
			op := anyOp(t, doc)
			before := string(doc.JSON())
			next, name, err := edit.Apply(doc, op, library.Catalogue)
			if string(doc.JSON()) != before {
				t.Fatalf("%T changed the document it was given", op)
			}
			if err != nil {
				var p problem.Problem
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
