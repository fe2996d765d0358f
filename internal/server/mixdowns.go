package server

import (
	"context"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Mixdown is a finished file of an episode.
type Mixdown struct {
	ID       string           `json:"id"`
	Version  int64            `json:"version"`
	Format   string           `json:"format"`
	Channels int              `json:"channels"`
	From     audio.Frames     `json:"from"`
	To       audio.Frames     `json:"to"`
	File     string           `json:"file"`
	Bytes    int64            `json:"bytes"`
	Loudness loudness.Result  `json:"loudness" doc:"Measured on the finished file"`
	Verdict  loudness.Verdict `json:"verdict" doc:"How it stands to the episode's target as it is now"`
	Created  time.Time        `json:"created"`
}

type newMixdown struct {
	Format   string       `json:"format" doc:"A key of /formats"`
	Channels int          `json:"channels" enum:"1,2"`
	From     audio.Frames `json:"from,omitempty" minimum:"0"`
	To       audio.Frames `json:"to,omitempty" minimum:"0" doc:"Left out: to the end of the session"`
}

// InMixdown is a route within a mixdown.
type InMixdown struct {
	Mixdown string `path:"mixdown" format:"uuid"`
}

func (s *Server) mixdownRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/formats", "list-formats", "The file formats in the order they are offered"),
		func(context.Context, *empty) (*body[[]media.Format], error) { return answer(media.Formats(), nil) })
	huma.Register(api, operation("GET", "/episodes/{episode}/mixdowns", "list-mixdowns", "List the finished files of an episode, the newest first"),
		func(ctx context.Context, in *InEpisode) (*body[[]Mixdown], error) {
			return answer(s.mixdowns(ctx, in.Episode))
		})
	huma.Register(api, operation("POST", "/episodes/{episode}/mixdowns", "add-mixdown", "Mix the current version down to a file"),
		func(ctx context.Context, in *struct {
			InEpisode
			Body newMixdown
		},
		) (*body[work.JobEvent], error) {
			return answer(s.mixDown(ctx, in.Episode, in.Body))
		})
	huma.Register(api, operation("DELETE", "/mixdowns/{mixdown}", "remove-mixdown", "Remove a finished file"),
		func(ctx context.Context, in *InMixdown) (*empty, error) {
			m, err := s.Store.Mixdown(ctx, in.Mixdown)
			if err == nil {
				err = s.Store.RemoveMixdown(ctx, in.Mixdown)
			}
			if err == nil {
				_ = s.Bucket.Delete(ctx, work.MixdownKey(m))
				s.Queue.Announce(work.EpisodeSubject(m.Episode), work.Event{Mixdowns: &work.ShowEvent{}})
			}
			return nothing(err)
		})
	huma.Register(api, operation("GET", "/mixdowns/{mixdown}/file", "get-mixdown-file", "The finished file, for playing or, with download, for keeping"), s.mixdownFile)
}

func (s *Server) mixdowns(ctx context.Context, episode string) ([]Mixdown, error) {
	target, err := s.target(ctx, episode)
	if err != nil {
		return nil, err
	}
	rows, err := s.Store.Mixdowns(ctx, episode)
	out := []Mixdown{}
	for _, m := range rows {
		out = append(out, Mixdown{
			ID: m.ID, Version: m.Version, Format: m.Format, Channels: m.Channels, From: m.Begins, To: m.Ends,
			File: m.File, Bytes: m.Bytes, Loudness: m.Loudness.Of, Verdict: target.Judge(m.Loudness.Of), Created: m.Created,
		})
	}
	return out, err
}

func (s *Server) mixDown(ctx context.Context, episode string, want newMixdown) (work.JobEvent, error) {
	format, ok := media.FindFormat(want.Format)
	if !ok {
		return work.JobEvent{}, problem.Problem{Code: "unknown-format", Where: "format", Message: fmt.Sprintf("There is no format called %q.", want.Format)}
	}
	doc, version, err := s.Store.KeepVersion(ctx, episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	e, err := s.Store.Episode(ctx, episode)
	if err != nil {
		return work.JobEvent{}, err
	}
	if want.To == 0 || want.To > doc.Length() {
		want.To = doc.Length()
	}
	if want.From >= want.To {
		return work.JobEvent{}, problem.Problem{Code: "nothing-to-mix", Where: "from", Message: "There is nothing to mix down in this range. Place a clip first, or choose another range."}
	}
	file := fileName(e, format, want.From == 0 && want.To == doc.Length())
	job, err := s.Worker.Submit(ctx, work.Mixdown, e.Show, &episode, file, work.MixdownArguments{
		Version: version, Format: format.Key, Channels: want.Channels, From: want.From, To: want.To, File: file,
	})
	return work.View(job), err
}

// fileName is the name that a mixdown is downloaded by.
func fileName(e store.Episode, f media.Format, whole bool) string {
	name := fmt.Sprintf("%02d %s", e.Number, e.Title)
	if !whole {
		name += " (part)"
	}
	safe := strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, name)
	return safe + "." + f.Extension
}

func (s *Server) mixdownFile(ctx context.Context, in *struct {
	InMixdown
	Download bool `query:"download"`
},
) (*huma.StreamResponse, error) {
	m, err := s.Store.Mixdown(ctx, in.Mixdown)
	if err != nil {
		return nil, fail(err)
	}
	r, err := s.Bucket.NewReader(ctx, work.MixdownKey(m), nil)
	if err != nil {
		return nil, fail(fmt.Errorf("open the mixdown: %w", err))
	}
	format, _ := media.FindFormat(m.Format)
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		defer r.Close()
		req, w := humachi.Unwrap(hctx)
		w.Header().Set("Content-Type", format.Type)
		if in.Download {
			w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": m.File}))
		}
		http.ServeContent(w, req, "", m.Created, io.ReadSeeker(r))
	}}, nil
}
