package server

import (
	"context"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/problem"
	"ruvel/internal/check"
	"ruvel/internal/plans"
)

func (s *Server) compareRoutes(api huma.API) {
	route(s, api, operation("GET", "/episodes/{episode}/compare", "compare-versions",
		"How the present version of an episode differs from another one, and by how much each must be made softer to be as loud as the other"),
		func(ctx context.Context, in *struct {
			InEpisode
			Then string `query:"of" default:"step:0" maxLength:"60" doc:"named: and the id of a named version, or step: and how many steps of the history were applied"`
			Rev  int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[check.Compared], error) {
			then, err := parsePast(in.Then)
			if err != nil {
				return nil, fail(err)
			}
			return answer(s.Check.Compare(ctx, in.Episode, then, in.Rev))
		})
}

// parsePast reads a version of an episode as an address names it.
func parsePast(which string) (p plans.Past, err error) {
	if id, named := strings.CutPrefix(which, "named:"); named && id != "" {
		return plans.Past{Named: id}, nil
	}
	if step, ok := strings.CutPrefix(which, "step:"); ok {
		if p.Step, err = strconv.ParseInt(step, 10, 64); err == nil {
			return p, nil
		}
	}
	return p, problem.New("bad-version", "of", "A version is named by step: and how many steps were applied, or named: and its id.")
}
