package server_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
)

func TestALayoutIsTakenFromAnEpisodeAndANewOneBeginsAsIt(t *testing.T) {
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 20*audio.Second, 6))
	voice := imported(t, show, episode, "link", testkit.Voice(0.3, 150, 5*audio.Second))
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	edit := func(episode string, base int64, op map[string]any) work.ChangeEvent {
		return want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": base, "op": op})
	}
	// What came in as voice becomes a place.
	track := desk.Document.Tracks[0].ID
	for _, tr := range desk.Document.Tracks {
		for _, c := range tr.Clips {
			if c.Sound == voice {
				track = tr.ID
			}
		}
	}
	edit(episode, desk.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": track, "part": "voice", "fader": -3, "name": "Presenter"}}})
	want[any](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "Of this one alone", "language": "en", "keywords": []string{"harbour"}}))

	made := want[episodes.Episode](t, "POST", "/shows/"+show+"/layouts", map[string]any{"name": "Feature", "from": episode})
	assert.True(t, made.Layout)
	layouts := want[[]episodes.Layout](t, "GET", "/shows/"+show+"/layouts", nil)
	require.Len(t, layouts, 1)
	require.Len(t, layouts[0].Places, 1)
	assert.Equal(t, "Presenter", layouts[0].Places[0].Track)
	assert.Len(t, layouts[0].Music, 1)
	assert.Equal(t, 0, layouts[0].Made)
	for _, e := range want[[]episodes.Episode](t, "GET", "/shows/"+show+"/episodes", nil) {
		assert.NotEqual(t, made.ID, e.ID, "a layout is no episode")
	}
	for _, s := range want[[]store.Show](t, "GET", "/shows", nil) {
		if s.ID == show {
			assert.Equal(t, 1, s.Episodes)
		}
	}

	fresh := want[episodes.Episode](t, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "The next one", "layout": made.ID})
	assert.Equal(t, made.ID, fresh.MadeFrom)
	assert.Equal(t, []string{"en", "harbour", ""}, []string{fresh.Language, fresh.Keywords[0], fresh.Description})
	begun := want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil)
	assert.Equal(t, audio.DB(-3), begun.Document.Tracks[begun.Document.FindTrack(track)].Fader)

	// A sound that is placed there fills it, and what was said is as long as it is.
	placed := edit(fresh.ID, begun.Version, map[string]any{"type": "insert-clip", "sound": voice, "track": track, "start": layouts[0].Places[0].From + 4800})
	d := want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil).Document
	for _, c := range d.Tracks[d.FindTrack(track)].Clips {
		assert.Equal(t, layouts[0].Places[0].From, c.Start)
	}
	assert.Empty(t, want[[]episodes.Bringable](t, "GET", "/shows/"+show+"/along", nil))

	// The layout changes; the episode is told of, brought along, and that can be undone.
	layout := want[episodes.Desk](t, "GET", "/episodes/"+made.ID, nil)
	edit(made.ID, layout.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": track, "fader": -6}}})
	along := want[[]episodes.Bringable](t, "GET", "/shows/"+show+"/along", nil)
	require.Len(t, along, 1)
	assert.Equal(t, "The fader of Presenter goes to -6.0 dB", along[0].Changes[0].What)
	brought := want[work.ChangeEvent](t, "POST", "/episodes/"+fresh.ID+"/along", nil)
	assert.Equal(t, placed.Version+1, brought.Version, "one step")
	assert.Contains(t, brought.Name, "house sound “Feature”")
	d = want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil).Document
	assert.Equal(t, audio.DB(-6), d.Tracks[d.FindTrack(track)].Fader)
	assert.Empty(t, want[[]episodes.Bringable](t, "GET", "/shows/"+show+"/along", nil))
	code, _ := refusal(t, "POST", "/episodes/"+fresh.ID+"/along", nil)
	assert.Equal(t, "nothing-to-bring", code)
	code, _ = refusal(t, "POST", "/episodes/"+episode+"/along", nil)
	assert.Equal(t, "no-layout", code)
	want[any](t, "POST", "/episodes/"+fresh.ID+"/undo", nil)
	again := want[[]episodes.Bringable](t, "GET", "/shows/"+show+"/along", nil)
	require.Len(t, again, 1, "undone, it is offered again")
	assert.Equal(t, along[0].Changes, again[0].Changes)
	want[any](t, "POST", "/episodes/"+fresh.ID+"/redo", nil)
	assert.Empty(t, want[[]episodes.Bringable](t, "GET", "/shows/"+show+"/along", nil))

	// Both number by themselves: a track that the layout gets is not the one that the episode has got meanwhile.
	layout = want[episodes.Desk](t, "GET", "/episodes/"+made.ID, nil)
	edit(made.ID, layout.Version, map[string]any{"type": "add-track", "part": "effect", "name": "Jingle"})
	d = want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil).Document
	version := want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil).Version
	edit(fresh.ID, version, map[string]any{"type": "add-track", "part": "voice", "name": "Guest"})
	want[any](t, "POST", "/episodes/"+fresh.ID+"/along", nil)
	layout = want[episodes.Desk](t, "GET", "/episodes/"+made.ID, nil)
	of := slices.IndexFunc(layout.Document.Tracks, func(t session.Track) bool { return t.Name == "Jingle" })
	edit(made.ID, layout.Version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": layout.Document.Tracks[of].ID, "fader": -12}}})
	want[any](t, "POST", "/episodes/"+fresh.ID+"/along", nil)
	for _, tr := range want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil).Document.Tracks {
		if tr.Name == "Guest" {
			assert.Equal(t, audio.DB(0), tr.Fader)
		} else if tr.Name == "Jingle" {
			assert.Equal(t, audio.DB(-12), tr.Fader)
		}
	}

	// Without its layout the episode stays.
	want[any](t, "DELETE", "/episodes/"+made.ID, nil)
	assert.Empty(t, want[episodes.Desk](t, "GET", "/episodes/"+fresh.ID, nil).Episode.MadeFrom)
	refused(t, 404, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "x", "layout": made.ID})
	refused(t, 404, "POST", "/shows/"+show+"/episodes", map[string]any{"title": "x", "layout": episode})
	_, elsewhere := newEpisode(t)
	refused(t, 404, "POST", "/shows/"+show+"/layouts", map[string]any{"name": "x", "from": elsewhere})
}

func TestAPieceIsPlayedInsteadOfAnotherAndWhatIsDoneToItHolds(t *testing.T) {
	show, episode := newEpisode(t)
	theme := imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 20*audio.Second, 6))
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	var clip string
	for id := range desk.Document.Tracks[0].Clips {
		clip = id
	}
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": desk.Version, "op": map[string]any{
		"type": "add-points", "points": []any{map[string]any{"clip": clip, "at": 48000, "level": -12}, map[string]any{"clip": clip, "at": 96000, "level": 0}},
	}})
	job := want[work.JobEvent](t, "POST", "/shows/"+show+"/shelf/undertow", map[string]any{"episode": episode, "instead": theme})
	require.Equal(t, "done", string(ended(t, job.ID).State))
	all := clips(t, episode)
	require.Len(t, all, 1)
	assert.NotEqual(t, theme, all[0].Sound)
	assert.Len(t, all[0].Envelope, 2)
	want[any](t, "POST", "/episodes/"+episode+"/undo", nil)
	assert.Equal(t, theme, clips(t, episode)[0].Sound)
}
