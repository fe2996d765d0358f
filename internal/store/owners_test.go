package store_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/session"
	"ruvel/internal/store"
	"ruvel/testkit"
)

func TestFromWhateverBelongsToAShowThatShowIsFound(t *testing.T) {
	st, show, e := open(t)
	doc, version, err := st.Document(ctx, e.ID)
	require.NoError(t, err)
	ids := map[store.Thing]string{store.AShow: show.ID, store.AnEpisode: e.ID, store.ASound: testkit.ID(0), store.APicture: strings.Repeat("d", 64)}
	layout, err := st.AddLayout(ctx, show.ID, "Feature", session.New(), e.Said())
	require.NoError(t, err)
	job, err := st.AddJob(ctx, store.NewID(), "elsewhere", show.ID, nil, "a.wav", nil)
	require.NoError(t, err)
	take, err := st.AddTake(ctx, store.Take{Episode: e.ID, Track: "t1", Rate: 48000, Channels: 1})
	require.NoError(t, err)
	named, err := st.NameVersion(ctx, e.ID, "Then")
	require.NoError(t, err)
	m := store.Mixdown{ID: store.NewID(), Episode: e.ID, Version: version, Format: "mp3", File: "fog.mp3"}
	require.NoError(t, st.AddMixdown(ctx, m, doc))
	n := store.Sending{ID: store.NewID(), Episode: e.ID, Mixdown: &m.ID, File: m.File, Host: "quay"}
	require.NoError(t, st.AddSending(ctx, n))
	l := store.Link{ID: store.NewID(), Address: "AddressOfThirtyTwoSigns_12345678", Episode: e.ID, Mixdown: &m.ID}
	require.NoError(t, st.AddLink(ctx, l))
	c := store.Comment{ID: store.NewID(), Link: l.ID, Name: "A listener", Words: "Louder"}
	require.NoError(t, st.AddComment(ctx, c))
	kept, err := st.KeepTreatment(ctx, show.ID, "Presenter", session.Usual())
	require.NoError(t, err)
	require.NoError(t, st.AddPicture(ctx, show.ID, store.Picture{ID: ids[store.APicture], Type: "image/jpeg"}))
	role := store.Reader
	offered := store.Invitation{ID: store.NewID(), Secret: make([]byte, 32), Kind: store.ForJoin, Show: &show.ID, Role: &role, Ends: time.Now().Add(time.Hour).UTC()}
	require.NoError(t, st.AddInvitation(ctx, offered))
	member, err := st.Accept(ctx, offered.Secret, store.Joining{Person: store.Person{Name: "Maud Gale", Letters: "MG"}})
	require.NoError(t, err)
	note, err := st.AddNote(ctx, store.Note{Episode: e.ID, Words: "Too early"})
	require.NoError(t, err)
	for thing, id := range map[store.Thing]string{
		store.AnOffer: offered.ID, store.AMember: member.ID, store.ANote: note.ID,
		store.ALayout: layout.ID, store.AJob: job.ID, store.ATake: take.ID, store.AVersion: named.ID, store.AMixdown: m.ID, store.ASending: n.ID,
		store.ALink: l.ID, store.AComment: c.ID, store.ATreatment: kept.ID,
	} {
		ids[thing] = id
	}
	for _, thing := range store.Things() {
		require.NotEmpty(t, ids[thing], "one of each kind: %s", thing)
		shows, err := st.ShowsWith(ctx, thing, ids[thing])
		require.NoError(t, err)
		assert.Equal(t, map[string][]string{ids[thing]: {show.ID}}, shows, "of the %s", thing)
		none, err := st.ShowsWith(ctx, thing, store.NewID())
		require.NoError(t, err)
		assert.Empty(t, none, "of no %s", thing)
	}
	none, err := st.ShowsWith(ctx, store.ALayout, e.ID)
	require.NoError(t, err)
	assert.Empty(t, none, "an episode is no layout")

	other, err := st.AddShow(ctx, "Tide Table")
	require.NoError(t, err)
	require.NoError(t, st.AddPicture(ctx, other.ID, store.Picture{ID: ids[store.APicture], Type: "image/jpeg"}))
	shows, err := st.ShowsWith(ctx, store.APicture, ids[store.APicture])
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{show.ID, other.ID}, shows[ids[store.APicture]], "what is named by its content may be of several")
	both, err := st.ShowsWith(ctx, store.AnEpisode, e.ID, store.NewID(), layout.ID)
	require.NoError(t, err)
	assert.Len(t, both, 2, "several in one query")
}
