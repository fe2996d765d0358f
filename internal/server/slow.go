package server

import (
	"cmp"
	"context"
	"errors"
	"io"
	"net/http"
	"time"
)

// idlePatience is how long a connection is kept that nothing is asked on.
const idlePatience = 2 * time.Minute

// bodyPatience is how long the next bytes of a request's body may keep one waiting.
const bodyPatience = 20 * time.Second

// mishap is what has gone wrong while the body of a request was read. Whoever reads it knows that something has, and
// often not what.
type mishap struct{ err error }

type mishapOf struct{}

// mishapIn is that of a request, or nil.
func mishapIn(r *http.Request) error {
	if m, ok := r.Context().Value(mishapOf{}).(*mishap); ok {
		return m.err
	}
	return nil
}

// noted keeps what goes wrong while a body is read.
type noted struct {
	io.ReadCloser
	of *http.Request
}

func (n noted) Read(p []byte) (int, error) {
	k, err := n.ReadCloser.Read(p)
	if m, ok := n.of.Context().Value(mishapOf{}).(*mishap); ok && err != nil && !errors.Is(err, io.EOF) {
		m.err = err
	}
	return k, err
}

// leaving ends an answer that is not being read. One that is read slowly may take as long as it needs.
func (s *Server) leaving(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(&unread{w, http.NewResponseController(w), cmp.Or(s.BodyPatience, bodyPatience)}, r)
	})
}

// unread is an answer of which something must be taken again and again.
type unread struct {
	http.ResponseWriter
	c        *http.ResponseController
	patience time.Duration
}

// atOnce is how much of an answer is given to the connection at a time.
const atOnce = 128 << 10

func (u *unread) Unwrap() http.ResponseWriter { return u.ResponseWriter }

func (u *unread) Write(p []byte) (n int, err error) {
	for begun := false; !begun || len(p) > 0; begun = true {
		k := min(len(p), atOnce)
		_ = u.c.SetWriteDeadline(time.Now().Add(u.patience)) // also for what the server sends afterwards
		wrote, err := u.ResponseWriter.Write(p[:k])
		if n += wrote; err != nil {
			return n, err
		}
		p = p[k:]
	}
	return n, nil
}

// arriving ends a request whose body has stopped coming. One that comes slowly but comes
// may take as long as it needs.
func (s *Server) arriving(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r = r.WithContext(context.WithValue(r.Context(), mishapOf{}, &mishap{}))
		if r.Body == nil || r.Body == http.NoBody {
			next.ServeHTTP(w, r)
			return
		}
		m := &moving{r.Body, http.NewResponseController(w), cmp.Or(s.BodyPatience, bodyPatience)}
		r.Body = noted{m, r}
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
