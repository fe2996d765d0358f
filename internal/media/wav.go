package media

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"ruvel/core/audio"
	"ruvel/core/dither"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/internal/disk"
)

// riffMost is how many bytes a RIFF chunk can hold: its length has 32 bits.
const riffMost = math.MaxUint32

// wav is a WAV file: RIFF/WAVE with the fields of the details as LIST INFO, markers as cue points, and in the
// broadcast form a bext chunk of version 2 (EBU Tech 3285). One that grows beyond 4 GiB becomes RF64 (EBU Tech
// 3306): the place of its ds64 chunk is kept free by a JUNK chunk of the same length.
type wav struct {
	file     *os.File
	out      *bufio.Writer
	quantise *dither.Quantiser
	buffer   []byte
	hearing  *hearing
	course   master.Course
	frame    int64 // bytes
	data     int64 // bytes of sound
	dataAt   int64 // where the length of the data chunk stands
	factAt   int64 // where that of the sound in frames stands, or 0
	most     int64
}

const (
	ds64At     = 12
	ds64Length = 28
	bextAt     = ds64At + 8 + ds64Length
)

func newWAV(path string, s Setting, label *Label, known *Pieces) (*wav, error) {
	f, err := os.Create(path)
	if err != nil {
		return nil, err
	}
	bytesOf := s.Format.bits / 8
	w := &wav{file: f, out: bufio.NewWriterSize(f, 1<<18), frame: int64(bytesOf * s.Channels), most: riffMost}
	if s.Format.bits != 32 {
		w.quantise = &dither.Quantiser{Bits: s.Format.bits, Bytes: bytesOf}
	}
	if _, err := w.out.Write(w.head(s, label)); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	w.hearing = hear(s, bytesOf, known)
	return w, nil
}

// CreateWAV begins a WAV file of one or two channels of 24 bits, or of 32 in floating point, at a rate in hertz. What it
// takes is at that rate.
func CreateWAV(path string, bits, channels, rate int) (Sink, error) {
	format, known := FindFormat(map[int]string{24: "wav-24", 32: "wav-32f"}[bits])
	if !known {
		return nil, fmt.Errorf("no WAV files of %d bits are written", bits)
	}
	return newWAV(path, Setting{Format: format, Channels: channels, Rate: rate}, &Label{}, nil)
}

// Course is that of the finished file, if it has been listened to.
func (w *wav) Course() master.Course { return w.course }

func (w *wav) head(s Setting, label *Label) []byte {
	h := append([]byte("RIFF\x00\x00\x00\x00WAVE"), chunk("JUNK", make([]byte, ds64Length))...)
	if s.Format.how == asBWF {
		h = append(h, chunk("bext", bext(s, label))...)
	}
	code := uint16(wholeNumbers)
	if s.Format.bits == 32 {
		code = floatingPoint
	}
	h = append(h, formatChunk(code, s.Channels, s.Rate, s.Format.bits)...)
	if code == floatingPoint {
		w.factAt = int64(len(h)) + 8
		h = append(h, chunk("fact", make([]byte, 4))...)
	}
	if info := label.riffInfo(); len(info) > 4 {
		h = append(h, chunk("LIST", info)...)
	}
	if told := label.ixml(); told != nil {
		h = append(h, chunk("iXML", told)...)
	}
	h = append(h, label.cues(s.Rate)...)
	w.dataAt = int64(len(h)) + 4
	return append(h, "data\x00\x00\x00\x00"...)
}

// formatChunk says how samples are kept: one of so many channels has so many bits.
func formatChunk(code uint16, channels, rate, bits int) (out []byte) {
	frame := channels * bits / 8
	for _, v := range []any{code, uint16(channels), uint32(rate), uint32(rate * frame), uint16(frame), uint16(bits)} {
		out, _ = binary.Append(out, binary.LittleEndian, v)
	}
	if code == floatingPoint {
		out = append(out, 0, 0) // no more is said of it
	}
	return chunk("fmt ", out)
}

// chunk is one of a RIFF file, of an even length.
func chunk(id string, body []byte) []byte {
	out := binary.LittleEndian.AppendUint32([]byte(id), uint32(len(body)))
	out = append(out, body...)
	if len(body)%2 == 1 {
		out = append(out, 0)
	}
	return out
}

// riffInfo are the fields of "Multimedia Programming Interface and Data Specifications 1.0" (1991), in UTF-8.
func (l *Label) riffInfo() []byte {
	out := []byte("INFO")
	for _, f := range []pair{
		{"INAM", l.Title},
		{"IART", l.Presenter},
		{"IPRD", l.Show},
		{"ICMT", l.about()},
		{"ICRD", l.Date},
		{"ICOP", l.Copyright},
		{"IGNR", map[bool]string{true: "Podcast"}[l.Title != ""]},
		{"IPRT", l.place("/")},
		{"IKEY", strings.Join(l.Keywords, "; ")},
		{"ILNG", l.Language},
	} {
		if f.value != "" {
			out = append(out, chunk(f.key, append([]byte(f.value), 0))...)
		}
	}
	return out
}

// ixml are the fields as iXML has them (Gallery Software and others, "iXML specification", version 3; names from memory). Its text is UTF-8 by
// definition, while readers differ in what they take that of LIST INFO for.
func (l *Label) ixml() []byte {
	type user struct {
		Title       string `xml:"FULL_TITLE,omitempty"`
		Presenter   string `xml:"PRESENTER,omitempty"`
		Guests      string `xml:"GUESTS,omitempty"`
		Description string `xml:"DESCRIPTION,omitempty"`
		Credits     string `xml:"CREDITS,omitempty"`
		Copyright   string `xml:"COPYRIGHT,omitempty"`
		Language    string `xml:"LANGUAGE,omitempty"`
	}
	of := struct {
		XMLName xml.Name `xml:"BWFXML"`
		Version string   `xml:"IXML_VERSION"`
		Project string   `xml:"PROJECT,omitempty"`
		Scene   string   `xml:"SCENE,omitempty"`
		Note    string   `xml:"NOTE,omitempty"`
		User    user     `xml:"USER"`
	}{
		Version: "1.61", Project: l.Show, Scene: l.Title, Note: l.about(),
		User: user{l.Title, l.Presenter, strings.Join(l.Guests, ", "), l.Description, l.Credits, l.Copyright, l.Language},
	}
	if of.Project == "" && of.Scene == "" && of.Note == "" && of.User == (user{}) {
		return nil
	}
	data, err := xml.MarshalIndent(of, "", " ")
	if err != nil {
		panic(fmt.Sprintf("media: details could not be written as iXML: %v", err)) // they are texts alone
	}
	return append([]byte(xml.Header), data...)
}

// cues are the chapters as cue points with their labels and lengths.
func (l *Label) cues(rate int) []byte {
	if len(l.Chapters) == 0 {
		return nil
	}
	cue := binary.LittleEndian.AppendUint32(nil, uint32(len(l.Chapters)))
	list := []byte("adtl")
	for i, c := range l.Chapters {
		id, at := uint32(i+1), uint32(int64(c.At)*int64(rate)/audio.Rate)
		length := uint32(int64(c.End)*int64(rate)/audio.Rate) - at
		for _, v := range []uint32{id, at, binary.LittleEndian.Uint32([]byte("data")), 0, 0, at} {
			cue = binary.LittleEndian.AppendUint32(cue, v)
		}
		list = append(list, chunk("labl", append(binary.LittleEndian.AppendUint32(nil, id), c.Title+"\x00"...))...)
		stretch := binary.LittleEndian.AppendUint32(nil, id)
		stretch = binary.LittleEndian.AppendUint32(stretch, length)
		list = append(list, chunk("ltxt", append(stretch, "rgn \x00\x00\x00\x00\x00\x00\x00\x00"...))...)
	}
	return append(chunk("cue ", cue), chunk("LIST", list)...)
}

// Places in a bext chunk of version 2.
const (
	bextVersionAt  = 256 + 32 + 32 + 10 + 8 + 8
	bextLoudnessAt = bextVersionAt + 2 + 64
	bextFixed      = bextLoudnessAt + 10 + 180
)

// bext is the broadcast extension. Its loudness is not known before the file is measured: 0x7FFF says so.
func bext(s Setting, label *Label) []byte {
	b := make([]byte, bextFixed)
	text := func(at, most int, value string) {
		value = plain(value)
		copy(b[at:at+most], value[:min(most, len(value))])
	}
	text(0, 256, strings.TrimSpace(label.Show+" "+label.Title))
	text(256, 32, "Ruvel")
	text(288, 32, fmt.Sprintf("%s %d", label.Show, label.Number))
	date := label.Date
	if date == "" {
		date = "0000-00-00"
	}
	text(320, 10, date)
	text(330, 8, "00:00:00")
	binary.LittleEndian.PutUint64(b[338:], uint64(label.Origin*int64(s.Rate)/audio.Rate))
	binary.LittleEndian.PutUint16(b[bextVersionAt:], 2)
	for i := range 5 {
		binary.LittleEndian.PutUint16(b[bextLoudnessAt+2*i:], 0x7FFF)
	}
	mode := map[int]string{1: "mono", 2: "stereo"}[s.Channels]
	return append(b, fmt.Sprintf("A=PCM,F=%d,W=%d,M=%s,T=Ruvel\r\n", s.Rate, s.Format.bits, mode)...)
}

// plain is a text in ASCII, which is all that a bext chunk may hold: accents are left out, and what has no such form is a question mark.
func plain(text string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.Is(unicode.Mn, r):
			return -1
		case r == '\u2019':
			return '\''
		case r == '\u2013' || r == '\u2014':
			return '-'
		case r < ' ':
			return ' '
		case r > '~':
			return '?'
		}
		return r
	}, norm.NFD.String(text))
}

// WriteLoudness writes what was measured of a file into its bext chunk, if it has one. Of what is silent, and of a
// sound too short for it, there is no loudness.
func WriteLoudness(path string, r loudness.Result) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	id := make([]byte, 4)
	if _, err := f.ReadAt(id, bextAt); err != nil || !bytes.Equal(id, []byte("bext")) {
		return nil //nolint:nilerr // a file that ends before has none
	}
	var out []byte
	for _, v := range []float64{r.Integrated, r.Range, r.TruePeak, r.MaxMomentary, r.MaxShortTerm} {
		n := int16(0x7FFF)
		if v > -99 && v < 99 {
			n = int16(math.Round(100 * v))
		}
		out = binary.LittleEndian.AppendUint16(out, uint16(n))
	}
	_, err = f.WriteAt(out, bextAt+8+bextLoudnessAt)
	return errors.Join(err, f.Close())
}

func (w *wav) Write(pcm audio.PCM) error {
	if w.quantise != nil {
		w.buffer = w.quantise.Append(w.buffer[:0], pcm)
	} else {
		w.buffer = interleaved(w.buffer[:0], pcm)
	}
	w.hearing.write(w.buffer)
	w.data += int64(len(w.buffer))
	_, err := w.out.Write(w.buffer)
	return disk.Full(err)
}

// Close writes the lengths.
func (w *wav) Close() error {
	w.course = w.hearing.end()
	err := w.finish()
	return disk.Full(errors.Join(err, w.file.Close()))
}

func (w *wav) finish() error {
	if w.data%2 == 1 {
		_ = w.out.WriteByte(0)
	}
	if err := w.out.Flush(); err != nil {
		return err
	}
	end, err := w.file.Seek(0, io.SeekEnd)
	if err != nil {
		return err
	}
	put := func(at int64, values ...uint32) {
		var out []byte
		for _, v := range values {
			out = binary.LittleEndian.AppendUint32(out, v)
		}
		_, failed := w.file.WriteAt(out, at)
		err = errors.Join(err, failed)
	}
	frames := w.data / w.frame
	if w.factAt > 0 {
		put(w.factAt, uint32(min(frames, math.MaxUint32)))
	}
	if end-8 <= w.most {
		put(4, uint32(end-8))
		put(w.dataAt, uint32(w.data))
		return err
	}
	halves := func(v int64) []uint32 { return []uint32{uint32(v), uint32(v >> 32)} }
	_, failed := w.file.WriteAt([]byte("RF64\xff\xff\xff\xff"), 0)
	_, failedToo := w.file.WriteAt([]byte("ds64"), ds64At)
	err = errors.Join(err, failed, failedToo)
	put(ds64At+8, append(append(halves(end-8), halves(w.data)...), append(halves(frames), 0)...)...)
	put(w.dataAt, math.MaxUint32)
	return err
}
