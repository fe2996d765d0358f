package house_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/house"
	"ruvel/core/session"
	"ruvel/testkit"
)

const second = audio.Second

// episode is a finished one: a theme, two links and an interview, an effect and an outro.
func episode(t *testing.T) session.Document {
	t.Helper()
	doc := session.New()
	for _, op := range []edit.Op{
		edit.AddTrack{Part: session.Voice, Name: "Presenter"},                                        // t1
		edit.AddTrack{Part: session.Voice, Name: "Guest"},                                            // t2
		edit.AddTrack{Part: session.Music, Name: "Music"},                                            // t3
		edit.AddTrack{Part: session.Effect, Name: "Shore"},                                           // t4
		edit.InsertClip{Sound: testkit.ID(1), Track: "t3", Name: "Theme", Length: 30 * second},       // c5
		edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Name: "Link 1", Start: 10 * second},       // c6, 5 s
		edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Name: "Link 1 again", Start: 16 * second}, // c7
		edit.InsertClip{Sound: testkit.ID(3), Track: "t2", Name: "Interview", Start: 22 * second},    // c8, 20 s
		edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Name: "Goodbye", Start: 50 * second},      // c9
		edit.InsertClip{Sound: testkit.ID(4), Track: "t4", Name: "Gulls", Start: 21 * second},        // c10
		edit.AddMarker{At: 10 * second, Length: 11 * second, Name: "Opening", Chapter: true},         // m11
		edit.AddMarker{At: 12 * second, Name: "Check this"},                                          // m12
		edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: ptr(audio.DB(3)), Solo: ptr(true)}}},
		edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c5"}, At: 9 * second}, {Line: edit.Line{Clip: "c5"}, At: 10 * second, Level: -18}}},
	} {
		doc = do(t, doc, op)
	}
	return doc
}

func ptr[T any](v T) *T { return &v }

func do(t *testing.T, doc session.Document, op edit.Op) session.Document {
	t.Helper()
	doc, _, err := edit.Apply(doc, op, func(id string) (session.Sound, bool) {
		length := map[string]audio.Frames{testkit.ID(1): 60 * second, testkit.ID(2): 5 * second, testkit.ID(3): 20 * second, testkit.ID(4): 4 * second, testkit.ID(5): 45 * second}[id]
		return session.Sound{Channels: 1, Length: length}, length > 0
	})
	require.NoError(t, err)
	return doc
}

func TestALayoutHasTheMusicAndPlacesForWhatWasSaid(t *testing.T) {
	was := episode(t)
	before := string(was.JSON())
	l := house.Take(was)
	assert.Equal(t, before, string(was.JSON()), "the episode stays as it is")
	require.NoError(t, l.Validate())
	assert.Equal(t, was.Tracks[2], l.Tracks[2], "music stays to the last point of its line")
	assert.Equal(t, audio.DB(3), l.Tracks[0].Fader)
	assert.False(t, l.Tracks[0].Solo)
	for _, i := range []int{0, 1, 3} {
		assert.Empty(t, l.Tracks[i].Clips)
	}
	var places []session.Marker
	for _, id := range l.EmptyPlaces() {
		places = append(places, l.Markers[id])
	}
	assert.Equal(t, []session.Marker{
		{Name: "Opening", At: 10 * second, Length: 11 * second, Fills: "t1"}, // said in one go, and named after its chapter
		{Name: "Interview", At: 22 * second, Length: 20 * second, Fills: "t2"},
		{Name: "Goodbye", At: 50 * second, Length: 5 * second, Fills: "t1"},
	}, places)
	assert.Len(t, l.Markers, 4, "the chapter stays, the note goes")
	assert.Len(t, l.Sounds, 1)
	parsed, err := session.Parse(l.JSON())
	require.NoError(t, err)
	assert.Equal(t, string(l.JSON()), string(parsed.JSON()))
}

func TestWhatChangesInALayoutIsBroughtToWhatTheEpisodeHasNotChangedItself(t *testing.T) {
	was := house.Take(episode(t))
	own := do(t, house.Begin(was, 1), edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Name: "My opening", Start: 10 * second})
	own = do(t, own, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t2", Fader: ptr(audio.DB(-4))}}})
	changes, op := house.Along(was, was, 1, own)
	assert.Empty(t, changes, "nothing has changed in the layout")
	assert.Nil(t, op)

	now := do(t, was, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: ptr(audio.DB(1)), Name: ptr("Host")}, {Track: "t2", Fader: ptr(audio.DB(2))}}})
	now = do(t, now, edit.ReplaceSound{Sound: testkit.ID(1), With: testkit.ID(5), Name: "New theme"})
	now = do(t, now, edit.MovePoints{Moves: []edit.PointMove{{Line: edit.Line{Clip: "c5"}, From: 10 * second, At: 10 * second, Level: -24}}})
	now = do(t, now, edit.SetTarget{Target: "podcast-mono"})
	now = do(t, now, edit.SetLead{Lead: "accessible"})
	now = do(t, now, edit.AddTrack{Part: session.Music, Name: "Sting"})
	changes, op = house.Along(was, now, 2, own)
	var brought, kept []string
	for _, c := range changes {
		if c.Kept {
			kept = append(kept, c.What)
		} else {
			brought = append(brought, c.What)
		}
	}
	assert.Equal(t, []string{"The fader of Guest goes to 2.0 dB"}, kept, "the episode has a level of its own there")
	assert.Len(t, brought, 7, "%v", brought)
	along := do(t, own, *op)
	assert.Equal(t, "Host", along.Tracks[0].Name)
	assert.Equal(t, []audio.DB{1, -4}, []audio.DB{along.Tracks[0].Fader, along.Tracks[1].Fader})
	theme := along.Tracks[along.FindTrack("t3")].Clips["c5"]
	assert.Equal(t, testkit.ID(5), theme.Sound)
	assert.Equal(t, audio.DB(-24), theme.Envelope[1].Level)
	assert.Equal(t, []string{"podcast-mono", "accessible"}, []string{along.Target, along.Lead})
	assert.Len(t, along.Tracks, 5)
	assert.Len(t, along.Tracks[0].Clips, 1, "what was said is as it was")
	changes, _ = house.Along(now, now, 2, along)
	assert.Empty(t, changes)

	without := do(t, own, edit.RemoveTracks{Tracks: []string{"t3"}})
	changes, op = house.Along(was, do(t, was, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t3", Fader: ptr(audio.DB(2))}}}), 2, without)
	assert.True(t, changes[0].Kept)
	assert.Nil(t, op)
	changes, _ = house.Along(was, do(t, was, edit.RemoveTracks{Tracks: []string{"t4"}}), 2, own)
	assert.Contains(t, changes[0].What, "stays in this episode")
}

// Both number by themselves: what is added to either gets the next number of its own.
func TestWhatHasTheSameIdIsNotTakenForTheSameThing(t *testing.T) {
	layout := house.Take(episode(t))
	own := do(t, house.Begin(layout, 1), edit.AddTrack{Part: session.Voice, Name: "Second guest"})
	called := func(d session.Document, name string) session.Track {
		return d.Tracks[slices.IndexFunc(d.Tracks, func(t session.Track) bool { return t.Name == name })]
	}
	mine := called(own, "Second guest").ID
	own = do(t, own, edit.InsertClip{Sound: testkit.ID(2), Track: mine, Name: "My guest", Start: 10 * second})

	jingle := do(t, layout, edit.AddTrack{Part: session.Voice, Name: "Jingle"})
	added := called(jingle, "Jingle").ID
	require.Equal(t, mine, added, "they number alike")
	jingle = do(t, jingle, edit.InsertClip{Sound: testkit.ID(4), Track: added, Name: "Jingle", Start: 0})
	changes, op := house.Along(layout, jingle, 2, own)
	require.Len(t, changes, 1)
	assert.Equal(t, "The track Jingle comes to it", changes[0].What)
	brought := do(t, own, *op)
	stands := brought.Model.Tracks[added]
	require.NotEqual(t, mine, stands)

	later := do(t, jingle, edit.SetTracks{Tracks: []edit.TrackChange{{Track: added, Fader: ptr(audio.DB(-12)), Name: ptr("Our jingle")}}})
	for id := range called(jingle, "Jingle").Clips {
		later = do(t, later, edit.SetClips{Clips: []edit.ClipChange{{Clip: id, Gain: ptr(audio.DB(-5))}}})
	}
	_, op = house.Along(jingle, later, 3, brought)
	along := do(t, brought, *op)
	assert.Equal(t, own.Tracks[own.FindTrack(mine)], along.Tracks[along.FindTrack(mine)], "the guest is as it was")
	of := along.Tracks[along.FindTrack(stands)]
	assert.Equal(t, audio.DB(-12), of.Fader)
	assert.Equal(t, "Our jingle", of.Name)
	for _, c := range of.Clips {
		assert.Equal(t, audio.DB(-5), c.Gain)
	}
	assert.Equal(t, int64(3), along.Model.Version)

	// In a session of a version that did not write it down, only what is alike stands for something.
	old := own.Clone()
	old.Model = session.Model{}
	_, op = house.Along(jingle, later, 3, old)
	assert.Nil(t, op, "the guest is no jingle")
	_, op = house.Along(layout, do(t, layout, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: ptr(audio.DB(1))}}}), 3, old)
	require.NotNil(t, op)
	assert.Equal(t, audio.DB(1), do(t, old, *op).Tracks[0].Fader, "what was made with it goes on")
}
