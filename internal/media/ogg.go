package media

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
)

// An Ogg file is a row of pages (RFC 3533, section 6). Each has a head of 27 bytes: "OggS", a
// version, flags, a position, the number of its stream, its own number, a checksum and how
// many segments it has; then the length of each segment, then the segments. The last page of
// a stream is marked as that.
const (
	oggHead       = 27
	oggLast       = 4 // among the flags
	longestOgg    = oggHead + 255 + 255*255
	oggFlagsAt    = 5
	oggSegmentsAt = 26
)

// checkOgg refuses an Ogg file that ends in the middle of a page, or before the last page of its stream.
func checkOgg(f *os.File) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	size := info.Size()
	tail := make([]byte, min(size, 2*longestOgg))
	if _, err := f.ReadAt(tail, size-int64(len(tail))); err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	// The last beginning of a page that is followed by a whole page, which ends the file.
	for at := bytes.LastIndex(tail, []byte("OggS")); at >= 0; at = bytes.LastIndex(tail[:at], []byte("OggS")) {
		page := tail[at:]
		length, whole := oggLength(page)
		switch {
		case !whole || length > len(page):
			return brokenOff(size)
		case length == len(page) && page[oggFlagsAt]&oggLast != 0:
			return nil
		case length == len(page):
			return brokenOff(size)
		}
		// Something follows that is no page: what a program has put behind the end, or sound that looks like a page.
		if page[oggFlagsAt]&oggLast != 0 {
			return nil
		}
	}
	return brokenOff(size)
}

// oggLength is how long a page is that begins here, if its head is whole.
func oggLength(page []byte) (length int, whole bool) {
	if len(page) < oggHead {
		return 0, false
	}
	segments := int(page[oggSegmentsAt])
	if len(page) < oggHead+segments {
		return 0, false
	}
	length = oggHead + segments
	for _, n := range page[oggHead : oggHead+segments] {
		length += int(n)
	}
	return length, true
}

func brokenOff(size int64) error {
	return Unreadable("truncated", "The file breaks off after %d bytes: its end is missing. Copy it again from where it came from.", size)
}

// SecondReader reads an Ogg Vorbis file through the reference decoder, by way of sox, into a
// WAV file in dir, for those few that ffmpeg does not understand. Where that is not
// possible either, the path is empty.
func SecondReader(ctx context.Context, path, dir string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	head := make([]byte, 64)
	n, _ := io.ReadFull(f, head)
	if !bytes.HasPrefix(head[:n], []byte("OggS")) || !bytes.Contains(head[:n], []byte("\x01vorbis")) {
		return "", nil
	}
	if _, err := exec.LookPath("sox"); err != nil {
		return "", nil
	}
	if err := checkOgg(f); err != nil {
		return "", err
	}
	out := filepath.Join(dir, "second.wav")
	ctx, cancel := context.WithTimeout(ctx, maxRunTime)
	defer cancel()
	cmd := command(ctx, dir, "sox", "-D", "-t", "vorbis", path, "-t", "wav", "-e", "floating-point", "-b", "32", out)
	if err := cmd.Run(); err != nil {
		_ = os.Remove(out)
		return "", ctx.Err()
	}
	return out, nil
}
