package mix

import (
	"math"
	"slices"
	"sort"
	"strings"
	"sync/atomic"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/envelope"
	"ruvel/core/lead"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/speech"
)

// parting is the speech of some voices, and the tracks that make way for it.
type parting struct {
	voices    []*track
	making    []*track
	still     []*track // the other tracks that are no voices
	spoken    []session.Span
	stretches []session.Span               // those that the lines are down under: each as it is spoken, and what is left around it
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
	var all []session.Span
	for i := range p.tracks {
		if t := &p.tracks[i]; t.Part == session.Voice && w.IsFor(t.ID) {
			of.voices = append(of.voices, t)
			all = append(all, t.spoken()...)
		}
	}
	of.spoken, of.stretches = duck.Around(all)
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
	s := of.spoken[i]
	first, last := int(s.From/loudness.Hop), int((s.To-1)/loudness.Hop)+1
	begin := max(0, first-duck.Reach)
	m, rest, err := g.moments(of, begin, last+duck.Reach)
	if err != nil {
		return nil, err
	}
	own := func(row []float64) (mean, heard float64) {
		return over(row[first-begin:last-begin], first, s.From, s.To)
	}
	said, _ := own(m.Speech)
	quiet, _ := own(m.Still)
	// What lies under the speech counts where it sounds: music that begins in the middle is not taken for softer.
	_, sounding := own(rest)
	under, ways := make([]duck.Under, len(of.making)), make([]session.Way, len(of.making))
	for k, t := range of.making {
		power, _ := own(m.Under[k])
		ways[k] = t.Way
		under[k] = duck.Under{Power: power / max(sounding, 1e-9), Way: t.Way}
	}
	drops := duck.Drops(said, quiet/max(sounding, 1e-9), under)
	m.Deepen(drops, ways, first-begin, last-begin)
	if !slices.ContainsFunc(slices.Concat(of.voices, of.making, of.still), func(t *track) bool { return g.vague[t] }) {
		of.drops[i].Store(&drops)
	}
	return drops, nil
}

// moments are the powers from one hop to another, and those of all that is no voice together. Where nothing has to be computed exactly
// they are cut from those of the whole session.
func (g *gauge) moments(of *parting, begin, end int) (m duck.Moments, rest []float64, err error) {
	if g.exactly {
		return of.moments(g, begin, end)
	}
	whole, there := g.whole[of]
	if !there {
		length := int(g.plan.length/loudness.Hop) + 1 + duck.Reach
		if whole.Moments, whole.rest, err = of.moments(g, 0, length); err != nil {
			return m, nil, err
		}
		g.whole[of] = whole
	}
	end = min(end, len(whole.rest))
	m = duck.Moments{Speech: whole.Speech[begin:end], Still: whole.Still[begin:end], Spoken: whole.Spoken[begin:end]}
	for _, row := range whole.Under {
		m.Under = append(m.Under, row[begin:end])
	}
	return m, whole.rest[begin:end], nil
}

// wholeMoments are those of a session.
type wholeMoments struct {
	duck.Moments
	rest []float64
}

// moments works them out.
func (of *parting) moments(g *gauge, begin, end int) (m duck.Moments, rest []float64, err error) {
	n := end - begin
	rows := make([]float64, n*(3+len(of.making)))
	row := func(k int) []float64 { return rows[k*n : (k+1)*n] }
	m.Speech, m.Still, rest = row(0), row(1), row(2)
	from, to := audio.Frames(begin)*loudness.Hop, audio.Frames(end)*loudness.Hop
	add := func(tracks []*track, rows func(k int) [][]float64) {
		for k, t := range tracks {
			if err != nil || !t.sounds(from, to) {
				continue
			}
			var powers stretch
			if powers, err = g.of(t, from, to); err == nil {
				for _, row := range rows(k) {
					powers.addTo(row, begin)
				}
			}
		}
	}
	for k := range of.making {
		m.Under = append(m.Under, row(3+k))
	}
	add(of.voices, func(int) [][]float64 { return [][]float64{m.Speech} })
	add(of.still, func(int) [][]float64 { return [][]float64{m.Still, rest} })
	add(of.making, func(k int) [][]float64 { return [][]float64{m.Under[k], rest} })
	m.Spoken = lead.Speaking(session.SpansIn(of.spoken, from, to), begin, n)
	return m, rest, err
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
	Stretches []session.Span `json:"stretches" nullable:"false" doc:"As tracks are down under them: from a little before each first word to a little after the last"`
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

// Cover is a track that is heard beside the voices in some place: of its clips the one that lies there longest, and by how much the track goes down.
type Cover struct {
	Track, Clip string
	Down        audio.DB
}

// matters is by how many dB what is heard beside the voices may be softer than the loudest of it and still matter.
const matters = 10

// Covers finds what is heard beside the voices between two frames, the loudest first; what is much softer than that is left out.
func (b Balance) Covers(from, to audio.Frames) (out []Cover) {
	var means []float64
	for i, row := range b.rows {
		t := &b.plan.tracks[i]
		if t.Part == session.Voice {
			continue
		}
		first := int(from / loudness.Hop)
		sums := make([]float64, int((to-1)/loudness.Hop)-first+1)
		stretch{row, 0}.addTo(sums, first)
		mean, _ := over(sums, first, from, to)
		if mean <= 0 {
			continue
		}
		at := sort.Search(len(means), func(k int) bool { return means[k] < mean })
		means = slices.Insert(means, at, mean)
		out = slices.Insert(out, at, Cover{t.ID, t.longestIn(from, to), b.down(t.ID, from, to)})
	}
	for k := range means {
		if means[k] < means[0]*math.Pow(10, -matters/10.0) {
			return out[:k]
		}
	}
	return out
}

// down is by how much a track goes down between two frames.
func (b Balance) down(track string, from, to audio.Frames) audio.DB {
	for _, w := range b.Ways {
		if w.Track == track {
			return duck.OfTrack(b.Speech[w.Speech].Stretches, w.Drops, from, to)
		}
	}
	return 0
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
