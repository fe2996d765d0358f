package server

import (
	"context"
	"maps"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/alexedwards/scs/mysqlstore"
	"github.com/alexedwards/scs/v2"

	"ruvel/internal/access"
	"ruvel/internal/store"
)

const (
	// signedIn is the cookie of a browser in which somebody has signed in.
	signedIn = "ruvel-desk"
	// signedInFor is how long that lasts.
	signedInFor = 30 * 24 * time.Hour

	sessionPerson = "person"
	sessionEpoch  = "epoch"
)

// newSessions keeps sessions in the database, by the digest of what the browser has. Those that have ended are swept with everything else.
func newSessions(st *store.Store) *scs.SessionManager {
	m := scs.New()
	m.Lifetime = signedInFor
	m.HashTokenInStore = true
	if st != nil {
		m.Store = mysqlstore.NewWithCleanupInterval(st.Sessions(), 0)
	}
	return m
}

// open are the addresses under /api that whoever reaches the port may ask for.
var open = map[string]bool{
	"/api/health": true, "/api/me": true, "/api/sign-in": true, "/api/sign-out": true, "/api/invitations/look": true, "/api/invitations/accept": true,
	"/api/sign-in/outside": true, "/api/sign-in/back": true,
}

// known finds out who asks, where there are several people, and lets nobody further who is not known. A token that is not good is said to
// be that, also where none is needed.
func (s *Server) known(next http.Handler) http.Handler {
	if s.People == nil {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := withRequest(r.Context(), r)
		who, err := s.whoAsks(ctx, r)
		switch {
		case err != nil && !store.IsNotFound(err):
			refuseFor(w, err)
			return
		case who == nil && r.Header.Get("Authorization") != "":
			refuse(w, newError(http.StatusUnauthorized, "This token is not good, or not any more.", "not-signed-in"))
			return
		case who == nil && !open[r.URL.Path]:
			refuseFor(w, access.Unknown())
			return
		case who != nil && who.Looks && r.Method != http.MethodGet && r.Method != http.MethodHead:
			refuse(w, newError(http.StatusForbidden, "This token may look, and change nothing.", "not-allowed"))
			return
		}
		if who != nil {
			ctx = access.As(ctx, who)
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// whoAsks is who sends a request, by its token or by its session; nil: nobody that is known.
func (s *Server) whoAsks(ctx context.Context, r *http.Request) (*access.Who, error) {
	if given := r.Header.Get("Authorization"); given != "" {
		kind, token, _ := strings.Cut(given, " ")
		if !strings.EqualFold(kind, "Bearer") {
			return nil, nil
		}
		return s.People.ByToken(ctx, strings.TrimSpace(token))
	}
	c, err := r.Cookie(signedIn)
	if err != nil || c.Value == "" {
		return nil, nil
	}
	in, err := s.sessions.Load(ctx, c.Value)
	if err != nil {
		return nil, err
	}
	person := s.sessions.GetString(in, sessionPerson)
	if person == "" {
		return nil, nil
	}
	return s.People.Who(ctx, person, s.sessions.GetInt(in, sessionEpoch))
}

// begin begins a session of somebody, and gives its cookie.
func (s *Server) begin(ctx context.Context, p store.Person) (http.Cookie, error) {
	in, err := s.sessions.Load(ctx, "") // a new one: what a browser had before is not taken over
	if err != nil {
		return http.Cookie{}, err
	}
	s.sessions.Put(in, sessionPerson, p.ID)
	s.sessions.Put(in, sessionEpoch, p.Epoch)
	token, _, err := s.sessions.Commit(in)
	return cookie(ctx, token, int(signedInFor.Seconds())), err
}

// end ends the session of a browser, and takes its cookie away.
func (s *Server) end(ctx context.Context) (http.Cookie, error) {
	r := requestIn(ctx)
	if c, err := r.Cookie(signedIn); err == nil {
		in, err := s.sessions.Load(ctx, c.Value)
		if err == nil {
			err = s.sessions.Destroy(in)
		}
		if err != nil {
			return http.Cookie{}, err
		}
	}
	return cookie(ctx, "", -1), nil
}

// cookie is one that no script reads and that goes to no other site; behind TLS it goes by TLS alone.
func cookie(ctx context.Context, value string, seconds int) http.Cookie {
	return http.Cookie{Name: signedIn, Value: value, Path: "/", HttpOnly: true, Secure: encrypted(requestIn(ctx)), SameSite: http.SameSiteLaxMode, MaxAge: seconds}
}

type requestKey struct{}

// withRequest lets what is done for a request look at it.
func withRequest(ctx context.Context, r *http.Request) context.Context {
	return context.WithValue(ctx, requestKey{}, r)
}

func requestIn(ctx context.Context) *http.Request {
	if r, is := ctx.Value(requestKey{}).(*http.Request); is {
		return r
	}
	return &http.Request{}
}

// networkOf is where a request comes from: an address, of IPv6 its /64. Where a web server stands in front, on this machine, it is what that
// names last: the one that has asked it.
func networkOf(r *http.Request) string {
	from, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		from = r.RemoteAddr
	}
	if address, err := netip.ParseAddr(from); err == nil && address.Unmap().IsLoopback() {
		if through := r.Header.Values("X-Forwarded-For"); len(through) > 0 {
			last := strings.Split(through[len(through)-1], ",")
			from = shorten(strings.TrimSpace(last[len(last)-1]))
		}
	}
	return network(from)
}

// stays gives a context that ends soon after the one who asks may not go on any more: after they have left, been taken out of a show, or
// ended their sessions. right is what they need for what is named.
func (s *Server) stays(ctx context.Context, right access.Right, all ...access.Named) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	who := access.Asks(ctx)
	if s.People == nil || who == nil {
		return ctx, cancel
	}
	go func() {
		defer cancel()
		tick := time.NewTicker(heartbeat)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			now, err := s.People.Again(ctx, who)
			if err == nil {
				err = s.Access.Enter(access.As(ctx, now), right, all...)
			}
			if err != nil && !store.IsAway(err) || err == nil && !maps.Equal(now.Roles, who.Roles) { // what is told goes by the role
				return
			}
		}
	}()
	return ctx, cancel
}
