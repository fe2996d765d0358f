package people_test

import (
	"context"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/problem"
	"ruvel/internal/access"
	"ruvel/internal/people"
	"ruvel/internal/store"
	"ruvel/testkit/dbtest"
	"ruvel/testkit/law"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

func open(t *testing.T) (*people.People, store.Show) {
	t.Helper()
	st, err := store.Open(t.Context(), dbtest.New(t))
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	show, err := st.AddShow(t.Context(), "Harbour Hours")
	require.NoError(t, err)
	p, err := people.New(st)
	require.NoError(t, err)
	return p, show
}

func code(t *testing.T, err error) string {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	return p.Code
}

const password = "fog horn at four"

func TestTheLettersOfANameAreItsFirstAndItsLast(t *testing.T) {
	for name, letters := range map[string]string{
		"Ada Quill": "AQ", "maud": "Ma", "Ivo van der Tern": "IT", "Ørsted Å": "ØÅ", "7 Seas": "7S", "李 雷": "李雷", "…": "…", "O'Neill": "ON", "x": "X",
	} {
		assert.Equal(t, letters, people.Letters(name), name)
	}
	law.Check(t, func(t *rapid.T) {
		name, err := people.Name(rapid.String().Draw(t, "name"))
		if err != nil {
			return
		}
		letters := people.Letters(name)
		if n := utf8.RuneCountInString(letters); n < 1 || n > 6 || len(letters) > 12 {
			t.Fatalf("%q has the letters %q", name, letters)
		}
	})
}

func TestANameToSignInByIsFoundHoweverItIsWritten(t *testing.T) {
	for _, said := range []string{"maud@harbour", " MAUD@Harbour ", "Ｍaud@harbour", "maud@harbour\u200b"} {
		assert.Equal(t, "maud@harbour", people.Folded(said), said)
	}
	for _, cherokee := range []string{"\u13a0", "\uab70"} {
		assert.Equal(t, people.Folded("\u13a0"), people.Folded(cherokee))
	}
	law.Check(t, func(t *rapid.T) {
		once := people.Folded(rapid.String().Draw(t, "name"))
		if again := people.Folded(once); again != once {
			t.Fatalf("%q becomes %q", once, again)
		}
	})
}

func TestTheLinkForTheFirstPersonIsGoodOnceAndTheLatestAlone(t *testing.T) {
	p, show := open(t)
	before, err := p.First(t.Context())
	require.NoError(t, err)
	link, err := p.First(t.Context())
	require.NoError(t, err)
	ada := people.Newcomer{Name: "Ada Quill", SignIn: "Ada", Password: password}
	_, err = p.Accept(t.Context(), before, ada, "here")
	assert.Equal(t, "link-used", code(t, err), "there is a later one")
	o, err := p.Offer(t.Context(), link)
	require.NoError(t, err)
	assert.Equal(t, store.ForFirst, o.Kind)
	first, err := p.Accept(t.Context(), link, ada, "here")
	require.NoError(t, err)
	assert.True(t, first.Keeper)
	who, err := p.Who(t.Context(), first.ID, first.Epoch)
	require.NoError(t, err)
	assert.Equal(t, store.Owner, who.Roles[show.ID])
	_, err = p.Who(t.Context(), first.ID, first.Epoch+1)
	assert.True(t, store.IsNotFound(err))
	none, err := p.First(t.Context())
	require.NoError(t, err)
	assert.Empty(t, none, "there is somebody")
	_, err = p.Accept(t.Context(), link, ada, "here")
	assert.Equal(t, "link-used", code(t, err))
}

func TestWhatIsWrongAboutANewcomerIsSaidAndUsesNoLinkUp(t *testing.T) {
	p, _ := open(t)
	link, err := p.First(t.Context())
	require.NoError(t, err)
	for says, n := range map[string]people.Newcomer{
		"no-name":      {SignIn: "ada", Password: password},
		"bad-password": {Name: "Ada", SignIn: "ada", Password: "nine sign"},
		"too-long":     {Name: strings.Repeat("a", 61), SignIn: "ada", Password: password},
	} {
		_, err := p.Accept(t.Context(), link, n, "here")
		assert.Equal(t, says, code(t, err))
	}
	_, err = p.Accept(t.Context(), link, people.Newcomer{Name: "Ada", SignIn: "\u200b ", Password: password}, "here")
	assert.Equal(t, "no-name", code(t, err))
	_, err = p.Accept(t.Context(), link, people.Newcomer{Name: "Ada", SignIn: "ada", Password: strings.Repeat("a", 101)}, "here")
	assert.Equal(t, "bad-password", code(t, err))
	_, err = p.Accept(t.Context(), link, people.Newcomer{Name: "Ada", SignIn: "ada", Password: password}, "here")
	assert.NoError(t, err)
}

// Who is invited twice keeps the wider role; who is there already joins as themselves.
func TestTheWiderOfTwoRolesStays(t *testing.T) {
	p, show := open(t)
	for _, c := range []struct{ first, second, stays store.Role }{
		{store.Listener, store.Producer, store.Producer},
		{store.Producer, store.Listener, store.Producer},
		{store.Reader, store.Owner, store.Owner},
		{store.Owner, store.Producer, store.Owner},
		{store.Reader, store.Listener, store.Reader},
		{store.Producer, store.Owner, store.Owner},
	} {
		link := func(role store.Role) string {
			i, err := p.InviteBy(t.Context(), nil, show.ID, role, "")
			require.NoError(t, err)
			return i.Link
		}
		name := string(c.first + " " + c.second)
		who, err := p.Accept(t.Context(), link(c.first), people.Newcomer{Name: name, SignIn: name, Password: password}, "here")
		require.NoError(t, err)
		as := access.As(t.Context(), &access.Who{Person: who})
		_, err = p.Accept(as, link(c.second), people.Newcomer{}, "here")
		require.NoError(t, err)
		roles, err := p.Store.RolesOf(t.Context(), who.ID)
		require.NoError(t, err)
		assert.Equal(t, c.stays, roles[show.ID], name)
	}
	_, err := p.InviteBy(t.Context(), nil, show.ID, store.Reader, "")
	require.NoError(t, err)
	assert.Equal(t, "unknown-role", code(t, p.SetRole(t.Context(), show.ID, store.NewID(), "king")))
}

func TestPasswordsAreWorkedOnAFewAtATimeAndWhoWaitsLongIsTold(t *testing.T) {
	p, _ := open(t)
	link, err := p.First(t.Context())
	require.NoError(t, err)
	_, err = p.Accept(t.Context(), link, people.Newcomer{Name: "Ada", SignIn: "ada", Password: password}, "here")
	require.NoError(t, err)
	gone, stop := context.WithCancel(t.Context())
	stop()
	_, err = p.SignIn(gone, "ada", password, "there")
	assert.Error(t, err)
	begun := time.Now()
	_, err = p.SignIn(t.Context(), "ada", password, "there")
	assert.NoError(t, err, "what broke off is not counted for long")
	assert.Less(t, time.Since(begun), 30*time.Second)
}
