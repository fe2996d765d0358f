package server

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"ruvel/core/details"
	"ruvel/core/revise"
	"ruvel/core/script"
	"ruvel/internal/feed"
	"ruvel/internal/links"
	"ruvel/internal/player"
	"ruvel/internal/publish"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

func (s *Server) feedRoutes(api huma.API) {
	route(s, api, operation("GET", "/shows/{show}/feed", "get-feed", "The feed of a show, by which players fetch its episodes"),
		func(ctx context.Context, in *InShow) (*body[publish.FeedView], error) {
			return answer(s.Publish.Feed(ctx, in.Show))
		})
	route(s, api, operation("PATCH", "/shows/{show}/feed", "revise-feed", "What a feed says of its show, and its name, by which everybody finds it: small letters, digits and hyphens, or nothing: it is private. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[publish.FeedView], error) {
			return answer(s.Publish.ReviseFeed(ctx, in.Show, in.Body))
		})
	route(s, api, operation("POST", "/shows/{show}/feed/renew", "renew-feed", "Give a feed another address; whoever has the one before finds nothing there any more"),
		func(ctx context.Context, in *InShow) (*body[publish.FeedView], error) {
			return answer(s.Publish.RenewFeed(ctx, in.Show))
		})
	route(s, api, operation("GET", "/episodes/{episode}/publication", "get-publication", "How an episode stands to the feed of its show"),
		func(ctx context.Context, in *InEpisode) (*body[publish.Publishing], error) {
			return answer(s.Publish.Publication(ctx, in.Episode))
		})
	route(s, api, operation("PUT", "/episodes/{episode}/publication", "publish", "Put a finished file of an episode into the feed of its show, now or later. Published again, it stays the same episode to players"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body publish.ToPublish
		},
		) (*body[publish.Publishing], error) {
			if err := s.Publish.Publish(ctx, in.Episode, in.Body); err != nil {
				return nil, fail(err)
			}
			return answer(s.Publish.Publication(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/episodes/{episode}/publication/withdraw", "withdraw-publication", "Take an episode out of the feed"),
		func(ctx context.Context, in *InEpisode) (*body[publish.Publishing], error) {
			if err := s.Publish.Unpublish(ctx, in.Episode); err != nil {
				return nil, fail(err)
			}
			return answer(s.Publish.Publication(ctx, in.Episode))
		})
}

// publicFeedRoutes are what players ask for.
func (s *Server) publicFeedRoutes(r chi.Router) {
	r.Group(func(r chi.Router) {
		r.Use(secluded, fetchable)
		for path, handler := range map[string]http.HandlerFunc{
			"": s.showFeed, "/artwork.jpg": s.feedArtwork, "/{episode}": s.feedPage, "/{episode}/{part}": s.feedPart,
		} {
			r.Get(publish.Feeds+"/{address}"+path, handler)
			r.Head(publish.Feeds+"/{address}"+path, handler)
		}
	})
}

// fetchable lets players that are pages of others fetch what is in a feed, and keep it for a while.
func fetchable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
		h.Set("Cache-Control", "private, max-age=300")
		next.ServeHTTP(w, r)
	})
}

// asked is the feed that a request is about. Else it has answered.
func (s *Server) asked(w http.ResponseWriter, r *http.Request) (f store.Feed, there bool) {
	f, err := s.Store.FeedAt(r.Context(), chi.URLParam(r, "address"))
	return f, err == nil || s.refusePage(w, err)
}

// askedFor is the episode of it that a request is about, if it is in it now.
func (s *Server) askedFor(w http.ResponseWriter, r *http.Request) (p store.Publication, there bool) {
	f, there := s.asked(w, r)
	if !there {
		return p, false
	}
	id := chi.URLParam(r, "episode")
	if uuid.Validate(id) != nil {
		return p, s.refusePage(w, store.NotFound("episode"))
	}
	p, err := s.Store.Publication(r.Context(), id)
	switch {
	case err != nil:
	case p.Show != f.Show:
		err = store.NotFound("episode")
	case p.Withdrawn != nil:
		err = links.ErrWithdrawn
	case p.Published.After(time.Now()):
		err = store.NotFound("episode")
	}
	return p, err == nil || s.refusePage(w, err)
}

func (s *Server) showFeed(w http.ResponseWriter, r *http.Request) {
	f, there := s.asked(w, r)
	if !there {
		return
	}
	self := origin(r) + publish.Feeds + "/" + chi.URLParam(r, "address")
	out, err := s.Publish.FeedText(r.Context(), f, self, time.Now())
	if err != nil {
		s.refusePage(w, err)
		return
	}
	tagged(w, r, "application/rss+xml; charset=utf-8", out)
}

// tagged answers with some bytes, or that they are the same as those that the one who asks has already.
func tagged(w http.ResponseWriter, r *http.Request, kind string, out []byte) {
	sum := sha256.Sum256(out)
	w.Header().Set("Content-Type", kind)
	w.Header().Set("ETag", `"`+hex.EncodeToString(sum[:16])+`"`)
	served(w, r, time.Time{}, bytes.NewReader(out))
}

// served answers with something whole or a range of it. A unit of ranges that is not known is ignored (RFC 9110, 14.2).
func served(w http.ResponseWriter, r *http.Request, at time.Time, out io.ReadSeeker) {
	if unit, _, _ := strings.Cut(r.Header.Get("Range"), "="); !strings.EqualFold(strings.TrimSpace(unit), "bytes") {
		r.Header.Del("Range")
	}
	http.ServeContent(w, r, "", at, out)
}

// encrypted says whether a request has come by TLS, here or to a web server in front.
func encrypted(r *http.Request) bool {
	return r.TLS != nil || strings.EqualFold(r.Header.Get("X-Forwarded-Proto"), "https")
}

// origin is how the address of a request begins, as the one who asks knows it.
func origin(r *http.Request) string {
	return map[bool]string{true: "https://", false: "http://"}[encrypted(r)] + r.Host
}

func (s *Server) feedArtwork(w http.ResponseWriter, r *http.Request) {
	f, there := s.asked(w, r)
	if !there {
		return
	}
	said, err := s.Store.Details(r.Context(), f.Show)
	if err != nil {
		s.refusePage(w, err)
		return
	}
	s.picture(w, r, said.Artwork, 0)
}

func (s *Server) feedPage(w http.ResponseWriter, r *http.Request) {
	if p, there := s.askedFor(w, r); there {
		if !s.told(w, r, &p.Page.Of, func(ctx context.Context) ([]script.Part, error) { return s.Store.PublishedTranscript(ctx, p.Episode) }) {
			return
		}
		show(w, http.StatusOK, player.Page{Base: publish.Feeds + "/" + chi.URLParam(r, "address") + "/" + p.Episode, Static: pagesMadeOf, Origin: origin(r), Link: p.Page.Of})
	}
}

func (s *Server) feedPart(w http.ResponseWriter, r *http.Request) {
	if p, there := s.askedFor(w, r); there {
		s.part(w, r, p.Page.Of, *p.Mixdown, func(ctx context.Context) ([]script.Part, error) { return s.Store.PublishedTranscript(ctx, p.Episode) })
	}
}

// told fills in the transcript of a page, if it has one. If that cannot be had it has answered.
func (s *Server) told(w http.ResponseWriter, r *http.Request, page *store.Page, transcript func(context.Context) ([]script.Part, error)) bool {
	if !page.Told {
		return true
	}
	var err error
	page.Transcript, err = transcript(r.Context())
	return err == nil || s.refusePage(w, err)
}

// part is what belongs to the page of a finished file: its sound under the name that players expect, its pictures, chapters and
// transcript.
func (s *Server) part(w http.ResponseWriter, r *http.Request, page store.Page, mixdown string, transcript func(context.Context) ([]script.Part, error)) {
	part := chi.URLParam(r, "part")
	picture := strings.TrimSuffix(strings.TrimPrefix(part, "picture-"), ".jpg")
	switch {
	case strings.TrimSuffix(part, filepath.Ext(page.File)) == "sound":
		s.soundOf(w, r, mixdown, page.Type)
	case part == "artwork" || part == "artwork.jpg":
		s.picture(w, r, page.Sheet.Artwork, 0)
	case part == "artwork-small.jpg":
		s.picture(w, r, page.Sheet.Artwork, smallPicture)
	case part == "artwork-large.jpg":
		s.picture(w, r, page.Sheet.Artwork, largePicture)
	case part == "chapters.json":
		out, err := feed.Chapters(page.Sheet.Chapters, func(id string) string {
			return origin(r) + strings.TrimSuffix(r.URL.Path, part) + "picture-" + id + ".jpg"
		})
		if err != nil {
			s.refusePage(w, err)
			return
		}
		tagged(w, r, feed.ChaptersType, out)
	case part == "transcript.html" && page.Told:
		if !s.told(w, r, &page, transcript) {
			return
		}
		show(w, http.StatusOK, player.Page{Static: pagesMadeOf, Link: page, Alone: true})
	case slices.ContainsFunc(page.Sheet.Chapters, func(c details.Chapter) bool { return c.Picture != "" && c.Picture == picture }):
		s.picture(w, r, picture, 0)
	default:
		s.refusePage(w, store.NotFound("part"))
	}
}

// soundOf answers with a finished file, whole or a range of it.
func (s *Server) soundOf(w http.ResponseWriter, r *http.Request, mixdown, kind string) {
	m, err := s.Store.Mixdown(r.Context(), mixdown)
	if err != nil {
		s.refusePage(w, err)
		return
	}
	file, err := s.Bucket.NewReader(r.Context(), work.MixdownKey(m), nil)
	if err != nil {
		s.refusePage(w, fmt.Errorf("open the mixdown: %w", err))
		return
	}
	defer file.Close()
	w.Header().Set("Content-Type", kind)
	w.Header().Set("ETag", `"`+m.ID+`"`)
	served(w, r, m.Created, file)
}

// Sizes of pictures, pixels of each side: twice what a page shows, for screens that are so fine, and what previews show at most.
const (
	smallPicture = 336
	largePicture = 1200
)

// picture answers with one that was handed in, as it is or, if a size is given, no larger than that.
func (s *Server) picture(w http.ResponseWriter, r *http.Request, id string, size int) {
	p, data, err := s.Publish.Picture(r.Context(), id, size)
	if err != nil {
		s.refusePage(w, err)
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=3600")
	tagged(w, r, p.Type, data)
}
