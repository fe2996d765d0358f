package store_test

import (
	"database/sql"
	"os"
	"strings"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/testkit/dbtest"
)

// asOfVersion is an empty database as it was at a version of its tables: its DSN, and what changes it.
func asOfVersion(t *testing.T, version int64) (dsn string, do func(query string, values ...any)) {
	t.Helper()
	dsn = dbtest.New(t)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	older, err := goose.NewProvider(goose.DialectMySQL, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = older.UpTo(ctx, version)
	require.NoError(t, err)
	return dsn, func(query string, values ...any) {
		t.Helper()
		_, err := db.ExecContext(ctx, query, values...)
		require.NoError(t, err)
	}
}

// What was kept by a version before, whose tables were of version 13, is there as it was.
func TestWhatTheVersionBeforeHasKeptIsReadOn(t *testing.T) {
	dsn, do := asOfVersion(t, 13)
	show, layout, episode, mixdown, link := store.NewID(), store.NewID(), store.NewID(), store.NewID(), store.NewID()
	was, now := session.New(), session.New()
	was.Tracks = []session.Track{{ID: "t1", Name: "Music", Part: session.Music, Clips: map[string]session.Clip{}}}
	now.Tracks = []session.Track{{ID: "t1", Name: "Music", Part: session.Music, Fader: -6, Clips: map[string]session.Clip{}}}
	do(`INSERT INTO shows (id, name) VALUES (?, 'Harbour Hours')`, show)
	do(`INSERT INTO episodes (id, show_id, number, title, document, length, next_id, description, language, details, layout) VALUES (?, ?, 0, 'Feature', ?, 0, 2, '', '', '{}', TRUE)`, layout, show, now.JSON())
	do(`INSERT INTO episodes (id, show_id, number, title, document, length, next_id, description, language, details, made_from, made_of) VALUES (?, ?, 1, 'Fog', ?, 0, 2, '', '', '{}', ?, ?)`,
		episode, show, was.JSON(), layout, was.JSON())
	do(`INSERT INTO mixdowns (id, episode_id, version, format, file, channels, begins, ends, bytes, loudness) VALUES (?, ?, 1, 'mp3', 'fog.mp3', 2, 0, 1, 3, '{}')`, mixdown, episode)
	page := `{"sheet":{"title":"Fog “at” four","chapters":[{"at":0,"end":4,"title":"One"}]},"transcript":[{"key":"a","kind":"spoken","text":"Two long “blasts”."}],"outline":"AAECAw==","begins":0,"length":4,"file":"fog.mp3","bytes":3,"type":"audio/mpeg"}`
	do(`INSERT INTO links (id, address, episode_id, mixdown_id, page, password) VALUES (?, 'AddressOfThirtyTwoSigns_12345678', ?, ?, ?, '')`, link, episode, mixdown, page)
	do(`INSERT INTO publications (episode_id, show_id, guid, mixdown_id, page, published_at) VALUES (?, ?, ?, ?, ?, '2026-01-02')`, episode, show, store.NewID(), mixdown, page)

	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer st.Close()
	l, err := st.LinkAt(ctx, "AddressOfThirtyTwoSigns_12345678")
	require.NoError(t, err)
	assert.True(t, l.Page.Of.Told)
	assert.Empty(t, l.Page.Of.Transcript, "which is read by itself")
	assert.Equal(t, "Fog “at” four", l.Page.Of.Sheet.Title)
	assert.Equal(t, []byte{0, 1, 2, 3}, l.Page.Of.Outline)
	assert.Len(t, l.Page.Of.Sheet.Chapters, 1)
	parts, err := st.LinkTranscript(ctx, link)
	require.NoError(t, err)
	require.Len(t, parts, 1)
	assert.Equal(t, "Two long “blasts”.", parts[0].Text)
	parts, err = st.PublishedTranscript(ctx, episode)
	require.NoError(t, err)
	assert.Len(t, parts, 1)
	e, err := st.Episode(ctx, episode)
	require.NoError(t, err)
	doc, _, err := st.Document(ctx, episode)
	require.NoError(t, err)
	inLine, err := st.InLineWith(ctx, e, doc)
	require.NoError(t, err)
	assert.Equal(t, string(was.JSON()), string(inLine.JSON()), "it is told what has changed in its layout since")
}

// Before, a chapter could have a picture of another show.
func TestAPictureOfAnotherShowThatAChapterHasIsItsShowsOwnFromNowOn(t *testing.T) {
	dsn, do := asOfVersion(t, 14)
	here, there, episode := store.NewID(), store.NewID(), store.NewID()
	shown, named, other := strings.Repeat("a", 64), strings.Repeat("b", 64), strings.Repeat("c", 64)
	with := func(picture string) []byte {
		doc := session.New()
		doc.Markers = map[string]session.Marker{"m1": {Name: "Fog", Chapter: true, Picture: picture}}
		return doc.JSON()
	}
	do(`INSERT INTO shows (id, name) VALUES (?, 'Harbour Hours'), (?, 'Tide Table')`, here, there)
	do(`INSERT INTO episodes (id, show_id, number, title, document, length, next_id, description, language, details) VALUES (?, ?, 1, 'Fog', ?, 0, 2, '', '', '{}')`, episode, here, with(shown))
	do(`INSERT INTO versions (id, episode_id, version, length, name, document) VALUES (?, ?, 1, 0, 'Then', ?)`, store.NewID(), episode, with(named))
	for i, id := range []string{shown, named, other} {
		do(`INSERT INTO pictures (show_id, id, type, size, bytes) VALUES (?, ?, 'image/jpeg', ?, 9)`, there, id, 300+i)
	}

	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer st.Close()
	for i, id := range []string{shown, named} {
		p, err := st.Picture(ctx, here, id)
		require.NoError(t, err)
		assert.Equal(t, store.Picture{ID: id, Type: "image/jpeg", Size: 300 + i, Bytes: 9}, p)
	}
	_, err = st.Picture(ctx, here, other)
	assert.True(t, store.IsNotFound(err), "what it does not have is not brought to it")
	_, err = st.Edit(ctx, episode, 1, "", edit.SetMarkers{Markers: []edit.MarkerChange{{Marker: "m1", Picture: &other}}})
	assert.True(t, store.IsNotFound(err), "nor by an edit")
	_, err = st.Edit(ctx, episode, 1, "", edit.SetMarkers{Markers: []edit.MarkerChange{{Marker: "m1", Picture: &named}}})
	assert.NoError(t, err)
}

// What was made while there was one person, by a version whose tables were of version 15, stays nobody's, and is gone back by as before.
func TestWhatOnePersonMadeIsTheFirstOnesToLookAfter(t *testing.T) {
	dsn, do := asOfVersion(t, 15)
	show, episode := store.NewID(), store.NewID()
	do(`INSERT INTO shows (id, name) VALUES (?, 'Harbour Hours')`, show)
	doc := session.New()
	doc.Target = "podcast-mono"
	do(`INSERT INTO episodes (id, show_id, number, title, document, version, steps, length, next_id, description, language, details) VALUES (?, ?, 1, 'Fog', ?, 2, 1, 0, 1, '', '', '{}')`, episode, show, doc.JSON())
	do(`INSERT INTO history (episode_id, step, name, gesture, forward, backward) VALUES (?, 1, 'Set the target', '', '[{"op":"replace","path":"/target","value":"podcast-mono"}]', '[{"op":"replace","path":"/target","value":"podcast-stereo"}]')`, episode)
	do(`INSERT INTO jobs (id, kind, show_id, name, arguments) VALUES (?, 'import', ?, 'a.wav', '{}')`, store.NewID(), show)
	do(`INSERT INTO takes (id, episode_id, number, track, begins, late, rate, channels, mono, device) VALUES (?, ?, 1, 't1', 0, 0, 48000, 1, TRUE, '')`, store.NewID(), episode)

	st, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer st.Close()
	jobs, err := st.Unfinished(ctx)
	require.NoError(t, err)
	assert.Len(t, jobs, 1)
	assert.Equal(t, store.Author{}, jobs[0].Author())
	takes, err := st.Takes(ctx, episode)
	require.NoError(t, err)
	assert.Len(t, takes, 1)
	secret := make([]byte, 32)
	require.NoError(t, st.AddInvitation(ctx, store.Invitation{ID: store.NewID(), Secret: secret, Kind: store.ForFirst, Ends: time.Now().Add(time.Hour).UTC()}))
	first, err := st.Accept(ctx, secret, store.Joining{Person: store.Person{Name: "Ada Quill", Letters: "AQ"}})
	require.NoError(t, err)
	assert.True(t, first.Keeper)
	roles, err := st.RolesOf(ctx, first.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]store.Role{show: store.Owner}, roles)
	_, err = st.Undo(store.By(ctx, store.Author{ID: first.ID, Name: first.Name}), episode, 0)
	assert.ErrorContains(t, err, "nothing of yours")
	c, err := st.Undo(ctx, episode, 0)
	require.NoError(t, err)
	assert.Equal(t, "podcast-stereo", c.Document.Target)
}
