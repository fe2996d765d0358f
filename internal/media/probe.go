package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"ruvel/core/audio"
)

// Rates of sampling, in hertz, that are believed. A file that states another is damaged, or
// is made to become a thousand times as long.
const (
	lowestRate  = 4000
	highestRate = 768000
)

// Info is what a file says of itself.
type Info struct {
	Format   string            // the container, by ffmpeg's name
	Channels int               // 1 or 2: more are folded down to 2
	Rate     int               // hertz, as recorded
	Expected audio.Frames      // at 48 kHz, as far as the file states it; 0 if it does not
	Guessed  bool              // Expected is only estimated from the file's size
	Tags     map[string]string // lower-case keys
	Longest  audio.Frames      // that it may be; 0: MaxLength
}

type probed struct {
	Streams []struct {
		Type     string            `json:"codec_type"`
		Channels int               `json:"channels"`
		Rate     string            `json:"sample_rate"`
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"streams"`
	Format struct {
		Name     string            `json:"format_name"`
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

// Probe looks at a file. A file that is empty, broken off, of another kind or without
// sound is refused with a problem.Problem.
func Probe(ctx context.Context, path string) (Info, error) {
	if size(path) == 0 {
		return Info{}, Unreadable("empty-file", "The file is empty.")
	}
	if f, p, err := openPlain(path); err != nil {
		return Info{}, err
	} else if f != nil {
		if err := f.Close(); err != nil || p.silent {
			return p.info(), err
		}
	}
	var log, out bytes.Buffer
	cmd := command(ctx, filepath.Dir(path), "ffprobe", append(append([]string{}, guard...),
		"-v", "warning", "-show_entries", "stream=codec_type,channels,sample_rate,duration:stream_tags:format=format_name,duration:format_tags", "-of", "json", path)...)
	cmd.Stdout, cmd.Stderr = &out, &log
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return Info{}, ctx.Err()
		}
		if strings.Contains(log.String(), "moov atom not found") {
			return Info{}, Unreadable("truncated", "The file breaks off: its end is missing. Copy it again from where it came from.")
		}
		if err := checkWhole(path); err != nil {
			return Info{}, err
		}
		return Info{}, Unreadable("not-a-sound", "This is not a sound file that Ruvel can read (WAV, AIFF, FLAC, MP3, M4A, Ogg or Opus).")
	}
	var p probed
	if err := json.Unmarshal(out.Bytes(), &p); err != nil {
		return Info{}, fmt.Errorf("read ffprobe's answer: %w", err)
	}
	for _, s := range p.Streams {
		if s.Type == "audio" && s.Channels > 0 {
			i, err := info(p, s.Channels, s.Rate, s.Duration, s.Tags, path)
			i.Guessed = strings.Contains(log.String(), "Estimating duration from bitrate")
			return i, err
		}
	}
	if len(p.Streams) > 0 {
		return Info{}, Unreadable("no-sound", "There is no sound in this file.")
	}
	return Info{}, Unreadable("not-a-sound", "There is nothing in this file that Ruvel can play.")
}

func info(p probed, channels int, rate, duration string, tags map[string]string, path string) (Info, error) {
	hertz, err := strconv.Atoi(rate)
	if err != nil || hertz <= 0 {
		return Info{}, Unreadable("not-a-sound", "The file does not say at which rate it was recorded.")
	}
	if hertz < lowestRate || hertz > highestRate {
		return Info{}, Unreadable("odd-rate", "The file says that it was recorded at %d Hz. Ruvel reads rates from %d to %d kHz.", hertz, lowestRate/1000, highestRate/1000)
	}
	if duration == "" {
		duration = p.Format.Duration
	}
	seconds, _ := strconv.ParseFloat(duration, 64)
	i := Info{Format: p.Format.Name, Channels: min(channels, 2), Rate: hertz, Expected: audio.Seconds(seconds), Tags: map[string]string{}}
	for _, from := range []map[string]string{tags, p.Format.Tags} {
		for k, v := range from {
			i.Tags[strings.ToLower(k)] = v
		}
	}
	return i, checkWhole(path)
}

// info is what a plain file says of itself.
func (p plainWAV) info() Info {
	seconds := float64(p.frames) / float64(p.rate)
	return Info{Format: "wav", Channels: p.channels, Rate: p.rate, Expected: audio.Seconds(seconds), Tags: map[string]string{}}
}

// checkWhole compares the length that a RIFF or AIFF file states in its head with its
// real one, which ffprobe silently puts right.
func checkWhole(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	var head [8]byte
	if _, err := io.ReadFull(f, head[:]); err != nil {
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return Unreadable("truncated", "The file breaks off after %d bytes.", size(path))
		}
		return err
	}
	var stated uint32
	switch string(head[:4]) {
	case "RIFF":
		stated = binary.LittleEndian.Uint32(head[4:])
	case "FORM":
		stated = binary.BigEndian.Uint32(head[4:])
	case "OggS":
		return checkOgg(f)
	}
	// A writer that could not seek back leaves 0 or the largest number, which says nothing.
	if stated != 0 && stated < 0xFFFFFF00 && size(path)+1 < int64(stated)+8 {
		return Unreadable("truncated", "The file breaks off: %d of %d bytes are there. Copy it again from where it came from.", size(path), int64(stated)+8)
	}
	return nil
}
