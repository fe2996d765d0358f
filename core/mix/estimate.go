package mix

import (
	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/loudness"
	"ruvel/core/pan"
	"ruvel/core/session"
)

// Estimate is about how loud the whole mix is, in LUFS, without rendering it: the powers of its
// recordings, per 100 ms, times the squares of all gains. Sounds are taken as unlike each other, so
// that their powers add up; the same recording twice at one moment is up to 3 LU louder than that.
func (b Balance) Estimate() float64 {
	both := make([]float64, len(b.Voices))
	for k := range both {
		both[k] = b.Voices[k] + b.Rest[k]
	}
	return loudness.Integrated(both)
}

// panned is the power of a sound in both channels of the mix together, of each of its own by a share.
type panned struct {
	series loudness.Series
	shares [2]float64
}

// sharesOf is how much of the power of each channel of a sound is heard.
func sharesOf(channels int, p float64) [2]float64 {
	if channels == 1 {
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

// estimator adds up the powers of the clips of a track.
type estimator struct {
	first     audio.Frames // the hop of the session that the first of the powers is of
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
	for n := c.Start / loudness.Hop; n-e.first < audio.Frames(len(e.powers)) && n*loudness.Hop < c.End(); n++ {
		from, to := max(c.Start, n*loudness.Hop), min(c.End(), (n+1)*loudness.Hop)
		// The hops of the recording do not lie on those of the session.
		own := n*loudness.Hop - c.Start + c.Offset
		k := int(own / loudness.Hop)
		part := float64(own-audio.Frames(k)*loudness.Hop) / float64(loudness.Hop)
		power := (1-part)*sound.at(k) + part*sound.at(k+1)
		if power > 0 {
			e.powers[n-e.first] += power * e.square(from, to) * float64(to-from) / float64(loudness.Hop)
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
