package mix

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"hash"
	"math"
	"slices"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/envelope"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// hops are mean K-weighted squares of a track per 100 ms of the session, both channels together,
// after its line, fader and pan, but before it makes way. After its last clip there are none.
type hops []float64

func (h hops) bytes() int { return entry + 8*len(h) }

// stretch is some of the powers of a track, from a hop on; none is silence.
type stretch struct {
	hops  hops
	first int
}

// addTo adds the powers to those of a number of hops, from one of them on.
func (s stretch) addTo(sums []float64, from int) {
	k := max(from, s.first)
	n := min(from+len(sums), s.first+len(s.hops))
	if k >= n {
		return
	}
	sums = sums[k-from : n-from]
	for i, v := range s.hops[k-s.first : n-s.first] {
		sums[i] += v
	}
}

// over is the mean of powers, of which the first is that of a hop, from one frame to another, and of
// how much of that time they can be heard.
func over(sums []float64, first int, from, to audio.Frames) (mean, heard float64) {
	for i, v := range sums {
		begin := audio.Frames(first+i) * loudness.Hop
		inside := float64(min(to, begin+loudness.Hop)-max(from, begin)) / float64(to-from)
		mean += v * inside
		if v >= duck.Inaudible {
			heard += inside
		}
	}
	return mean, heard
}

// untreated gives the powers of a track as if it was not treated, from those of its recordings. Sounds
// are taken as unlike each other, so that their powers add up.
func (p *Plan) untreated(t *track) hops {
	return p.spans.hops.get(t.hopsKey(), func() hops {
		var end audio.Frames
		for i := range t.clips {
			end = max(end, t.clips[i].End())
		}
		e := estimator{powers: make(hops, (end+loudness.Hop-1)/loudness.Hop), trackLine: t.envelope}
		for i := range t.clips {
			c := &t.clips[i]
			if c.gain == 0 {
				continue
			}
			e.clip, e.clipLine, e.fixed = c.Clip, c.envelope, c.Gain.Gain()*t.Fader.Gain()
			e.crossing, e.crosses = c.crossing, c.crosses
			e.add(panned{c.powers, sharesOf(len(c.source), t.Pan)})
		}
		return e.powers
	})
}

// hopsKey is the digest of all that goes into the powers of a track without its treatment.
func (t *track) hopsKey() key {
	h := sha256.New()
	fmt.Fprintf(h, "hops 1 %x %x", math.Float64bits(float64(t.Fader)), math.Float64bits(t.Pan))
	digestLine(h, t.Envelope)
	for i := range t.clips {
		t.clips[i].digest(h, 0)
	}
	return key(h.Sum(nil))
}

// digestLine puts a level line into a digest.
func digestLine(h hash.Hash, points []session.Point) {
	for _, p := range points {
		point := binary.LittleEndian.AppendUint64([]byte{'p'}, uint64(p.At))
		point = binary.LittleEndian.AppendUint64(point, math.Float64bits(float64(p.Level)))
		h.Write(binary.LittleEndian.AppendUint64(point, math.Float64bits(p.Bend)))
	}
}

// gauge tells the powers of the tracks of a plan.
type gauge struct {
	plan    *Plan
	exactly bool // spans that are not known are computed where they are asked for; or else they are taken to be like those that are
	about   map[*track]hops
	vague   map[*track]bool // tracks of which not all is known
	whole   map[*parting]wholeMoments
}

// of gives the powers of a track that lie between two frames, and others.
func (g *gauge) of(t *track, from, to audio.Frames) (stretch, error) {
	if !t.treated.on || !g.exactly {
		h, err := g.all(t)
		return stretch{h, 0}, err
	}
	first := int64(from / spanLength)
	spans := int64((to-1)/spanLength) - first + 1
	out := make(hops, int(spans)*hopsPerSpan)
	var each errgroup.Group
	for i := range int(spans) {
		begin := audio.Frames(first+int64(i)) * spanLength
		if !t.sounds(begin, begin+spanLength) {
			continue
		}
		each.Go(func() error {
			var of powers
			err := g.plan.inTurn(func() { of = g.plan.powersOf(t, first+int64(i)) })
			t.put(out[i*hopsPerSpan:(i+1)*hopsPerSpan], first+int64(i), of)
			return err
		})
	}
	return stretch{out, int(first) * hopsPerSpan}, each.Wait()
}

// all gives all the powers of a track. Of a treated one, spans that are known count as they are,
// the others with what the treatment does to the loudness of those; of a track of which none is
// known one is computed.
func (g *gauge) all(t *track) (hops, error) {
	if h, there := g.about[t]; there {
		return h, nil
	}
	if !t.treated.on {
		g.about[t] = g.plan.untreated(t)
		return g.about[t], nil
	}
	plain := g.plan.untreated(t)
	out := make(hops, (len(plain)+hopsPerSpan-1)/hopsPerSpan*hopsPerSpan)
	copy(out, plain)
	all := t.sounding(math.MaxInt)
	known := slices.DeleteFunc(slices.Clone(all), func(n int64) bool {
		of, there := g.plan.keyed(t, n, false)
		return !there || !g.plan.spans.powers.has(of) && !g.plan.spans.spans.has(of)
	})
	if g.vague[t] = len(known) < len(all); len(known) == 0 && len(all) > 0 {
		known = all[len(all)/2:][:1]
	}
	var before, after []float64 // of the spans that are known
	for _, n := range known {
		var of powers
		if err := g.plan.inTurn(func() { of = g.plan.powersOf(t, n) }); err != nil {
			return nil, err
		}
		span := out[int(n)*hopsPerSpan : int(n+1)*hopsPerSpan]
		before = append(before, span...)
		t.put(span, n, of)
		after = append(after, span...)
	}
	if g.vague[t] {
		ratio := 1.0
		if without, with := loudness.Integrated(before), loudness.Integrated(after); without > loudness.Floor && with > loudness.Floor {
			ratio = math.Pow(10, (with-without)/10)
		}
		for k := range out {
			if _, found := slices.BinarySearch(known, int64(k/hopsPerSpan)); !found {
				out[k] *= ratio
			}
		}
	}
	g.about[t] = out
	return out, nil
}

const hopsPerSpan = int(spanLength / loudness.Hop)

// put fills the powers of a span of a treated track, or the first of them.
func (t *track) put(out hops, n int64, known powers) {
	mono, stereo := sharesOf(1, t.Pan), sharesOf(2, t.Pan)
	shares := [3]float64{mono[0], stereo[0], stereo[1]}
	for k := range out {
		var sum float64
		for bus, channel := range known {
			if channel != nil {
				sum += float64(channel[k]) * shares[bus]
			}
		}
		out[k] = sum * meanSquare(t.envelope, audio.Frames(int(n)*hopsPerSpan+k)*loudness.Hop) * float64(t.fader) * float64(t.fader)
	}
}

// meanSquare is that of a line over the 100 ms from a frame on.
func meanSquare(line envelope.Curve, from audio.Frames) (sum float64) {
	if g, flat := line.Constant(from, from+loudness.Hop); flat {
		return g * g
	}
	for i := range looks {
		g := line.GainAt(from + loudness.Hop*audio.Frames(2*i+1)/(2*looks))
		sum += g * g / looks
	}
	return sum
}

// newGauge makes a gauge.
func newGauge(p *Plan, exactly bool) *gauge {
	return &gauge{plan: p, exactly: exactly, about: map[*track]hops{}, vague: map[*track]bool{}, whole: map[*parting]wholeMoments{}}
}
