package server

import (
	"encoding/binary"
	"io"

	"ruvel/core/audio"
	"ruvel/core/mix"
)

// wav reads planar samples as a 16-bit WAV file, from any byte on, without ever
// holding the file in memory.
type wav struct {
	channels int
	length   audio.Frames
	// frames gives some of them, of a second at most, from one on. They are read before it is called again.
	frames func(from, n audio.Frames) (audio.PCM, error)
	header []byte
	at     int64
}

// newWAV is that of samples that are there.
func newWAV(pcm audio.PCM) *wav {
	return wavOf(len(pcm), pcm.Length(), func(from, n audio.Frames) (audio.PCM, error) { return pcm.Slice(from, from+n), nil })
}

// renderedWAV is that of a stretch of a mix, which is rendered while it is read: of what nobody reads there is
// nothing. Each piece is rendered within turn.
func renderedWAV(plan *mix.Plan, from, to audio.Frames, turn func(func()) error) *wav {
	r, room := mix.NewRenderer(plan), audio.NewPCM(2, audio.Second)
	var at, n audio.Frames // what is in the room
	return wavOf(2, to-from, func(first, count audio.Frames) (audio.PCM, error) {
		if first < at || first+count > at+n {
			var err error
			at, n = first, min(audio.Second, to-from-first)
			if refused := turn(func() { err = r.Render(room.Slice(0, n), from+at) }); refused != nil {
				err = refused
			}
			if err != nil {
				n = 0
				return nil, err
			}
		}
		return room.Slice(first-at, first-at+count), nil
	})
}

func wavOf(channels int, length audio.Frames, frames func(from, n audio.Frames) (audio.PCM, error)) *wav {
	frame := uint32(2 * channels)
	data := uint32(length) * frame
	h := append([]byte("RIFF"), 0, 0, 0, 0)
	binary.LittleEndian.PutUint32(h[4:], 36+data)
	h = append(h, "WAVEfmt "...)
	h = binary.LittleEndian.AppendUint32(h, 16)
	h = binary.LittleEndian.AppendUint16(h, 1)
	h = binary.LittleEndian.AppendUint16(h, uint16(channels))
	h = binary.LittleEndian.AppendUint32(h, audio.Rate)
	h = binary.LittleEndian.AppendUint32(h, audio.Rate*frame)
	h = binary.LittleEndian.AppendUint16(h, uint16(frame))
	h = binary.LittleEndian.AppendUint16(h, 16)
	h = append(h, "data"...)
	return &wav{channels: channels, length: length, frames: frames, header: binary.LittleEndian.AppendUint32(h, data)}
}

func (w *wav) size() int64 { return int64(len(w.header)) + int64(w.length)*int64(2*w.channels) }

func (w *wav) Read(p []byte) (int, error) {
	if w.at >= w.size() {
		return 0, io.EOF
	}
	if w.at < int64(len(w.header)) {
		n := copy(p, w.header[w.at:])
		w.at += int64(n)
		return n, nil
	}
	at, frame := w.at-int64(len(w.header)), int64(2*w.channels)
	first := audio.Frames(at / frame)
	last := min(w.length, first+audio.Second, audio.Frames((at+int64(len(p))+frame-1)/frame))
	pcm, err := w.frames(first, last-first)
	if err != nil {
		return 0, err
	}
	n := int(min(int64(len(p)), int64(last)*frame-at))
	if err := audio.Guard(func() { data(p[:n], pcm, at-int64(first)*frame) }); err != nil {
		return 0, err
	}
	w.at += int64(n)
	return n, nil
}

// data fills p with the bytes of samples from a byte on.
func data(p []byte, pcm audio.PCM, at int64) {
	for i := range p {
		frame, rest := (at+int64(i))/int64(2*len(pcm)), (at+int64(i))%int64(2*len(pcm))
		v := pcm[rest/2][frame]
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
