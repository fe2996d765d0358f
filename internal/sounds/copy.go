package sounds

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"unsafe"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/waveform"
)

// A working copy is a folder: one file of 32-bit floats in the machine's byte order
// for each channel, the K-weighted powers, and the peaks, which are written last.
func channelFile(dir string, channel int) string {
	return filepath.Join(dir, fmt.Sprintf("channel-%d.f32", channel))
}

func peaksFile(dir string) string { return filepath.Join(dir, "peaks") }

func powersFile(dir string) string { return filepath.Join(dir, "powers") }

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

func (w *copyWriter) finish(powers loudness.Series) error {
	if err := writePowers(w.dir, powers); err != nil {
		return err
	}
	for _, b := range w.writers {
		if err := b.Flush(); err != nil {
			return err
		}
	}
	data, err := w.peaks.Pyramid().MarshalBinary()
	if err != nil {
		return err
	}
	return errors.Join(w.close(), os.WriteFile(peaksFile(w.dir), data, 0o600))
}

func (w *copyWriter) close() error {
	var errs []error
	for _, f := range w.files {
		errs = append(errs, f.Close())
	}
	w.files = nil
	return errors.Join(errs...)
}

// checkCopy says what is wrong with a working copy, and how long it is in frames. One whose
// files do not fit together is damaged, and is made anew by the caller.
func checkCopy(dir string) (channels int, length audio.Frames, err error) {
	f, err := os.Open(peaksFile(dir))
	if err != nil {
		return 0, 0, err
	}
	defer f.Close()
	peaks, err := waveform.ReadLength(f)
	if err != nil {
		return 0, 0, err
	}
	for ; channels < 2; channels++ {
		info, err := os.Stat(channelFile(dir, channels))
		if errors.Is(err, os.ErrNotExist) && channels > 0 {
			break
		}
		if err != nil {
			return 0, 0, err
		}
		n := audio.Frames(info.Size() / 4)
		if n == 0 || info.Size()%4 != 0 || (channels > 0 && n != length) || (n+waveform.Finest-1)/waveform.Finest != peaks {
			return 0, 0, fmt.Errorf("the working copy in %s is damaged", dir)
		}
		length = n
	}
	return channels, length, nil
}

// readPeaks reads the peaks of a working copy.
func readPeaks(dir string) (p waveform.Pyramid, err error) {
	if _, _, err := checkCopy(dir); err != nil {
		return p, err
	}
	data, err := os.ReadFile(peaksFile(dir))
	if err != nil {
		return p, err
	}
	return p, p.UnmarshalBinary(data)
}

func asBytes(samples []float32) []byte {
	if len(samples) == 0 {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(&samples[0])), 4*len(samples))
}
