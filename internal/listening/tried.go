package listening

import (
	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/internal/media"
)

// File is a stretch of a mix as a file, which is rendered while it is read: of what nobody reads there is nothing. Each piece is
// rendered within turn, which may refuse. What cannot be rendered at its beginning is an error at once.
func File(plan *mix.Plan, from, to audio.Frames, turn func(func()) error) (*media.Played, error) {
	r, room := mix.NewRenderer(plan), audio.NewPCM(2, audio.Second)
	var at, n audio.Frames // what is in the room
	frames := func(first, count audio.Frames) (audio.PCM, error) {
		if first < at || first+count > at+n {
			var err error
			at, n = first, min(audio.Second, to-from-first)
			if refused := turn(func() { err = r.Render(room.Slice(0, n), from+at) }); refused != nil {
				err = refused
			}
			if err != nil {
				n = 0
				return nil, err
			}
		}
		return room.Slice(first-at, first-at+count), nil
	}
	_, err := frames(0, 1)
	return media.Play(2, to-from, frames), err
}
