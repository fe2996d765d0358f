package waveform

import (
	"encoding/binary"
	"fmt"
	"io"

	"ruvel/core/audio"
)

// Fine gives up to count peaks of runs of a few frames from a frame on, read from the samples
// themselves: so short runs have none that are kept. A run that the end of the sound cuts off
// is the peak of what there is of it.
func Fine(pcm audio.PCM, from audio.Frames, count int, run audio.Frames) []Peak {
	from = min(max(0, from), pcm.Length())
	to := min(from+audio.Frames(count)*run, pcm.Length())
	out := make([]Peak, 0, (to-from+run-1)/run)
	for at := from; at < to; at += run {
		end := min(at+run, to)
		low, high := pcm[0][at], pcm[0][at]
		for _, channel := range pcm {
			for _, v := range channel[at:end] {
				if v < low {
					low = v
				}
				if v > high {
					high = v
				}
			}
		}
		out = append(out, Peak{quantise(low), quantise(high)})
	}
	return out
}

// ReadPeaks reads up to count peaks of a level, from the first wanted on, out of the binary
// form of a pyramid, without the rest of it.
func ReadPeaks(r io.ReaderAt, level, first, count int) ([]Peak, error) {
	n, err := ReadLength(io.NewSectionReader(r, 0, int64(len(magic)+4)))
	if err != nil {
		return nil, err
	}
	at, length := int64(len(magic)), int64(n)
	for range level {
		at += 4 + 4*length
		length = (length + Factor - 1) / Factor
	}
	var head [4]byte
	if _, err := r.ReadAt(head[:], at); err != nil || int64(binary.LittleEndian.Uint32(head[:])) != length {
		return nil, fmt.Errorf("%w: level %d does not begin where it should", ErrMalformed, level)
	}
	from := min(int64(first), length)
	data := make([]byte, 4*min(int64(count), length-from))
	if _, err := r.ReadAt(data, at+4+4*from); err != nil && len(data) > 0 {
		return nil, fmt.Errorf("%w: level %d breaks off", ErrMalformed, level)
	}
	out := make([]Peak, len(data)/4)
	for i := range out {
		out[i] = Peak{int16(binary.LittleEndian.Uint16(data[4*i:])), int16(binary.LittleEndian.Uint16(data[4*i+2:]))}
	}
	return out, nil
}
