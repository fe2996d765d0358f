package timeline_test

import (
	"bytes"
	"encoding/json"
	"os"
	"slices"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/timeline"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// What a reader of the form sees, as far as time goes.
type (
	rational struct{ Rate, Value float64 }
	stretch  struct {
		Start    rational `json:"start_time"`
		Duration rational
	}
	child struct {
		Schema string `json:"OTIO_SCHEMA"`
		Name   string
		Source *stretch `json:"source_range"`
		In     rational `json:"in_offset"`
		Out    rational `json:"out_offset"`
		Media  map[string]struct {
			URL string `json:"target_url"`
		} `json:"media_references"`
	}
	read struct {
		Name   string
		Tracks struct {
			Markers  []struct{ Name string }
			Children []struct {
				Name     string
				Enabled  bool
				Children []child
			}
		}
	}
)

// heard is a clip as a reader finds it: with its transitions, from where to where, and from where in its sound.
type heard struct {
	track, name      string
	from, to, offset audio.Frames
}

// flatten goes over the tracks as the form says: children lie one after another, transitions take no time, and let the
// neighbours reach into each other.
func flatten(t require.TestingT, data []byte) (r read, out []heard) {
	require.NoError(t, json.Unmarshal(data, &r))
	for _, track := range r.Tracks.Children {
		pos := 0.0
		for i, c := range track.Children {
			if c.Schema == "Transition.1" {
				continue
			}
			require.NotNil(t, c.Source)
			from, to, offset := pos, pos+c.Source.Duration.Value, c.Source.Start.Value
			pos = to
			if c.Schema == "Gap.1" {
				continue
			}
			require.Equal(t, 48000.0, c.Source.Start.Rate)
			if i > 0 && track.Children[i-1].Schema == "Transition.1" {
				from, offset = from-track.Children[i-1].In.Value, offset-track.Children[i-1].In.Value
			}
			if i+1 < len(track.Children) && track.Children[i+1].Schema == "Transition.1" {
				to += track.Children[i+1].Out.Value
			}
			out = append(out, heard{track.Name, c.Name, audio.Frames(from), audio.Frames(to), audio.Frames(offset)})
		}
	}
	return r, out
}

func schema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	raw, err := os.ReadFile("testdata/otio.schema.json")
	require.NoError(t, err)
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("otio.schema.json", document))
	s, err := c.Compile("otio.schema.json")
	require.NoError(t, err)
	return s
}

func named(sound string) (name, file string) {
	if sound == testkit.ID(0) {
		return "A link", "sounds/" + sound
	}
	return "", ""
}

func TestAnySessionIsReadBackWhereItsClipsLie(t *testing.T) {
	form := schema(t)
	library := testkit.NewLibrary()
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		data, err := timeline.Write(doc, "Title", named)
		if err != nil {
			t.Fatal(err)
		}
		value, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		if err := form.Validate(value); err != nil {
			t.Fatal(err)
		}
		_, found := flatten(t, data)
		var want []heard
		for _, track := range doc.Tracks {
			for _, c := range track.Clips {
				want = append(want, heard{"", c.Name, c.Start, c.End(), c.Offset})
			}
		}
		for i := range found {
			found[i].track = ""
		}
		byPlace := func(a, b heard) int {
			for _, d := range []audio.Frames{a.from - b.from, a.to - b.to, a.offset - b.offset} {
				if d != 0 {
					return int(d)
				}
			}
			return bytes.Compare([]byte(a.name), []byte(b.name))
		}
		slices.SortFunc(want, byPlace)
		slices.SortFunc(found, byPlace)
		if !slices.Equal(want, found) {
			t.Fatalf("there is %v, and %v is read", want, found)
		}
	})
}

func TestACrossingIsATransitionAndWhatIsLaidOverHasARowOfItsOwn(t *testing.T) {
	doc := session.New()
	doc.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 100000}
	clip := func(name string, start, length audio.Frames, law session.Law) session.Clip {
		return session.Clip{Name: name, Sound: testkit.ID(0), Start: start, Length: length, Offset: 500, Envelope: []session.Point{}, Crossing: law}
	}
	doc.Tracks = []session.Track{{ID: "t1", Name: "Presenter", Part: session.Voice, Envelope: []session.Point{}, Mute: true, Clips: map[string]session.Clip{
		"c1": clip("One", 1000, 10000, session.LaidOver), "c2": clip("Two", 9000, 10000, session.CrossGain), "c3": clip("Over", 2000, 300, session.LaidOver),
	}}}
	doc.Markers["m1"] = session.Marker{Name: "Here", At: 5}
	data, err := timeline.Write(doc, "Fog", named)
	require.NoError(t, err)
	r, _ := flatten(t, data)
	assert.Equal(t, "Fog", r.Name)
	assert.Equal(t, "Here", r.Tracks.Markers[0].Name)
	require.Len(t, r.Tracks.Children, 2)
	var kinds []string
	for _, c := range r.Tracks.Children[0].Children {
		kinds = append(kinds, c.Schema)
	}
	assert.Equal(t, []string{"Gap.1", "Clip.2", "Transition.1", "Clip.2"}, kinds)
	assert.Equal(t, 9000.0, r.Tracks.Children[0].Children[1].Source.Duration.Value, "the cut stands in the middle of the crossing")
	assert.False(t, r.Tracks.Children[0].Enabled)
	assert.Equal(t, "Presenter, laid over (1)", r.Tracks.Children[1].Name)
	assert.Equal(t, "sounds/"+testkit.ID(0), r.Tracks.Children[0].Children[1].Media["DEFAULT_MEDIA"].URL)
}
