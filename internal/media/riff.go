package media

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"os"
)

// plainWAV is a WAV file whose samples lie there as they are: in one or two channels, as whole numbers or floating point.
// It is read without another program; whatever is unusual about a file is left to ffmpeg.
//
// "Multimedia Programming Interface and Data Specifications 1.0" (1991); WAVEFORMATEXTENSIBLE as of "Multiple Channel
// Audio Data and WAVE Files" (2001).
type plainWAV struct {
	channels int
	rate     int // hertz
	samples  samples
	from     int64 // where they begin, in bytes
	frames   int64
	silent   bool // the file says nothing of itself
}

// samples are of one kind.
type samples struct {
	bytes int // of each
	read  func([]byte) float32
}

// What a fmt chunk says of the kind of its samples.
const (
	wholeNumbers  = 1
	floatingPoint = 3
	extensible    = 0xFFFE
)

// mostChunks is how many chunks are looked at.
const mostChunks = 1000

// openPlain opens a file that is plain. One that is not is nil, and no error.
func openPlain(path string) (*os.File, plainWAV, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, plainWAV{}, err
	}
	p, is := readPlain(f, size(path))
	if !is || p.coded(f) {
		return nil, plainWAV{}, f.Close()
	}
	return f, p, nil
}

// readPlain walks through the chunks of a file of that many bytes.
func readPlain(f io.ReaderAt, end int64) (p plainWAV, is bool) {
	head := make([]byte, 12)
	if _, err := f.ReadAt(head, 0); err != nil || string(head[:4]) != "RIFF" || string(head[8:]) != "WAVE" {
		return p, false
	}
	if end != int64(binary.LittleEndian.Uint32(head[4:]))+8 {
		return p, false
	}
	p.silent = true
	width := int64(0) // of a frame, in bytes
	at := int64(len(head))
	for range mostChunks {
		if at == end {
			return p, p.frames > 0
		}
		if _, err := f.ReadAt(head[:8], at); err != nil {
			return p, false
		}
		id, body, length := string(head[:4]), at+8, int64(binary.LittleEndian.Uint32(head[4:]))
		if at = body + length + length%2; at > end {
			return p, false
		}
		switch id {
		case "fmt ":
			if width > 0 || !p.format(f, body, length) {
				return p, false
			}
			width = int64(p.channels * p.samples.bytes)
		case "data":
			if width == 0 || p.frames > 0 {
				return p, false
			}
			p.from, p.frames = body, length/width
		case "fact", "PEAK", "JUNK":
		default:
			p.silent = false
		}
	}
	return p, false
}

// format reads the body of a fmt chunk, and says whether its samples are of a usual kind.
func (p *plainWAV) format(f io.ReaderAt, at, length int64) bool {
	const short, long = 16, 40
	if length < short || length > 1<<10 {
		return false
	}
	b := make([]byte, max(length, long))
	if _, err := f.ReadAt(b[:length], at); err != nil {
		return false
	}
	word := func(at int) int { return int(binary.LittleEndian.Uint16(b[at:])) }
	code, bits := word(0), word(14)
	p.channels, p.rate = word(2), int(binary.LittleEndian.Uint32(b[4:]))
	if code == extensible {
		speakers := binary.LittleEndian.Uint32(b[20:])
		usual := speakers == 0 || speakers == 1<<2 && p.channels == 1 || speakers == 1<<0|1<<1 && p.channels == 2
		if length != long || !usual || word(18) != bits || !bytes.Equal(b[26:long], []byte("\x00\x00\x00\x00\x10\x00\x80\x00\x00\xAA\x00\x38\x9B\x71")) {
			return false
		}
		code = word(24)
	}
	p.samples = kind(code, bits)
	return p.samples.bytes > 0 && (p.channels == 1 || p.channels == 2) && word(12) == p.channels*p.samples.bytes &&
		p.rate >= lowestRate && p.rate <= highestRate
}

// coded says whether what looks like samples is, near its beginning, a coded stream laid into them: words of
// synchronisation of IEC 61937 and of DTS (from memory).
func (p plainWAV) coded(f io.ReaderAt) bool {
	head := make([]byte, 1<<16)
	n, _ := f.ReadAt(head, p.from)
	for _, word := range []string{"\x72\xF8\x1F\x4E", "\xFE\x7F\x01\x80", "\x7F\xFE\x80\x01", "\xFF\x1F\x00\xE8", "\x1F\xFF\xE8\x00"} {
		if bytes.Contains(head[:n], []byte(word)) {
			return true
		}
	}
	return false
}

// sound is the samples of an open file.
func (p plainWAV) sound(f io.ReaderAt) io.Reader {
	return io.NewSectionReader(f, p.from, p.frames*int64(p.channels*p.samples.bytes))
}

// kind gives the samples that a fmt chunk speaks of; of those that are not read here they take no bytes. Full scale is one.
func kind(code, bits int) samples {
	switch {
	case code == wholeNumbers && bits == 8:
		return samples{1, func(b []byte) float32 { return (float32(b[0]) - 1<<7) / (1 << 7) }}
	case code == wholeNumbers && bits == 16:
		return samples{2, func(b []byte) float32 { return float32(int16(binary.LittleEndian.Uint16(b))) / (1 << 15) }}
	case code == wholeNumbers && bits == 24:
		return samples{3, func(b []byte) float32 { return float32(int32(b[0])<<8|int32(b[1])<<16|int32(b[2])<<24) / (1 << 31) }}
	case code == wholeNumbers && bits == 32:
		return samples{4, func(b []byte) float32 { return float32(int32(binary.LittleEndian.Uint32(b))) / (1 << 31) }}
	case code == floatingPoint && bits == 32:
		return samples{4, func(b []byte) float32 { return believed(math.Float32frombits(binary.LittleEndian.Uint32(b))) }}
	case code == floatingPoint && bits == 64:
		return samples{8, func(b []byte) float32 { return believed(float32(math.Float64frombits(binary.LittleEndian.Uint64(b)))) }}
	}
	return samples{}
}

// believed is a sample of floating point as it is; what is no number, or a thousand times full scale, becomes silence.
func believed(v float32) float32 {
	if !(v >= -1000 && v <= 1000) {
		return 0
	}
	return v
}
