// Package review says what a careful second pair of ears would say of a session before it is handed
// over: findings, worst first, each with where it is, the value that was measured and its limit, why it
// matters, and an edit that mends it where there is one. A review is a pure function of its material:
// the document, the facts of its mix, where somebody speaks, what was found in its sounds, and what is
// written down about them. Rules and limits stand in one table, Rules, with their sources.
package review

import (
	"cmp"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/edit"
	"ruvel/core/envelope"
	"ruvel/core/lead"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
)

// Weight says how much a finding matters.
type Weight string

// The weights, worst first.
const (
	Must   Weight = "must"   // it must be mended before anybody gets the file
	Should Weight = "should" // a listener will notice
	Look   Weight = "look"   // worth a look
)

var weights = []Weight{Must, Should, Look}

// Finding is something that a second pair of ears would mention.
type Finding struct {
	Key    string       `json:"key" doc:"Names it for as long as it is about the same things"`
	Kind   string       `json:"kind" doc:"Which of the rules has found it"`
	Weight Weight       `json:"weight" enum:"must,should,look"`
	From   audio.Frames `json:"from" doc:"Where it is; from and to are 0 if it is about the episode as a whole"`
	To     audio.Frames `json:"to"`
	Tracks []string     `json:"tracks" nullable:"false"`
	Clips  []string     `json:"clips" nullable:"false"`
	Sound  string       `json:"sound,omitempty" doc:"The sound it is about"`
	Text   string       `json:"text" doc:"What is wrong, with what was measured and the limit"`
	Why    string       `json:"why" doc:"Why it matters to a listener"`
	By     float64      `json:"by" doc:"How far it lies beyond its limit, in its own unit"`
	Reason string       `json:"reason,omitempty" doc:"Why it is set aside, if it is"`
	Aside  bool         `json:"aside,omitempty" doc:"It is set aside"`
	Fix    *Fix         `json:"-"`
}

// Fix mends a finding by one edit.
type Fix struct {
	Do   string  // what it does, as on a button: two to four words
	Text string  // what will change, in a sentence
	Op   edit.Op // nothing is changed before it is carried out
}

// Material is what a review rests on.
type Material struct {
	// Wanted is asked again and again while a review goes on; an error ends it with that. nil: it is wanted to its end.
	Wanted   func() error
	Document session.Document
	Plan     *mix.Plan     // of the document; nil if a sound is missing, and then nothing is said of what is heard
	Mix      *mix.Measured // of the plan; nil: not measured yet, and then nothing is said of the mix as a whole
	Source   mix.Source    // of the sounds of the plan
	// Examined is what was found in a sound itself, by its id.
	Examined func(sound string) (Examined, error)
	Credits  []credits.Sound // what is written down about the sounds that are used
	Missing  []string        // ids of sounds that cannot be read
	Details  *Details        // of the episode; nil: not asked for
	Takes    []Take          // recordings that nobody has kept or thrown away
	Loop     *session.Span   // that is still played over and over
	Limits   Bounds
}

// Details is what an episode says about itself.
type Details struct {
	Title, Description, Language string
}

// Take is a recording that waits.
type Take struct {
	Track string // its id
	At    audio.Frames
}

// Of reviews a session. Findings are ordered by weight, then by time; what is set aside comes last. An error
// says that a sound cannot be read.
func Of(m Material) ([]Finding, error) {
	r := &reader{Material: m, audible: m.Document.Audible(), order: map[string][]string{}, lines: map[string]envelope.Curve{}, ways: map[string]envelope.Curve{}, levels: mix.NewBreakdown(m.Document, m.Plan)}
	for _, t := range m.Document.Tracks {
		r.order[t.ID] = slices.DeleteFunc(t.ClipsInOrder(), func(id string) bool { return !heard(t.Clips[id]) })
	}
	if m.Plan != nil {
		if err := r.listen(); err != nil {
			return nil, err
		}
	}
	found := []Finding{}
	for _, rule := range Rules() {
		if rule.heard && m.Plan == nil || rule.mixed && m.Mix == nil {
			continue
		}
		these := rule.find(r)
		if r.wanted(); r.err != nil {
			return nil, r.err
		}
		for _, f := range these {
			f.Kind, f.Why = rule.Kind, rule.Why
			found = append(found, f)
		}
	}
	named(found)
	for i := range found {
		f := &found[i]
		f.Tracks, f.Clips = append([]string{}, f.Tracks...), append([]string{}, f.Clips...)
		if a, there := m.Document.Aside[f.Key]; there && f.By <= a.By+worse(a.By) {
			f.Aside, f.Reason = true, a.Reason
		}
	}
	slices.SortStableFunc(found, func(a, b Finding) int {
		side := func(f Finding) int {
			if f.Aside {
				return 1
			}
			return 0
		}
		return cmp.Or(cmp.Compare(side(a), side(b)), cmp.Compare(slices.Index(weights, a.Weight), slices.Index(weights, b.Weight)),
			cmp.Compare(a.From, b.From), cmp.Compare(a.Key, b.Key))
	})
	return found, nil
}

// worse is by how much more than when it was set aside a finding may lie beyond its limit and still be
// the same: a tenth of that, or half of its unit.
func worse(by float64) float64 { return max(0.5, by/10) }

// named gives the findings their keys: the rule and what they are about. Several about the same things
// are numbered by their time.
func named(found []Finding) {
	slices.SortStableFunc(found, func(a, b Finding) int { return cmp.Compare(a.From, b.From) })
	seen := map[string]int{}
	for i := range found {
		f := &found[i]
		key := f.Kind
		if f.Key != "" {
			key += " " + f.Key
		}
		for _, id := range append(slices.Clone(f.Tracks), f.Clips...) {
			if len(key) < 120 {
				key += " " + id
			}
		}
		if f.Sound != "" {
			key += " " + f.Sound[:min(16, len(f.Sound))]
		}
		if seen[key]++; seen[key] > 1 {
			key += " " + ordinal(seen[key])
		}
		f.Key = key
	}
}

// reader goes through the material. What goes wrong is kept in err.
type reader struct {
	Material
	err      error
	audible  []bool
	balance  mix.Balance
	spoken   map[string][]session.Span // where somebody speaks, by voice track that can be heard
	speech   []session.Span            // of all of them
	course   lead.Course               // of the mix, or as it is estimated
	examined map[string]Examined
	order    map[string][]string       // the clips that can be heard of each track, by start
	lines    map[string]envelope.Curve // level lines, by track and clip
	ways     map[string]envelope.Curve // how tracks make way
	levels   *mix.Breakdown
	moving   []Finding // what ramps finds; nil until it was asked for
}

// lineOf is the level line of a track or a clip.
func (r *reader) lineOf(id string, points []session.Point) envelope.Curve {
	line, there := r.lines[id]
	if !there {
		line = envelope.New(points)
		r.lines[id] = line
	}
	return line
}

// wayOf is how a track makes way.
func (r *reader) wayOf(track string) envelope.Curve {
	line, there := r.ways[track]
	if !there {
		points, err := r.Plan.WayLine(track)
		if err != nil {
			r.err = err
		}
		line = envelope.New(points)
		r.ways[track] = line
	}
	return line
}

// listen finds out what all rules need of what is heard.
func (r *reader) listen() (err error) {
	if r.balance, err = r.Plan.Balance(); err != nil {
		return err
	}
	r.spoken = map[string][]session.Span{}
	var all []session.Span
	for i, t := range r.Document.Tracks {
		if t.Part != session.Voice || !r.audible[i] {
			continue
		}
		spans, err := speech.OnTrack(r.Document, t, r.Source, 0, session.MaxLength)
		if err != nil {
			return err
		}
		r.spoken[t.ID] = spans
		all = append(all, spans...)
	}
	r.speech = session.Joined(all)
	voices, rest := r.balance.Voices, r.balance.Rest
	if r.Mix != nil {
		voices, rest = r.Mix.Voices, r.Mix.Rest
	}
	r.course = lead.Along(voices, rest, r.speech)
	r.examined = map[string]Examined{}
	if r.Examined == nil {
		return nil
	}
	for _, id := range r.Document.SoundsInOrder() {
		if r.examined[id], err = r.Examined(id); err != nil {
			return err
		}
	}
	return nil
}

// wanted says whether the review is wanted still.
func (r *reader) wanted() bool {
	if r.Wanted != nil && r.err == nil {
		r.err = r.Wanted()
	}
	return r.err == nil
}

// target is the delivery target.
func (r *reader) target() loudness.Target { return r.Document.Goal() }

// eachTrack does something for all tracks that can be heard.
func (r *reader) eachTrack(do func(t session.Track)) {
	for i, t := range r.Document.Tracks {
		if r.audible[i] && t.Fader > audio.Silence && r.wanted() {
			do(t)
		}
	}
}

// heard says whether a clip of a track that can be heard is.
func heard(c session.Clip) bool { return !c.Silent && c.Gain > audio.Silence }
