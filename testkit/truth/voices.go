package truth

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io/fs"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/testkit"
)

// Flite has a voice of Debian's flite say sentences, each cut to where it sounds.
func Flite(ctx context.Context, voice string, sentences []string) ([]audio.PCM, error) {
	dir, err := os.MkdirTemp("", "truth")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	var out []audio.PCM
	for _, text := range sentences {
		path := filepath.Join(dir, "said.wav")
		if said, err := exec.CommandContext(ctx, "flite", "-voice", voice, "-t", text, "-o", path).CombinedOutput(); err != nil {
			return nil, fmt.Errorf("flite: %w: %s", err, said)
		}
		pcm, err := Read(ctx, path)
		if err != nil {
			return nil, err
		}
		out = append(out, trimmed(pcm, softest))
	}
	return out, nil
}

// Folder are the sentences in the sound files of a folder and of those in it, in the order of their names: each file is taken apart
// where it is silent for 0.3 s, and of what is left that which lasts between 0.25 and 9 s is cut to where it sounds.
func Folder(ctx context.Context, dir string) (out []audio.PCM, err error) {
	all, err := Pieces(ctx, dir)
	for _, pcm := range all {
		for _, s := range takenApart(pcm) {
			if seconds := s.Length().Seconds(); seconds >= 0.25 && seconds <= 9 {
				out = append(out, s)
			}
		}
	}
	return out, err
}

// Pieces are the sound files of a folder and of those in it, in mono, in the order of their names.
func Pieces(ctx context.Context, dir string) ([]audio.PCM, error) {
	var paths []string
	err := filepath.WalkDir(dir, func(path string, entry fs.DirEntry, err error) error {
		if err == nil && !entry.IsDir() && slices.Contains([]string{".wav", ".g722", ".ogg", ".flac"}, filepath.Ext(path)) {
			paths = append(paths, path)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	out := make([]audio.PCM, len(paths))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(4)
	for i, path := range paths {
		g.Go(func() (err error) {
			out[i], err = Read(ctx, path)
			return err
		})
	}
	return out, g.Wait()
}

// Read reads a sound file in mono.
func Read(ctx context.Context, path string) (audio.PCM, error) {
	cmd := exec.CommandContext(ctx, "ffmpeg", "-hide_banner", "-nostdin", "-loglevel", "error", "-i", path, "-f", "f32le", "-ar", "48000", "-ac", "1", "pipe:1")
	var errs bytes.Buffer
	cmd.Stderr = &errs
	data, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("ffmpeg: %s: %w", errs.String(), err)
	}
	pcm := audio.NewPCM(1, audio.Frames(len(data)/4))
	for i := range pcm[0] {
		pcm[0][i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:]))
	}
	return pcm, nil
}

// piece is how finely is looked for where a sentence sounds: 5 ms.
const piece = audio.Rate / 200

// What sounds of a sentence is softer than its loudest 5 ms by so many dB at most, and louder than the softest twentieth by some.
const (
	softest  = 35
	breathes = 26 // of people, who take breath before they speak
	stands   = 10
)

// least is the level from which something sounds, by how much softer than the loudest that may be.
func least(levels []float64, softest float64) float64 {
	all := slices.Sorted(slices.Values(levels))
	return max(all[len(all)-1]-softest, min(all[len(all)/20]+stands, all[len(all)-1]-softest/2))
}

func levels(p audio.PCM) []float64 {
	out := make([]float64, p.Length()/piece)
	for i := range out {
		out[i] = RMS(p[0][i*piece : (i+1)*piece])
	}
	return out
}

// trimmed is a sentence from the first to the last 5 ms that sound.
func trimmed(p audio.PCM, softest float64) audio.PCM {
	all := levels(p)
	if len(all) == 0 {
		return p
	}
	sounds := least(all, softest)
	first := slices.IndexFunc(all, func(v float64) bool { return v > sounds })
	last := len(all) - 1
	for all[last] <= sounds {
		last--
	}
	return p.Slice(audio.Frames(first*piece), audio.Frames((last+1)*piece))
}

// takenApart are the parts of a recording between silences of 0.3 s and more.
func takenApart(p audio.PCM) (out []audio.PCM) {
	const silence = 60 // pieces
	all := levels(p)
	if len(all) == 0 {
		return nil
	}
	sounds := least(all, softest)
	from, quiet := -1, 0
	for i := 0; i <= len(all); i++ {
		if i < len(all) && all[i] > sounds {
			if from < 0 {
				from = i
			}
			quiet = 0
			continue
		}
		if quiet++; from >= 0 && (quiet >= silence || i == len(all)) {
			out = append(out, trimmed(p.Slice(audio.Frames(from*piece), audio.Frames((i+1-quiet)*piece)), breathes))
			from = -1
		}
	}
	return out
}

// Coloured is a sentence by somebody larger, with a size over 1, or smaller; without what lies under a frequency in Hz, and with less of what
// lies over another; 0 leaves either as it is.
func Coloured(s audio.PCM, size, thin, dull float64) audio.PCM {
	out := make([]float32, int(float64(s.Length())*size))
	low, high, last := 0.0, 0.0, 0.0
	under, over := 1-math.Exp(-2*math.Pi*thin/audio.Rate), 1-math.Exp(-2*math.Pi*dull/audio.Rate)
	for i := range out {
		at := float64(i) / size
		k := min(int(at), len(s[0])-2)
		v := float64(s[0][k]) + (at-float64(k))*float64(s[0][k+1]-s[0][k])
		if thin > 0 {
			low += under * (v - low)
			v -= low
		}
		if dull > 0 {
			high += over * (v - high)
			last += over * (high - last)
			v = last
		}
		out[i] = float32(v)
	}
	return trimmed(audio.PCM{out}, softest)
}

// Murmur are sentences in no language, as testkit has them: they need no program.
func Murmur(seed uint64, count int) (out []audio.PCM) {
	for range count {
		seed++
		out = append(out, trimmed(audio.PCM{testkit.Murmur(rand.New(rand.NewPCG(seed, 3)))}, softest))
	}
	return out
}
