package server

import (
	"context"
	"io"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/internal/pictures"
	"ruvel/internal/store"
)

func (s *Server) pictureRoutes(api huma.API) {
	add := operation("POST", "/shows/{show}/pictures", "add-picture", "Hand in a picture; the request's body is its bytes, JPEG or PNG. It is cropped to a square and scaled")
	add.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
	add.MaxBodyBytes = pictures.MostBytes + 1
	route(s, api, add, func(ctx context.Context, in *pictureUpload) (*body[Picture], error) {
		return answer(s.addPicture(ctx, in))
	})
	route(s, api, operation("GET", "/pictures/{picture}", "get-picture", "A picture"),
		func(ctx context.Context, in *struct {
			Picture string `path:"picture" pattern:"^[0-9a-f]{64}$" of:"picture"`
		},
		) (*bytesAnswer, error) {
			p, data, err := s.Publish.Picture(ctx, in.Picture, 0)
			if err != nil {
				return nil, fail(err)
			}
			return &bytesAnswer{p.Type, forever, data}, nil
		})
}

// Picture is one that has been handed in.
type Picture struct {
	store.Picture
	Note string `json:"note" doc:"What has been done to it, in words, or nothing"`
}

type pictureUpload struct {
	InShow
	For  string `query:"for" enum:"artwork,chapter" default:"artwork" doc:"Artwork has 1400 to 3000 pixels on each side; a picture of a chapter 300 to 1400"`
	body io.Reader
}

func (u *pictureUpload) Resolve(ctx huma.Context) []error {
	u.body = ctx.BodyReader()
	return nil
}

func (s *Server) addPicture(ctx context.Context, in *pictureUpload) (out Picture, err error) {
	data, err := io.ReadAll(io.LimitReader(in.body, pictures.MostBytes+1))
	if err != nil {
		return out, err
	}
	prepare := pictures.Artwork
	if in.For == "chapter" {
		prepare = pictures.OfChapter
	}
	var p pictures.Picture
	if refused := s.Turns.In(ctx, in.Show, func() { p, err = prepare(data) }); refused != nil {
		return out, refused
	}
	if err != nil {
		return out, err
	}
	if err := s.Space.Room(int64(len(p.Data))); err != nil {
		return out, err
	}
	out.Note = p.Note
	out.Picture, err = s.Worker.Pictures.Keep(ctx, in.Show, p)
	return out, err
}
