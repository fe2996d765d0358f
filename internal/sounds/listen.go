package sounds

import (
	"context"
	"errors"

	"ruvel/core/audio"
	"ruvel/core/speech"
	"ruvel/core/waveform"
)

// errNotThere says that a sound has no working copy at the moment.
var errNotThere = errors.New("the sound has no working copy at the moment")

// Listen opens sounds for an edit that listens to them, until done is called. It gives
// frames as copies, and of sounds alone whose working copies are there: no edit waits for one to be made.
func (l *Library) Listen(ctx context.Context) (samples func(id string, from, to audio.Frames) (audio.PCM, error), done func()) {
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

// spokenKept is how many bytes of phrases are kept in memory: those of some thousand hours.
const spokenKept = 16 << 20

// Speech tells where somebody speaks in sounds, for as long as the context lasts.
func (l *Library) Speech(ctx context.Context) speech.Source { return phrases{ctx, l} }

type phrases struct {
	ctx     context.Context
	library *Library
}

func (p phrases) Phrases(sound string) ([]speech.Phrase, error) {
	if found, there := p.library.spoken.find(sound); there {
		return found, nil
	}
	peaks, err := p.library.Peaks(p.ctx, sound)
	if err != nil {
		return nil, err
	}
	length := audio.Frames(len(peaks.Levels[0])) * waveform.Finest // to a millisecond or two
	found := speech.ByLevel(peaks, length)
	p.library.spoken.keep(sound, found, 64+16*len(found))
	return found, nil
}
