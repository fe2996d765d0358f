package media

import (
	"encoding/binary"
	"io"

	"ruvel/core/audio"
)

// Played is a 16-bit WAV file at 48 kHz as a player reads it, from any byte on, without ever being whole in memory or on a disk. It is
// not safe for use by many goroutines.
type Played struct {
	channels int
	length   audio.Frames
	frames   func(from, n audio.Frames) (audio.PCM, error)
	header   []byte
	at       int64
}

// Play gives that of so many channels and frames. Some of them, of a second at most, are asked for at a time; they are read before
// others are asked for.
func Play(channels int, length audio.Frames, frames func(from, n audio.Frames) (audio.PCM, error)) *Played {
	data := make([]byte, 4) // how long the data chunk is, which is made while it is read
	binary.LittleEndian.PutUint32(data, uint32(length)*uint32(2*channels))
	h := append([]byte("RIFF\x00\x00\x00\x00WAVE"), formatChunk(wholeNumbers, channels, audio.Rate, 16)...)
	h = append(append(h, "data"...), data...)
	binary.LittleEndian.PutUint32(h[4:], uint32(len(h)-8)+uint32(length)*uint32(2*channels))
	return &Played{channels: channels, length: length, frames: frames, header: h}
}

// PlayPCM is that of samples that are there.
func PlayPCM(pcm audio.PCM) *Played {
	return Play(len(pcm), pcm.Length(), func(from, n audio.Frames) (audio.PCM, error) { return pcm.Slice(from, from+n), nil })
}

func (w *Played) size() int64 { return int64(len(w.header)) + int64(w.length)*int64(2*w.channels) }

func (w *Played) Read(p []byte) (int, error) {
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

func (w *Played) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += w.at
	case io.SeekEnd:
		offset += w.size()
	}
	w.at = max(0, offset)
	return w.at, nil
}
