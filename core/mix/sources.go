package mix

import (
	"sync"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/speech"
)

// Sounds gives the whole planar samples of a sound by its id. The slices are read only
// and stay readable for as long as any plan that was compiled from them is rendered.
type Sounds func(id string) (audio.PCM, error)

// Source is where a plan has its sounds from, with what has been found out about them.
//
// It is asked while a plan is compiled, in any order, by one goroutine, for ids that stand in the document. What it gives is read only and
// not kept by the source's caller beyond the life of the plan; the samples stay readable for as long as any plan that was compiled from them
// is rendered, by many goroutines, and the same id gives the same samples each time. A sound that is not there or cannot be read is an error,
// and ends compiling; samples that lie in a file which is cut short afterwards are read within audio.Guard. A method may take long the first
// time, when something has to be made or found out.
type Source interface {
	// Samples gives the samples of a sound at 48 kHz, one or two channels of equal length, at least one frame; as Sounds does.
	Samples(id string) (audio.PCM, error)
	// Phrases gives where somebody speaks in a sound, in frames of it, in order and apart; none is no error. As speech.Source does.
	Phrases(id string, sensitivity float64) ([]speech.Phrase, error)
	// Powers gives the mean K-weighted squares of a sound per 100 ms, one for each of its channels.
	Powers(id string) (loudness.Series, error)
}

// Known is a source that finds out by itself what is to be known of sounds, each once.
func Known(sounds Sounds) Source { return &known{listened{sounds: sounds}} }

// known is asked for everything while a plan is compiled.
type known struct{ listened }

// listened is a source that finds out by itself what is not known of sounds.
type listened struct {
	sounds  Sounds
	mu      sync.Mutex
	phrases map[string][]speech.Phrase
	powers  map[string]loudness.Series
}

// Samples gives the samples of a sound.
func (l *listened) Samples(id string) (audio.PCM, error) { return l.sounds(id) }

// Phrases listens to a sound.
func (l *listened) Phrases(id string, sensitivity float64) ([]speech.Phrase, error) {
	return found(l, id, &l.phrases, func(pcm audio.PCM) []speech.Phrase { return speech.FindWith(pcm, sensitivity) })
}

// Powers measures a sound.
func (l *listened) Powers(id string) (loudness.Series, error) {
	return found(l, id, &l.powers, loudness.Powers)
}

func found[V any](l *listened, id string, in *map[string]V, find func(audio.PCM) V) (v V, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if v, there := (*in)[id]; there {
		return v, nil
	}
	pcm, err := l.sounds(id)
	if err != nil {
		return v, err
	}
	if err := audio.Guard(func() { v = find(pcm) }); err != nil {
		return v, err
	}
	if *in == nil {
		*in = map[string]V{}
	}
	(*in)[id] = v
	return v, nil
}
