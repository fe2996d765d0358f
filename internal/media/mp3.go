package media

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"sync"

	"github.com/cespare/xxhash/v2"
	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/master"
)

// An MP3 without a bit reservoir is a row of frames that do not lean on each other. So pieces of it are encoded
// on all cores, each with some frames around it so that the encoder has heard what comes before, and the
// frames of the pieces are those of one encoding, byte for byte (the tests compare them).
const (
	mp3Frame = 1152 // samples
	// At 44.1 kHz the frames of a constant rate are not all as long: which are longer by a byte comes round every 49.
	// So many frames are also a whole number of samples at 48 kHz.
	mp3Round = 49
	mp3Most  = 75 * mp3Round // frames of a piece: about a minute and a half
	mp3Warm  = 49            // frames before a piece
	mp3Tail  = 9             // frames after it: four that the encoder looks ahead, five to the end of a hop of 100 ms
	// mp3Delay is how many samples the encoder puts before the first one, without the 529 of every decoder.
	mp3Delay = 576
	decoder  = 529
)

type mp3 struct {
	ctx     context.Context
	file    *os.File
	setting Setting
	dir     string
	tag     int64 // bytes before the first frame
	room    int   // bytes of that, which tells the lengths

	heard  []byte // interleaved, from the frame begin on
	begin  int64
	frames int64 // samples that have come, in each channel
	piece  int64 // frames of each piece
	next   int64 // piece to be begun

	g      *errgroup.Group
	order  chan chan mp3Part
	ended  chan error
	sizes  []int // of the frames, in bytes
	course master.Course
	known  *Pieces
}

// mp3Part is a piece of the file, as it was encoded and as it is when it is decoded.
type mp3Part struct {
	begin int64 // its first frame in the file
	skip  int   // frames that are encoded before it
	take  int   // how many it has, or -1: all that follow

	frames []byte
	course master.Course
}

// Pieces are those that have been encoded, by all that they are made of. It is safe for use by many goroutines.
type Pieces struct {
	Loud   float32      // amplitude from which true peaks are of interest in what has been written
	Length audio.Frames // of what is being written, or 0; it is cut so that all cores have as much to do
	most   int64        // frames of a piece at most; 0: mp3Most
	kept   sync.Map
}

// frames is how many MP3 frames of a rate a piece has. Starting the encoder takes as long as encoding some four
// seconds, so there are no more pieces than keep the cores busy to the end.
func (p *Pieces) frames(rate int) int64 {
	if p == nil {
		return mp3Most
	}
	most := cmp.Or(p.most, mp3Most)
	if p.Length == 0 {
		return most
	}
	cores := int64(runtime.GOMAXPROCS(0))
	all := int64(p.Length)*int64(rate)/audio.Rate/mp3Frame + 1
	pieces := cores * ((all + cores*most - 1) / (cores * most))
	return mp3Round * ((all+pieces-1)/pieces/mp3Round + 1)
}

// loud is that, or full scale if nobody asks.
func (p *Pieces) loud() float32 {
	if p == nil {
		return 1
	}
	return p.Loud
}

func newMP3(ctx context.Context, path string, s Setting, label *Label, known *Pieces) (*mp3, error) {
	f, err := os.Create(path)
	if err != nil {
		return nil, err
	}
	m := &mp3{file: f, setting: s, dir: filepath.Dir(path), known: known, piece: known.frames(s.Rate), order: make(chan chan mp3Part, runtime.GOMAXPROCS(0)), ended: make(chan error, 1)}
	m.g, m.ctx = errgroup.WithContext(ctx)
	m.g.SetLimit(runtime.GOMAXPROCS(0))
	tag := label.id3()
	m.tag = int64(len(tag))
	// The frame that tells the lengths is as long as one of the highest constant rate that it must hold a table in.
	m.room = mp3Size(m.infoHeader())
	if _, err := f.Write(append(tag, make([]byte, m.room)...)); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	go func() { m.ended <- m.collect() }()
	return m, nil
}

// bytes of a sample of all channels.
func (m *mp3) width() int64 { return int64(4 * m.setting.Channels) }

// factor is by what samples are multiplied before they are encoded, because of what the encoder does to them.
func (m *mp3) factor() float32 { return float32(1 / m.setting.Quality.turned[m.setting.Channels-1]) }

func (m *mp3) Write(pcm audio.PCM) error {
	m.heard = louder(m.heard, pcm, m.factor())
	m.frames += int64(pcm.Length())
	for m.frames >= ((m.next+1)*m.piece+mp3Tail)*mp3Frame {
		if err := m.encode(false); err != nil {
			return err
		}
	}
	return nil
}

// louder appends the samples of a piece as ffmpeg takes them, times a factor.
func louder(out []byte, pcm audio.PCM, factor float32) []byte {
	from := len(out)
	out = slices.Grow(out, 4*len(pcm)*int(pcm.Length()))[:from+4*len(pcm)*int(pcm.Length())]
	for c, channel := range pcm {
		for i, v := range channel {
			binary.LittleEndian.PutUint32(out[from+4*(i*len(pcm)+c):], math.Float32bits(v*factor))
		}
	}
	return out
}

// part is a piece of the file, and which samples it is encoded from.
func (m *mp3) part(n int64, last bool) (p mp3Part, from, to int64) {
	first := max(0, n*m.piece-mp3Warm)
	p = mp3Part{begin: n * m.piece, skip: int(n*m.piece - first), take: int(m.piece)}
	if last {
		p.take = -1
		return p, first * mp3Frame, m.frames
	}
	return p, first * mp3Frame, ((n+1)*m.piece + mp3Tail) * mp3Frame
}

// encode begins the next piece.
func (m *mp3) encode(last bool) error {
	part, from, to := m.part(m.next, last)
	in := bytes.Clone(m.heard[(from-m.begin)*m.width() : (to-m.begin)*m.width()])
	m.next++
	keep := max(0, m.next*m.piece-mp3Warm) * mp3Frame // what the next one needs
	if !last {
		n := copy(m.heard, m.heard[(keep-m.begin)*m.width():])
		m.heard, m.begin = m.heard[:n], keep
	}
	done := make(chan mp3Part, 1)
	select {
	case m.order <- done:
	case <-m.ctx.Done():
		return m.why()
	}
	m.g.Go(func() error {
		out, err := m.made(in, part)
		if err == nil {
			done <- out
		}
		return err
	})
	return nil
}

// made encodes and hears a piece, if that has not been done.
func (m *mp3) made(in []byte, p mp3Part) (mp3Part, error) {
	key := [2]uint64{xxhash.Sum64(in), xxhash.Sum64String(fmt.Sprint(m.setting.Say(), len(in), p.skip, p.take, m.place(p.begin)%loudness.Hop))}
	if m.known != nil {
		if kept, there := m.known.kept.Load(key); there {
			return kept.(mp3Part), nil
		}
	}
	all, err := m.run(in)
	if err != nil {
		return p, err
	}
	if p.frames, err = cutFrames(all, p.skip, p.take); err != nil {
		return p, err
	}
	if p.course, err = m.hear(all, int64(len(in))/m.width(), p); err == nil && m.known != nil {
		m.known.kept.Store(key, p)
	}
	return p, err
}

// place is where a frame begins, in samples at 48 kHz. Every 49th begins with one.
func (m *mp3) place(frame int64) audio.Frames {
	return audio.Frames(frame*mp3Frame) * audio.Rate / audio.Frames(m.setting.Rate)
}

// hear decodes a piece, with what lies around it, and listens to the hops that begin in it. All of it is made of so
// many samples.
func (m *mp3) hear(all []byte, samples int64, p mp3Part) (c master.Course, err error) {
	var log bytes.Buffer
	cmd, from, to := m.decoded(samples)
	cmd.Stdin, cmd.Stderr = bytes.NewReader(all), &log
	pipe, err := cmd.StdoutPipe()
	if err != nil {
		return c, err
	}
	widen(pipe)
	if err := cmd.Start(); err != nil {
		return c, fmt.Errorf("start the decoder: %w", err)
	}
	hop := func(at audio.Frames) audio.Frames { return (at + loudness.Hop - 1) / loudness.Hop } // the first from there on
	start, first := m.place(p.begin-int64(p.skip)), hop(m.place(p.begin))
	listener := master.NewListener(m.setting.Channels, m.known.loud()).After(int(first - hop(start)))
	if p.take >= 0 {
		to = min(to, from+hop(m.place(p.begin+int64(p.take)))*loudness.Hop-start)
	}
	from += hop(start)*loudness.Hop - start // so that hops begin where they do in the whole
	var at audio.Frames
	_, err = read(pipe, m.setting.Channels, math.MaxInt64, func(pcm audio.PCM) error {
		if first, last := max(0, from-at), min(pcm.Length(), to-at); first < last {
			listener.Write(pcm.Slice(first, last))
		}
		at += pcm.Length()
		return nil
	})
	if waited := cmd.Wait(); err == nil && waited != nil {
		err = failure(waited, &log)
	}
	if m.ctx.Err() != nil {
		return c, m.ctx.Err()
	}
	return listener.Course(), err
}

// decoded is what decodes frames into samples at 48 kHz, and which of those are sound: so many samples at the rate of
// the frames. At another rate it is ffmpeg, for its resampler; else mpg123, which has decoded half a minute before ffmpeg begins.
func (m *mp3) decoded(samples int64) (cmd *exec.Cmd, from, to audio.Frames) {
	const first = mp3Delay + decoder
	if m.setting.Rate == audio.Rate {
		return command(m.ctx, m.dir, "mpg123", "-q", "--no-gapless", "-e", "f32", "-s", "-"), first, audio.Frames(first + samples)
	}
	filter := fmt.Sprintf("atrim=start_sample=%d:end_sample=%d,aresample=%d:%s", first, first+samples, audio.Rate, clean)
	return command(m.ctx, m.dir, "ffmpeg", "-v", "error", "-f", "mp3", "-i", "pipe:0", "-af", filter, "-f", "f32le", "pipe:1"), 0, math.MaxInt64
}

// Course is that of the finished file.
func (m *mp3) Course() master.Course { return m.course }

// why says why it has ended.
func (m *mp3) why() error {
	if err := context.Cause(m.ctx); err != nil {
		return err
	}
	return m.ctx.Err()
}

func (m *mp3) run(in []byte) ([]byte, error) {
	args := []string{
		"-v", "error", "-f", "f32le", "-ar", strconv.Itoa(m.setting.Rate), "-ac", strconv.Itoa(m.setting.Channels), "-i", "pipe:0",
	}
	args = append(args, m.setting.Quality.args(m.setting.Quality.Rate[m.setting.Channels-1])...)
	args = append(args, "-reservoir", "0", "-write_xing", "0", "-id3v2_version", "0", "-f", "mp3", "pipe:1")
	var out, log bytes.Buffer
	cmd := command(m.ctx, m.dir, "ffmpeg", args...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(in), &out, &log
	if err := cmd.Run(); err != nil {
		if m.ctx.Err() != nil {
			return nil, m.ctx.Err()
		}
		return nil, failure(err, &log)
	}
	return out.Bytes(), nil
}

// collect writes the pieces in their order.
func (m *mp3) collect() error {
	for done := range m.order {
		select {
		case piece := <-done:
			sizes, err := frameSizes(piece.frames)
			if err == nil {
				_, err = m.file.Write(piece.frames)
			}
			if err != nil {
				m.g.Go(func() error { return err }) // ends the others
				go func() {
					for range m.order { //nolint:revive // whoever waits to hand on is let go
					}
				}()
				return err
			}
			m.sizes = append(m.sizes, sizes...)
			m.course = m.course.Then(piece.course)
		case <-m.ctx.Done():
			return m.why()
		}
	}
	return nil
}

func (m *mp3) Close() error {
	var err error
	if m.ctx.Err() == nil {
		err = m.encode(true)
	}
	return m.end(err)
}

// end finishes the file when all its pieces have been begun, or gives it up because of an error.
func (m *mp3) end(err error) error {
	close(m.order)
	ended := <-m.ended
	all := m.g.Wait()
	if err = firstOf(all, ended, err); err == nil {
		_, err = m.file.WriteAt(m.info(), m.tag)
	}
	return errors.Join(err, m.file.Close())
}

// firstOf gives the first error that says something.
func firstOf(errs ...error) error {
	var first error
	for _, err := range errs {
		if err != nil && (first == nil || errors.Is(first, context.Canceled)) {
			first = err
		}
	}
	return first
}

// Tables of the header of a frame (ISO/IEC 11172-3, 2.4.2.3), layer III.
var (
	mp3Rates   = [4]int{44100, 48000, 32000, 0}
	mp3BitRate = [16]int{0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 0}
)

var errMP3 = errors.New("the encoder has not given whole MP3 frames")

// mp3Size is the length of a frame in bytes, or 0 if it does not begin with a header.
func mp3Size(header uint32) int {
	rate, bits := mp3Rates[header>>10&3], mp3BitRate[header>>12&15]
	const mpeg1LayerIII = 0xFFFA >> 1
	if header>>17 != mpeg1LayerIII || rate == 0 || bits == 0 {
		return 0
	}
	return 144*bits*1000/rate + int(header>>9&1)
}

func frameSizes(data []byte) (sizes []int, err error) {
	for len(data) > 0 {
		if len(data) < 4 {
			return nil, errMP3
		}
		n := mp3Size(binary.BigEndian.Uint32(data))
		if n == 0 || n > len(data) {
			return nil, errMP3
		}
		sizes, data = append(sizes, n), data[n:]
	}
	return sizes, nil
}

// cutFrames leaves so many frames out and takes so many, or all that follow if it is negative.
func cutFrames(data []byte, skip, take int) ([]byte, error) {
	sizes, err := frameSizes(data)
	if err != nil {
		return nil, err
	}
	if skip > len(sizes) || take >= 0 && skip+take > len(sizes) {
		return nil, io.ErrUnexpectedEOF
	}
	from, to := 0, 0
	for i, n := range sizes {
		if i < skip {
			from += n
		}
		if take < 0 || i < skip+take {
			to += n
		}
	}
	return data[from:to], nil
}

// infoHeader is that of the frame that tells the lengths: of the rate of the others where that is constant, and
// long enough for a table.
func (m *mp3) infoHeader() uint32 {
	bits := max(64, m.setting.Quality.Rate[m.setting.Channels-1])
	index := 0
	for i, b := range mp3BitRate {
		if b > 0 && b >= bits {
			index = i
			break
		}
	}
	rate := map[int]uint32{44100: 0, 48000: 1}[m.setting.Rate]
	mode := map[int]uint32{1: 3, 2: 1}[m.setting.Channels]
	return 0xFFFB0000 | uint32(index)<<12 | rate<<10 | mode<<6
}

// info is the first frame: silence that tells how many frames and bytes follow, where each hundredth of them
// begins, and what to leave out at both ends so that the sound has its length again. Its form is that of
// "Info" frames as encoders and players have it in common use (values from memory).
func (m *mp3) info() []byte {
	out := make([]byte, m.room)
	header := m.infoHeader()
	binary.BigEndian.PutUint32(out, header)
	at := 4 + map[int]int{1: 17, 2: 32}[m.setting.Channels]
	name := "Info"
	if m.setting.Quality.Varying {
		name = "Xing"
	}
	copy(out[at:], name)
	total := m.room
	for _, n := range m.sizes {
		total += n
	}
	const framesBytesTableQuality = 15
	binary.BigEndian.PutUint32(out[at+4:], framesBytesTableQuality)
	binary.BigEndian.PutUint32(out[at+8:], uint32(len(m.sizes)))
	binary.BigEndian.PutUint32(out[at+12:], uint32(total))
	place, k := m.room, 0
	for i := range 100 {
		for ; k < len(m.sizes)*i/100; k++ {
			place += m.sizes[k]
		}
		out[at+16+i] = byte(min(255, 256*place/total))
	}
	lame := at + 16 + 100 + 4
	copy(out[lame:], "LAME3.100") // by whom it is encoded; only then do players believe what follows
	padding := int64(len(m.sizes))*mp3Frame - mp3Delay - m.frames
	padding = min(4095, max(0, padding))
	out[lame+21] = byte(mp3Delay >> 4)
	out[lame+22] = byte(mp3Delay&15<<4) | byte(padding>>8)
	out[lame+23] = byte(padding)
	return out
}
