package loudness

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"

	"ruvel/core/audio"
)

// Hop is the step of a Series.
const Hop = audio.Frames(hop)

// Series is the mean K-weighted square of a sound per 100 ms from its beginning, channel
// by channel; what is left at its end counts as a whole hop of which the rest is silent.
type Series [][]float32

// Powers measures the series of a sound.
func Powers(pcm audio.PCM) Series {
	out := make(Series, len(pcm))
	for c, samples := range pcm {
		weight := channel{shelf: shelf(), highPass: highPass()}
		for at := 0; at < len(samples); at += hop {
			part := samples[at:min(at+hop, len(samples))]
			sum := weigh(&weight.shelf, &weight.highPass, part)
			weight.shelf.settle()
			weight.highPass.settle()
			out[c] = append(out[c], float32(sum/hop))
		}
	}
	return out
}

// seriesMagic opens the binary form of a series: it, the number of channels and that of hops
// (uint32), and the values, channel after channel, all little-endian.
const seriesMagic = "RVPW0001"

// ErrMalformed is returned for bytes that are not a whole series.
var ErrMalformed = errors.New("malformed series")

// MarshalBinary writes the series.
func (s Series) MarshalBinary() ([]byte, error) {
	hops := 0
	if len(s) > 0 {
		hops = len(s[0])
	}
	out := append(make([]byte, 0, len(seriesMagic)+8+4*len(s)*hops), seriesMagic...)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(s)))
	out = binary.LittleEndian.AppendUint32(out, uint32(hops))
	for _, channel := range s {
		for _, v := range channel {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
	}
	return out, nil
}

// UnmarshalBinary reads what MarshalBinary wrote.
func (s *Series) UnmarshalBinary(data []byte) error {
	if len(data) < len(seriesMagic)+8 || string(data[:len(seriesMagic)]) != seriesMagic {
		return fmt.Errorf("%w: no header", ErrMalformed)
	}
	data = data[len(seriesMagic):]
	channels, hops := uint64(binary.LittleEndian.Uint32(data)), uint64(binary.LittleEndian.Uint32(data[4:]))
	data = data[8:]
	if channels < 1 || channels > 2 || uint64(len(data)) != 4*channels*hops {
		return fmt.Errorf("%w: %d channels of %d hops in %d bytes", ErrMalformed, channels, hops, len(data))
	}
	*s = make(Series, channels)
	for c := range *s {
		(*s)[c] = make([]float32, hops)
		for i := range (*s)[c] {
			v := math.Float32frombits(binary.LittleEndian.Uint32(data))
			if !(v >= 0) || math.IsInf(float64(v), 1) {
				return fmt.Errorf("%w: a power of %v", ErrMalformed, v)
			}
			(*s)[c][i], data = v, data[4:]
		}
	}
	return nil
}

// Bytes is how much memory the series takes.
func (s Series) Bytes() (n int) {
	for _, channel := range s {
		n += 4 * len(channel)
	}
	return n
}

// Integrated is the gated loudness, in LUFS, of a sound of which the K-weighted powers per
// 100 ms are known, summed over its channels.
func Integrated(powers []float64) float64 { return integrated(windows(powers, momentary)) }
