package server_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/access"
	"ruvel/internal/notes"
	"ruvel/internal/outside"
	"ruvel/internal/people"
	"ruvel/internal/server"
	"ruvel/internal/store"
	"ruvel/testkit/housetest"
	"ruvel/testkit/provider"
)

// ofSeveral are the operations that are about people, of whom there are several.
var ofSeveral = map[string]bool{
	"sign-in": true, "sign-out": true, "look-at-invitation": true, "accept-invitation": true, "sign-in-outside": true, "come-back": true, "call-me": true,
	"change-password": true, "end-sessions": true, "list-tokens": true, "add-token": true, "remove-token": true, "list-people": true, "renew-password": true,
	"remove-person": true, "list-members": true, "invite": true, "remove-invitation": true, "set-role": true, "remove-member": true, "leave-show": true, "be-here": true,
}

// station is the house with people.
type station struct {
	*housetest.Station
	keeper  store.Person
	outside *provider.Provider
}

var several = sync.OnceValues(func() (*station, error) {
	elsewhere := provider.Start("ruvel", "harbour")
	with, err := house.Several(outside.Settings{Issuer: elsewhere.Address, Client: "ruvel", Secret: "harbour", Name: "Harbour House"})
	if err != nil {
		return nil, err
	}
	st := &station{Station: with, outside: elsewhere}
	link, err := st.People.First(context.Background())
	if err != nil {
		return nil, err
	}
	st.keeper, err = st.People.Accept(context.Background(), link, people.Newcomer{Name: "Ada Quill", SignIn: "Ada", Password: password}, "here")
	return st, err
})

const password = "fog horn at four"

func withPeople(t testing.TB) *station {
	t.Helper()
	st, err := several()
	require.NoError(t, err)
	return st
}

// joins has somebody new be of a show, without a password.
func joins(t testing.TB, show string, role store.Role, name string) store.Person {
	t.Helper()
	secret := make([]byte, 32)
	copy(secret, uuid.NewString())
	i := store.Invitation{ID: store.NewID(), Secret: secret, Kind: store.ForJoin, Show: &show, Role: &role, Ends: time.Now().Add(time.Hour).UTC()}
	require.NoError(t, house.Store.AddInvitation(t.Context(), i))
	p, err := house.Store.Accept(t.Context(), secret, store.Joining{Person: store.Person{Name: name, Letters: people.Letters(name)}})
	require.NoError(t, err)
	return p
}

// peopled adds to a place somebody who is of its show, an invitation, and a note.
func (p *place) peopled(t testing.TB) {
	t.Helper()
	show, role := p.ids["show"], store.Listener
	p.ids["person"] = joins(t, show, role, "Ivo Tern").ID
	secret := make([]byte, 32)
	copy(secret, uuid.NewString())
	i := store.Invitation{ID: store.NewID(), Secret: secret, Kind: store.ForJoin, Show: &show, Role: &role, Ends: time.Now().Add(time.Hour).UTC()}
	require.NoError(t, house.Store.AddInvitation(t.Context(), i))
	n, err := house.Store.AddNote(t.Context(), store.Note{Episode: p.ids["episode"], Words: "Too early"})
	require.NoError(t, err)
	p.ids["invitation"], p.ids["note"], p.ids["mine"], p.ids["somebody"], p.ids["window"] = i.ID, n.ID, store.NewID(), store.NewID(), store.NewID()
}

// token lets somebody in.
func (st *station) token(t testing.TB, who store.Person, n people.NewToken) people.MadeToken {
	t.Helper()
	roles, err := house.Store.RolesOf(t.Context(), who.ID)
	require.NoError(t, err)
	n.Name = "For a test"
	made, err := st.People.MakeToken(access.As(t.Context(), &access.Who{Person: who, Roles: roles}), n)
	require.NoError(t, err)
	return made
}

// answered is what came of a request.
type answered struct {
	status int
	code   string
	said   string
	header http.Header
}

// sends sends a request to the station with some headers.
func (st *station) sends(t testing.TB, method, path string, body any, headers ...string) answered {
	t.Helper()
	was := base
	base = st.Address + "/api"
	defer func() { base = was }()
	status, header, out := call(t, method, path, body, headers...)
	a := answered{status: status, said: string(out), header: header}
	var p struct{ Code string }
	_ = json.Unmarshal(out, &p)
	a.code = p.Code
	return a
}

// as is the header by which somebody is known.
func bearer(token string) []string { return []string{"Authorization", "Bearer " + token} }

// may is what each role may do, by the rights in the description. It is written here once more, by hand.
var may = map[store.Role][]string{
	store.Owner:    {"free", "signed", "belong", "hear", "note", "read", "make", "own"},
	store.Producer: {"free", "signed", "belong", "hear", "note", "read", "make"},
	store.Reader:   {"free", "signed", "belong", "read"},
	store.Listener: {"free", "signed", "belong", "hear", "note"},
}

// All that those can do who make nothing, besides looking at lists that are of no show.
var (
	readersDo   = []string{"list-episodes", "get-picture", "follow-episodes", "list-members", "leave-show", "be-here", "get-script", "get-reading", "list-takes", "add-take", "add-chunk", "finish-take", "discard-take"}
	listenersDo = []string{"list-episodes", "get-picture", "follow-episodes", "list-members", "leave-show", "be-here", "listen", "get-silhouette", "get-hearing", "report-dropouts", "list-notes", "add-note", "change-note", "remove-note"}
)

func TestReadersAndListenersCanDoTheseAndNothingElse(t *testing.T) {
	d := description(t)
	of := map[store.Role][]string{}
	for _, o := range d.operations() {
		op := d.Paths[o[1]][o[0]]
		for role, rights := range may {
			if slices.Contains(rights, op.Needs) && !slices.Contains([]string{"free", "signed"}, op.Needs) {
				of[role] = append(of[role], op.OperationID)
			}
		}
		assert.Contains(t, []string{"free", "signed", "keep", "belong", "hear", "note", "read", "make", "own"}, op.Needs, op.OperationID)
	}
	assert.ElementsMatch(t, readersDo, of[store.Reader])
	assert.ElementsMatch(t, listenersDo, of[store.Listener])
}

// Every route is asked as each role, as somebody of another show, and as nobody.
func TestEveryRouteLetsEachRoleDoWhatItMayAndTellsNobodyMore(t *testing.T) {
	st, d := withPeople(t), description(t)
	refusing := withAll(t) // nothing is to change in it
	elsewhere, _ := newEpisode(t)
	tokens := map[store.Role][]string{}
	persons := map[store.Role]store.Person{}
	for role := range may {
		persons[role] = joins(t, refusing.ids["show"], role, "Somebody "+string(role))
		tokens[role] = bearer(st.token(t, persons[role], people.NewToken{}).Said)
	}
	joins(t, refusing.ids["show"], store.Owner, "Another owner")
	foreign := bearer(st.token(t, joins(t, elsewhere, store.Owner, "Of another show"), people.NewToken{}).Said)
	before["add-token"] = nil
	for _, o := range d.operations() {
		method, path := o[0], o[1]
		op := d.Paths[path][method]
		if ofSeveral[op.OperationID] && !strings.Contains(path, "{show}") && !strings.Contains(path, "{episode}") {
			continue // what is of no show is tried below
		}
		s := refusing.asExample(t, d, method, path)
		ask := func(s sent, headers []string) (int, string) {
			was := base
			base = st.Address + "/api"
			defer func() { base = was }()
			return asks(t, method, path, s, headers...)
		}
		about := strings.Contains(path, "{") && op.Needs != "signed" && op.Needs != "free"
		// Nobody: whatever it is about, and whether there is such a thing, the same is said.
		status, said := ask(s, nil)
		if op.Needs == "free" {
			assert.Less(t, status, 300, op.OperationID)
		} else {
			assert.Equal(t, 401, status, "%s as nobody: %s", op.OperationID, said)
		}
		if !about && op.OperationID != "follow-episodes" {
			continue
		}
		if op.OperationID == "follow-episodes" { // whose stream tells nothing
			_, said := ask(s, foreign)
			assert.NotContains(t, said, refusing.ids["episode"])
			continue
		}
		// Somebody of another show: as if there were nothing, to the byte.
		status, said = ask(s, foreign)
		assert.Equal(t, 404, status, "%s as somebody of another show: %s", op.OperationID, said)
		_, nothing := ask(refusing.asNobodys(s), foreign)
		assert.Equal(t, nothing, said, op.OperationID)
		for role, rights := range may {
			if slices.Contains(rights, op.Needs) {
				continue
			}
			status, said := ask(s, tokens[role])
			assert.Equal(t, 403, status, "%s as %s: %s", op.OperationID, role, said)
			assert.Contains(t, said, "not-allowed")
		}
	}
}

// asNobodys is a request about something that there is not.
func (p *place) asNobodys(s sent) sent {
	for name, id := range p.ids {
		if len(id) == 36 || len(id) == 64 && (name == "sound" || name == "picture") {
			s.path = strings.Replace(s.path, "/"+id, "/"+nobodys(name), 1)
		}
	}
	return s
}

func TestWhatARoleMayGoesWell(t *testing.T) {
	st, d := withPeople(t), description(t)
	for _, role := range []store.Role{store.Reader, store.Listener, store.Producer, store.Owner} {
		for _, o := range d.operations() {
			method, path := o[0], o[1]
			op := d.Paths[path][method]
			if !slices.Contains(may[role], op.Needs) || op.Needs == "free" || op.Needs == "signed" || role == store.Owner && op.Needs != "own" && op.Needs != "belong" {
				continue // what an owner does as a producer is tried as one
			}
			p := furnished(t)
			joins(t, p.ids["show"], store.Owner, "Another owner")
			who := joins(t, p.ids["show"], role, "Somebody")
			if first := before[op.OperationID]; first != nil {
				first(p, t)
			}
			db := house.Store.Sessions()
			for _, query := range []string{"UPDATE takes SET person_id = ? WHERE episode_id = ?", "UPDATE notes SET person_id = ? WHERE episode_id = ?", "UPDATE history SET person_id = ? WHERE episode_id = ?"} {
				_, err := db.ExecContext(t.Context(), query, who.ID, p.ids["episode"])
				require.NoError(t, err)
			}
			token := st.token(t, who, people.NewToken{}).Said
			headers := bearer(token)
			if op.OperationID == "leave-show" || op.OperationID == "invite" {
				headers = st.session(t, who)
			}
			s := p.asExample(t, d, method, path)
			func() {
				was := base
				base = st.Address + "/api"
				defer func() { base = was }()
				status, said := asks(t, method, path, s, headers...)
				assert.Less(t, status, 300, "%s as %s: %s", op.OperationID, role, said)
			}()
		}
	}
}

// session is the header of a browser in which somebody has signed in.
func (st *station) session(t testing.TB, who store.Person) []string {
	t.Helper()
	link, err := st.People.Renew(t.Context(), who.ID)
	require.NoError(t, err)
	got := st.sends(t, "POST", "/invitations/accept", map[string]any{"link": link, "password": password})
	require.Equal(t, 200, got.status, got.said)
	return []string{"Cookie", strings.SplitN(got.header.Get("Set-Cookie"), ";", 2)[0]}
}

func TestSomebodyComesInByALinkThatIsGoodOnce(t *testing.T) {
	st := withPeople(t)
	show := furnished(t).ids["show"]
	owner := st.session(t, joins(t, show, store.Owner, "Owner"))
	link := func() string {
		got := st.sends(t, "POST", "/shows/"+show+"/people", map[string]any{"role": "reader", "note": "The archivist"}, owner...)
		require.Equal(t, 200, got.status, got.said)
		var i people.Invited
		require.NoError(t, json.Unmarshal([]byte(got.said), &i))
		assert.InDelta(t, 7*24, time.Until(i.Ends).Hours(), 1, "seven days")
		return i.Link
	}
	first := link()
	got := st.sends(t, "POST", "/invitations/look", map[string]any{"link": first})
	assert.Contains(t, got.said, `"role":"reader"`)
	assert.Contains(t, got.said, `"by":"Owner"`)
	said := map[string]any{"link": first, "name": "Maud\u202e Gale ", "signIn": "Maud@Harbour", "password": "short"}
	assert.Equal(t, "bad-password", st.sends(t, "POST", "/invitations/accept", said).code)
	said["password"] = password
	got = st.sends(t, "POST", "/invitations/accept", said)
	require.Equal(t, 200, got.status, got.said)
	assert.Contains(t, got.said, `"name":"Maud Gale"`)
	assert.Contains(t, got.said, `"letters":"MG"`)
	cookie := got.header.Get("Set-Cookie")
	for _, flag := range []string{"HttpOnly", "SameSite=Lax", "Path=/"} {
		assert.Contains(t, cookie, flag)
	}
	assert.NotContains(t, cookie, "Secure")
	assert.Equal(t, "link-used", st.sends(t, "POST", "/invitations/accept", said).code)
	assert.Equal(t, 410, st.sends(t, "POST", "/invitations/look", map[string]any{"link": first}).status)

	// Behind TLS the cookie goes by TLS alone.
	got = st.sends(t, "POST", "/sign-in", map[string]any{"name": " MAUD@harbour", "password": password}, "X-Forwarded-Proto", "https")
	require.Equal(t, 200, got.status, got.said)
	assert.Contains(t, got.header.Get("Set-Cookie"), "; Secure")

	// A name is taken once; who is there already joins as themselves.
	second := link()
	said["link"] = second
	assert.Equal(t, "name-taken", st.sends(t, "POST", "/invitations/accept", said).code)
	of := furnished(t).ids["show"]
	visitor := joins(t, of, store.Owner, "Visitor")
	got = st.sends(t, "POST", "/invitations/accept", map[string]any{"link": second}, st.session(t, visitor)...)
	require.Equal(t, 200, got.status, got.said)
	roles, err := house.Store.RolesOf(t.Context(), visitor.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]store.Role{of: store.Owner, show: store.Reader}, roles)

	// One that was taken back is no longer good, nor is one that has ended.
	third := link()
	list := st.sends(t, "GET", "/shows/"+show+"/people", nil, owner...)
	var now people.OfShow
	require.NoError(t, json.Unmarshal([]byte(list.said), &now))
	require.NotEmpty(t, now.Invited)
	assert.Empty(t, now.Invited[0].Link, "which is told once")
	for _, i := range now.Invited {
		assert.Equal(t, 204, st.sends(t, "DELETE", "/shows/"+show+"/invitations/"+i.ID, nil, owner...).status)
	}
	assert.Equal(t, "link-used", st.sends(t, "POST", "/invitations/look", map[string]any{"link": third}).code)
	fourth := link()
	_, err = house.Store.Sessions().ExecContext(t.Context(), "UPDATE invitations SET ends_at = '2020-01-01' WHERE show_id = ? AND used_at IS NULL", show)
	require.NoError(t, err)
	assert.Equal(t, "link-used", st.sends(t, "POST", "/invitations/look", map[string]any{"link": fourth}).code)

	// Two at once: one comes in.
	fifth := link()
	var in sync.WaitGroup
	statuses := make(chan int, 4)
	for i := range 4 {
		in.Go(func() {
			body, _ := json.Marshal(map[string]any{"link": fifth, "name": "Twin", "signIn": fmt.Sprintf("twin %d %s", i, show), "password": password})
			r, err := http.Post(st.Address+"/api/invitations/accept", "application/json", strings.NewReader(string(body)))
			if assert.NoError(t, err) {
				_ = r.Body.Close()
				statuses <- r.StatusCode
			}
		})
	}
	in.Wait()
	close(statuses)
	well := 0
	for s := range statuses {
		if s == 200 {
			well++
		} else {
			assert.Equal(t, 410, s)
		}
	}
	assert.Equal(t, 1, well)
}

func TestWrongPasswordsSlowDownWhoGuessesAndNobodyElse(t *testing.T) {
	st := withPeople(t)
	show := furnished(t).ids["show"]
	who := joins(t, show, store.Producer, "Guessed at")
	name := "guessed " + who.ID
	_, err := house.Store.Sessions().ExecContext(t.Context(), "UPDATE people SET sign_in = ? WHERE id = ?", name, who.ID)
	require.NoError(t, err)
	st.session(t, who) // which gives them the password
	try := func(name, password, from string) answered {
		return st.sends(t, "POST", "/sign-in", map[string]any{"name": name, "password": password}, "X-Forwarded-For", from)
	}
	home, thief := "192.0.2.7", "2001:db8:5:6::1"
	require.Equal(t, 200, try(name, password, home).status)
	var wrong string
	guesses := 0
	for got := try(name, "guess", thief); got.code != "too-often"; got = try(name, "guess", thief) {
		require.Equal(t, "wrong-password", got.code)
		wrong = got.said
		guesses++
		require.Less(t, guesses, 14, "each is waited for longer than the one before")
	}
	assert.GreaterOrEqual(t, guesses, 4)
	got := try(name, "guess", "2001:db8:5:6:ffff::2") // of the same /64
	assert.Equal(t, "too-often", got.code)
	assert.Equal(t, 429, got.status)
	assert.Equal(t, 200, try(name, password, home).status, "who guesses elsewhere keeps nobody out")
	assert.Equal(t, 200, try("ada", password, "2001:db8:5:6::1").status, "nor on the same network, somebody else")
	// Of somebody whom there is not the same is said, and as much is worked for it: not nothing.
	assert.Equal(t, wrong, try("nobody "+who.ID, "guess", "192.0.2.99").said)
	quickest := func(name string) time.Duration {
		least := time.Hour
		for i := range 3 {
			begun := time.Now()
			try(name, "guess", fmt.Sprintf("192.0.2.%d", 90+i))
			least = min(least, time.Since(begun))
		}
		return least
	}
	assert.Greater(t, quickest("nobody "+show), quickest(name)/4)
	// Many networks at one person: slow as well, but not from where they have come in before.
	for i := range 31 {
		try(name, "guess", fmt.Sprintf("198.51.100.%d", i))
	}
	assert.Equal(t, "too-often", try(name, password, "203.0.113.5").code)
	assert.Equal(t, 200, try(name, password, home).status)
}

func TestAPasswordIsChangedForgottenAndAllSessionsEnd(t *testing.T) {
	st := withPeople(t)
	show := furnished(t).ids["show"]
	who := joins(t, show, store.Producer, "Changes")
	one := st.session(t, who)
	in := func(headers []string) int { return st.sends(t, "GET", "/shows", nil, headers...).status }
	assert.Equal(t, 200, in(one))
	assert.Equal(t, "wrong-password", st.sends(t, "POST", "/me/password", map[string]any{"old": "no", "new": "two long blasts"}, one...).code)
	got := st.sends(t, "POST", "/me/password", map[string]any{"old": password, "new": "two long blasts"}, one...)
	require.Equal(t, 200, got.status, got.said)
	two := []string{"Cookie", strings.SplitN(got.header.Get("Set-Cookie"), ";", 2)[0]}
	assert.Equal(t, 401, in(one), "which has ended")
	assert.Equal(t, 200, in(two))
	assert.Equal(t, 204, st.sends(t, "POST", "/me/sessions/end", nil, two...).status)
	assert.Equal(t, 401, in(two))
	three := st.session(t, who) // by a link for who has forgotten
	assert.Equal(t, 200, in(three))
	assert.Equal(t, 204, st.sends(t, "POST", "/sign-out", nil, three...).status)
	assert.Equal(t, 401, in(three))
	// Such links are made by who looks after this Ruvel alone.
	assert.Equal(t, 403, st.sends(t, "POST", "/people/"+who.ID+"/renew", nil, st.session(t, who)...).status)
	assert.Equal(t, 200, st.sends(t, "POST", "/people/"+who.ID+"/renew", nil, st.session(t, st.keeper)...).status)
	// Who leaves is let in nowhere.
	four := st.session(t, who)
	token := bearer(st.token(t, who, people.NewToken{}).Said)
	assert.Equal(t, 200, in(token))
	assert.Equal(t, 204, st.sends(t, "DELETE", "/people/"+who.ID, nil, st.session(t, st.keeper)...).status)
	assert.Equal(t, 401, in(four))
	assert.Equal(t, 401, in(token))
	assert.Equal(t, "last-keeper", st.sends(t, "DELETE", "/people/"+st.keeper.ID, nil, st.session(t, st.keeper)...).code)
}

func TestATokenReachesAsFarAsItSaysAndEndsAtOnce(t *testing.T) {
	st := withPeople(t)
	here, there := furnished(t), furnished(t)
	who := joins(t, here.ids["show"], store.Owner, "Scripts")
	role := store.Owner
	show := there.ids["show"]
	secret := []byte("0123456789abcdef" + uuid.NewString()[:16])
	require.NoError(t, house.Store.AddInvitation(t.Context(), store.Invitation{ID: store.NewID(), Secret: secret, Kind: store.ForJoin, Show: &show, Role: &role, Ends: time.Now().Add(time.Hour).UTC()}))
	_, err := house.Store.Accept(t.Context(), secret, store.Joining{Person: who})
	require.NoError(t, err)
	all, looks, one := st.token(t, who, people.NewToken{}), st.token(t, who, people.NewToken{Looks: true}), st.token(t, who, people.NewToken{Show: here.ids["show"]})
	rename := func(p *place, token string) answered {
		return st.sends(t, "PATCH", "/shows/"+p.ids["show"], map[string]any{"name": "Harbour Hours"}, bearer(token)...)
	}
	assert.Equal(t, 204, rename(here, all.Said).status)
	assert.Equal(t, 204, rename(there, all.Said).status)
	assert.Equal(t, 403, rename(here, looks.Said).status)
	assert.Equal(t, 200, st.sends(t, "GET", "/episodes/"+here.ids["episode"], nil, bearer(looks.Said)...).status)
	assert.Equal(t, 403, st.sends(t, "POST", "/uploads", nil, bearer(looks.Said)...).status)
	assert.Equal(t, 204, rename(here, one.Said).status)
	assert.Equal(t, 404, rename(there, one.Said).status)
	assert.Equal(t, 403, st.sends(t, "POST", "/me/tokens", map[string]any{"name": "More"}, bearer(all.Said)...).status, "a token makes no tokens")
	for _, bad := range []string{"", "x", "ruvel_", "ruvel_" + strings.Repeat("A", 32), all.Said + "A"} {
		assert.Equal(t, 401, rename(here, bad).status, bad)
	}
	assert.Equal(t, 401, st.sends(t, "GET", "/me", nil, bearer("ruvel_gone")...).status, "that it is not good is said everywhere")
	session := st.session(t, who)
	got := st.sends(t, "GET", "/me/tokens", nil, session...)
	assert.NotContains(t, got.said, all.Said)
	assert.Equal(t, 204, st.sends(t, "DELETE", "/me/tokens/"+all.ID, nil, session...).status)
	assert.Equal(t, 401, rename(here, all.Said).status)
	// It is by name that steps made with one are its owner's.
	base := want[struct{ Version int64 }](t, "GET", "/episodes/"+here.ids["episode"], nil).Version
	require.Equal(t, 200, st.sends(t, "POST", "/episodes/"+here.ids["episode"]+"/edits", map[string]any{"base": base, "op": map[string]any{"type": "add-marker", "at": 0, "name": "Here"}}, bearer(one.Said)...).status)
	steps := st.sends(t, "GET", "/episodes/"+here.ids["episode"]+"/history", nil, bearer(one.Said)...)
	assert.Contains(t, steps.said, `"by":"Scripts"`)
}

func TestAShowHasAnOwnerAndRolesChangeAtOnce(t *testing.T) {
	st := withPeople(t)
	p := furnished(t)
	show := p.ids["show"]
	owner, other := joins(t, show, store.Owner, "Owner"), joins(t, show, store.Producer, "Producer")
	as, members := st.session(t, owner), "/shows/"+show+"/people/"
	assert.Equal(t, "last-owner", st.sends(t, "PUT", members+owner.ID, map[string]any{"role": "producer"}, as...).code)
	assert.Equal(t, "last-owner", st.sends(t, "POST", "/shows/"+show+"/leave", nil, as...).code)
	token := bearer(st.token(t, other, people.NewToken{}).Said)
	desk := func() int { return st.sends(t, "GET", "/episodes/"+p.ids["episode"], nil, token...).status }
	assert.Equal(t, 200, desk())
	assert.Equal(t, 204, st.sends(t, "PUT", members+other.ID, map[string]any{"role": "listener"}, as...).status)
	assert.Equal(t, 403, desk())
	assert.Equal(t, 204, st.sends(t, "PUT", members+other.ID, map[string]any{"role": "owner"}, as...).status)
	assert.Equal(t, 200, desk())
	assert.Equal(t, 204, st.sends(t, "POST", "/shows/"+show+"/leave", nil, as...).status)
	assert.Equal(t, 404, st.sends(t, "GET", "/episodes/"+p.ids["episode"], nil, as...).status)
}

// What a stream tells goes by the role of who follows it.
func TestEventsTellEachRoleItsOwnAndEndWithIt(t *testing.T) {
	st := withPeople(t)
	p := furnished(t)
	episode := p.ids["episode"]
	producer, listener := joins(t, p.ids["show"], store.Producer, "Producer"), joins(t, p.ids["show"], store.Listener, "Listener")
	follow := func(who store.Person) <-chan string {
		lines := make(chan string, 100)
		r, err := http.NewRequestWithContext(t.Context(), "GET", st.Address+"/api/events?episode="+episode, nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+st.token(t, who, people.NewToken{}).Said)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		go func() {
			defer close(lines)
			defer answer.Body.Close()
			for in := bufio.NewScanner(answer.Body); in.Scan(); {
				if data, is := strings.CutPrefix(in.Text(), "data: "); is {
					lines <- data
				}
			}
		}()
		require.Contains(t, <-lines, `"version"`)
		return lines
	}
	until := func(lines <-chan string, part string) (seen string) {
		for {
			select {
			case line, more := <-lines:
				require.True(t, more, "the stream ended before %s", part)
				if seen += line + "\n"; strings.Contains(line, part) {
					return seen
				}
			case <-time.After(patience):
				require.Fail(t, "not told", part)
			}
		}
	}
	making, hearing := follow(producer), follow(listener)
	do(t, episode, 1, map[string]any{"type": "add-marker", "at": 0, "name": "Nobody's business"})
	assert.Contains(t, until(making, `"change"`), "Nobody's business")
	assert.NotContains(t, until(hearing, `"change"`), "Nobody's business")
	want[any](t, "PATCH", "/episodes/"+episode+"/script", map[string]any{"base": 0, "text": "# Fog"})
	until(making, `"script"`)
	token := st.token(t, listener, people.NewToken{}).Said
	require.Equal(t, 200, st.sends(t, "POST", "/episodes/"+episode+"/notes", map[string]any{"words": "Lovely", "begins": 48000}, bearer(token)...).status)
	assert.NotContains(t, until(hearing, `"notes"`), `"script"`)
	require.NoError(t, house.Store.Leave(t.Context(), p.ids["show"], listener.ID))
	require.Eventually(t, func() bool {
		select {
		case _, more := <-hearing:
			return !more
		default:
			return false
		}
	}, patience, tick, "who is no longer of the show is told nothing any more")
}

func TestANoteIsAnsweredChangedByItsWriterAndSettled(t *testing.T) {
	st := withPeople(t)
	p := furnished(t)
	listener := bearer(st.token(t, joins(t, p.ids["show"], store.Listener, "Ida Swell"), people.NewToken{}).Said)
	producer := bearer(st.token(t, joins(t, p.ids["show"], store.Producer, "Ben Tide"), people.NewToken{}).Said)
	at := "/episodes/" + p.ids["episode"] + "/notes"
	var n notes.Note
	add := func(body map[string]any, as []string) notes.Note {
		got := st.sends(t, "POST", at, body, as...)
		require.Equal(t, 200, got.status, got.said)
		n = notes.Note{}
		require.NoError(t, json.Unmarshal([]byte(got.said), &n))
		return n
	}
	first := add(map[string]any{"words": " The horn comes too early.\u202e ", "begins": 48000, "ends": 96000}, listener)
	assert.Equal(t, "The horn comes too early.", first.Words)
	assert.Equal(t, "Ida Swell", first.By)
	add(map[string]any{"words": "By a second.", "answers": first.ID}, producer)
	add(map[string]any{"words": "Two, even.", "answers": n.ID}, listener)
	note := "/notes/" + first.ID
	assert.Equal(t, 403, st.sends(t, "PATCH", note, map[string]any{"words": "Mine now"}, producer...).status)
	assert.Equal(t, 200, st.sends(t, "PATCH", note, map[string]any{"settled": true}, producer...).status)
	assert.Equal(t, "empty-note", st.sends(t, "PATCH", note, map[string]any{"words": " \u200e "}, listener...).code)
	assert.Equal(t, 200, st.sends(t, "PATCH", note, map[string]any{"words": "The horn comes early."}, listener...).status)
	var all []notes.Note
	require.NoError(t, json.Unmarshal([]byte(st.sends(t, "GET", at, nil, producer...).said), &all))
	i := slices.IndexFunc(all, func(n notes.Note) bool { return n.ID == first.ID })
	require.GreaterOrEqual(t, i, 0)
	assert.Equal(t, "Ben Tide", all[i].Settler)
	assert.Equal(t, "The horn comes early.", all[i].Words)
	require.Len(t, all[i].Answers, 2)
	assert.False(t, all[i].Yours)
	assert.True(t, all[i].Answers[0].Yours)
	// It is in nothing that is handed over.
	_, _, archive := call(t, "GET", "/episodes/"+p.ids["episode"]+"/archive", nil)
	assert.NotContains(t, string(archive), "horn comes early")
	assert.Equal(t, 403, st.sends(t, "DELETE", "/notes/"+all[i].Answers[0].ID, nil, listener...).status)
	assert.Equal(t, 204, st.sends(t, "DELETE", note, nil, producer...).status)
	assert.Equal(t, 404, st.sends(t, "DELETE", note, nil, producer...).status)
}

func TestWithOnePersonNothingIsAskedAndPagesAreWhereTheyWere(t *testing.T) {
	var me server.Me
	_, _, out := call(t, "GET", "/me", nil)
	require.NoError(t, json.Unmarshal(out, &me))
	assert.Equal(t, server.Me{Begins: true}, me)
	code, said := refused(t, 409, "POST", "/sign-in", map[string]any{"name": "ada", "password": password})
	assert.Equal(t, "one-person", code)
	assert.Contains(t, said, "--people")
}

func TestPagesAndFeedsHaveAPortOfTheirOwn(t *testing.T) {
	p := furnished(t)
	link := p.linked(t)
	alone := &server.Server{Store: house.Store, Publish: house.Publish, Bucket: house.Bucket, Space: house.Space, Handover: house.Handover}
	pages := httptest.NewServer(alone.PagesHandler())
	defer pages.Close()
	status := func(address string) int {
		r, err := http.Get(address)
		require.NoError(t, err)
		defer r.Body.Close()
		return r.StatusCode
	}
	feed := want[struct{ Path string }](t, "GET", "/shows/"+p.ids["show"]+"/feed", nil).Path
	for _, path := range []string{link.Path, link.Path + "/sound", feed} {
		assert.Equal(t, 200, status(pages.URL+path), path)
	}
	for _, path := range []string{"/", "/api/shows", "/api/health", "/api/me", "/episodes/" + p.ids["episode"], "/assets/", "/index.html"} {
		assert.Equal(t, 404, status(pages.URL+path), path)
	}
	apart := withPeople(t).Server
	apart.PagesApart = true
	desk := httptest.NewServer(apart.Handler())
	apart.PagesApart = false
	defer desk.Close()
	for _, path := range []string{link.Path + "/sound", feed} { // the application says what is not there
		r, err := http.Get(desk.URL + path)
		require.NoError(t, err)
		defer r.Body.Close()
		assert.Contains(t, r.Header.Get("Content-Type"), "text/html", path)
		assert.NotContains(t, r.Header.Get("Content-Security-Policy"), "media-src", path)
	}
}

func TestSomebodySignsInWithAProviderElsewhere(t *testing.T) {
	st := withPeople(t)
	show := furnished(t).ids["show"]
	owner := st.session(t, joins(t, show, store.Owner, "Owner"))
	browser := provider.Browser()
	comeIn := func(link, as string) (path string, cookies []*http.Cookie) {
		st.outside.Be(as, "Noor Vane")
		body, _ := json.Marshal(map[string]any{"link": link})
		r, err := browser.Post(st.Address+"/api/sign-in/outside", "application/json", strings.NewReader(string(body)))
		require.NoError(t, err)
		defer r.Body.Close()
		require.Equal(t, 200, r.StatusCode)
		var away server.Away
		require.NoError(t, json.NewDecoder(r.Body).Decode(&away))
		back, err := browser.Get(away.Address)
		require.NoError(t, err)
		defer back.Body.Close()
		return back.Request.URL.RequestURI(), browser.Jar.Cookies(back.Request.URL)
	}
	as := "subject " + show
	path, _ := comeIn("", as)
	assert.Contains(t, path, "/sign-in?why=not-invited")
	var i people.Invited
	require.NoError(t, json.Unmarshal([]byte(st.sends(t, "POST", "/shows/"+show+"/people", map[string]any{"role": "producer"}, owner...).said), &i))
	path, cookies := comeIn(i.Link, as)
	assert.Equal(t, "/", path)
	got := st.sends(t, "GET", "/me", nil, "Cookie", cookies[0].String())
	assert.Contains(t, got.said, "Noor Vane")
	path, _ = comeIn("", as)
	assert.Equal(t, "/", path, "now they are known")
	// What does not fit what was asked is not believed.
	for _, lie := range []string{"nonce", "audience", "signature", "issuer", "expired"} {
		st.outside.Lie = lie
		path, _ = comeIn("", as)
		assert.Contains(t, path, "/sign-in?why=outside-refused", lie)
	}
	st.outside.Lie = ""
	forged := st.sends(t, "GET", "/sign-in/back?state=a&code=b", nil)
	assert.NotContains(t, forged.header.Get("Set-Cookie"), "ruvel-desk=a")
}
