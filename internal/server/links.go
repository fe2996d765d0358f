package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/publish"
	"ruvel/internal/store"
)

// InLink is a route within a link.
type InLink struct {
	Link string `path:"link" format:"uuid" of:"link"`
}

// InComment is a route within a comment.
type InComment struct {
	Comment string `path:"comment" format:"uuid" of:"comment"`
}

func (s *Server) linkRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/links", "list-links", "The addresses at which finished files of an episode are heard, and what listeners have written"),
		func(ctx context.Context, in *InEpisode) (*body[publish.Sharing], error) {
			return answer(s.Publish.Sharing(ctx, in.Episode))
		})
	route(s, api, operation("POST", "/mixdowns/{mixdown}/links", "add-link", "Let a finished file be heard by whoever has the address that is answered. The page says what the episode says of itself now"),
		func(ctx context.Context, in *struct {
			InMixdown
			Body publish.NewLink
		},
		) (*body[publish.Shared], error) {
			return answer(s.Publish.Share(ctx, in.Mixdown, in.Body))
		})
	route(s, api, operation("PATCH", "/links/{link}", "change-link", "Give a link another end, another password, comments or none. What is left out stays"),
		func(ctx context.Context, in *struct {
			InLink
			Body publish.ChangedLink
		},
		) (*body[publish.Shared], error) {
			return answer(s.Publish.Change(ctx, in.Link, in.Body))
		})
	route(s, api, operation("POST", "/links/{link}/withdraw", "withdraw-link", "Take a link back, for good: its page says so from now on"),
		func(ctx context.Context, in *InLink) (*body[publish.Shared], error) {
			return answer(s.Publish.Withdraw(ctx, in.Link))
		})
	route(s, api, operation("PUT", "/comments/{comment}", "set-comment", "Have a comment shown on the page, or not"),
		func(ctx context.Context, in *struct {
			InComment
			Body struct {
				State store.CommentState `json:"state" enum:"shown,hidden"`
			}
		},
		) (*empty, error) {
			return nothing(s.Publish.SetComment(ctx, in.Comment, in.Body.State))
		})
	route(s, api, operation("DELETE", "/comments/{comment}", "remove-comment", "Remove a comment"),
		func(ctx context.Context, in *InComment) (*empty, error) {
			return nothing(s.Publish.RemoveComment(ctx, in.Comment))
		})
}
