// Package dither turns samples into whole numbers: with triangular dither at 16 bits, so that what is
// rounded away becomes even noise instead of distortion, and without at 24, where it lies under every
// noise there is. Silence stays silence.
//
// Lipshitz, Wannamaker and Vanderkooy, "Quantization and Dither: A Theoretical Survey", J. Audio Eng. Soc.
// 40(5), 1992: noise with a triangular density two steps wide makes the mean and the power of the error
// independent of the signal.
package dither

import (
	"encoding/binary"
	"math"
	"slices"

	"ruvel/core/audio"
)

// still is how many frames of exact silence in a row are left without dither.
const still = 64

// Quantiser turns one sound into whole numbers, piece after piece. The same sound gives the same numbers,
// however it is cut into pieces.
type Quantiser struct {
	Bits int // 16 or 24
	// Bytes is how many bytes each number takes, the lowest of them empty beyond the bits: 2, 3 or 4.
	Bytes int

	at     int64
	silent []int64 // frames of exact silence up to now, in each channel
}

// Append writes the next frames, interleaved and little-endian, at the end of out.
func (q *Quantiser) Append(out []byte, pcm audio.PCM) []byte {
	if q.silent == nil {
		q.silent = make([]int64, len(pcm))
		for c := range q.silent {
			q.silent[c] = still // before its beginning there is silence
		}
	}
	frame := q.Bytes * len(pcm)
	from, count := len(out), int(pcm.Length())
	out = slices.Grow(out, count*frame)[:from+count*frame]
	for c := range pcm {
		if q.Bits == 16 {
			q.dithered(out[from+c*q.Bytes:], pcm, c)
		} else {
			q.rounded(out[from+c*q.Bytes:], pcm, c)
		}
	}
	q.at += int64(count)
	return out
}

// rounded writes a channel, each number a frame after the one before.
func (q *Quantiser) rounded(out []byte, pcm audio.PCM, c int) {
	for i, v := range pcm[c] {
		q.put(out[i*q.Bytes*len(pcm):], float64(v)*q.top())
	}
}

// dithered writes a channel with noise, but for silence that lasts.
func (q *Quantiser) dithered(out []byte, pcm audio.PCM, c int) {
	for i, sample := range pcm[c] {
		v := float64(sample) * q.top()
		switch {
		case v != 0:
			q.silent[c] = 0
			v += noise(q.at+int64(i), c, len(pcm))
		case q.silent[c] < still:
			q.silent[c]++
			v = noise(q.at+int64(i), c, len(pcm))
		}
		q.put(out[i*q.Bytes*len(pcm):], v)
	}
}

// top is full scale, in steps.
func (q *Quantiser) top() float64 { return float64(int64(1) << (q.Bits - 1)) }

func (q *Quantiser) put(out []byte, v float64) {
	n := int32(max(-q.top(), min(q.top()-1, math.RoundToEven(v)))) << (8*q.Bytes - q.Bits)
	switch q.Bytes {
	case 2:
		binary.LittleEndian.PutUint16(out, uint16(n))
	case 3:
		_ = out[2]
		out[0], out[1], out[2] = byte(n), byte(n>>8), byte(n>>16)
	default:
		binary.LittleEndian.PutUint32(out, uint32(n))
	}
}

// noise is that of a sample of a channel, in steps: the sum of two even ones, which go by the place alone.
func noise(at int64, channel, channels int) float64 {
	r := scatter(uint64(at)*uint64(channels) + uint64(channel))
	const scale = 1.0 / (1 << 32)
	return float64(uint32(r))*scale + float64(r>>32)*scale - 1
}

// scatter is the finaliser of SplitMix64 (Steele, Lea, Flood, "Fast Splittable Pseudorandom Number Generators", 2014).
func scatter(n uint64) uint64 {
	z := (n + 1) * 0x9e3779b97f4a7c15
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}
