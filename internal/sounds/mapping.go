package sounds

import (
	"context"
	"fmt"
	"os"
	"sync"
	"syscall"
	"unsafe"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/speech"
)

// mapping is the samples of a working copy mapped into memory, once for all who read them.
type mapping struct {
	pcm     audio.PCM
	raw     [][]byte
	readers int
	closed  bool
}

func mapCopy(dir string) (*mapping, error) {
	channels, length, err := checkCopy(dir)
	if err != nil {
		return nil, err
	}
	m := &mapping{}
	for c := range channels {
		data, err := mapFile(channelFile(dir, c), 4*int(length))
		if err != nil {
			m.unmap()
			return nil, err
		}
		m.raw = append(m.raw, data)
		m.pcm = append(m.pcm, unsafe.Slice((*float32)(unsafe.Pointer(&data[0])), length))
	}
	return m, nil
}

func mapFile(path string, size int) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := syscall.Mmap(int(f.Fd()), 0, size, syscall.PROT_READ, syscall.MAP_SHARED)
	if err != nil {
		return nil, fmt.Errorf("map %s: %w", path, err)
	}
	return data, nil
}

func (m *mapping) unmap() {
	for _, data := range m.raw {
		_ = syscall.Munmap(data)
	}
	m.pcm, m.raw, m.closed = nil, nil, true
}

// Copy is the working copy of a sound: its samples at 48 kHz, mapped into memory. They are
// read within audio.Guard, and not after Close.
type Copy struct {
	PCM   audio.PCM
	close func()
}

// Close gives the copy back; when nobody reads it any more, it is unmapped. A second call does nothing.
func (c *Copy) Close() { c.close() }

// Open gives the working copy of a sound, making it anew if it is missing or damaged.
// Whoever opens it closes it.
func (l *Sounds) Open(ctx context.Context, id string) (*Copy, error) {
	for {
		if c := l.read(id); c != nil {
			return c, nil
		}
		if _, err := l.opening.Do(ctx, id, func(ctx context.Context) (struct{}, error) { return struct{}{}, l.bringIn(ctx, id) }); err != nil {
			return nil, err
		}
	}
}

// bringIn maps a working copy and keeps it for those who are about to read it.
func (l *Sounds) bringIn(ctx context.Context, id string) error {
	m, err := mapCopy(l.folder(id))
	if err != nil {
		if err := l.makeAnew(ctx, id); err != nil {
			return err
		}
		if m, err = mapCopy(l.folder(id)); err != nil {
			return err
		}
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if old := l.mapped[id]; old != nil && old.readers == 0 {
		l.end(old)
	}
	l.live++
	l.mapped[id] = m
	return nil
}

// read gives a copy that is mapped and whose files are as they were when it was.
func (l *Sounds) read(id string) *Copy {
	l.mu.Lock()
	defer l.mu.Unlock()
	m := l.mapped[id]
	if m == nil || m.closed {
		return nil
	}
	if channels, length, err := checkCopy(l.folder(id)); err != nil || channels != len(m.pcm) || length != m.pcm.Length() {
		return nil // those who read the old one go on with it
	}
	m.readers++
	var once sync.Once
	return &Copy{PCM: m.pcm, close: func() { once.Do(func() { l.release(id, m) }) }}
}

func (l *Sounds) release(id string, m *mapping) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if m.readers--; m.readers > 0 {
		return
	}
	l.end(m)
	if l.mapped[id] == m {
		delete(l.mapped, id)
	}
}

func (l *Sounds) end(m *mapping) {
	m.unmap()
	l.live--
}

// Mapped is how many working copies are mapped.
func (l *Sounds) Mapped() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.live
}

// Hold opens the working copies that a plan is compiled from and keeps them open until it
// is closed. It is for one goroutine.
type Hold struct {
	library *Sounds
	ctx     context.Context
	open    map[string]*Copy
}

// Hold begins one.
func (l *Sounds) Hold(ctx context.Context) *Hold {
	return &Hold{library: l, ctx: ctx, open: map[string]*Copy{}}
}

// Samples gives the planar samples of a sound, as core/mix asks for them.
func (h *Hold) Samples(id string) (audio.PCM, error) {
	if c, there := h.open[id]; there {
		return c.PCM, nil
	}
	c, err := h.library.Open(h.ctx, id)
	if err != nil {
		return nil, err
	}
	h.open[id] = c
	return c.PCM, nil
}

// Phrases gives where somebody speaks in a sound, as core/mix asks for it.
func (h *Hold) Phrases(id string, sensitivity float64) ([]speech.Phrase, error) {
	return h.library.Speech(h.ctx).Phrases(id, sensitivity)
}

// Powers gives the K-weighted powers of a sound, as core/mix asks for them.
func (h *Hold) Powers(id string) (loudness.Series, error) { return h.library.Powers(h.ctx, id) }

// Close gives all copies back.
func (h *Hold) Close() {
	for _, c := range h.open {
		c.Close()
	}
	clear(h.open)
}
