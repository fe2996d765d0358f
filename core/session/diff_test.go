package session_test

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"testing"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func TestADiffAppliedByAnotherProgramMakesTheOtherDocument(t *testing.T) {
	// Source: RFC 6902, as carried out by github.com/evanphx/json-patch.
	law.Check(t, func(t *rapid.T) {
		a := library.Session(t)
		b := a.Clone()
		switch rapid.IntRange(0, 6).Draw(t, "kind") {
		case 0:
			b = library.Session(t)
		case 1:
			b.Tracks = b.Tracks[1:]
		case 2:
			b.Tracks = append(b.Tracks, session.Track{ID: "t900", Name: "New", Part: session.Music})
		case 3:
			b.Markers["m900"] = session.Marker{Name: "Here"}
			b.Tracks[0].Mute = !b.Tracks[0].Mute
		case 4:
			for id, c := range b.Tracks[0].Clips {
				c.FadeIn.Past, c.Gain = 0, 0
				b.Tracks[0].Clips[id] = c
			}
		case 5: // tracks in another order, some gone, some new, one changed
			b.Tracks = append(b.Tracks, session.Track{ID: "t901", Name: "New", Part: session.Music}, session.Track{ID: "t902", Name: "New", Part: session.Music})
			b.Tracks = rapid.Permutation(b.Tracks).Draw(t, "order")[:rapid.IntRange(1, len(b.Tracks)).Draw(t, "tracks")]
			b.Tracks[0].Name = "Changed"
		case 6: // points added, changed and removed anywhere
			line := []session.Point{}
			for _, p := range b.Tracks[0].Envelope {
				switch rapid.IntRange(0, 3).Draw(t, "point") {
				case 0:
				case 1:
					p.Level--
					fallthrough
				default:
					line = append(line, p)
				}
			}
			b.Tracks[0].Envelope = append(line, session.Point{At: 400000})
		}
		applies(t, a, b)
		applies(t, b, a)
	})
}

// applies checks that a patch, as another program carries it out, makes b of a.
func applies(t require.TestingT, a, b session.Document) {
	raw, err := json.Marshal(session.Diff(a, b))
	require.NoError(t, err)
	patch, err := jsonpatch.DecodePatch(raw)
	require.NoError(t, err)
	got, err := patch.Apply(a.JSON())
	require.NoError(t, err, string(raw))
	require.Equal(t, string(b.Clone().JSON()), string(sorted(t, got)), string(raw))
}

// sorted is a document in its canonical form, however its text is laid out.
func sorted(t require.TestingT, data []byte) []byte {
	d := session.New()
	require.NoError(t, json.Unmarshal(data, &d))
	return d.JSON()
}

func size(t *testing.T, a, b session.Document) int {
	forward, err := json.Marshal(session.Diff(a, b))
	require.NoError(t, err)
	backward, err := json.Marshal(session.Diff(b, a))
	require.NoError(t, err)
	applies(t, a, b)
	applies(t, b, a)
	return len(forward) + len(backward)
}

func TestAPatchIsAsSmallAsTheChange(t *testing.T) {
	d := session.New()
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 1e6}
	for i := range 10 {
		track := session.Track{ID: fmt.Sprintf("t%d", i), Name: "Track", Part: session.Voice, Clips: map[string]session.Clip{}}
		for c := range 500 {
			track.Clips[fmt.Sprintf("c%d", 100+i*500+c)] = session.Clip{Name: "Clip", Sound: testkit.ID(0), Length: 10, FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear}}
		}
		d.Tracks = append(d.Tracks, track)
	}
	for i := range 10000 {
		d.Tracks[3].Envelope = append(d.Tracks[3].Envelope, session.Point{At: audio.Frames(i) * 10})
	}
	d.Next = 9000
	d = d.Clone()

	point := d.Clone()
	point.Tracks[3].Envelope[5000] = session.Point{At: 50003, Level: -12.3}
	assert.Less(t, size(t, d, point), 300, "a point of ten thousand moved, forward and back")
	less := d.Clone()
	less.Tracks[3].Envelope = slices.Delete(less.Tracks[3].Envelope, 700, 701)
	assert.Less(t, size(t, d, less), 300, "a point of ten thousand removed")
	for _, c := range [][2]int{{0, 9}, {9, 0}, {3, 4}, {7, 2}} {
		from, to := c[0], c[1]
		moved := d.Clone()
		track := moved.Tracks[from]
		moved.Tracks = slices.Insert(slices.Delete(moved.Tracks, from, from+1), to, track)
		assert.Less(t, size(t, d, moved), 1000, "a track of five thousand clips moved from %d to %d", from, to)
		assert.Len(t, session.Diff(d, moved), 1)
	}
}

// Inner is a struct within others.
type Inner struct{ A int }

func TestTypesThatCannotBeComparedAreRefusedAndAllTagsAreKnown(t *testing.T) {
	for name, v := range map[string]any{
		"a pointer":          struct{ P *int }{},
		"anything":           struct{ P any }{},
		"numbers as keys":    struct{ M map[int]string }{},
		"an embedded struct": struct{ Inner }{},
		"a number as text": struct {
			A int `json:"a,string"`
		}{},
		"bytes": struct{ B []byte }{},
		"its own zero": struct {
			T time.Time `json:"t,omitzero"`
		}{},
	} {
		assert.Error(t, session.Comparable(reflect.TypeOf(v)), name)
	}
	type all struct {
		Plain    int
		Left     string             `json:"-"`
		Numbers  map[string]float64 `json:"numbers"`
		Empty    map[string]int     `json:"empty,omitempty"`
		None     []int              `json:"none,omitempty"`
		Zero     Inner              `json:"zero,omitzero"`
		Lists    [][]int            `json:"lists"`
		Flag     bool               `json:"flag,omitempty"`
		Odd      map[string]int     `json:"a/b~c"`
		NotEmpty Inner              `json:"notEmpty,omitempty"`
	}
	require.NoError(t, session.Comparable(reflect.TypeFor[all]()))
	values := []all{
		{},
		{Plain: 1, Left: "x", Numbers: map[string]float64{"a": 1.5, "b/c": 2, "~": 3}, Zero: Inner{1}, Flag: true},
		{Numbers: map[string]float64{"a": -1}, Empty: map[string]int{"z": 1}, None: []int{1, 2, 3}, Lists: [][]int{{1}, {2, 3}}, Odd: map[string]int{"~1": 1}},
		{None: []int{1, 4, 3, 9}, Lists: [][]int{{1}}, Odd: map[string]int{"~1": 2, "/": 3}, NotEmpty: Inner{4}},
	}
	for _, a := range values {
		for _, b := range values {
			changes := session.DiffOf(a, b)
			raw, err := json.Marshal(changes)
			require.NoError(t, err)
			patch, err := jsonpatch.DecodePatch(raw)
			require.NoError(t, err)
			from, err := json.Marshal(session.Tidied(a))
			require.NoError(t, err)
			want, err := json.Marshal(session.Tidied(b))
			require.NoError(t, err)
			got, err := patch.Apply(from)
			require.NoError(t, err, "%s on %s", raw, from)
			assert.JSONEq(t, string(want), string(got), string(raw))
		}
	}
}

func TestADiffNamesOnlyWhatChanged(t *testing.T) {
	a := valid()
	b := a.Clone()
	c := b.Tracks[0].Clips["c2"]
	c.Start = 77
	b.Tracks[0].Clips["c2"] = c
	assert.Equal(t, []session.Change{{Op: "replace", Path: "/tracks/0/clips/c2/start", Value: c.Start}}, session.Diff(a, b))
	assert.Empty(t, session.Diff(a, a.Clone()))
}

func TestNegativeZerosAreWrittenAsZeros(t *testing.T) {
	minus := math.Copysign(0, -1)
	d := session.New()
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 9}
	d.Tracks = []session.Track{{
		ID: "t1", Name: "A", Part: session.Voice, Fader: audio.DB(minus), Pan: minus, Envelope: []session.Point{{Level: audio.DB(minus)}},
		Clips: map[string]session.Clip{"c2": {
			Name: "B", Sound: testkit.ID(0), Length: 1, Gain: audio.DB(minus), Envelope: []session.Point{{Level: audio.DB(minus)}},
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
		}},
	}}
	assert.Contains(t, string(d.JSON()), "-0")
	parsed, err := session.Parse(d.JSON())
	require.NoError(t, err)
	assert.NotContains(t, string(parsed.JSON()), "-0")
}
