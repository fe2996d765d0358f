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

// Source is where a plan has its sounds from, with what has been found out about them. It is only
// asked while a plan is compiled; what it gives is not changed.
type Source interface {
	// Samples gives the samples of a sound, as Sounds does.
	Samples(id string) (audio.PCM, error)
	// Phrases gives where somebody speaks in a sound, as speech.Source does.
	Phrases(id string, sensitivity float64) ([]speech.Phrase, error)
	// Powers gives the K-weighted powers of a sound.
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
