package sounds

import (
	"context"
	"errors"
	"fmt"

	"ruvel/core/audio"
	"ruvel/core/fit"
	"ruvel/core/problem"
)

// piecesKept is how many bytes of what was found in music are kept in memory.
const piecesKept = 16 << 20

// Fit finds ways to bring a piece of music, a sound from a place in it on, to a length.
func (l *Sounds) Fit(ctx context.Context, sound string, from, length audio.Frames) (piece fit.Piece, ways []fit.Fitted, err error) {
	if piece, err = l.Piece(ctx, sound, from); err != nil {
		return piece, nil, err
	}
	c, err := l.Open(ctx, sound)
	if err != nil {
		return piece, nil, err
	}
	defer c.Close()
	found := audio.Guard(func() { ways, err = piece.Fit(c.PCM.Slice(from, c.PCM.Length()), length) })
	for _, w := range ways {
		for k := range w.Parts {
			w.Parts[k].From += from
			w.Parts[k].To += from
		}
	}
	return piece, ways, errors.Join(found, err)
}

// Piece is what is found in a piece of music, a sound from a place in it on. The first time it is
// listened to, for about a fiftieth of its length, and a working copy that is not there is made anew.
func (l *Sounds) Piece(ctx context.Context, sound string, from audio.Frames) (fit.Piece, error) {
	name := fmt.Sprintf("%s %d", sound, from)
	if p, there := l.pieces.find(name); there {
		return p, nil
	}
	return l.hearing.Do(ctx, name, func(ctx context.Context) (p fit.Piece, err error) {
		c, err := l.Open(ctx, sound)
		if err != nil {
			return p, err
		}
		defer c.Close()
		if from < 0 || from >= c.PCM.Length() || c.PCM.Length()-from > fit.Longest {
			return p, problem.New("too-long", "clip", "A piece of up to %v can be fitted; this one is longer.", fit.Longest)
		}
		if err := audio.Guard(func() { p = fit.Listen(c.PCM.Slice(from, c.PCM.Length())) }); err != nil {
			return p, err
		}
		l.pieces.keep(name, p, 256+320*len(p.Beats))
		return p, nil
	})
}
