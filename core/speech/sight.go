package speech

import (
	_ "embed"
	"math"
	"sync"

	"ruvel/core/speech/net"
)

// taught is the network, as testkit/learn has taught it.
//
//go:embed voice.net
var taught []byte

var network = sync.OnceValue(func() *net.Net {
	n, err := net.Of(taught)
	if err != nil || n.Inputs != inputs {
		panic("speech: the network is not the one that was built for this listener")
	}
	return n
})

// inputs are how many measurements of each step the network is told.
const inputs = 2*bands + 5

// told are the measurements of steps from one to another, as the network is told them, each about between -2 and 2: the
// levels of the bands, to that of the voice around and to the room; harmonicity and pitch; the level to both.
func (f *finder) told(from, to int) [][]float32 {
	rows := make([][]float32, inputs)
	for i := range rows {
		rows[i] = make([]float32, to-from)
	}
	for k := range to - from {
		i := from + k
		l, under := &f.looks[i], f.room.at(i)
		ref := f.voice[i/voiceEvery] - f.eager
		for b, p := range l.bands {
			level := dB(float64(p) + 1e-12)
			rows[b][k] = bounded((level-ref+28)/14, 2.5)
			rows[bands+b][k] = bounded((level-dB(under[b])-10)/10, 2.5)
		}
		rest := rows[2*bands:]
		rest[0][k] = 2*l.voiced - 1
		if l.voiced > 0.4 && l.lag > 0 {
			rest[1][k] = bounded(float32(math.Log2(slowRate/float64(l.lag)/150)), 2.5)
		}
		rest[2][k] = bounded((l.level-ref+15)/15, 2.5)
		rest[3][k] = bounded((f.over(i)-f.eager-30)/15, 2.5)
		rest[4][k] = bounded((f.stands[i]-10)/10, 2.5)
	}
	return rows
}

// atOnce is of how many steps the network is asked at once, so that what it works with fits into the cache.
const atOnce = 1000

// likely says of each step how likely it is that somebody speaks, as a logit: more than 0 is more likely than not.
func (f *finder) likely() []float32 {
	out := make([]float32, 0, len(f.looks))
	for at := 0; at < len(f.looks); at += atOnce {
		end := min(at+atOnce, len(f.looks))
		from := max(0, at-net.Around)
		found := network().Run(f.told(from, min(end+net.Around, len(f.looks))))
		out = append(out, found[at-from:end-from]...)
	}
	return out
}

func dB(power float64) float32 { return float32(10 * math.Log10(power)) }

func bounded(v, most float32) float32 { return max(-most, min(most, v)) }

// Told is what the network is told of a whole recording, a row for each measurement, by steps of 10 ms. It is what the network
// learns from; to find speech use Phrases.
func (l *Listener) Told() [][]float32 {
	f := l.finder()
	return f.told(0, len(f.looks))
}
