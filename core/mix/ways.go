package mix

import (
	"errors"
	"math"
	"slices"
	"strings"
	"sync/atomic"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/envelope"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/speech"
)

// parting is the speech of some voices, and the tracks that make way for it.
type parting struct {
	voices    []*track
	making    []*track
	still     []*track // the other tracks that are no voices
	stretches []session.Span
	drops     []atomic.Pointer[[]audio.DB] // of those that make way, by stretch, once they are known
}

// making is how a track of a plan makes way.
type making struct {
	of    *parting
	index int // among its tracks that make way
}

// part finds out who makes way for whom.
func (p *Plan) part() {
	byVoices := map[string]*parting{}
	for i := range p.tracks {
		t := &p.tracks[i]
		if !t.MakesWay() {
			continue
		}
		names := slices.Sorted(slices.Values(t.Way.For))
		of := byVoices[strings.Join(names, " ")]
		if of == nil {
			of = p.partingFor(t.Way)
			byVoices[strings.Join(names, " ")] = of
		}
		t.way = &making{of, len(of.making)}
		of.making = append(of.making, t)
	}
	for _, of := range byVoices {
		for i := range p.tracks {
			if t := &p.tracks[i]; t.Part != session.Voice && !slices.Contains(of.making, t) {
				of.still = append(of.still, t)
			}
		}
	}
}

func (p *Plan) partingFor(w session.Way) *parting {
	of := &parting{}
	for i := range p.tracks {
		if t := &p.tracks[i]; t.Part == session.Voice && w.IsFor(t.ID) {
			of.voices = append(of.voices, t)
			of.stretches = append(of.stretches, t.spoken()...)
		}
	}
	of.stretches = session.Joined(of.stretches)
	of.drops = make([]atomic.Pointer[[]audio.DB], len(of.stretches))
	return of
}

// spoken is where the clips of a track are heard to speak, in session time.
func (t *track) spoken() (out []session.Span) {
	for i := range t.clips {
		if c := &t.clips[i]; c.gain != 0 {
			out = append(out, speech.InClip(c.Clip, c.phrases)...)
		}
	}
	return out
}

// dropsOf says by how much each of the tracks that make way goes down under a stretch.
func (p *Plan) dropsOf(of *parting, i int, g *gauge) ([]audio.DB, error) {
	if known := of.drops[i].Load(); known != nil {
		return *known, nil
	}
	if err := p.isWanted(); err != nil {
		return nil, err
	}
	s := of.stretches[i]
	first := int(s.From / loudness.Hop)
	n := int((s.To-1)/loudness.Hop) - first + 1
	powers := func(tracks []*track, each func(k int, powers stretch)) error {
		for k, t := range tracks {
			if !t.sounds(s.From, s.To) {
				continue
			}
			powers, err := g.of(t, s.From, s.To)
			if err != nil {
				return err
			}
			each(k, powers)
		}
		return nil
	}
	sums := make([]float64, 4*n)
	voices, still, rest, one := sums[:n], sums[n:2*n], sums[2*n:3*n], sums[3*n:]
	under := make([]duck.Under, len(of.making))
	if err := errors.Join(
		powers(of.voices, func(_ int, p stretch) { p.addTo(voices, first) }),
		powers(of.still, func(_ int, p stretch) {
			p.addTo(still, first)
			p.addTo(rest, first)
		}),
		powers(of.making, func(k int, p stretch) {
			clear(one)
			p.addTo(one, first)
			p.addTo(rest, first)
			under[k].Power, _ = over(one, first, s.From, s.To)
		})); err != nil {
		return nil, err
	}
	said, _ := over(voices, first, s.From, s.To)
	quiet, _ := over(still, first, s.From, s.To)
	// What lies under the speech counts where it sounds: music that begins in the middle is not taken for softer.
	_, sounding := over(rest, first, s.From, s.To)
	for k := range under {
		under[k].Way = of.making[k].Way
		under[k].Power /= max(sounding, 1e-9)
	}
	quiet /= max(sounding, 1e-9)
	drops := duck.Drops(said, quiet, under)
	if !slices.ContainsFunc(slices.Concat(of.voices, of.making, of.still), func(t *track) bool { return g.vague[t] }) {
		of.drops[i].Store(&drops)
	}
	return drops, nil
}

// line is that of a track that makes way. What goes wrong is kept in err.
func (p *Plan) line(t *track, g *gauge, err *error) duck.Line {
	return duck.NewLine(t.way.of.stretches, func(i int) audio.DB {
		drops, failed := p.dropsOf(t.way.of, i, g)
		if failed != nil {
			*err = failed
			return 0
		}
		return drops[t.way.index]
	}, t.Way)
}

// wayRegion is how much of a line is made at a time.
const wayRegion = 2 * audio.Second

// heldWay is the line of a track, as far as it is at hand.
type heldWay struct {
	region int64 // from 1
	curve  envelope.Curve
}

// makeWay has at hand the lines of all tracks that make way in a block.
func (r *Renderer) makeWay(from audio.Frames) error {
	region := int64(from/wayRegion) + 1
	for i := range r.plan.tracks {
		t := &r.plan.tracks[i]
		if t.way == nil || r.ways[i].region == region {
			continue
		}
		var err error
		g := newGauge(r.plan, true)
		begin := audio.Frames(region-1) * wayRegion
		points := r.plan.line(t, g, &err).Corners(begin, begin+wayRegion+audio.Block)
		if err != nil {
			return err
		}
		r.ways[i] = heldWay{region, envelope.New(points)}
	}
	return nil
}

// WayLine is the line in which a track makes way, in points of a level line; none if it makes none.
func (p *Plan) WayLine(trackID string) ([]session.Point, error) {
	t := p.find(trackID)
	if t == nil || t.way == nil {
		return nil, nil
	}
	var err error
	points := p.line(t, newGauge(p, true), &err).Corners(0, p.length)
	return points, err
}

// Staying is the plan in which some tracks make no way.
func (p *Plan) Staying(tracks []string) *Plan {
	out := *p
	out.tracks = slices.Clone(p.tracks)
	for i := range out.tracks {
		if t := &out.tracks[i]; slices.Contains(tracks, t.ID) {
			t.way = nil
		}
	}
	return &out
}

// WayMade says how a track makes way.
type WayMade struct {
	Track  string     `json:"track"`
	Speech int        `json:"speech" doc:"Which of the lists of speech it makes way for"`
	Drops  []audio.DB `json:"drops" nullable:"false" doc:"dB by which it goes down under each stretch of that"`
}

// Speech is where the voices that tracks make way for speak.
type Speech struct {
	Voices    []string       `json:"voices" nullable:"false" doc:"Ids of the voice tracks"`
	Stretches []session.Span `json:"stretches" nullable:"false"`
}

// WayAt is the level, in dB, to which a track has gone down at a moment.
func (p *Plan) WayAt(trackID string, at audio.Frames) (audio.DB, error) {
	t := p.find(trackID)
	if t == nil || t.way == nil {
		return 0, nil
	}
	var err error
	g := newGauge(p, true)
	level := audio.Level(envelope.New(p.line(t, g, &err).Corners(at, at+1)).GainAt(at))
	return level, err
}

// Balance is how voices and everything else stand to each other.
type Balance struct {
	Voices []float64 // mean K-weighted squares per whole 100 ms of the session
	Rest   []float64
	Speech []Speech
	Ways   []WayMade

	plan *Plan
	rows []hops // of each track, after it has made way
}

// Balance estimates the powers of the voices and of everything else without rendering, and how tracks
// make way. Treated spans that are not known are taken to be like others of their track.
func (p *Plan) Balance() (Balance, error) {
	n := int(p.length / loudness.Hop)
	out := Balance{Voices: make([]float64, n), Rest: make([]float64, n), Speech: []Speech{}, Ways: []WayMade{}, plan: p, rows: make([]hops, len(p.tracks))}
	g := newGauge(p, false)
	levels := make([]hops, len(p.tracks))
	for i := range p.tracks {
		if err := p.isWanted(); err != nil {
			return out, err
		}
		var err error
		if levels[i], err = g.all(&p.tracks[i]); err != nil {
			return out, err
		}
	}
	lists := map[*parting]int{}
	for i := range p.tracks {
		t, to := &p.tracks[i], out.Rest
		if t.Part == session.Voice {
			to = out.Voices
		}
		if t.way == nil {
			out.rows[i] = levels[i][:min(n, len(levels[i]))]
			stretch{out.rows[i], 0}.addTo(to, 0)
			continue
		}
		list, there := lists[t.way.of]
		if !there {
			list = len(out.Speech)
			lists[t.way.of] = list
			out.Speech = append(out.Speech, t.way.of.speech())
		}
		way := WayMade{Track: t.ID, Speech: list, Drops: make([]audio.DB, len(t.way.of.stretches))}
		for s := range way.Drops {
			drops, err := p.dropsOf(t.way.of, s, g)
			if err != nil {
				return out, err
			}
			way.Drops[s] = drops[t.way.index]
		}
		out.Ways = append(out.Ways, way)
		line := duck.NewLine(t.way.of.stretches, func(i int) audio.DB { return way.Drops[i] }, t.Way)
		out.rows[i] = make(hops, min(n, len(levels[i])))
		squares(line.Corners(0, p.length), levels[i][:len(out.rows[i])], out.rows[i])
		stretch{out.rows[i], 0}.addTo(to, 0)
	}
	return out, nil
}

// Cover finds what is loudest beside the voices between two frames: the track, and of its clips the one
// that lies there longest. Both are empty if there is nothing.
func (b Balance) Cover(from, to audio.Frames) (trackID, clipID string) {
	var most float64
	for i, row := range b.rows {
		t := &b.plan.tracks[i]
		if t.Part == session.Voice {
			continue
		}
		first := int(from / loudness.Hop)
		sums := make([]float64, int((to-1)/loudness.Hop)-first+1)
		stretch{row, 0}.addTo(sums, first)
		if mean, _ := over(sums, first, from, to); mean > most {
			most, trackID, clipID = mean, t.ID, t.longestIn(from, to)
		}
	}
	return trackID, clipID
}

// Of gives the powers of one track per 100 ms, after it has made way; none if it cannot be heard. They
// are not to be changed.
func (b Balance) Of(trackID string) []float64 {
	for i, row := range b.rows {
		if b.plan.tracks[i].ID == trackID {
			return row
		}
	}
	return nil
}

// longestIn is the clip of a track that lies longest between two frames.
func (t *track) longestIn(from, to audio.Frames) (id string) {
	var most audio.Frames
	for _, c := range t.between(from, to) {
		if n := min(to, c.End()) - max(from, c.Start); n > most && c.gain != 0 {
			most, id = n, c.id
		}
	}
	return id
}

// squares adds powers to others, by the hop, each times the mean square over it of the gain of a
// line whose levels are straight between its corners and constant outside.
func squares(line []session.Point, powers hops, to []float64) {
	if len(line) == 0 {
		line = []session.Point{{}}
	}
	const perDB = math.Ln10 / 10
	k := 0 // the corner that comes next
	levelAt := func(at audio.Frames) float64 {
		switch {
		case k == 0:
			return float64(line[0].Level)
		case k == len(line):
			return float64(line[k-1].Level)
		}
		a, b := line[k-1], line[k]
		return float64(a.Level) + float64(b.Level-a.Level)*float64(at-a.At)/float64(b.At-a.At)
	}
	flat, square := math.NaN(), 1.0 // what a level that stays the same comes to
	for n, power := range powers {
		from, end := audio.Frames(n)*loudness.Hop, audio.Frames(n+1)*loudness.Hop
		for k < len(line) && line[k].At <= from {
			k++
		}
		if power == 0 {
			continue
		}
		level := levelAt(from)
		var sum float64
		for at := from; at < end; {
			until, last := end, level
			if k < len(line) && line[k].At < end {
				until = line[k].At
			}
			if last = levelAt(until); last == level {
				if level != flat {
					flat, square = level, math.Exp(level*perDB)
				}
				sum += square * float64(until-at)
			} else { // of a straight line in dB: the mean of an exponential
				sum += (math.Exp(last*perDB) - math.Exp(level*perDB)) / ((last - level) * perDB) * float64(until-at)
			}
			if at, level = until, last; k < len(line) && line[k].At == at && at < end {
				k++
			}
		}
		to[n] += power * sum / float64(loudness.Hop)
	}
}

func (of *parting) speech() Speech {
	s := Speech{Voices: []string{}, Stretches: of.stretches}
	for _, t := range of.voices {
		s.Voices = append(s.Voices, t.ID)
	}
	if s.Stretches == nil {
		s.Stretches = []session.Span{}
	}
	return s
}
