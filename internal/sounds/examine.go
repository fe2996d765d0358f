package sounds

import (
	"context"
	"encoding/json"
	"log/slog"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/review"
	"ruvel/core/speech"
)

// examinedKept is how many bytes of findings in sounds are kept in memory.
const examinedKept = 4 << 20

// Examined is what is found in a sound by itself. It lies beside its working copy; where it was found by
// another version of the examination, or not yet, it is found now, one sound at a time.
func (l *Sounds) Examined(ctx context.Context, sound string) (review.Examined, error) {
	if e, there := l.examined.find(sound); there {
		return e, nil
	}
	return l.examining.Do(ctx, sound, func(ctx context.Context) (review.Examined, error) {
		e, err := l.examine(ctx, sound)
		if err == nil {
			l.examined.keep(sound, e, 128+24*len(e.Flat))
		}
		return e, err
	})
}

// examinedForm is what lies beside a working copy. What was found goes by where somebody speaks.
type examinedForm struct {
	Version int             `json:"version"`
	Speech  int             `json:"speech"` // version of the analysis
	Found   review.Examined `json:"found"`
}

func (l *Sounds) examine(ctx context.Context, sound string) (e review.Examined, err error) {
	phrases, err := l.Speech(ctx).Phrases(sound, 0)
	if err != nil {
		return e, err
	}
	c, err := l.Open(ctx, sound)
	if err != nil {
		return e, err
	}
	defer c.Close()
	file := filepath.Join(l.folder(sound), "examined.json")
	var kept examinedForm
	if data, err := os.ReadFile(file); err == nil && json.Unmarshal(data, &kept) == nil && kept.Version == review.ExaminedVersion && kept.Speech == speech.Version {
		return kept.Found, nil
	}
	if err := audio.Guard(func() { e = review.Examine(c.PCM, phrases) }); err != nil {
		return e, err
	}
	if err := writeBeside(l.folder(sound), file, examinedForm{review.ExaminedVersion, speech.Version, e}); err != nil {
		slog.Warn("what was found in a sound is not kept", "sound", sound, "error", err)
	}
	return e, nil
}

// Whole says whether a sound can be read: its working copy is there, or the original that it can be made of.
func (l *Sounds) Whole(ctx context.Context, id string) bool {
	if _, _, err := checkCopy(l.folder(id)); err == nil {
		return true
	}
	return l.Has(ctx, id)
}
