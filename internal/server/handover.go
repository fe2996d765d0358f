package server

import (
	"context"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/revise"
	"ruvel/core/session"
	"ruvel/internal/episodes"
	"ruvel/internal/handover"
	"ruvel/internal/media"
)

type aheadQuery struct {
	InEpisode
	Rev      int64        `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
	From     audio.Frames `query:"from" minimum:"0"`
	To       audio.Frames `query:"to" minimum:"0" doc:"0: to the end of the session"`
	Chapters bool         `query:"chapters" doc:"Each chapter as a file of its own"`
	AsItIs   bool         `query:"asItIs" doc:"The mix is not brought to the target"`
	Files    []string     `query:"files" maxItems:"20" doc:"Formats as key:quality:rate:channels"`
}

// revising is how a part of something is changed.
const revising = "Only what is named changes; what has been changed elsewhere since it was read is not overwritten, but given back with the code changed-meanwhile"

func (s *Server) handoverRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/handover", "get-handover", "What handing an episode over will come to, before it is done"),
		func(ctx context.Context, in *aheadQuery) (*body[handover.Ahead], error) {
			return answer(s.ahead(ctx, in))
		})
	route(s, api, operation("PATCH", "/episodes/{episode}/details", "revise-details", "Say something else of an episode. What is empty is not said of it, or only by its show. "+revising),
		func(ctx context.Context, in *struct {
			InEpisode
			Body revise.Revision
		},
		) (*body[episodes.Episode], error) {
			if err := s.Store.ReviseEpisode(ctx, in.Episode, in.Body); err != nil {
				return nil, fail(err)
			}
			e, err := s.Store.Episode(ctx, in.Episode)
			return answer(episodes.View(e), err)
		})
	route(s, api, operation("GET", "/shows/{show}/details", "get-show-details", "What is said of all episodes of a show"),
		func(ctx context.Context, in *InShow) (*body[details.Details], error) {
			return answer(s.Store.Details(ctx, in.Show))
		})
	route(s, api, operation("PATCH", "/shows/{show}/details", "revise-show-details", "Say something else of all episodes of a show. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[details.Details], error) {
			return answer(s.Store.ReviseDetails(ctx, in.Show, in.Body))
		})
	route(s, api, operation("GET", "/shows/{show}/targets", "list-show-targets", "The delivery targets that a show has made for itself"),
		func(ctx context.Context, in *InShow) (*body[[]session.OwnTarget], error) {
			return answer(s.Store.Targets(ctx, in.Show))
		})
	route(s, api, operation("PATCH", "/shows/{show}/targets", "revise-show-targets", "Give a show targets of its own, by their names, or take them off. "+revising),
		func(ctx context.Context, in *struct {
			InShow
			Body revise.Revision
		},
		) (*body[[]session.OwnTarget], error) {
			return answer(s.Store.ReviseTargets(ctx, in.Show, in.Body))
		})
}

// parseSetting reads a format with what is chosen of it, as key:quality:rate:channels.
func parseSetting(text string) (media.Setting, error) {
	fields := append(strings.Split(text, ":"), "", "", "")
	rate, _ := strconv.Atoi(fields[2])
	channels, _ := strconv.Atoi(fields[3])
	return media.Set(fields[0], fields[1], rate, channels)
}

func (s *Server) ahead(ctx context.Context, in *aheadQuery) (handover.Ahead, error) {
	var settings []media.Setting
	for _, text := range in.Files {
		set, err := parseSetting(text)
		if err != nil {
			return handover.Ahead{}, err
		}
		settings = append(settings, set)
	}
	return s.Handover.Ahead(ctx, in.Episode, handover.Stretch{From: in.From, To: in.To, Chapters: in.Chapters, AsItIs: in.AsItIs}, settings)
}
