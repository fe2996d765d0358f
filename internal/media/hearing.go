package media

import (
	"encoding/binary"
	"math"

	"ruvel/core/audio"
	"ruvel/core/master"
)

// hearing listens to samples just as they go into a file that keeps them exactly, beside whoever writes them. They are
// those that come out when it is decoded.
type hearing struct {
	listener *master.Listener
	bits     int // of a sample; 32: floating point
	bytes    int // that it takes, the lowest of them empty beyond the bits
	come     chan []byte
	spare    chan []byte
	done     chan struct{}
}

// hear begins to listen, if the samples are at 48 kHz and somebody asks; else it is nil, which hears nothing.
func hear(s Setting, bytes int, known *Pieces) *hearing {
	if !s.Heard() || known == nil {
		return nil
	}
	const ahead = 4
	h := &hearing{
		listener: master.NewListener(s.Channels, known.loud()), bits: s.Format.bits, bytes: bytes,
		come: make(chan []byte, ahead), spare: make(chan []byte, ahead+2), done: make(chan struct{}),
	}
	for range cap(h.spare) {
		h.spare <- nil
	}
	go func() {
		defer close(h.done)
		pcm := audio.PCM(make([][]float32, s.Channels))
		for data := range h.come {
			h.listener.Write(h.samples(pcm, data))
			h.spare <- data
		}
	}()
	return h
}

// write hears what is written, which is kept by whoever writes it.
func (h *hearing) write(data []byte) {
	if h != nil {
		h.come <- append((<-h.spare)[:0], data...)
	}
}

// end gives the course of all that was written. Nothing may come after it.
func (h *hearing) end() master.Course {
	if h == nil {
		return master.Course{}
	}
	close(h.come)
	<-h.done
	return h.listener.Course()
}

// samples reads what was written into channels.
func (h *hearing) samples(pcm audio.PCM, data []byte) audio.PCM {
	n := len(data) / h.bytes / len(pcm)
	scale := float32(1) / float32(int64(1)<<31)
	for c := range pcm {
		if cap(pcm[c]) < n {
			pcm[c] = make([]float32, n)
		}
		pcm[c] = pcm[c][:n]
		at := c * h.bytes
		for i := range pcm[c] {
			switch {
			case h.bits == 32:
				pcm[c][i] = math.Float32frombits(binary.LittleEndian.Uint32(data[at:]))
			case h.bytes == 2:
				pcm[c][i] = float32(int32(uint32(binary.LittleEndian.Uint16(data[at:]))<<16)) * scale
			case h.bytes == 3:
				pcm[c][i] = float32(int32(uint32(data[at])<<8|uint32(data[at+1])<<16|uint32(data[at+2])<<24)) * scale
			default:
				pcm[c][i] = float32(int32(binary.LittleEndian.Uint32(data[at:]))) * scale
			}
			at += h.bytes * len(pcm)
		}
	}
	return pcm
}
