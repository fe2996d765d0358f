package sounds

import (
	"context"
	"errors"

	"ruvel/core/audio"
)

// errNotThere says that a sound has no working copy at the moment.
var errNotThere = errors.New("the sound has no working copy at the moment")

// Listen opens sounds for an edit that listens to them, until done is called. It gives
// frames as copies, and of sounds alone whose working copies are there: no edit waits for one to be made.
func (l *Sounds) Listen(ctx context.Context) (samples func(id string, from, to audio.Frames) (audio.PCM, error), done func()) {
	hold := l.Hold(ctx)
	return func(id string, from, to audio.Frames) (out audio.PCM, err error) {
		if _, _, err := checkCopy(l.folder(id)); err != nil {
			return nil, errNotThere
		}
		pcm, err := hold.Samples(id)
		if err != nil {
			return nil, err
		}
		if from < 0 || from > to || to > pcm.Length() {
			return nil, errNotThere
		}
		out = audio.NewPCM(len(pcm), to-from)
		err = audio.Guard(func() {
			for c := range out {
				copy(out[c], pcm[c][from:to])
			}
		})
		return out, err
	}, hold.Close
}
