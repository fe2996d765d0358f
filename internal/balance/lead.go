package balance

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"slices"

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
	Why   string `json:"why,omitempty" doc:"Why what covers it takes no more away there, in a sentence"`
}

// Of is the balance of an episode, once it has a version: measured if that is at hand, or else estimated. All who ask for the same share it.
func (b *Balancer) Of(ctx context.Context, episode string, version int64) (Balance, error) {
	p, err := b.Plans.Current(ctx, episode, version)
	if err != nil {
		return Balance{}, err
	}
	version = p.Version
	p.Close()
	return b.balances.Do(ctx, fmt.Sprintf("%s %d", episode, version), func(ctx context.Context) (Balance, error) {
		p, err := b.Plans.Current(ctx, episode, version) // of its own: who asked first may leave before the others
		if err != nil {
			return Balance{}, err
		}
		defer p.Close()
		return b.now(ctx, episode, p)
	})
}

// WayLines are the lines in which tracks of an episode make way, once it has a version, to be turned into points; nothing changes.
func (b *Balancer) WayLines(ctx context.Context, episode string, version int64, tracks []string) ([]edit.WayLine, error) {
	p, err := b.Plans.Current(ctx, episode, version)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	lines := []edit.WayLine{}
	for _, id := range tracks {
		points, err := b.Turns.Plan(ctx, episode, p.Plan).WayLine(id)
		if err != nil {
			return nil, err
		}
		lines = append(lines, edit.WayLine{Track: id, Points: append([]session.Point{}, points...)})
	}
	return lines, nil
}

// After is the balance of an episode as it would be after an operation, estimated; nothing changes.
func (b *Balancer) After(ctx context.Context, episode string, op edit.Op) (Balance, error) {
	p, doc, err := b.Plans.Tried(ctx, episode, op)
	if err != nil {
		return Balance{}, err
	}
	defer p.Close()
	return b.balanced(ctx, episode, doc, p, nil)
}

// now is that of an episode, measured if that is at hand.
func (b *Balancer) now(ctx context.Context, episode string, p *plans.Lease) (Balance, error) {
	doc, version, err := b.Store.Document(ctx, episode)
	if err != nil {
		return Balance{}, err
	}
	m, there := b.Measure.Latest(episode, p.Version)
	if there && version == p.Version {
		return b.balanced(ctx, episode, doc, p, &m)
	}
	if err := b.recall(ctx, episode, p.Version); err != nil {
		return Balance{}, err
	}
	return b.balanced(ctx, episode, doc, p, nil)
}

// balanced is the balance of a plan of a document: as it was measured, or, if m is nil, as it is estimated.
func (b *Balancer) balanced(ctx context.Context, episode string, doc session.Document, p *plans.Lease, m *mix.Measured) (out Balance, err error) {
	mixed, err := b.Turns.Plan(ctx, episode, p.Plan).Balance()
	if err != nil {
		return out, err
	}
	out = Balance{Version: p.Version, Measured: m != nil, Misses: []Miss{}, Spoken: []SpokenOn{}, Speech: mixed.Speech, Ways: rounded(mixed.Ways)}
	spoken, err := out.listen(doc, b.Sounds.Speech(ctx))
	if err != nil {
		return out, err
	}
	voices, rest := mixed.Voices, mixed.Rest
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
		out.covered(doc, mixed, &miss)
		out.Misses = append(out.Misses, miss)
	}
	return out, nil
}

// covered says what covers the speech in a miss, and why no more of that is taken away.
func (of *Balance) covered(doc session.Document, mixed mix.Balance, m *Miss) {
	if all := mixed.Covers(m.From, m.To); len(all) > 0 {
		c := all[0]
		m.Track, m.Clip = c.Track, c.Clip
		track := doc.Tracks[doc.FindTrack(c.Track)]
		if m.Name = track.Clips[c.Clip].Name; m.Name == "" {
			m.Name = track.Name
		}
		at := duck.Covering{Track: track, Clip: c.Clip, Voice: of.speaker(m.From, m.To), At: (m.From + m.To) / 2, Down: c.Down, Aim: of.Target.Lead, Short: m.Short}
		why := at.Why()
		m.Why, m.Text = why.Said(m.Name), " It "+why.Text+"."
	}
	m.Text = m.say(of.Target) + m.Text
}

// speaker is the voice track that speaks most between two moments.
func (of *Balance) speaker(from, to audio.Frames) (track string) {
	var most audio.Frames
	for _, s := range of.Spoken {
		var n audio.Frames
		for _, span := range session.SpansIn(s.Spans, from, to) {
			n += min(to, span.To) - max(from, span.From)
		}
		if s.Heard && n > most {
			most, track = n, s.Track
		}
	}
	return track
}

// recall has what was measured of a version put at hand again, as after a restart, and an event tell when
// that is done. What has not been measured yet is measured when the loudness is asked for: when the hand rests.
func (b *Balancer) recall(ctx context.Context, episode string, version int64) error {
	e, err := b.Store.Episode(ctx, episode)
	if err == nil && e.LoudnessVersion == version {
		b.Measure.Ask(episode, version)
	}
	return err
}

// listen fills in where voices speak, and gives where any of them is heard.
func (of *Balance) listen(doc session.Document, source speech.Source) ([]session.Span, error) {
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
		of.Spoken = append(of.Spoken, SpokenOn{t.ID, audible, append([]session.Span{}, spans...)})
		if audible {
			heard = append(heard, spans...)
		}
	}
	return session.Joined(heard), nil
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
