package balance_test

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/even"
	"ruvel/core/session"
	"ruvel/internal/balance"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

// spoken is an episode in which somebody speaks over music, with the version that it is at.
func spoken(t *testing.T) (episode string, version int64) {
	t.Helper()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, _ := house.Placed(t, show.ID, "The Last Fog Signal", session.Voice, testkit.Spoken(12*audio.Second))
	_, music := house.Placed(t, show.ID, "Elsewhere", session.Music, testkit.Noise(2, 0.2, 12*audio.Second, 3))
	for _, op := range []edit.Op{edit.AddTrack{Part: session.Music, Name: "Bed"}, nil} {
		doc, at, err := house.Store.Document(ctx, e.ID)
		require.NoError(t, err)
		if op == nil {
			op = edit.InsertClip{Sound: music, Track: doc.Tracks[len(doc.Tracks)-1].ID, Length: 12 * audio.Second}
		}
		_, err = house.Store.Edit(ctx, e.ID, at, "", op)
		require.NoError(t, err)
	}
	_, version, err = house.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	return e.ID, version
}

func TestRoomIsMadeByTheTracksThatCoverSpeechAndNothingChanges(t *testing.T) {
	episode, version := spoken(t)
	of, err := house.Balance.Of(ctx, episode, version)
	require.NoError(t, err)
	require.NotNil(t, of.Typical)
	assert.Less(t, *of.Typical, of.Target.Lead, "music covers the voice")
	room, err := house.Balance.Room(ctx, episode, version, nil)
	require.NoError(t, err)
	require.Len(t, room.Rows, 1)
	assert.Equal(t, "Bed", room.Rows[0].Name)
	assert.InDelta(t, room.Then.Target.Lead, *room.Then.Typical, 1, "with it speech leads by what is aimed at")

	left, err := house.Balance.Room(ctx, episode, version, []string{room.Rows[0].Track})
	require.NoError(t, err)
	assert.Empty(t, left.Rows, "but for what is left as it is")
	assert.Equal(t, *left.Now.Typical, *left.Then.Typical)
	after, err := house.Balance.After(ctx, episode, edit.SetTracks{Tracks: []edit.TrackChange{{Track: room.Rows[0].Track, Way: &room.Rows[0].Way}}})
	require.NoError(t, err)
	assert.InDelta(t, *room.Then.Typical, *after.Typical, 1e-9, "an edit that does it comes to the same")
	_, now, err := house.Store.Document(ctx, episode)
	require.NoError(t, err)
	assert.Equal(t, version, now)
	lines, err := house.Balance.WayLines(ctx, episode, version, []string{room.Rows[0].Track})
	require.NoError(t, err)
	assert.Empty(t, lines[0].Points, "a track that makes no way has no line")
}

func TestVoicesThatAreEvenedOutAreFoundOnceForAllWhoAsk(t *testing.T) {
	episode, version := spoken(t)
	quieter := -20.0
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			out, err := house.Balance.Even(ctx, episode, balance.Wish{By: even.Loudness, To: &quieter})
			if assert.NoError(t, err) && assert.Len(t, out.Rows, 1, "the voice alone") {
				assert.Equal(t, version, out.Version)
				assert.InDelta(t, quieter, out.Target, 0)
			}
		})
	}
	all.Wait()
	doc, _, err := house.Store.Document(ctx, episode)
	require.NoError(t, err)
	bed := doc.Tracks[len(doc.Tracks)-1].ClipsInOrder()
	out, err := house.Balance.Even(ctx, episode, balance.Wish{By: even.Loudness, Clips: bed})
	require.NoError(t, err)
	assert.Equal(t, "Bed", out.Rows[0].Track, "or what was chosen, on whatever track")
}

func TestAVoiceIsKnownAlsoWhereItsTrackIsMuted(t *testing.T) {
	episode, version := spoken(t)
	doc, _, err := house.Store.Document(ctx, episode)
	require.NoError(t, err)
	voice := doc.Tracks[0].ID
	heard, err := house.Balance.Voice(ctx, episode, voice, version)
	require.NoError(t, err)
	require.Contains(t, heard.Ordinary, session.Peaks)
	assert.Greater(t, heard.Ordinary[session.Peaks], heard.Ordinary[session.Level], "its peaks stand over its level")
	c, err := house.Store.Edit(ctx, episode, version, "", edit.SetTracks{Tracks: []edit.TrackChange{{Track: voice, Mute: new(true)}}})
	require.NoError(t, err)
	muted, err := house.Balance.Voice(ctx, episode, voice, c.Version)
	require.NoError(t, err)
	assert.Equal(t, heard.Spread, muted.Spread)
	assert.Equal(t, heard.Suggested, muted.Suggested)
	_, err = house.Balance.Voice(ctx, episode, "t99", c.Version)
	assert.Equal(t, "unknown-track", testkit.Code(t, err))
}

func TestWhatIsNotThereHasNoBalance(t *testing.T) {
	nobody := store.NewID()
	for name, ask := range map[string]func() error{
		"balance":    func() error { _, err := house.Balance.Of(ctx, nobody, 0); return err },
		"room":       func() error { _, err := house.Balance.Room(ctx, nobody, 0, nil); return err },
		"evening":    func() error { _, err := house.Balance.Even(ctx, nobody, balance.Wish{}); return err },
		"voice":      func() error { _, err := house.Balance.Voice(ctx, nobody, "t1", 0); return err },
		"loudness":   func() error { _, err := house.Balance.Measured(ctx, nobody); return err },
		"estimate":   func() error { _, err := house.Balance.Estimated(ctx, nobody); return err },
		"silhouette": func() error { _, err := house.Balance.Silhouette(ctx, nobody, 100); return err },
	} {
		assert.True(t, store.IsNotFound(ask()), name)
	}
}
