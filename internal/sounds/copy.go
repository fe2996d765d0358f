package sounds

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"unsafe"

	"ruvel/core/audio"
	"ruvel/core/waveform"
)

// Copy is a working copy: the samples at 48 kHz, mapped into memory, and their peaks.
// The mapping lives as long as the process, so that a render never loses its ground.
type Copy struct {
	PCM   audio.PCM
	Peaks waveform.Pyramid
}

// A working copy is a folder: one file of 32-bit floats in the machine's byte order
// for each channel, and the peaks, which are written last.
func channelFile(dir string, channel int) string {
	return filepath.Join(dir, fmt.Sprintf("channel-%d.f32", channel))
}

func peaksFile(dir string) string { return filepath.Join(dir, "peaks") }

type copyWriter struct {
	dir     string
	files   []*os.File
	writers []*bufio.Writer
	peaks   waveform.Builder
}

func newCopyWriter(dir string, channels int) (*copyWriter, error) {
	w := &copyWriter{dir: dir}
	for c := range channels {
		f, err := os.Create(channelFile(dir, c))
		if err != nil {
			w.close()
			return nil, err
		}
		w.files = append(w.files, f)
		w.writers = append(w.writers, bufio.NewWriterSize(f, 1<<18))
	}
	return w, nil
}

func (w *copyWriter) write(pcm audio.PCM) error {
	w.peaks.Write(pcm)
	for c := range pcm {
		if _, err := w.writers[c].Write(asBytes(pcm[c])); err != nil {
			return err
		}
	}
	return nil
}

func (w *copyWriter) finish() error {
	for _, b := range w.writers {
		if err := b.Flush(); err != nil {
			return err
		}
	}
	data, err := w.peaks.Pyramid().MarshalBinary()
	if err != nil {
		return err
	}
	return errors.Join(w.close(), os.WriteFile(peaksFile(w.dir), data, 0o644))
}

func (w *copyWriter) close() error {
	var errs []error
	for _, f := range w.files {
		errs = append(errs, f.Close())
	}
	w.files = nil
	return errors.Join(errs...)
}

// openCopy maps a working copy. One whose files do not fit together is an error, and is made anew by the caller.
func openCopy(dir string) (*Copy, error) {
	data, err := os.ReadFile(peaksFile(dir))
	if err != nil {
		return nil, err
	}
	c := &Copy{}
	if err := c.Peaks.UnmarshalBinary(data); err != nil {
		return nil, err
	}
	for channel := range 2 {
		samples, err := mapFile(channelFile(dir, channel))
		if errors.Is(err, os.ErrNotExist) && channel > 0 {
			break
		}
		if err != nil {
			return nil, err
		}
		c.PCM = append(c.PCM, samples)
	}
	peaks := audio.Frames(len(c.Peaks.Levels[0]))
	for _, samples := range c.PCM {
		if n := audio.Frames(len(samples)); n == 0 || n != c.PCM.Length() || (n+waveform.Finest-1)/waveform.Finest != peaks {
			return nil, fmt.Errorf("the working copy in %s is damaged", dir)
		}
	}
	return c, nil
}

func mapFile(path string) ([]float32, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if info.Size() < 4 || info.Size()%4 != 0 {
		return nil, fmt.Errorf("%s has an odd length", path)
	}
	data, err := syscall.Mmap(int(f.Fd()), 0, int(info.Size()), syscall.PROT_READ, syscall.MAP_SHARED)
	if err != nil {
		return nil, fmt.Errorf("map %s: %w", path, err)
	}
	return unsafe.Slice((*float32)(unsafe.Pointer(&data[0])), len(data)/4), nil
}

func asBytes(samples []float32) []byte {
	if len(samples) == 0 {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(&samples[0])), 4*len(samples))
}
