package server

import (
	"cmp"
	"errors"
	"io"
	"net/http"
	"time"
)

// idlePatience is how long a connection is kept that nothing is asked on.
const idlePatience = 2 * time.Minute

// bodyPatience is how long the next bytes of a request's body may keep one waiting.
const bodyPatience = 20 * time.Second

// arriving ends a request whose body has stopped coming. One that comes slowly but comes
// may take as long as it needs.
func (s *Server) arriving(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Body == nil || r.Body == http.NoBody {
			next.ServeHTTP(w, r)
			return
		}
		m := &moving{r.Body, http.NewResponseController(w), cmp.Or(s.BodyPatience, bodyPatience)}
		r.Body = m
		defer m.expect() // what is left of it is skipped, which must not last either
		next.ServeHTTP(w, r)
	})
}

// moving is a body of which something must arrive again and again.
type moving struct {
	io.ReadCloser
	c        *http.ResponseController
	patience time.Duration
}

func (m *moving) expect() { _ = m.c.SetReadDeadline(time.Now().Add(m.patience)) }

func (m *moving) Read(p []byte) (int, error) {
	m.expect()
	n, err := m.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		_ = m.c.SetReadDeadline(time.Time{}) // from here on only the end of the connection is listened for
	}
	return n, err
}
