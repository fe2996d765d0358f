package publish_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/mmcdole/gofeed"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/links"
	"ruvel/internal/publish"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

// finished is an episode of a new show with a finished file of one of its formats.
func finished(t *testing.T, format string, made store.MadeOf) (store.Episode, store.Mixdown) {
	t.Helper()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err := house.Store.AddEpisode(ctx, show.ID, "The Last Fog Signal", 7, session.New())
	require.NoError(t, err)
	doc := session.New()
	doc.Markers = map[string]session.Marker{
		"m1": {Name: "The lamp", At: audio.Second, Chapter: true}, "m2": {Name: "The horn", At: 3 * audio.Second, Chapter: true},
	}
	doc.Next = 3
	m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 1, Format: format, Channels: 2, Ends: 5 * audio.Second, File: "fog." + format, Bytes: 100}
	m.Made.Of = made
	m.Loudness.Of.Length = 5 * audio.Second
	require.NoError(t, house.Store.AddMixdown(ctx, m, doc))
	m, err = house.Store.Mixdown(ctx, m.ID)
	require.NoError(t, err)
	return e, m
}

func TestAPageSaysWhatTheEpisodeSaysAndHasTheChaptersOfItsFile(t *testing.T) {
	e, m := finished(t, "mp3", store.MadeOf{})
	require.NoError(t, house.Store.ReviseEpisode(ctx, e.ID, testkit.Revised(t, map[string]any{"description": "Of a horn"})))
	shared, err := house.Publish.Share(ctx, m.ID, publish.NewLink{Comments: true})
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(shared.Path, publish.Pages+"/"))
	assert.Equal(t, []any{m.ID, "fog.mp3", true, false, false}, []any{shared.Mixdown, shared.File, shared.Comments, shared.Password, shared.Transcript})
	l, err := house.Store.Link(ctx, shared.ID)
	require.NoError(t, err)
	sheet := l.Page.Of.Sheet
	assert.Equal(t, []any{"Harbour Hours", "The Last Fog Signal", 7, "Of a horn"}, []any{sheet.Show, sheet.Title, sheet.Number, sheet.Description})
	require.Len(t, sheet.Chapters, 2)
	assert.Equal(t, "The horn", sheet.Chapters[1].Title)

	// Of a file of one chapter it is that chapter's.
	_, one := finished(t, "mp3", store.MadeOf{Chapter: "The horn"})
	shared, err = house.Publish.Share(ctx, one.ID, publish.NewLink{})
	require.NoError(t, err)
	assert.Contains(t, shared.Title, "The horn")

	// Stems are no sound, and a transcript needs a script.
	_, stems := finished(t, "stems", store.MadeOf{})
	_, err = house.Publish.Share(ctx, stems.ID, publish.NewLink{})
	assert.Equal(t, "no-sound", testkit.Code(t, err))
	_, err = house.Publish.Share(ctx, m.ID, publish.NewLink{Transcript: true})
	assert.Equal(t, "no-script", testkit.Code(t, err))
	_, err = house.Publish.Share(ctx, store.NewID(), publish.NewLink{})
	assert.True(t, store.IsNotFound(err))
}

func TestWhatListenersWriteIsToldShownAndRemoved(t *testing.T) {
	e, m := finished(t, "mp3", store.MadeOf{})
	shared, err := house.Publish.Share(ctx, m.ID, publish.NewLink{Comments: true})
	require.NoError(t, err)
	l, err := house.Store.Link(ctx, shared.ID)
	require.NoError(t, err)
	require.NoError(t, house.Publish.Comment(ctx, l, 2*audio.Second, "Wren", "Louder here."))
	sharing, err := house.Publish.Sharing(ctx, e.ID)
	require.NoError(t, err)
	require.Len(t, sharing.Remarks, 1)
	r := sharing.Remarks[0]
	assert.Equal(t, []any{"Wren", "Louder here.", 2 * audio.Second, store.CommentState("new")}, []any{r.Name, r.Words, r.Place, r.State})
	require.NoError(t, house.Publish.SetComment(ctx, r.ID, "shown"))
	require.NoError(t, house.Publish.RemoveComment(ctx, r.ID))
	assert.True(t, store.IsNotFound(house.Publish.RemoveComment(ctx, r.ID)))

	no := false
	shared, err = house.Publish.Change(ctx, shared.ID, publish.ChangedLink{Comments: &no})
	require.NoError(t, err)
	assert.False(t, shared.Comments)
	shared, err = house.Publish.Withdraw(ctx, shared.ID)
	require.NoError(t, err)
	assert.True(t, shared.Withdrawn)
	_, err = links.Open(ctx, house.Store, l.Address, "")
	require.ErrorIs(t, err, links.ErrWithdrawn)
}

func TestAnEpisodeIsInTheFeedOnceAndTheFeedIsMadeWhenItChanges(t *testing.T) {
	e, m := finished(t, "mp3", store.MadeOf{})
	state := func() publish.Publishing {
		p, err := house.Publish.Publication(ctx, e.ID)
		require.NoError(t, err)
		return p
	}
	assert.Equal(t, "never", state().State)
	later := time.Now().Add(time.Hour)
	require.NoError(t, house.Publish.Publish(ctx, e.ID, publish.ToPublish{Mixdown: m.ID, At: &later}))
	assert.Equal(t, "waiting", state().State)
	require.NoError(t, house.Publish.Publish(ctx, e.ID, publish.ToPublish{Mixdown: m.ID}))
	assert.Equal(t, []any{"published", m.ID, "fog.mp3"}, []any{state().State, state().Mixdown, state().File})

	f, err := links.FeedOf(ctx, house.Store, e.Show)
	require.NoError(t, err)
	const self = "https://example.org/f/harbour"
	read := func() *gofeed.Feed {
		text, err := house.Publish.FeedText(ctx, f, self, time.Now())
		require.NoError(t, err)
		feed, err := gofeed.NewParser().ParseString(string(text))
		require.NoError(t, err)
		return feed
	}
	feed := read()
	require.Len(t, feed.Items, 1)
	guid := feed.Items[0].GUID
	require.Len(t, feed.Items[0].Enclosures, 1)
	assert.Equal(t, []string{self + "/" + e.ID + "/sound.mp3", "100", "audio/mpeg"},
		[]string{feed.Items[0].Enclosures[0].URL, feed.Items[0].Enclosures[0].Length, feed.Items[0].Enclosures[0].Type})

	view, err := house.Publish.ReviseFeed(ctx, e.Show, testkit.Revised(t, map[string]any{"name": "harbour-" + e.ID[:8], "description": "Of a harbour"}))
	require.NoError(t, err)
	assert.Equal(t, publish.Feeds+"/harbour-"+e.ID[:8], view.Path)
	f, err = links.FeedOf(ctx, house.Store, e.Show)
	require.NoError(t, err)
	assert.Equal(t, "Of a harbour", read().Description)

	require.NoError(t, house.Publish.Publish(ctx, e.ID, publish.ToPublish{Mixdown: m.ID}))
	assert.Equal(t, guid, read().Items[0].GUID, "it stays the same episode to players")
	require.NoError(t, house.Publish.Unpublish(ctx, e.ID))
	assert.Equal(t, "withdrawn", state().State)
	assert.Empty(t, read().Items)
	before := f.Address
	_, err = house.Publish.RenewFeed(ctx, e.Show)
	require.NoError(t, err)
	f, err = links.FeedOf(ctx, house.Store, e.Show)
	require.NoError(t, err)
	assert.NotEqual(t, before, f.Address)
	_, chapter := finished(t, "mp3", store.MadeOf{Chapter: "The horn"})
	require.Error(t, house.Publish.Publish(ctx, e.ID, publish.ToPublish{Mixdown: chapter.ID}), "another episode's")
}
