package sounds

import (
	"container/list"
	"context"
	"sync"

	"ruvel/core/waveform"
)

// peaksKept is how many bytes of peaks are kept in memory: those of about nine hours.
const peaksKept = 128 << 20

// peakCache keeps the peaks that were asked for last, bounded by bytes. It is safe for use by many goroutines.
type peakCache struct {
	mu    sync.Mutex
	most  int
	bytes int
	byID  map[string]*list.Element
	order list.List // the last used first
}

type keptPeaks struct {
	id    string
	bytes int
	peaks waveform.Pyramid
}

func (c *peakCache) find(id string) (waveform.Pyramid, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, there := c.byID[id]
	if !there {
		return waveform.Pyramid{}, false
	}
	c.order.MoveToFront(e)
	return e.Value.(keptPeaks).peaks, true
}

func (c *peakCache) keep(id string, p waveform.Pyramid) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.drop(id)
	k := keptPeaks{id, p.Bytes(), p}
	c.byID[id] = c.order.PushFront(k)
	c.bytes += k.bytes
	for c.bytes > c.most && c.order.Len() > 1 {
		c.drop(c.order.Back().Value.(keptPeaks).id)
	}
}

// forget drops what is kept of a sound.
func (c *peakCache) forget(id string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.drop(id)
}

func (c *peakCache) drop(id string) {
	if e, there := c.byID[id]; there {
		c.bytes -= c.order.Remove(e).(keptPeaks).bytes
		delete(c.byID, id)
	}
}

// KeepPeaks says how many bytes of peaks are kept in memory.
func (l *Library) KeepPeaks(bytes int) {
	l.peaks.mu.Lock()
	defer l.peaks.mu.Unlock()
	l.peaks.most = bytes
}

// PeakBytes is how many bytes of peaks are kept in memory.
func (l *Library) PeakBytes() int {
	l.peaks.mu.Lock()
	defer l.peaks.mu.Unlock()
	return l.peaks.bytes
}

// Peaks gives the peaks of a sound, making its working copy anew if it is missing or damaged.
func (l *Library) Peaks(ctx context.Context, id string) (waveform.Pyramid, error) {
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
		l.peaks.keep(id, p)
		return p, nil
	})
}

// PeaksOf is Peaks as core/mix asks for them.
func (l *Library) PeaksOf(ctx context.Context) func(id string) (waveform.Pyramid, error) {
	return func(id string) (waveform.Pyramid, error) { return l.Peaks(ctx, id) }
}
