package links_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/links"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

// finished is a store with an episode and a file that was made of it.
func finished(t *testing.T) (*store.Store, store.Episode, store.Mixdown) {
	t.Helper()
	st, err := store.Open(t.Context(), dbtest.New(t))
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	show, err := st.AddShow(t.Context(), "Harbour Hours")
	require.NoError(t, err)
	e, m := another(t, st, show.ID)
	return st, e, m
}

func another(t *testing.T, st *store.Store, show string) (store.Episode, store.Mixdown) {
	t.Helper()
	e, err := st.AddEpisode(t.Context(), show, "The Last Fog Signal", 0, session.New())
	require.NoError(t, err)
	m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 1, Format: "mp3", File: "fog.mp3"}
	require.NoError(t, st.AddMixdown(t.Context(), m, session.New()))
	return e, m
}

func TestALinkLetsInWhoeverHasItUntilItEndsOrIsWithdrawn(t *testing.T) {
	st, _, m := finished(t)
	ctx := t.Context()
	l, err := links.Make(ctx, st, m, store.Page{File: m.File}, links.Wanted{})
	require.NoError(t, err)
	assert.Len(t, l.Address, 32, "192 bits in base64 (RFC 4648, 5)")
	got, err := links.Open(ctx, st, l.Address, "")
	require.NoError(t, err)
	assert.Equal(t, l.ID, got.ID)
	for _, wrong := range []string{"", l.Address[1:], strings.Repeat("A", 32), l.Address + "A"} {
		_, err = links.Open(ctx, st, wrong, "")
		assert.True(t, store.IsNotFound(err), wrong)
	}
	soon := time.Now().Add(time.Hour)
	require.NoError(t, links.Change(ctx, st, l.ID, links.Changed{Ends: &soon}))
	_, err = links.Open(ctx, st, l.Address, "")
	require.NoError(t, err)
	past := time.Now().Add(-time.Minute)
	assert.Equal(t, "ends-before", testkit.Code(t, links.Change(ctx, st, l.ID, links.Changed{Ends: &past})))
	require.NoError(t, st.ChangeLink(ctx, l.ID, func(l *store.Link) error { l.Ends = &past; return nil }))
	_, err = links.Open(ctx, st, l.Address, "")
	assert.ErrorIs(t, err, links.ErrEnded)
	require.NoError(t, links.Change(ctx, st, l.ID, links.Changed{Endless: true}))
	require.NoError(t, st.WithdrawLink(ctx, l.ID))
	_, err = links.Open(ctx, st, l.Address, "")
	assert.ErrorIs(t, err, links.ErrWithdrawn)
	assert.Equal(t, "link-withdrawn", testkit.Code(t, links.Change(ctx, st, l.ID, links.Changed{Endless: true})))
}

func TestAPasswordIsAskedForAndAnotherOneIsAnotherKey(t *testing.T) {
	st, _, m := finished(t)
	ctx := t.Context()
	for _, wrong := range []string{"short", strings.Repeat("long ", 21)} {
		_, err := links.Make(ctx, st, m, store.Page{}, links.Wanted{Password: wrong})
		assert.Equal(t, "bad-password", testkit.Code(t, err))
	}
	l, err := links.Make(ctx, st, m, store.Page{}, links.Wanted{Password: "three blasts"})
	require.NoError(t, err)
	assert.NotContains(t, l.Password, "blasts", "it is kept as a hash")
	locked, err := links.Open(ctx, st, l.Address, "")
	require.ErrorIs(t, err, links.ErrLocked)
	for _, guess := range []string{"two blasts..", "", strings.Repeat("x", 5000)} {
		key, err := links.Unlock(locked, guess)
		require.NoError(t, err)
		assert.Empty(t, key)
	}
	key, err := links.Unlock(locked, "three blasts")
	require.NoError(t, err)
	_, err = links.Open(ctx, st, l.Address, key)
	require.NoError(t, err)
	next := "four blasts!"
	require.NoError(t, links.Change(ctx, st, l.ID, links.Changed{Password: &next}))
	_, err = links.Open(ctx, st, l.Address, key)
	assert.ErrorIs(t, err, links.ErrLocked, "the key of the password before does not open any more")
	none := ""
	require.NoError(t, links.Change(ctx, st, l.ID, links.Changed{Password: &none}))
	_, err = links.Open(ctx, st, l.Address, "")
	assert.NoError(t, err)
}

func TestACommentIsKeptTidyWithinItsLimitsAndWithinTheFile(t *testing.T) {
	st, e, m := finished(t)
	ctx := t.Context()
	quiet, err := links.Make(ctx, st, m, store.Page{Length: 10 * audio.Second}, links.Wanted{})
	require.NoError(t, err)
	assert.Equal(t, "no-comments", testkit.Code(t, links.Comment(ctx, st, quiet, 0, "", "Louder")))
	l, err := links.Make(ctx, st, m, store.Page{Length: 10 * audio.Second}, links.Wanted{Comments: true})
	require.NoError(t, err)
	for code, said := range map[string][2]string{
		"empty-comment": {"Odd", " \u200b\u202e\n"},
		"too-long":      {"Odd", strings.Repeat("é", links.LongestWords+1)},
	} {
		assert.Equal(t, code, testkit.Code(t, links.Comment(ctx, st, l, 0, said[0], said[1])))
	}
	assert.Equal(t, "too-long", testkit.Code(t, links.Comment(ctx, st, l, 0, strings.Repeat("n", links.LongestName+1), "Louder")))
	require.NoError(t, links.Comment(ctx, st, l, 99*audio.Second, " Odd\n\u202eman ", " \xffLouder,\r\nplease\x00 "))
	all, err := st.Comments(ctx, e.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, []any{"Odd man", "Louder,\nplease", 10 * audio.Second}, []any{all[0].Name, all[0].Words, all[0].At})
}

func TestAnEpisodeIsPublishedOnceHoweverOftenItsFileIsMadeAnew(t *testing.T) {
	st, e, m := finished(t)
	ctx := t.Context()
	require.NoError(t, links.Publish(ctx, st, e, m, store.Page{}, nil))
	first, err := st.Publication(ctx, e.ID)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), first.Published, time.Minute)
	m2 := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 2, Format: "mp3", File: "fog2.mp3"}
	require.NoError(t, st.AddMixdown(ctx, m2, session.New()))
	require.NoError(t, links.Publish(ctx, st, e, m2, store.Page{}, nil))
	again, err := st.Publication(ctx, e.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{first.GUID, first.Published, m2.ID}, []any{again.GUID, again.Published, *again.Mixdown}, "the same episode with another file")
	// One that is to come later, and is put off.
	later := time.Now().Add(48 * time.Hour).Truncate(time.Second).UTC()
	require.NoError(t, links.Publish(ctx, st, e, m2, store.Page{}, &later))
	again, err = st.Publication(ctx, e.ID)
	require.NoError(t, err)
	assert.True(t, later.Equal(again.Published))
	require.NoError(t, links.Publish(ctx, st, e, m2, store.Page{}, nil))
	again, err = st.Publication(ctx, e.ID)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), again.Published, time.Minute, "at once, for it had not come yet")

	_, elsewhere := another(t, st, e.Show)
	assert.True(t, store.IsNotFound(links.Publish(ctx, st, e, elsewhere, store.Page{}, nil)), "a file of another episode")
	chapter := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: 1, Format: "mp3", File: "02.mp3"}
	chapter.Made.Of.Chapter = "Talk"
	require.NoError(t, st.AddMixdown(ctx, chapter, session.New()))
	assert.Equal(t, "chapter-alone", testkit.Code(t, links.Publish(ctx, st, e, chapter, store.Page{}, nil)))
}

func TestAFeedSaysWhatCanStandInOne(t *testing.T) {
	st, e, _ := finished(t)
	ctx := context.Background()
	address, err := links.Address()
	require.NoError(t, err)
	_, err = st.Feed(ctx, e.Show, address)
	require.NoError(t, err)
	for _, c := range []struct{ field, text, code string }{
		{"name", "Harbour Hours", "bad-name"},
		{"name", "ab", "bad-name"},
		{"home", "javascript:alert(1)", "bad-link"},
		{"contact", "nobody", "bad-contact"},
		{"contact", "@", "bad-contact"},
		{"author", strings.Repeat("a", 201), "too-long"},
		{"description", strings.Repeat("a", 4001), "too-long"},
	} {
		err := links.ReviseFeed(ctx, st, e.Show, testkit.Revised(t, map[string]any{c.field: c.text}))
		assert.Equal(t, c.code, testkit.Code(t, err), "%s %.20s", c.field, c.text)
	}
	require.NoError(t, links.ReviseFeed(ctx, st, e.Show, testkit.Revised(t, map[string]any{"name": "harbour-hours", "author": " Ada\u202e Quill\n", "home": "https://example.org"})))
	f, err := st.Feed(ctx, e.Show, address)
	require.NoError(t, err)
	assert.Equal(t, "harbour-hours", *f.Name)
	assert.Equal(t, "Ada Quill", f.Said.Of.Author)
	before := f.Address
	require.NoError(t, links.RenewFeed(ctx, st, e.Show))
	f, err = st.Feed(ctx, e.Show, address)
	require.NoError(t, err)
	assert.NotEqual(t, before, f.Address)
	assert.Len(t, f.Address, 32)
}
