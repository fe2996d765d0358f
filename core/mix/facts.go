package mix

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"hash"
	"math"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// Facts is what is measured of a span of the mix, of ten seconds, as it is heard.
type Facts struct {
	Voices, Rest, Sum [hopsPerSpan]float32    // mean K-weighted squares per 100 ms, both channels together
	High              [3][hopsPerSpan]float32 // the highest sample per 100 ms of voices, music and effects
	True              [hopsPerSpan]float32    // the highest true peak per 100 ms of the mix, as an amplitude; of what is much softer, the highest sample
	Mono              [hopsPerSpan]float32    // mean K-weighted squares per 100 ms of the mix in one channel
	Peak              float32                 // the highest sample of the mix
	// Heights are how high the samples of the mix reach every 5 ms, of the higher side, and in one channel.
	Heights [2][heightsPerSpan]audio.Height
}

const heightsPerSpan = int(spanLength / audio.HeightSpan)

// factsVersion is that of how facts are found; those of another are not known.
const factsVersion = 3

func (f *Facts) bytes() int {
	if f == nil {
		return 0
	}
	return entry + 4*(8*hopsPerSpan+1) + 2*heightsPerSpan
}

// Key names what is known of a stretch, by all that goes into it.
type Key = [sha256.Size]byte

// before a span, so much is rendered for the filters of its measurement to forget that they begin.
const factsLead = loudness.Hop

// Spans is how many spans a mix has.
func (p *Plan) Spans() int { return int((p.length + spanLength - 1) / spanLength) }

// FactsKey is the key of the facts of a span. How tracks make way in it goes into it, so that treated
// voices around it may have to be computed.
func (p *Plan) FactsKey(n int) (k Key, err error) {
	begin := audio.Frames(n) * spanLength
	from, to := max(0, begin-factsLead), min(begin+spanLength, p.length)
	h := sha256.New()
	fmt.Fprintf(h, "facts %d %d %d", factsVersion, begin-from, to-begin)
	for i := range p.tracks {
		t := &p.tracks[i]
		if !t.reaches(from, to) {
			continue
		}
		fmt.Fprintf(h, "track %s %x", t.Part, math.Float32bits(t.fader))
		for _, g := range append(t.mono[:], t.stereo[:]...) {
			fmt.Fprintf(h, " %x", math.Float32bits(g))
		}
		t.digestGains(h, t.envelope, t.Envelope, from, to, begin)
		if t.way != nil {
			corners := p.line(t, newGauge(p, true), &err).Corners(from, to)
			if err != nil {
				return k, err
			}
			t.digestGains(h, envelope.New(corners), corners, from, to, begin)
		}
		if t.treated.on {
			for m := from / spanLength; m*spanLength < to; m++ {
				of := p.key(t, int64(m))
				h.Write(of[:])
			}
			continue
		}
		t.digestClips(h, from, to, begin)
	}
	return Key(h.Sum(nil)), nil
}

// reaches says whether anything of a track can be heard between two frames: what is treated is made of more than lies there.
func (t *track) reaches(from, to audio.Frames) bool {
	if t.treated.on {
		from, _ = t.stretch(int64(from / spanLength))
		_, to = t.stretch(int64((to - 1) / spanLength))
	}
	return t.sounds(from, to)
}

// digestGains puts into a digest what a line is between two frames.
func (t *track) digestGains(h hash.Hash, line envelope.Curve, points []session.Point, from, to, zero audio.Frames) {
	if g, flat := line.Constant(from, to); flat {
		h.Write(binary.LittleEndian.AppendUint64([]byte{'g'}, math.Float64bits(g)))
		return
	}
	first, last := 0, len(points)
	for first+1 < last && points[first+1].At <= from {
		first++
	}
	for last-1 > first && points[last-2].At >= to {
		last--
	}
	shifted := make([]session.Point, last-first)
	for i, p := range points[first:last] {
		shifted[i] = session.Point{At: p.At - zero, Level: p.Level, Bend: p.Bend}
	}
	digestLine(h, shifted)
}

// Facts measures a span of the mix, if it is not known by its key.
func (p *Plan) Facts(n int, key Key) (*Facts, error) {
	var err error
	f := p.spans.facts.get(key, func() (f *Facts) {
		f, err = p.measure(n)
		return f
	})
	return f, err
}

// FactsKnown gives facts that are at hand.
func (p *Plan) FactsKnown(key Key) (*Facts, bool) {
	return p.spans.facts.find(key)
}

// LearnFacts has facts at hand that were measured before. It says whether they are facts.
func (p *Plan) LearnFacts(key Key, data []byte) bool {
	f, good := parseFacts(data)
	if good {
		p.spans.facts.offer(key, f)
	}
	return good
}

// measure renders a span part by part and measures it.
func (p *Plan) measure(n int) (*Facts, error) {
	begin := audio.Frames(n) * spanLength
	from, to := max(0, begin-factsLead), min(begin+spanLength, p.length)
	r := NewRenderer(p)
	var parts [3]audio.PCM
	for i := range parts {
		parts[i] = audio.NewPCM(2, loudness.Hop)
	}
	rest, sum := audio.NewPCM(2, loudness.Hop), audio.NewPCM(2, loudness.Hop)
	mono := audio.NewPCM(1, loudness.Hop)
	pair, single := loudness.NewPair(2), loudness.NewPair(1)
	none := audio.NewPCM(1, loudness.Hop)
	var peaks [2]loudness.TruePeak
	f := &Facts{}
	var highest float32 // true peak so far
	for at := from; at < to; at += loudness.Hop {
		length := min(loudness.Hop, to-at)
		for _, part := range parts {
			part.Clear()
		}
		if err := r.RenderParts([3]audio.PCM{parts[0].Slice(0, length), parts[1].Slice(0, length), parts[2].Slice(0, length)}, at); err != nil {
			return nil, err
		}
		for c := range sum {
			add(rest[c], parts[1][c], parts[2][c])
			add(sum[c], parts[0][c], rest[c])
		}
		voices, others, both := pair.Hop(parts[0], rest)
		halved(mono[0], sum[0], sum[1])
		one, _, _ := single.Hop(mono, none)
		if at < begin {
			for c := range peaks {
				peaks[c].Write(sum[c])
				peaks[c].Reset()
			}
			continue
		}
		k := (at - begin) / loudness.Hop
		f.Voices[k], f.Rest[k], f.Sum[k], f.Mono[k] = float32(voices), float32(others), float32(both), float32(one)
		copy(f.Heights[0][int(k)*heightsPerHop:], audio.Heights(sum))
		copy(f.Heights[1][int(k)*heightsPerHop:], audio.Heights(mono))
		for i := range parts {
			f.High[i][k] = parts[i].Peak()
		}
		f.Peak = max(f.Peak, sum.Peak())
		f.True[k] = sum.Peak()
		for c := range peaks {
			peaks[c].ResetTo(truest * highest)
			if peak := peaks[c].Write(sum[c]); peak > truest*highest {
				f.True[k] = max(f.True[k], peak)
			}
		}
		highest = max(highest, f.True[k])
	}
	return f, nil
}

// truest is the part of the highest true peak of a span so far under which samples stand for true peaks, as nothing follows from those: 9 dB.
const truest = 0.355

const heightsPerHop = heightsPerSpan / hopsPerSpan

// halved is the mean of two sides.
func halved(mean, left, right []float32) {
	left, right = left[:len(mean)], right[:len(mean)]
	for i := range mean {
		mean[i] = (left[i] + right[i]) / 2
	}
}

func add(sum, a, b []float32) {
	a, b = a[:len(sum)], b[:len(sum)]
	for i := range sum {
		sum[i] = a[i] + b[i]
	}
}

// factsMagic opens the binary form of facts: it, their numbers as float32, little-endian, and their heights as bytes.
const factsMagic = "RVFA0003"

// Bytes is the binary form of the facts.
func (f *Facts) Bytes() []byte {
	out := append(make([]byte, 0, f.bytes()), factsMagic...)
	for _, row := range append(f.rows(), []float32{f.Peak}) {
		for _, v := range row {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
	}
	for _, row := range f.Heights {
		for _, h := range row {
			out = append(out, byte(h))
		}
	}
	return out
}

func (f *Facts) rows() [][]float32 {
	return [][]float32{f.Voices[:], f.Rest[:], f.Sum[:], f.High[0][:], f.High[1][:], f.High[2][:], f.True[:], f.Mono[:]}
}

func parseFacts(data []byte) (*Facts, bool) {
	const numbers = 8*hopsPerSpan + 1
	if len(data) != len(factsMagic)+4*numbers+2*heightsPerSpan || string(data[:len(factsMagic)]) != factsMagic {
		return nil, false
	}
	data = data[len(factsMagic):]
	values := make([]float32, numbers)
	for i := range values {
		values[i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:]))
		if !(values[i] >= 0 && values[i] <= math.MaxFloat32) {
			return nil, false
		}
	}
	data = data[4*numbers:]
	f := &Facts{}
	for _, row := range f.rows() {
		values = values[copy(row, values):]
	}
	f.Peak = values[0]
	for _, row := range [][]audio.Height{f.Heights[0][:], f.Heights[1][:]} {
		for i := range row {
			row[i] = audio.Height(data[i])
		}
		data = data[len(row):]
	}
	return f, true
}

// PowersKeys names the powers of the treated spans of a plan, from which follows how tracks make way for them.
func (p *Plan) PowersKeys() (keys []Key) {
	p.eachPowers(func(of key) { keys = append(keys, of.powers()) })
	return keys
}

// powers is the name of the powers of a span, to be kept besides facts.
func (k key) powers() Key { return sha256.Sum256(append([]byte("powers 1 "), k[:]...)) }

// LearnPowers has powers at hand that were measured before, by their names.
func (p *Plan) LearnPowers(known map[Key][]byte) {
	p.eachPowers(func(of key) {
		if data, there := known[of.powers()]; there {
			if powers, good := parsePowers(data); good {
				p.spans.powers.offer(of, powers)
			}
		}
	})
}

// Powers gives the powers that are at hand by their names.
func (p *Plan) Powers() map[Key][]byte {
	out := map[Key][]byte{}
	p.eachPowers(func(of key) {
		if powers, there := p.spans.powers.find(of); there {
			out[of.powers()] = powers.binary()
		}
	})
	return out
}

func (p *Plan) eachPowers(do func(of key)) {
	for i := range p.tracks {
		if t := &p.tracks[i]; t.treated.on {
			for _, n := range t.sounding(math.MaxInt) {
				do(p.key(t, n))
			}
		}
	}
}

// binary is the binary form of powers: which buses there are, as bits, and their values as float32, little-endian.
func (p powers) binary() []byte {
	out := []byte{0}
	for bus, channel := range p {
		if channel == nil {
			continue
		}
		out[0] |= 1 << bus
		for _, v := range channel {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
	}
	return out
}

func parsePowers(data []byte) (out powers, good bool) {
	if len(data) == 0 {
		return out, false
	}
	buses, data := data[0], data[1:]
	for bus := range out {
		if buses&(1<<bus) == 0 {
			continue
		}
		if len(data) < 4*hopsPerSpan {
			return out, false
		}
		out[bus] = make([]float32, hopsPerSpan)
		for k := range out[bus] {
			v := math.Float32frombits(binary.LittleEndian.Uint32(data[4*k:]))
			if !(v >= 0 && v <= math.MaxFloat32) {
				return out, false
			}
			out[bus][k] = v
		}
		data = data[4*hopsPerSpan:]
	}
	return out, len(data) == 0 && buses < 8
}
