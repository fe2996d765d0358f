package server

import (
	"encoding/binary"
	"io"

	"ruvel/core/audio"
)

// wav reads planar samples as a 16-bit WAV file, from any byte on, without ever
// holding the file in memory.
type wav struct {
	pcm    audio.PCM
	header []byte
	at     int64
}

func newWAV(pcm audio.PCM) *wav {
	frame := uint32(2 * len(pcm))
	data := uint32(pcm.Length()) * frame
	h := append([]byte("RIFF"), 0, 0, 0, 0)
	binary.LittleEndian.PutUint32(h[4:], 36+data)
	h = append(h, "WAVEfmt "...)
	h = binary.LittleEndian.AppendUint32(h, 16)
	h = binary.LittleEndian.AppendUint16(h, 1)
	h = binary.LittleEndian.AppendUint16(h, uint16(len(pcm)))
	h = binary.LittleEndian.AppendUint32(h, audio.Rate)
	h = binary.LittleEndian.AppendUint32(h, audio.Rate*frame)
	h = binary.LittleEndian.AppendUint16(h, uint16(frame))
	h = binary.LittleEndian.AppendUint16(h, 16)
	h = append(h, "data"...)
	return &wav{pcm: pcm, header: binary.LittleEndian.AppendUint32(h, data)}
}

func (w *wav) size() int64 { return int64(len(w.header)) + int64(w.pcm.Length())*int64(2*len(w.pcm)) }

func (w *wav) Read(p []byte) (int, error) {
	if w.at >= w.size() {
		return 0, io.EOF
	}
	n := 0
	for n < len(p) && w.at < w.size() {
		if w.at < int64(len(w.header)) {
			k := copy(p[n:], w.header[w.at:])
			n, w.at = n+k, w.at+int64(k)
			continue
		}
		end := n + int(min(int64(len(p)-n), w.size()-w.at))
		if err := audio.Guard(func() { w.data(p[n:end], w.at-int64(len(w.header))) }); err != nil {
			return n, err
		}
		w.at += int64(end - n)
		n = end
	}
	return n, nil
}

// data fills p with the bytes of the samples from a byte on.
func (w *wav) data(p []byte, at int64) {
	for i := range p {
		frame, rest := (at+int64(i))/int64(2*len(w.pcm)), (at+int64(i))%int64(2*len(w.pcm))
		v := w.pcm[rest/2][frame]
		s := uint16(int16(max(-32768, min(32767, v*32767))))
		p[i] = byte(s >> (8 * (rest % 2)))
	}
}

func (w *wav) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += w.at
	case io.SeekEnd:
		offset += w.size()
	}
	w.at = max(0, offset)
	return w.at, nil
}
