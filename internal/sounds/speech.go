package sounds

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/speech"
	"ruvel/internal/disk"
)

// spokenKept is how many bytes of phrases are kept in memory: those of some thousand hours.
const spokenKept = 16 << 20

// Speech tells where somebody speaks in sounds, for as long as the context lasts. It is found
// when a sound is taken in and lies beside its working copy; where it was found by an older
// version of the analysis, or not yet, it is found now, one sound at a time: an hour takes some seconds.
func (l *Sounds) Speech(ctx context.Context) speech.Source { return phrases{ctx, l} }

type phrases struct {
	ctx     context.Context
	library *Sounds
}

func (p phrases) Phrases(sound string, sensitivity float64) ([]speech.Phrase, error) {
	if err := p.ctx.Err(); err != nil { // also where all is known: who asks for thousands of clips asks for long
		return nil, err
	}
	l, named := p.library, fmt.Sprintf("%s %g", sound, sensitivity)
	if found, there := l.spoken.find(named); there {
		return found, nil
	}
	return l.listening.Do(p.ctx, named, func(ctx context.Context) ([]speech.Phrase, error) {
		found, err := l.listen(ctx, sound, sensitivity)
		if err == nil {
			l.spoken.keep(named, found, 64+16*len(found))
		}
		return found, err
	})
}

// listen reads the phrases of a sound, or finds them. Those that are found with the usual sensitivity
// are kept beside its working copy; any other is an exception, and its phrases are found anew after a restart.
func (l *Sounds) listen(ctx context.Context, sound string, sensitivity float64) (found []speech.Phrase, err error) {
	c, err := l.Open(ctx, sound) // which is whole
	if err != nil {
		return nil, err
	}
	defer c.Close()
	if sensitivity == 0 {
		if found, err := readSpoken(l.folder(sound), c.PCM.Length()); err == nil {
			return found, nil
		}
	}
	if err := audio.Guard(func() { found = speech.FindWith(c.PCM, sensitivity) }); err != nil {
		return nil, err
	}
	if sensitivity == 0 {
		if err := writeSpoken(l.folder(sound), found); err != nil {
			slog.Warn("the phrases of a sound are not kept", "sound", sound, "error", err)
		}
	}
	return found, nil
}

// spoken is what lies beside a working copy of where somebody speaks.
type spoken struct {
	Version int             `json:"version"` // of the analysis
	Phrases []speech.Phrase `json:"phrases"`
}

func spokenFile(dir string) string { return filepath.Join(dir, "speech.json") }

var errOlder = errors.New("found by another version of the analysis, or damaged")

// readSpoken reads the phrases beside a working copy of a length.
func readSpoken(dir string, length audio.Frames) ([]speech.Phrase, error) {
	data, err := os.ReadFile(spokenFile(dir))
	if err != nil {
		return nil, err
	}
	var s spoken
	if err := json.Unmarshal(data, &s); err != nil {
		return nil, err
	}
	last := audio.Frames(-1)
	for _, p := range s.Phrases {
		if p.From <= last || p.To <= p.From || p.To > length {
			return nil, errOlder
		}
		last = p.To
	}
	if s.Version != speech.Version {
		return nil, errOlder
	}
	return s.Phrases, nil
}

func writeSpoken(dir string, found []speech.Phrase) error {
	return writeBeside(dir, spokenFile(dir), spoken{speech.Version, found})
}

// writeBeside writes what was found out about a sound into a file of its working copy, as JSON.
func writeBeside(dir, file string, what any) error {
	data, err := json.Marshal(what)
	if err != nil {
		return err
	}
	return disk.File{}.ReplaceBy(file, data)
}
