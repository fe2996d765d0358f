package server

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"ruvel/core/marks"
	"ruvel/core/problem"
	"ruvel/core/script"
	"ruvel/internal/links"
	"ruvel/internal/player"
	"ruvel/internal/publish"
	"ruvel/internal/store"
)

const (
	pagesMadeOf = "/p-static"
	// pageKey is the cookie in which a browser keeps the key of a page that has a password.
	pageKey     = "ruvel-page"
	pageKeyDays = 30
	// A listener may send so much in a minute, and as many passwords are compared at a time: that takes 64 MB each.
	sentEachMinute = 12
	// All who try passwords on one page together may try so many in a minute, wherever they come from.
	triedEachMinute = 40
	comparing       = 2
	comparingWait   = 10 * time.Second
	longestForm     = 32 << 10
)

// playerRoutes are the pages behind links. They are all of Ruvel that is for others than those who work with it.
func (s *Server) playerRoutes(r chi.Router) {
	r.Group(func(r chi.Router) {
		r.Use(secluded)
		r.With(forAWhile).Handle(pagesMadeOf+"/*", onlyRead(http.StripPrefix(pagesMadeOf, player.Static())))
		for path, handler := range map[string]http.HandlerFunc{"": s.page, "/{part}": s.pagePart} {
			r.Get(publish.Pages+"/{address}"+path, handler)
			r.Head(publish.Pages+"/{address}"+path, handler)
		}
		r.Group(func(r chi.Router) {
			r.Use(s.rarely("sent", sentEachMinute, sender, "Too often", "Wait a minute, then try again."))
			onPage := func(r *http.Request) (string, error) { return chi.URLParam(r, "address"), nil }
			r.With(s.rarely("tried", triedEachMinute, onPage, "Too many passwords were tried here", "Somebody tries one after the other. Wait a minute, then try yours again.")).
				Post(publish.Pages+"/{address}", s.unlockPage)
			r.Post(publish.Pages+"/{address}/comments", s.commentOnPage)
		})
	})
}

// rarely lets the same be asked for so many times in a minute, from whichever process, and says beyond that what is the matter.
func (s *Server) rarely(what string, most int, of httprate.KeyFunc, title, words string) func(http.Handler) http.Handler {
	return httprate.LimitBy(most, time.Minute, of, httprate.WithLimitCounter(store.Tally{Store: s.Store, Of: what}),
		httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) { tell(w, http.StatusTooManyRequests, title, words) }),
		httprate.WithErrorHandler(func(w http.ResponseWriter, r *http.Request, err error) {
			slog.Warn("it could not be counted how often a page was asked", "error", err)
			tell(w, http.StatusServiceUnavailable, "Not at the moment", "This page cannot answer just now. Try again in a minute.")
		}))
}

// sender is who sends something, and to which page.
func sender(r *http.Request) (string, error) { return networkOf(r) + " " + r.URL.Path, nil }

// network is what somebody who sends has an address in: one of IPv6 is one of a /64 that he has to himself, as a rule.
func network(from string) string {
	address, err := netip.ParseAddr(from)
	if err != nil {
		return from
	}
	address = address.Unmap().WithZone("")
	if address.Is4() {
		return address.String()
	}
	return netip.PrefixFrom(address, 64).Masked().String()
}

// secluded keeps pages out of caches and of what searches the web, and loads nothing from elsewhere.
func secluded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self'; media-src 'self'; "+
			"form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
		h.Set("X-Robots-Tag", "noindex, nofollow")
		h.Set("Cache-Control", "private, no-store")
		next.ServeHTTP(w, r)
	})
}

func forAWhile(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=3600")
		next.ServeHTTP(w, r)
	})
}

// tell shows a page that says something and nothing else.
func tell(w http.ResponseWriter, status int, notice, more string) {
	show(w, status, player.Page{Static: pagesMadeOf, Notice: notice, More: more})
}

func show(w http.ResponseWriter, status int, p player.Page) {
	html, err := player.Render(p)
	if err != nil {
		slog.Error("a page could not be made", "error", err)
		http.Error(w, "Something went wrong.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_, _ = w.Write(html)
}

// opened gives the link that a request is about, if it lets the one who asks in. Else it has answered.
func (s *Server) opened(w http.ResponseWriter, r *http.Request) (l store.Link, in bool) {
	key := ""
	if c, err := r.Cookie(pageKey); err == nil {
		key = c.Value
	}
	l, err := links.Open(r.Context(), s.Store, chi.URLParam(r, "address"), key)
	if errors.Is(err, links.ErrLocked) {
		show(w, http.StatusUnauthorized, player.Page{Base: publish.PageOf(l), Static: pagesMadeOf, Password: true})
		return l, false
	}
	return l, err == nil || s.refusePage(w, err)
}

// refusePage says why there is no page. It is never true.
func (s *Server) refusePage(w http.ResponseWriter, err error) bool {
	switch {
	case store.IsNotFound(err):
		tell(w, http.StatusNotFound, "There is nothing at this address", "Perhaps a part of it got lost on the way. Ask whoever sent it to you.")
	case errors.Is(err, links.ErrWithdrawn):
		tell(w, http.StatusGone, "This page has ended", "Whoever made it has taken it back.")
	case errors.Is(err, links.ErrEnded):
		tell(w, http.StatusGone, "This page has ended", "It was there for a while only. Ask whoever sent it to you.")
	case errors.Is(err, context.Canceled): // nobody waits for it
	default:
		slog.Warn("a page for listeners could not be answered", "error", err)
		w.Header().Set("Retry-After", "5")
		tell(w, http.StatusServiceUnavailable, "Not at the moment", "This page cannot be shown at the moment. Try again in a little while.")
	}
	return false
}

func (s *Server) page(w http.ResponseWriter, r *http.Request) {
	if l, in := s.opened(w, r); in {
		if !s.told(w, r, &l.Page.Of, s.transcriptOf(l)) {
			return
		}
		said := ""
		if r.URL.Query().Has("thanks") {
			said = "Thank you. The producer reads it first."
		}
		s.showPage(w, r, l, http.StatusOK, player.Page{Said: said})
	}
}

func (s *Server) showPage(w http.ResponseWriter, r *http.Request, l store.Link, status int, p player.Page) {
	var err error
	if p.Shown, err = s.Store.CommentsShown(r.Context(), l.ID); err != nil {
		s.refusePage(w, err)
		return
	}
	p.Base, p.Static, p.Origin, p.Link, p.Comments = publish.PageOf(l), pagesMadeOf, origin(r), l.Page.Of, l.Comments
	show(w, status, p)
}

func (s *Server) pagePart(w http.ResponseWriter, r *http.Request) {
	if l, in := s.opened(w, r); in {
		s.part(w, r, l.Page.Of, *l.Mixdown, s.transcriptOf(l))
	}
}

func (s *Server) transcriptOf(l store.Link) func(context.Context) ([]script.Part, error) {
	return func(ctx context.Context) ([]script.Part, error) { return s.Store.LinkTranscript(ctx, l.ID) }
}

// unlockPage lets a browser in that knows the password.
func (s *Server) unlockPage(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, longestForm)
	l, err := links.Open(r.Context(), s.Store, chi.URLParam(r, "address"), "")
	if err != nil && !errors.Is(err, links.ErrLocked) {
		s.refusePage(w, err)
		return
	}
	if err != nil {
		password := r.PostFormValue("password")
		waiting, stop := context.WithTimeout(r.Context(), comparingWait)
		defer stop()
		if err := s.comparing.Take(waiting, l.Address); err != nil { // by turns between pages: guessing at one holds up no other
			w.Header().Set("Retry-After", "5")
			tell(w, http.StatusServiceUnavailable, "Not at the moment", "Many try passwords here. Try again in a little while.")
			return
		}
		key, err := links.Unlock(l, password)
		s.comparing.Give()
		if err != nil {
			s.refusePage(w, err)
			return
		}
		if key == "" {
			show(w, http.StatusUnauthorized, player.Page{Base: publish.PageOf(l), Static: pagesMadeOf, Password: true, Said: "That is not the password."})
			return
		}
		http.SetCookie(w, &http.Cookie{Name: pageKey, Value: key, Path: publish.PageOf(l), HttpOnly: true, Secure: encrypted(r), SameSite: http.SameSiteLaxMode, MaxAge: pageKeyDays * 24 * 3600})
	}
	http.Redirect(w, r, publish.PageOf(l), http.StatusSeeOther)
}

func (s *Server) commentOnPage(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, longestForm)
	l, in := s.opened(w, r)
	if !in {
		return
	}
	written := player.Written{At: r.PostFormValue("at"), Name: r.PostFormValue("name"), Words: r.PostFormValue("words")}
	err := s.Space.Room(0)
	if err == nil {
		at, _ := marks.Time(written.At) // what is no place is the beginning
		err = s.Publish.Comment(r.Context(), l, at, written.Name, written.Words)
	}
	var p problem.Problem
	switch {
	case errors.As(err, &p):
		if !s.told(w, r, &l.Page.Of, s.transcriptOf(l)) {
			return
		}
		s.showPage(w, r, l, http.StatusUnprocessableEntity, player.Page{Said: p.Message, Wrong: true, Written: written})
	case err != nil:
		s.refusePage(w, err)
	default:
		http.Redirect(w, r, publish.PageOf(l)+"?thanks#comments", http.StatusSeeOther)
	}
}
