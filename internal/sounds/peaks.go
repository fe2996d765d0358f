package sounds

import (
	"context"
	"math"
	"os"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"ruvel/core/audio"
	"ruvel/core/waveform"
)

// peaksKept is how many bytes of peaks are kept in memory: those of about nine hours.
const peaksKept = 128 << 20

// memory keeps what was asked for last of sounds, bounded by bytes. It is safe for use by many goroutines.
type memory[V any] struct {
	mu    sync.Mutex
	most  int
	bytes int
	kept  *simplelru.LRU[string, kept[V]] // by the ids of the sounds
}

type kept[V any] struct {
	bytes int
	value V
}

func newMemory[V any](most int) *memory[V] {
	m := &memory[V]{most: most}
	m.kept, _ = simplelru.NewLRU(math.MaxInt, func(_ string, k kept[V]) { m.bytes -= k.bytes }) // whose only error is a size of 0
	return m
}

func (m *memory[V]) find(id string) (value V, there bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	k, there := m.kept.Get(id)
	return k.value, there
}

func (m *memory[V]) keep(id string, value V, bytes int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.kept.Remove(id)
	m.kept.Add(id, kept[V]{bytes, value})
	m.bytes += bytes
	for m.bytes > m.most && m.kept.Len() > 1 {
		m.kept.RemoveOldest()
	}
}

// forget drops what is kept of a sound.
func (m *memory[V]) forget(id string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.kept.Remove(id)
}

// KeepPeaks says how many bytes of peaks are kept in memory.
func (l *Sounds) KeepPeaks(bytes int) {
	l.peaks.mu.Lock()
	defer l.peaks.mu.Unlock()
	l.peaks.most = bytes
}

// PeakBytes is how many bytes of peaks are kept in memory.
func (l *Sounds) PeakBytes() int {
	l.peaks.mu.Lock()
	defer l.peaks.mu.Unlock()
	return l.peaks.bytes
}

// Peaks gives the peaks of a sound, making its working copy anew if it is missing or damaged.
func (l *Sounds) Peaks(ctx context.Context, id string) (waveform.Pyramid, error) {
	if err := ctx.Err(); err != nil {
		return waveform.Pyramid{}, err
	}
	if p, there := l.peaks.find(id); there {
		return p, nil
	}
	return l.reading.Do(ctx, id, func(ctx context.Context) (waveform.Pyramid, error) {
		p, err := readPeaks(l.folder(id))
		if err != nil {
			if err := l.makeAnew(ctx, id); err != nil {
				return p, err
			}
			if p, err = readPeaks(l.folder(id)); err != nil {
				return p, err
			}
		}
		l.peaks.keep(id, p, p.Bytes())
		return p, nil
	})
}

// PeakRange gives up to count peaks of runs of frames, from the first wanted on, without reading
// more than those. The length of a run is a power of four, up to that of the coarsest peaks kept.
func (l *Sounds) PeakRange(ctx context.Context, id string, run audio.Frames, first, count int) (peaks []waveform.Peak, err error) {
	level := 0
	for level+1 < waveform.Levels && waveform.FramesPerPeak(level) < run {
		level++
	}
	if run < waveform.FramesPerPeak(0) {
		return l.fine(ctx, id, run, first, count)
	}
	if peaks, err = l.peaksInFile(id, level, first, count); err == nil {
		return peaks, nil
	}
	p, err := l.Peaks(ctx, id)
	if err != nil {
		return nil, err
	}
	all := p.Levels[level]
	from := min(first, len(all))
	return all[from:min(len(all), from+count)], nil
}

func (l *Sounds) fine(ctx context.Context, id string, run audio.Frames, first, count int) (peaks []waveform.Peak, err error) {
	c, err := l.Open(ctx, id)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	err = audio.Guard(func() { peaks = waveform.Fine(c.PCM, audio.Frames(first)*run, count, run) })
	return peaks, err
}

func (l *Sounds) peaksInFile(id string, level, first, count int) ([]waveform.Peak, error) {
	f, err := os.Open(peaksFile(l.folder(id)))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return waveform.ReadPeaks(f, level, first, count)
}

// PeaksOf is Peaks as core/mix asks for them.
func (l *Sounds) PeaksOf(ctx context.Context) func(id string) (waveform.Pyramid, error) {
	return func(id string) (waveform.Pyramid, error) { return l.Peaks(ctx, id) }
}
