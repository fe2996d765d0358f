// Package mix turns a document into a plan and renders any window of it: source x
// clip gain x fades x clip envelope, summed on the track, x track envelope x fader,
// panned, summed to stereo. Every gain is computed from its position, never carried
// along, so a window is bit-identical to the same frames of the whole render.
package mix

import (
	"fmt"
	"slices"
	"sort"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/loudness"
	"ruvel/core/pan"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/speech"
)

// Plan is a document compiled for rendering. It is immutable and safe for use by many goroutines.
type Plan struct {
	tracks []track // those that can be heard and hold clips
	mute   []track // those that hold clips and are treated, but cannot be heard
	rows   int     // of the document, those that cannot be heard included
	length audio.Frames
	spans  *Spans
	wanted func() error          // asked before each piece of long work that is not heard, if this is not nil
	turn   func(do func()) error // around each such piece that computes spans, if this is not nil
}

type track struct {
	session.Track
	row      int    // its place in the document
	part     int    // that of RenderParts
	clips    []clip // by start
	longest  audio.Frames
	fader    float32
	mono     [2]float32 // what pan makes of mono clips: the gains on the left and the right
	stereo   [2]float32 // and of stereo clips
	envelope envelope.Curve
	treated  treated
	way      *making // nil: it makes no way
}

type clip struct {
	session.Clip
	id       string
	source   audio.PCM
	side     session.Side // that is heard of the sound
	gain     float32
	envelope envelope.Curve
	fades    bool
	crosses  bool
	crossing session.Clip // the gains of its crossings, as the fades of a clip of its length
	phrases  []speech.Phrase
	powers   loudness.Series
}

// Compile is CompileFrom of sounds of which nothing has been found out yet. What rendering needs of
// that, where a track makes way, is found out now; such a plan has no Balance otherwise.
func Compile(doc session.Document, sounds Sounds, earlier *Plan) (*Plan, error) {
	return CompileFrom(doc, &listened{sounds: sounds}, earlier)
}

// CompileFrom prepares a valid document. A sound that cannot be had or that is shorter
// than the document says is an error. What earlier, a plan or nil, has compiled of the
// same clips and lines is used again.
func CompileFrom(doc session.Document, source Source, earlier *Plan) (*Plan, error) {
	c := compiler{doc.Sounds, source, map[string]*track{}, map[string]*clip{}}
	if earlier != nil {
		c.remember(earlier)
	}
	p := &Plan{length: doc.Length(), rows: len(doc.Tracks), spans: NewSpans(fewSpans)}
	if earlier != nil {
		p.spans = earlier.spans
	}
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		heard := audible[i] && t.Fader > audio.Silence
		if len(t.Clips) == 0 || !heard && t.Treatment.Off() {
			continue
		}
		compiled, err := c.track(t)
		if !heard {
			if err == nil { // it is seen, if it can be read
				p.mute = append(p.mute, compiled)
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		compiled.row = i
		p.tracks = append(p.tracks, compiled)
	}
	making := slices.ContainsFunc(p.tracks, func(t track) bool { return t.MakesWay() })
	if _, later := source.(*listened); making || !later {
		if err := c.know(p, making); err != nil {
			return nil, err
		}
	}
	p.part()
	return p, nil
}

// know has the powers of all clips that can be heard, and, if that matters, where voices speak.
func (c *compiler) know(p *Plan, spoken bool) (err error) {
	for i := range p.tracks {
		t := &p.tracks[i]
		for k := range t.clips {
			of := &t.clips[k]
			if of.powers, err = c.source.Powers(of.Sound); err != nil {
				return fmt.Errorf("the levels of the clip %q: %w", of.Name, err)
			}
			of.powers = sideOf(of.powers, of.side)
			if t.Part != session.Voice || !spoken {
				continue
			}
			if of.phrases, err = c.source.Phrases(of.Sound, c.facts[of.Sound].Sensitivity); err != nil {
				return fmt.Errorf("the speech of the clip %q: %w", of.Name, err)
			}
		}
	}
	return nil
}

// fewSpans is how many bytes of treated spans a plan keeps by itself.
const fewSpans = 32 << 20

// KeepIn has treated spans kept in a cache that is shared, by this plan and those compiled after it.
func (p *Plan) KeepIn(spans *Spans) { p.spans = spans }

// InTurns is the plan for what may take long and is not heard: each piece of work on it, such as
// treating ten seconds of a track, is done inside turn, which can make it wait for its turn, and gives an
// error, without doing it, where nobody wants it any more. wanted says the same between pieces. An error of either ends the
// work with it. Rendering never waits for such a turn, also where the plan is one of these.
func (p *Plan) InTurns(wanted func() error, turn func(do func()) error) *Plan {
	out := *p
	out.wanted, out.turn = wanted, turn
	return &out
}

// heard is the plan for rendering: without turns.
func (p *Plan) heard() *Plan {
	if p.wanted == nil && p.turn == nil {
		return p
	}
	out := *p
	out.wanted, out.turn = nil, nil
	return &out
}

// inTurn does a piece of work, on samples that may not be readable any more. Whoever makes a span has the
// turn before others can wait for it.
func (p *Plan) inTurn(do func()) (err error) {
	if err := p.isWanted(); err != nil {
		return err
	}
	work := func() { err = audio.Guard(do) }
	if p.turn == nil {
		work()
		return err
	}
	if refused := p.turn(work); refused != nil {
		return refused
	}
	return err
}

// isWanted is an error if nobody wants what is being computed any more.
func (p *Plan) isWanted() error {
	if p.wanted == nil {
		return nil
	}
	return p.wanted()
}

// compiler knows what an earlier plan has compiled, by id.
type compiler struct {
	facts  map[string]session.Sound
	source Source
	tracks map[string]*track
	clips  map[string]*clip
}

func (c *compiler) remember(p *Plan) {
	for _, t := range p.all() {
		c.tracks[t.ID] = t
		for k := range t.clips {
			c.clips[t.clips[k].id] = &t.clips[k]
		}
	}
}

// all are the tracks that can be heard, and those that are only treated.
func (p *Plan) all() (all []*track) {
	for _, tracks := range [][]track{p.tracks, p.mute} {
		for i := range tracks {
			all = append(all, &tracks[i])
		}
	}
	return all
}

func (c *compiler) track(t session.Track) (track, error) {
	out := track{Track: t, part: partOf[t.Part], fader: float32(t.Fader.Gain()), treated: newTreated(t.Treatment)}
	if old := c.tracks[t.ID]; old != nil && slices.Equal(old.Envelope, t.Envelope) {
		out.envelope = old.envelope
	} else {
		out.envelope = envelope.New(t.Envelope)
	}
	left, right := pan.Mono(t.Pan)
	out.mono = [2]float32{float32(left), float32(right)}
	left, right = pan.Balance(t.Pan)
	out.stereo = [2]float32{float32(left), float32(right)}
	crossings := crossingsOf(t)
	for _, id := range t.ClipsInOrder() {
		compiled, err := c.clip(id, t.Clips[id])
		if err != nil {
			return track{}, err
		}
		compiled.crossing, compiled.crosses = crossings[id]
		out.clips = append(out.clips, compiled)
		out.longest = max(out.longest, compiled.Length)
	}
	return out, nil
}

func (c *compiler) clip(id string, of session.Clip) (clip, error) {
	source, err := c.source.Samples(of.Sound)
	if err != nil {
		return clip{}, fmt.Errorf("sound of the clip %q: %w", of.Name, err)
	}
	known := c.facts[of.Sound]
	if source.Length() < of.Offset+of.Length || len(source) != known.Channels {
		return clip{}, fmt.Errorf("the recording of the clip %q has %d channels and %v; the session expects %d and at least %v",
			of.Name, len(source), source.Length(), known.Channels, of.Offset+of.Length)
	}
	out := clip{
		Clip: of, id: id, source: sideOf(source, known.Side).Slice(of.Offset, of.Offset+of.Length), side: known.Side, gain: float32(gainOf(of)),
		fades: of.FadeIn.Length > 0 || of.FadeOut.Length > 0,
	}
	if old := c.clips[id]; old != nil && slices.Equal(old.Envelope, of.Envelope) {
		out.envelope = old.envelope
	} else {
		out.envelope = envelope.New(of.Envelope)
	}
	return out, nil
}

// sideOf is what is heard of the channels of a sound.
func sideOf[C ~[]E, E any](channels C, side session.Side) C {
	switch {
	case side == session.LeftSide && len(channels) == 2:
		return channels[:1]
	case side == session.RightSide && len(channels) == 2:
		return channels[1:]
	}
	return channels
}

// gainOf is the gain of a clip as a whole.
func gainOf(c session.Clip) float64 {
	if c.Silent {
		return 0
	}
	return c.Gain.Gain()
}

// crossingsOf gives, for each clip of a track that crosses with others, the gains of that
// as the fades of a clip of the same length.
func crossingsOf(t session.Track) map[string]session.Clip {
	out := map[string]session.Clip{}
	for _, x := range t.Crossings() {
		goes, comes := out[x.Out], out[x.In]
		goes.Length, goes.FadeOut = t.Clips[x.Out].Length, x.Fade()
		comes.Length, comes.FadeIn = t.Clips[x.In].Length, x.Fade()
		out[x.Out], out[x.In] = goes, comes
	}
	return out
}

// Length is the end of the last clip, muted ones included, in frames.
func (p *Plan) Length() audio.Frames { return p.length }

// Rows is how many tracks the document has, also those that cannot be heard.
func (p *Plan) Rows() int { return p.rows }

// between gives the clips that may sound in a window.
func (t *track) between(from, to audio.Frames) []clip {
	first := sort.Search(len(t.clips), func(i int) bool { return t.clips[i].Start > from-t.longest })
	last := sort.Search(len(t.clips), func(i int) bool { return t.clips[i].Start >= to })
	return t.clips[first:max(first, last)]
}

// Levels is what acts on one clip at one moment, in dB.
type Levels struct {
	ClipGain      audio.DB `json:"clipGain"`
	Fade          audio.DB `json:"fade"`
	Hush          audio.DB `json:"hush" doc:"Silence inside a stretch that is silenced, otherwise 0"`
	Crossing      audio.DB `json:"crossing" doc:"Of taking over from the clip before or by the one after"`
	ClipEnvelope  audio.DB `json:"clipEnvelope"`
	TrackEnvelope audio.DB `json:"trackEnvelope"`
	MakingWay     audio.DB `json:"makingWay" doc:"For speech"`
	Fader         audio.DB `json:"fader"`
	Total         audio.DB `json:"total" doc:"The sum, or silence if the track cannot be heard"`
	Audible       bool     `json:"audible" doc:"False while the track is muted or others are soloed"`
	Inside        bool     `json:"inside" doc:"False if the moment lies outside the clip; then the nearest of its frames is meant"`
}

// LevelsAt breaks down the level of a clip at a session time. The plan says how far its track has made
// way; without one it counts as if it made none.
func LevelsAt(doc session.Document, clipID string, at audio.Frames, plan *Plan) (Levels, error) {
	return NewBreakdown(doc, plan).At(clipID, at)
}

// Breakdown is LevelsAt for many clips and moments of one document. It is for one goroutine.
type Breakdown struct {
	doc       session.Document
	plan      *Plan
	audible   []bool
	crossings map[string]map[string]session.Clip // of the tracks that were asked for
}

// NewBreakdown makes one.
func NewBreakdown(doc session.Document, plan *Plan) *Breakdown {
	return &Breakdown{doc, plan, doc.Audible(), map[string]map[string]session.Clip{}}
}

// At breaks down the level of a clip at a session time.
func (b *Breakdown) At(clipID string, at audio.Frames) (Levels, error) {
	doc, plan := b.doc, b.plan
	i, c, found := doc.FindClip(clipID)
	if !found {
		return Levels{}, problem.New("unknown-clip", "clip", "That clip is not in the session any more.")
	}
	t := doc.Tracks[i]
	inside := min(max(at, c.Start), c.End()-1)
	own := inside - c.Start
	all, known := b.crossings[t.ID]
	if !known {
		all = crossingsOf(t)
		b.crossings[t.ID] = all
	}
	across, crosses := all[clipID]
	crossing := 1.0
	if crosses {
		crossing = fade.In(across.FadeIn, own) * fade.Out(across.FadeOut, own, c.Length)
	}
	var way audio.DB
	if plan != nil {
		var err error
		if way, err = plan.WayAt(t.ID, inside); err != nil {
			return Levels{}, err
		}
	}
	gain := c.Gain
	if c.Silent {
		gain = audio.Silence
	}
	l := Levels{
		ClipGain:      gain,
		Fade:          audio.Level(fade.In(c.FadeIn, own) * fade.Out(c.FadeOut, own, c.Length)),
		Hush:          audio.Level(fade.Hush(c.Hushed, own+c.Offset)),
		Crossing:      audio.Level(crossing),
		ClipEnvelope:  audio.Level(envelope.New(c.Envelope).GainAt(own + c.Offset)),
		TrackEnvelope: audio.Level(envelope.New(t.Envelope).GainAt(inside)),
		MakingWay:     way,
		Fader:         t.Fader,
		Audible:       b.audible[i],
		Inside:        inside == at,
	}
	l.Total = audio.Silence
	if l.Audible {
		l.Total = max(audio.Silence, l.ClipGain+l.Fade+l.Hush+l.Crossing+l.ClipEnvelope+l.TrackEnvelope+l.MakingWay+l.Fader)
	}
	for _, part := range []audio.DB{l.ClipGain, l.Fade, l.Hush, l.Crossing, l.ClipEnvelope, l.TrackEnvelope, l.Fader} {
		if part <= audio.Silence {
			l.Total = audio.Silence
		}
	}
	return l, nil
}
