// Package waveform keeps the peaks of a sound at several resolutions, so that any
// stretch of it can be drawn at once, and says what a view of it shows at a gain.
// Peaks are the lowest and the highest sample of a run of frames over all channels,
// as 16-bit integers with 32767 for full scale.
package waveform

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"

	"ruvel/core/audio"
)

// Peak is the lowest and highest sample of a run of frames.
type Peak struct{ Low, High int16 }

// The finest level has one peak for Finest frames, each further one for Factor times as many.
const (
	Finest = 64
	Factor = 4
	Levels = 7
)

// FramesPerPeak is the run length of a level.
func FramesPerPeak(level int) audio.Frames {
	n := audio.Frames(Finest)
	for range level {
		n *= Factor
	}
	return n
}

// Pyramid is the peaks of a sound at every level, finest first.
type Pyramid struct{ Levels [Levels][]Peak }

// Builder makes a pyramid as sound is written. The zero value is ready.
type Builder struct {
	finest    []Peak
	low, high float32
	filled    int
}

// Write takes the next frames.
func (b *Builder) Write(pcm audio.PCM) {
	for at := 0; at < int(pcm.Length()); {
		n := min(Finest-b.filled, int(pcm.Length())-at)
		for _, channel := range pcm {
			b.reach(channel[at : at+n])
		}
		if b.filled += n; b.filled == Finest {
			b.flush()
		}
		at += n
	}
}

// reach widens the peak being built. Plain comparisons are several times faster than
// min and max, which look out for what is not a number.
func (b *Builder) reach(samples []float32) {
	low, high := b.low, b.high
	for _, v := range samples {
		if v < low {
			low = v
		}
		if v > high {
			high = v
		}
	}
	b.low, b.high = low, high
}

func (b *Builder) flush() {
	b.finest = append(b.finest, Peak{quantise(b.low), quantise(b.high)})
	b.low, b.high, b.filled = 0, 0, 0
}

// quantise rounds away from zero, so that no sample is drawn smaller than it is.
func quantise(v float32) int16 {
	x := float64(v) * math.MaxInt16
	if x < 0 {
		return int16(max(math.Floor(x), -math.MaxInt16))
	}
	return int16(min(math.Ceil(x), math.MaxInt16))
}

// Pyramid finishes the sound.
func (b *Builder) Pyramid() Pyramid {
	if b.filled > 0 {
		b.flush()
	}
	var p Pyramid
	p.Levels[0] = b.finest
	for l := 1; l < Levels; l++ {
		p.Levels[l] = coarser(p.Levels[l-1])
	}
	return p
}

func coarser(in []Peak) []Peak {
	out := make([]Peak, (len(in)+Factor-1)/Factor)
	for i := range out {
		out[i] = join(in[i*Factor : min((i+1)*Factor, len(in))])
	}
	return out
}

func join(peaks []Peak) Peak {
	var j Peak
	for _, p := range peaks {
		j.Low, j.High = min(j.Low, p.Low), max(j.High, p.High)
	}
	return j
}

// Between is the peak of the frames from (included) to (excluded), read from the
// coarsest level that resolves them.
func (p Pyramid) Between(from, to audio.Frames) Peak {
	level := 0
	for level+1 < Levels && FramesPerPeak(level+1)*2 <= to-from {
		level++
	}
	run := FramesPerPeak(level)
	all := p.Levels[level]
	first := max(0, min(from/run, audio.Frames(len(all))))
	last := max(first, min((to+run-1)/run, audio.Frames(len(all))))
	return join(all[first:last])
}

// magic opens the binary form: it, then for each level the number of peaks (uint32)
// and the peaks (low, high), all little-endian.
const magic = "RVPK0001"

// MarshalBinary writes the pyramid.
func (p Pyramid) MarshalBinary() ([]byte, error) {
	out := []byte(magic)
	for _, level := range p.Levels {
		out = binary.LittleEndian.AppendUint32(out, uint32(len(level)))
		out = AppendPeaks(out, level)
	}
	return out, nil
}

// AppendPeaks writes peaks as pairs of little-endian 16-bit integers.
func AppendPeaks(out []byte, peaks []Peak) []byte {
	for _, k := range peaks {
		out = binary.LittleEndian.AppendUint16(out, uint16(k.Low))
		out = binary.LittleEndian.AppendUint16(out, uint16(k.High))
	}
	return out
}

// Bytes is how much memory the peaks take.
func (p Pyramid) Bytes() (n int) {
	for _, level := range p.Levels {
		n += 4 * len(level)
	}
	return n
}

// ReadLength reads from the beginning of the binary form how many peaks the finest level has.
func ReadLength(r io.Reader) (audio.Frames, error) {
	var head [len(magic) + 4]byte
	if _, err := io.ReadFull(r, head[:]); err != nil || string(head[:len(magic)]) != magic {
		return 0, fmt.Errorf("%w: no header", ErrMalformed)
	}
	return audio.Frames(binary.LittleEndian.Uint32(head[len(magic):])), nil
}

// ErrMalformed is returned for bytes that are not a whole pyramid.
var ErrMalformed = errors.New("malformed peaks")

// UnmarshalBinary reads what MarshalBinary wrote.
func (p *Pyramid) UnmarshalBinary(data []byte) error {
	if len(data) < len(magic) || string(data[:len(magic)]) != magic {
		return fmt.Errorf("%w: no header", ErrMalformed)
	}
	data = data[len(magic):]
	for l := range p.Levels {
		if len(data) < 4 {
			return fmt.Errorf("%w: level %d is missing", ErrMalformed, l)
		}
		n := int(binary.LittleEndian.Uint32(data))
		data = data[4:]
		if len(data)/4 < n {
			return fmt.Errorf("%w: level %d breaks off", ErrMalformed, l)
		}
		p.Levels[l] = make([]Peak, n)
		for i := range p.Levels[l] {
			p.Levels[l][i] = Peak{int16(binary.LittleEndian.Uint16(data[4*i:])), int16(binary.LittleEndian.Uint16(data[4*i+2:]))}
		}
		data = data[4*n:]
	}
	if len(data) > 0 {
		return fmt.Errorf("%w: %d bytes too many", ErrMalformed, len(data))
	}
	return nil
}
