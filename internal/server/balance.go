package server

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/lead"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/internal/plans"
)

// Balance is how speech stands to everything else, and how tracks make way for it.
type Balance struct {
	Version  int64         `json:"version" doc:"That it is of"`
	Measured bool          `json:"measured" doc:"The lead was measured in the mix as it is heard; otherwise it is estimated, to within 1 LU"`
	Target   lead.Aim      `json:"target"`
	Typical  *float64      `json:"typical,omitempty" doc:"LU, the median over 3 s; left out if nobody speaks"`
	Lowest   *float64      `json:"lowest,omitempty" doc:"LU over 3 s"`
	Short    []byte        `json:"short" doc:"The lead over 400 ms for each 100 ms of the session, in tenths of LU, int16 little-endian; -32768 where nobody speaks"`
	Long     []byte        `json:"long" doc:"The same over 3 s"`
	Misses   []Miss        `json:"misses" nullable:"false" doc:"The places that miss the target"`
	Spoken   []SpokenOn    `json:"spoken" nullable:"false" doc:"Where somebody speaks, on each track for voices"`
	Speech   []mix.Speech  `json:"speech" nullable:"false" doc:"The lists of speech that tracks make way for"`
	Ways     []mix.WayMade `json:"ways" nullable:"false"`
}

// SpokenOn is where somebody speaks on a track.
type SpokenOn struct {
	Track string         `json:"track"`
	Heard bool           `json:"heard" doc:"It is neither muted, nor are others soloed"`
	Spans []session.Span `json:"spans" nullable:"false"`
}

// Miss is a place that misses the target, and what covers the speech there.
type Miss struct {
	lead.Miss
	Track string `json:"track,omitempty" doc:"Of what covers it, its id"`
	Clip  string `json:"clip,omitempty"`
	Name  string `json:"name,omitempty" doc:"Of the clip"`
	Text  string `json:"text" doc:"In words"`
}

func (s *Server) balanceRoutes(api huma.API) {
	huma.Register(api, operation("GET", "/leads", "list-leads", "The voice leads that can be aimed at, in the order they are offered"),
		func(context.Context, *empty) (*body[[]lead.Aim], error) { return answer(lead.Aims(), nil) })
	huma.Register(api, operation("GET", "/ways", "list-ways", "Settings of making way for speech to begin with"),
		func(context.Context, *empty) (*body[[]duck.Start], error) { return answer(duck.Starts(), nil) })
	huma.Register(api, operation("GET", "/episodes/{episode}/ways/lines", "get-way-lines",
		"The lines in which tracks make way, to be turned into points; nothing changes"),
		func(ctx context.Context, in *struct {
			InEpisode
			Tracks string `query:"tracks" maxLength:"2000" doc:"Ids of tracks, with commas between them; left out: none"`
			Rev    int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
		},
		) (*body[[]edit.WayLine], error) {
			p, err := s.Plans.Current(ctx, in.Episode, in.Rev)
			if err != nil {
				return nil, fail(err)
			}
			defer p.Close()
			lines := []edit.WayLine{}
			for _, id := range splitIDs(in.Tracks) {
				points, err := s.Turns.Plan(ctx, in.Episode, p.Plan).WayLine(id)
				if err != nil {
					return nil, fail(err)
				}
				lines = append(lines, edit.WayLine{Track: id, Points: append([]session.Point{}, points...)})
			}
			return answer(lines, nil)
		})
	huma.Register(api, operation("GET", "/episodes/{episode}/balance", "get-balance",
		"How far speech stands above everything else along an episode, and how tracks make way for it: measured if that has been done, or else estimated without rendering"),
		func(ctx context.Context, in *struct {
			InEpisode
			Rev int64  `query:"rev" minimum:"0" doc:"Wait up to 2 s for this version"`
			Op  string `query:"op" maxLength:"500000" doc:"An operation, as JSON: how it would be after that, estimated; nothing changes"`
		},
		) (*body[Balance], error) {
			if in.Op != "" {
				return answer(s.tried(ctx, in.Episode, in.Op))
			}
			p, err := s.Plans.Current(ctx, in.Episode, in.Rev)
			if err != nil {
				return nil, fail(err)
			}
			version := p.Version
			p.Close()
			return answer(s.balances.Do(ctx, fmt.Sprintf("%s %d", in.Episode, version), func(ctx context.Context) (Balance, error) {
				p, err := s.Plans.Current(ctx, in.Episode, version) // of its own: who asked first may leave before the others
				if err != nil {
					return Balance{}, err
				}
				defer p.Close()
				return s.balance(ctx, in.Episode, p)
			}))
		})
}

// tried is the balance of an episode as it would be after an operation.
func (s *Server) tried(ctx context.Context, episode, operation string) (Balance, error) {
	op, err := edit.Decode([]byte(operation))
	if err != nil {
		return Balance{}, err
	}
	return s.balanceAfter(ctx, episode, op)
}

// balanceAfter is that of an operation that has been read.
func (s *Server) balanceAfter(ctx context.Context, episode string, op edit.Op) (Balance, error) {
	p, doc, err := s.Plans.Tried(ctx, episode, op)
	if err != nil {
		return Balance{}, err
	}
	defer p.Close()
	return s.balanced(ctx, episode, doc, p, nil)
}

// balance is that of an episode, measured if that is at hand.
func (s *Server) balance(ctx context.Context, episode string, p *plans.Lease) (Balance, error) {
	doc, version, err := s.Store.Document(ctx, episode)
	if err != nil {
		return Balance{}, err
	}
	m, there := s.Measure.Latest(episode, p.Version)
	if there && version == p.Version {
		return s.balanced(ctx, episode, doc, p, &m)
	}
	if err := s.recall(ctx, episode, p.Version); err != nil {
		return Balance{}, err
	}
	return s.balanced(ctx, episode, doc, p, nil)
}

// balanced is the balance of a plan of a document: as it was measured, or, if m is nil, as it is estimated.
func (s *Server) balanced(ctx context.Context, episode string, doc session.Document, p *plans.Lease, m *mix.Measured) (out Balance, err error) {
	b, err := s.Turns.Plan(ctx, episode, p.Plan).Balance()
	if err != nil {
		return out, err
	}
	out = Balance{Version: p.Version, Measured: m != nil, Misses: []Miss{}, Spoken: []SpokenOn{}, Speech: b.Speech, Ways: rounded(b.Ways)}
	spoken, err := out.listen(doc, s.Sounds.Speech(ctx))
	if err != nil {
		return out, err
	}
	voices, rest := b.Voices, b.Rest
	if m != nil {
		voices, rest = m.Voices, m.Rest
	}
	course := lead.Along(voices, rest, spoken)
	out.Short, out.Long = tenths(course.Short), tenths(course.Long)
	if sum := course.Sum(); sum.Typical == sum.Typical {
		out.Typical, out.Lowest = &sum.Typical, &sum.Lowest
	}
	out.Target, _ = lead.FindAim(doc.Lead)
	for _, m := range course.Misses(out.Target) {
		miss := Miss{Miss: m}
		miss.Track, miss.Clip = b.Cover(m.From, m.To)
		if _, c, found := doc.FindClip(miss.Clip); found {
			miss.Name = c.Name
		}
		miss.Text = miss.say(out.Target)
		out.Misses = append(out.Misses, miss)
	}
	return out, nil
}

// recall has what was measured of a version put at hand again, as after a restart, and an event tell when
// that is done. What has not been measured yet is measured when the loudness is asked for: when the hand rests.
func (s *Server) recall(ctx context.Context, episode string, version int64) error {
	e, err := s.Store.Episode(ctx, episode)
	if err == nil && e.LoudnessVersion == version {
		s.Measure.Ask(episode, version)
	}
	return err
}

// listen fills in where voices speak, and gives where any of them is heard.
func (b *Balance) listen(doc session.Document, source speech.Source) ([]session.Span, error) {
	var heard []session.Span
	for i, audible := range doc.Audible() {
		t := doc.Tracks[i]
		if t.Part != session.Voice {
			continue
		}
		spans, err := speech.OnTrack(doc, t, source, 0, math.MaxInt64)
		if err != nil {
			return nil, err
		}
		b.Spoken = append(b.Spoken, SpokenOn{t.ID, audible, append([]session.Span{}, spans...)})
		if audible {
			heard = append(heard, spans...)
		}
	}
	return speech.Joined(heard), nil
}

func (m Miss) say(t lead.Aim) string {
	what := "Something"
	if m.Name != "" {
		what = "“" + m.Name + "”"
	}
	text := fmt.Sprintf("%s covers the voice: it leads by %.1f LU, %.1f LU less than the %g that are aimed at", what, m.Lead, m.Short, t.Lead)
	if m.Excused {
		text += ", but for so short a time that it may"
	}
	return text + "."
}

// rounded are ways with their drops to a hundredth of a dB, which is as much as can be drawn.
func rounded(ways []mix.WayMade) []mix.WayMade {
	out := slices.Clone(ways)
	for i := range out {
		out[i].Drops = slices.Clone(out[i].Drops)
		for k, d := range out[i].Drops {
			out[i].Drops[k] = audio.DB(math.Round(float64(d)*100) / 100)
		}
	}
	return out
}

// splitIDs are ids with commas between them.
func splitIDs(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' })
}

func tenths(values []float64) []byte {
	out := make([]byte, 0, 2*len(values))
	for _, v := range values {
		tenth := int16(math.MinInt16)
		if v == v {
			tenth = int16(math.Round(10 * v))
		}
		out = binary.LittleEndian.AppendUint16(out, uint16(tenth))
	}
	return out
}
