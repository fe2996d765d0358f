// Package master brings a mix to the loudness it is delivered at: one gain for the whole, and a true-peak
// limiter where the ceiling would be crossed and nowhere else. What it does is a function of the place
// alone, so that any window of the finished sound can be made by itself. Levels are dB, positions frames at
// 48 kHz from the beginning of what is delivered.
package master

import (
	"context"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/loudness"
)

// Render fills a window of two planar channels of a session from a frame of it on. It is for one goroutine.
type Render func(dst audio.PCM, from audio.Frames) error

// Stretch is what is delivered of a session.
type Stretch struct {
	From, To audio.Frames
	Channels int           // 1: the mean of both
	Renderer func() Render // makes one
}

// Length is how long it is.
func (s Stretch) Length() audio.Frames { return s.To - s.From }

// window renders frames of the stretch, folded if it is delivered in one channel. The result lies in room.
func (s Stretch) window(render Render, room audio.PCM, from, to audio.Frames) (audio.PCM, error) {
	pcm := room.Slice(0, to-from)
	if err := render(pcm, s.From+from); err != nil {
		return nil, err
	}
	return Fold(pcm, s.Channels), nil
}

// Fold makes mono of two channels in place, their mean, if one is wanted.
func Fold(stereo audio.PCM, channels int) audio.PCM {
	if channels != 1 || len(stereo) == 1 {
		return stereo
	}
	left, right := stereo[0], stereo[1]
	for i := range left {
		left[i] = (left[i] + right[i]) / 2
	}
	return stereo[:1]
}

// Course is how loud a stretch is along its time, as it is before anything is done to it.
type Course struct {
	Length audio.Frames
	Powers []float64 // mean K-weighted squares of each whole 100 ms, all channels together
	True   []float32 // the highest true peak of each begun 100 ms, as an amplitude
	Sample float32   // the highest sample
	// Heights are how high the samples reach every 5 ms; none where that is not known.
	Heights []audio.Height

	Highest float32 // the highest true peak, where it is known of the whole alone
}

// Later is the course of what lies so many frames after the beginning of a stretch, by the hops of that stretch. Its true peaks alone are
// told, each in both hops that it may lie in.
func (c Course) Later(by audio.Frames) Course {
	if by == 0 {
		return c
	}
	first := int(by / loudness.Hop)
	out := Course{Length: c.Length + by, True: make([]float32, first+len(c.True)+1)}
	for k, peak := range c.True {
		out.True[first+k], out.True[first+k+1] = max(out.True[first+k], peak), peak
	}
	return out
}

// block is how much is worked on at a time, and lead what is rendered before one for filters to forget that they begin.
const (
	block     = 10 * audio.Second
	hops      = int(block / loudness.Hop)
	lead      = loudness.Hop
	stepsOver = 20 // hops before a place whose peaks may still hold the limiter down there
)

// Blocks is how many blocks a stretch of a length has, each of which is measured by itself.
func Blocks(length audio.Frames) int { return int((length + block - 1) / block) }

// Along measures a stretch on all cores. Each block is done inside turn, which can make it wait.
func Along(ctx context.Context, s Stretch, turn func(do func()), progress func(part float64)) (Course, error) {
	return AlongBlocks(ctx, s, 0, Blocks(s.Length()), turn, progress)
}

// AlongBlocks measures some blocks of a stretch, from one of them (included) to another (excluded). Those of a whole stretch, one
// Then the other, are what Along measures, bit for bit.
func AlongBlocks(ctx context.Context, s Stretch, first, last int, turn func(do func()), progress func(part float64)) (Course, error) {
	begins := audio.Frames(first) * block
	c := Course{Length: min(audio.Frames(last)*block, s.Length()) - begins}
	c.Powers = make([]float64, c.Length/loudness.Hop)
	c.True = make([]float32, (c.Length+loudness.Hop-1)/loudness.Hop)
	c.Heights = make([]audio.Height, len(c.True)*perHop)
	err := each(ctx, last-first, turn, progress, func(n int) error {
		begin := begins + audio.Frames(n)*block
		from, to := max(0, begin-lead), min(begin+block, s.Length())
		pcm, err := s.window(s.Renderer(), audio.NewPCM(2, to-from), from, to)
		if err != nil {
			return err
		}
		m := newHops(len(pcm))
		for at := from; at < to; at += loudness.Hop {
			hop := pcm.Slice(at-from, min(at+loudness.Hop, to)-from)
			power, peak := m.next(hop, 0)
			if at < begin {
				continue
			}
			k := int((at - begins) / loudness.Hop)
			copy(c.Heights[k*perHop:], audio.Heights(hop))
			if c.True[k] = peak; k < len(c.Powers) {
				c.Powers[k] = power
			}
		}
		return nil
	})
	return c, err
}

// Listener takes a finished sound piece by piece and gives its course. Make one with NewListener.
type Listener struct {
	loud   float32
	before int // hops that are still left out
	meter  *hopMeter
	hop    audio.PCM
	filled audio.Frames
	course Course
}

// NewListener makes one for a sound of so many channels. Where true peaks stay under loud, an amplitude, the
// highest samples stand for them, unless they are the highest of all: to look between samples takes most of the time.
func NewListener(channels int, loud float32) *Listener {
	return &Listener{loud: loud, meter: newHops(channels), hop: audio.NewPCM(channels, loudness.Hop)}
}

// After leaves the first hops out of the course: they are only what its filters have heard before.
func (l *Listener) After(hops int) *Listener {
	l.before = hops
	return l
}

// Write takes the next frames.
func (l *Listener) Write(pcm audio.PCM) {
	for at := audio.Frames(0); at < pcm.Length(); {
		n := min(pcm.Length()-at, loudness.Hop-l.filled)
		for c := range pcm {
			copy(l.hop[c][l.filled:], pcm[c][at:at+n])
		}
		at += n
		if l.filled += n; l.filled == loudness.Hop {
			l.next()
		}
	}
}

func (l *Listener) next() {
	hop := l.hop.Slice(0, l.filled)
	own := hop.Peak()
	if l.before > 0 {
		l.before--
		l.filled = 0
		l.meter.next(hop, own)
		return
	}
	power, peak := l.meter.next(hop, max(own, min(l.loud, l.course.Highest)))
	if l.course.Highest = max(l.course.Highest, peak); peak <= l.loud {
		peak = own
	}
	if l.filled == loudness.Hop {
		l.course.Powers = append(l.course.Powers, power)
	}
	l.course.True = append(l.course.True, peak)
	l.course.Sample = max(l.course.Sample, own)
	l.course.Length += l.filled
	l.filled = 0
}

// Course is that of all that has come. Nothing may come after it.
func (l *Listener) Course() Course {
	if l.filled > 0 {
		l.next()
	}
	return l.course
}

// Then is the course of what comes after it, too.
func (c Course) Then(next Course) Course {
	return Course{
		Length: c.Length + next.Length, Powers: append(c.Powers, next.Powers...), True: append(c.True, next.True...),
		Sample: max(c.Sample, next.Sample), Highest: max(c.Highest, next.Highest), Heights: append(c.Heights, next.Heights...),
	}
}

// Outline are the heights of a silhouette of so many equal stretches: the highest peak of each, as 0 for -36 dB or
// less to 255 for full scale.
func (c Course) Outline(count int) []byte {
	const lowest = -36
	out := make([]byte, count)
	for i := range out {
		from, to := i*len(c.True)/count, (i+1)*len(c.True)/count
		if len(c.True) == 0 {
			break
		}
		peak := slices.Max(c.True[from:max(to, from+1)])
		level := float64(audio.Level(float64(peak)))
		out[i] = byte(math.Round(255 * max(0, min(1, 1-level/lowest))))
	}
	return out
}

// hopMeter measures a sound 100 ms at a time.
type hopMeter struct {
	pair   *loudness.Pair
	peaks  []loudness.TruePeak
	silent audio.PCM
}

func newHops(channels int) *hopMeter {
	return &hopMeter{loudness.NewPair(channels), make([]loudness.TruePeak, channels), audio.NewPCM(channels, loudness.Hop)}
}

// next measures the next 100 ms. Only true peaks above a level are looked for.
func (m *hopMeter) next(pcm audio.PCM, level float32) (power float64, peak float32) {
	power, _, _ = m.pair.Hop(pcm, m.silent.Slice(0, pcm.Length()))
	for c := range pcm {
		m.peaks[c].ResetTo(level)
		peak = max(peak, m.peaks[c].Write(pcm[c]))
	}
	return power, peak
}

// each does count pieces of work on all cores.
func each(ctx context.Context, count int, turn func(do func()), progress func(part float64), work func(n int) error) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	done := make(chan struct{}, count)
	told := make(chan struct{})
	go func() {
		defer close(told)
		n := 0
		for range done {
			n++
			progress(float64(n) / float64(count))
		}
	}()
	for n := range count {
		g.Go(func() (err error) {
			if err := ctx.Err(); err != nil {
				return err
			}
			turn(func() {
				if guarded := audio.Guard(func() { err = work(n) }); err == nil {
					err = guarded
				}
			})
			done <- struct{}{}
			return err
		})
	}
	err := g.Wait()
	close(done)
	<-told
	return err
}

// Loudness is what a meter finds in the whole.
func (c Course) Loudness() loudness.Result {
	r := loudness.Sum(c.Powers, c.Length)
	r.TruePeak = float64(audio.Level(float64(max(c.peak(), c.Sample, c.Highest))))
	r.SamplePeak = float64(audio.Level(float64(c.Sample)))
	return r
}

func (c Course) peak() (peak float32) {
	for _, p := range c.True {
		peak = max(peak, p)
	}
	return peak
}
