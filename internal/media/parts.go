package media

import (
	"context"
	"fmt"

	"ruvel/core/audio"
	"ruvel/core/master"
)

// Parts is how a file of a setting and a length is cut into parts, each of which can be rendered and encoded by itself, wherever. Joined
// they are the file that Create writes, byte for byte.
type Parts struct {
	setting Setting
	length  audio.Frames
}

// InParts says whether a file of a setting can be made in parts: an MP3 at the rate of the mix, whose frames do not lean on each other.
func (s Setting) InParts() bool { return s.Format.how == asMP3 && s.Rate == audio.Rate }

// NewParts cuts a file of a setting that is InParts.
func NewParts(s Setting, length audio.Frames) Parts { return Parts{s, length} }

func (p Parts) encoder(ctx context.Context, dir string, loud float32) *mp3 {
	return &mp3{ctx: ctx, setting: p.setting, dir: dir, frames: int64(p.length), piece: mp3Most, known: &Pieces{Loud: loud}}
}

// Count is how many parts there are.
func (p Parts) Count() int {
	return 1 + max(0, int((int64(p.length)/mp3Frame-mp3Tail)/mp3Most))
}

// Window is from which frames (included) to which (excluded) of the file a part is encoded: with some before and after it that its
// neighbours have, too.
func (p Parts) Window(n int) (from, to audio.Frames) {
	_, begins, ends := p.encoder(context.Background(), "", 1).part(int64(n), n == p.Count()-1)
	return audio.Frames(begins), audio.Frames(ends)
}

// Part is a part as it was encoded, and as it is when it is decoded.
type Part struct {
	Frames []byte
	Course master.Course
}

// Encode encodes a part from its window, in a folder for what must lie on the disk meanwhile. True peaks above loud, an amplitude, are told.
func (p Parts) Encode(ctx context.Context, dir string, n int, pcm audio.PCM, loud float32) (Part, error) {
	from, to := p.Window(n)
	if n < 0 || n >= p.Count() || pcm.Length() != to-from || len(pcm) != p.setting.Channels {
		return Part{}, fmt.Errorf("part %d of %d is encoded from %d frames of %d channels, and %d of %d came", n, p.Count(), to-from, p.setting.Channels, pcm.Length(), len(pcm))
	}
	m := p.encoder(ctx, dir, loud)
	part, _, _ := m.part(int64(n), n == p.Count()-1)
	made, err := m.made(louder(nil, pcm, m.factor()), part)
	return Part{made.frames, made.course}, err
}

// Join writes a file of all its parts, in their order, which next gives, and gives the course of it. If it fails there may be half a file.
func (p Parts) Join(ctx context.Context, path string, label Label, next func(n int) (Part, error)) (master.Course, error) {
	m, err := newMP3(ctx, path, p.setting, &label, nil)
	if err != nil {
		return master.Course{}, err
	}
	m.frames = int64(p.length)
	for n := 0; n < p.Count() && err == nil; n++ {
		var part Part
		if part, err = next(n); err != nil {
			break
		}
		done := make(chan mp3Part, 1)
		done <- mp3Part{frames: part.Frames, course: part.Course}
		select {
		case m.order <- done:
		case <-m.ctx.Done():
			err = m.why()
		}
	}
	if err = m.end(err); err != nil {
		return master.Course{}, err
	}
	return m.course, nil
}
