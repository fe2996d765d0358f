package session_test

import (
	"errors"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

var library = testkit.NewLibrary()

func TestADocumentComesBackFromItsJSONByteForByte(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		d := library.Session(t)
		data := d.JSON()
		again, err := session.Parse(data)
		if err != nil {
			t.Fatalf("%v\n%s", err, data)
		}
		if string(again.JSON()) != string(data) {
			t.Fatalf("%s\nbecame\n%s", data, again.JSON())
		}
	})
}

func valid() session.Document {
	d := session.New()
	d.Next = 10
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: 1, Length: 1000}
	d.Tracks = []session.Track{{ID: "t1", Name: "Presenter", Part: session.Voice, Envelope: []session.Point{}, Clips: map[string]session.Clip{
		"c2": {
			Name: "Link", Sound: testkit.ID(0), Length: 900, Offset: 100, Envelope: []session.Point{},
			FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
		},
	}}}
	return d
}

func TestEveryFaultOfADocumentIsRefusedByItsName(t *testing.T) {
	clip := func(change func(*session.Clip)) func(*session.Document) {
		return func(d *session.Document) {
			c := d.Tracks[0].Clips["c2"]
			change(&c)
			d.Tracks[0].Clips["c2"] = c
		}
	}
	faults := map[string]func(*session.Document){
		"unknown-format":                   func(d *session.Document) { d.Format = "ruvel.session/9" },
		"bad-header":                       func(d *session.Document) { d.Next = 0 },
		"bad-sound":                        func(d *session.Document) { d.Sounds["../x"] = session.Sound{Channels: 1, Length: 1} },
		"bad-marker":                       func(d *session.Document) { d.Markers["m1"] = session.Marker{Name: "", At: 1} },
		"too-many-tracks":                  func(d *session.Document) { d.Tracks = make([]session.Track, 65) },
		"bad-id":                           func(d *session.Document) { d.Tracks = append(d.Tracks, d.Tracks[0]) },
		"bad-name":                         func(d *session.Document) { d.Tracks[0].Name = strings.Repeat("x", 201) },
		"bad-part":                         func(d *session.Document) { d.Tracks[0].Part = "drums" },
		"pan-out-of-range":                 func(d *session.Document) { d.Tracks[0].Pan = math.NaN() },
		"level-out-of-range":               func(d *session.Document) { d.Tracks[0].Fader = 13 },
		"points-out-of-order":              clip(func(c *session.Clip) { c.Envelope = []session.Point{{At: 5}, {At: 5}} }),
		"too-many-points":                  clip(func(c *session.Clip) { c.Envelope = make([]session.Point, session.MaxPoints+1) }),
		"unknown-sound":                    clip(func(c *session.Clip) { c.Sound = testkit.ID(3) }),
		"clip-outside-session":             clip(func(c *session.Clip) { c.Start = -1 }),
		"clip-outside-sound":               clip(func(c *session.Clip) { c.Offset = 101 }),
		"bad-fade":                         clip(func(c *session.Clip) { c.FadeIn.Shape = "steep" }),
		"level-out-of-range of a point":    clip(func(c *session.Clip) { c.Envelope = []session.Point{{Level: audio.DB(math.Inf(1))}} }),
		"clip-outside-session at the end":  clip(func(c *session.Clip) { c.Start = session.MaxLength }),
		"clip-outside-sound by the length": clip(func(c *session.Clip) { c.Length, c.Offset = 1001, 0 }),
	}
	require.NoError(t, valid().Validate())
	for name, spoil := range faults {
		d := valid()
		spoil(&d)
		var p problem.Problem
		require.True(t, errors.As(d.Validate(), &p), name)
		assert.Equal(t, strings.Fields(name)[0], p.Code)
		assert.NotEmpty(t, p.Where)
		assert.Contains(t, p.Message, " ")
	}
}

func TestAZeroLengthFadeIsNoFade(t *testing.T) {
	assert.NoError(t, valid().Validate())
}

func TestWhatIsNoSessionAndWhatANewerVersionWroteAreRefused(t *testing.T) {
	good := string(valid().JSON())
	for text, want := range map[string]string{
		"": "not-a-session", "null x": "not-a-session", "[]": "not-a-session", good + "{}": "not-a-session",
		strings.Replace(good, `"target"`, `"colour":"red","target"`, 1): "newer-session",
		strings.Replace(good, `"mute"`, `"tint":1,"mute"`, 1):           "newer-session",
		good + strings.Repeat(" ", session.MaxBytes):                    "session-too-large",
	} {
		_, err := session.Parse([]byte(text))
		var p problem.Problem
		require.ErrorAs(t, err, &p, want)
		assert.Equal(t, want, p.Code)
	}
	_, err := session.Parse([]byte(strings.Replace(good, `"target"`, `"colour":"red","target"`, 1)))
	assert.EqualError(t, err, `The session has a field "colour" that this version of Ruvel does not know. It was probably written by a newer version; open it with that one.`)
}

func TestAMutedTrackStaysSilentEvenWhenSoloed(t *testing.T) {
	d := session.Document{Tracks: []session.Track{{}, {Solo: true}, {Solo: true, Mute: true}, {Mute: true}}}
	assert.Equal(t, []bool{false, true, false, false}, d.Audible())
	d = session.Document{Tracks: []session.Track{{}, {Mute: true}}}
	assert.Equal(t, []bool{true, false}, d.Audible())
}

func FuzzLoadingADocument(f *testing.F) {
	f.Add(valid().JSON())
	f.Add(session.New().JSON())
	f.Add([]byte(`{"format":"ruvel.session/1","next":1,"tracks":null}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := session.Parse(data)
		if err != nil {
			var p problem.Problem
			require.ErrorAs(t, err, &p)
			return
		}
		again, err := session.Parse(d.JSON())
		require.NoError(t, err)
		require.Equal(t, d.JSON(), again.JSON())
		require.GreaterOrEqual(t, d.Length(), audio.Frames(0))
	})
}

func TestATargetThatIsNoLongerOfferedBecomesTheFirstOfThose(t *testing.T) {
	d := session.New()
	d.Target = "phonograph"
	_, known := d.Aim()
	assert.False(t, known)
	assert.Equal(t, loudness.Targets()[0], d.Goal())
	d.Target, d.Own = session.Own, session.OwnTarget{Name: "Ours", Integrated: -18, TruePeak: -2}
	assert.Equal(t, "Ours", d.Goal().Name)
}
