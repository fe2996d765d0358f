package mix

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/loudness"
	"ruvel/core/pan"
	"ruvel/core/session"
)

// Estimate is about how loud the whole mix of a document is, in LUFS, without rendering it:
// the powers of its recordings, per 100 ms, times the squares of all gains. Sounds are taken
// as unlike each other, so that their powers add up; the same recording twice at one moment
// is up to 3 LU louder than that. The plan says what treatments do, and may be nil if no track
// is treated: spans that it knows count as they are, the others with what the treatment does
// to the loudness of those; of a track of which it knows none it learns one.
func Estimate(doc session.Document, series func(sound string) (loudness.Series, error), plan *Plan) (float64, error) {
	powers := make([]float64, doc.Length()/loudness.Hop)
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		if !audible[i] || t.Fader <= audio.Silence {
			continue
		}
		e := estimator{powers: powers, trackLine: envelope.New(t.Envelope)}
		var treated *track
		if plan != nil && !t.Treatment.Off() {
			treated = plan.find(t.ID)
		}
		if treated != nil {
			e.powers = make([]float64, len(powers))
		}
		crossings := crossingsOf(t)
		for id, c := range t.Clips {
			if c.Silent || c.Gain <= audio.Silence {
				continue
			}
			s, err := series(c.Sound)
			if err != nil {
				return loudness.Floor, err
			}
			e.clip, e.clipLine, e.fixed = c, envelope.New(c.Envelope), c.Gain.Gain()*t.Fader.Gain()
			e.crossing, e.crosses = crossings[id]
			e.add(panned{s, sharesOf(s, t.Pan)})
		}
		if treated == nil {
			continue
		}
		if err := e.treat(plan, treated); err != nil {
			return loudness.Floor, err
		}
		for n, p := range e.powers {
			powers[n] += p
		}
	}
	return loudness.Integrated(powers), nil
}

// treat makes of the powers of a track before its treatment those after it.
func (e *estimator) treat(plan *Plan, t *track) error {
	all := t.sounding(math.MaxInt)
	if len(all) == 0 {
		return nil
	}
	known := slices.DeleteFunc(slices.Clone(all), func(n int64) bool {
		of := t.key(n)
		return !plan.spans.powers.has(of) && !plan.spans.spans.has(of)
	})
	if len(known) == 0 {
		known = all[len(all)/2:][:1]
	}
	var before, after []float64 // of the spans that are known
	for _, n := range known {
		var of powers
		var err error
		plan.inTurn(func() { err = audio.Guard(func() { of = plan.powersOf(t, n) }) })
		if err != nil {
			return err
		}
		span := e.powers[min(len(e.powers), int(n)*hopsPerSpan):min(len(e.powers), int(n+1)*hopsPerSpan)]
		before = append(before, span...)
		e.put(n, of, t)
		after = append(after, span...)
	}
	ratio := 1.0
	if without, with := loudness.Integrated(before), loudness.Integrated(after); without > loudness.Floor && with > loudness.Floor {
		ratio = math.Pow(10, (with-without)/10)
	}
	for k := range e.powers {
		if _, found := slices.BinarySearch(known, int64(k/hopsPerSpan)); !found {
			e.powers[k] *= ratio
		}
	}
	return nil
}

const hopsPerSpan = int(spanLength / loudness.Hop)

// put has a span of a track count as it is known to be.
func (e *estimator) put(n int64, known powers, t *track) {
	mono, stereo := sharesOf(make(loudness.Series, 1), t.Pan), sharesOf(make(loudness.Series, 2), t.Pan)
	shares := [3]float64{mono[0], stereo[0], stereo[1]}
	begin := int(n) * hopsPerSpan
	for k := begin; k < min(begin+hopsPerSpan, len(e.powers)); k++ {
		var sum float64
		for bus, channel := range known {
			if channel != nil {
				sum += float64(channel[k-begin]) * shares[bus]
			}
		}
		e.powers[k] = sum * e.trackSquare(t, audio.Frames(k)*loudness.Hop)
	}
}

// trackSquare is the mean square of the gains of a track itself over 100 ms.
func (e *estimator) trackSquare(t *track, from audio.Frames) (sum float64) {
	if g, flat := e.trackLine.Constant(from, from+loudness.Hop); flat {
		return g * g * float64(t.fader) * float64(t.fader)
	}
	for i := range looks {
		g := e.trackLine.GainAt(from+loudness.Hop*audio.Frames(2*i+1)/(2*looks)) * float64(t.fader)
		sum += g * g / looks
	}
	return sum
}

// panned is the power of a sound in both channels of the mix together, of each of its own by a share.
type panned struct {
	series loudness.Series
	shares [2]float64
}

// sharesOf is how much of the power of each channel of a sound is heard.
func sharesOf(s loudness.Series, p float64) [2]float64 {
	if len(s) == 1 {
		left, right := pan.Mono(p)
		return [2]float64{left*left + right*right}
	}
	left, right := pan.Balance(p)
	return [2]float64{left * left, right * right}
}

func (p panned) at(hop int) (power float64) {
	for c, channel := range p.series {
		if hop >= 0 && hop < len(channel) {
			power += float64(channel[hop]) * p.shares[c]
		}
	}
	return power
}

// estimator adds the clips of a track to the powers of a mix.
type estimator struct {
	powers    []float64
	trackLine envelope.Curve
	clip      session.Clip
	fixed     float64 // the gains that do not move
	clipLine  envelope.Curve
	crossing  session.Clip
	crosses   bool
}

// looks is how often a gain that moves is looked at within 100 ms.
const looks = 5

func (e *estimator) add(sound panned) {
	c := e.clip
	for n := c.Start / loudness.Hop; n < audio.Frames(len(e.powers)) && n*loudness.Hop < c.End(); n++ {
		from, to := max(c.Start, n*loudness.Hop), min(c.End(), (n+1)*loudness.Hop)
		// The hops of the recording do not lie on those of the session.
		own := n*loudness.Hop - c.Start + c.Offset
		k := int(own / loudness.Hop)
		part := float64(own-audio.Frames(k)*loudness.Hop) / float64(loudness.Hop)
		power := (1-part)*sound.at(k) + part*sound.at(k+1)
		if power > 0 {
			e.powers[n] += power * e.square(from, to) * float64(to-from) / float64(loudness.Hop)
		}
	}
}

// square is the mean square of all gains from one moment to another.
func (e *estimator) square(from, to audio.Frames) float64 {
	c := e.clip
	own := from - c.Start
	n := to - from
	clipGain, still := e.clipLine.Constant(own+c.Offset, own+c.Offset+n)
	trackGain, flat := e.trackLine.Constant(from, to)
	if still && flat && !fade.Touches(c, own, own+n) && !fade.Hushes(c.Hushed, own+c.Offset, own+c.Offset+n) &&
		(!e.crosses || !fade.Touches(e.crossing, own, own+n)) {
		g := e.fixed * clipGain * trackGain
		return g * g
	}
	var sum float64
	for i := range looks {
		at := from + n*audio.Frames(2*i+1)/(2*looks)
		o := at - c.Start
		g := e.fixed * e.clipLine.GainAt(o+c.Offset) * e.trackLine.GainAt(at) *
			fade.In(c.FadeIn, o) * fade.Out(c.FadeOut, o, c.Length) * fade.Hush(c.Hushed, o+c.Offset)
		if e.crosses {
			g *= fade.In(e.crossing.FadeIn, o) * fade.Out(e.crossing.FadeOut, o, c.Length)
		}
		sum += g * g
	}
	return sum / looks
}
