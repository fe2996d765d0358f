package sounds

import (
	"context"
	"log/slog"
	"os"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/internal/disk"
)

// powersKept is how many bytes of powers are kept in memory: those of more than a hundred hours.
const powersKept = 32 << 20

// Powers gives the K-weighted powers of a sound. They are measured when it is taken in and lie
// beside its working copy; in one that was made before that, they are measured now, on one
// core: an hour takes about a second.
func (l *Sounds) Powers(ctx context.Context, id string) (loudness.Series, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if s, there := l.powers.find(id); there {
		return s, nil
	}
	return l.weighing.Do(ctx, id, func(ctx context.Context) (s loudness.Series, err error) {
		c, err := l.Open(ctx, id) // which is whole
		if err != nil {
			return nil, err
		}
		defer c.Close()
		if s, err = readPowers(l.folder(id), c.PCM); err != nil {
			if err := audio.Guard(func() { s = loudness.Powers(c.PCM) }); err != nil {
				return nil, err
			}
			if err := writePowers(l.folder(id), s); err != nil {
				slog.Warn("the powers of a sound are not kept", "sound", id, "error", err)
			}
		}
		l.powers.keep(id, s, s.Bytes())
		return s, nil
	})
}

// readPowers reads the powers that lie beside a working copy, if they are those of such a sound.
func readPowers(dir string, pcm audio.PCM) (s loudness.Series, err error) {
	data, err := os.ReadFile(powersFile(dir))
	if err != nil {
		return nil, err
	}
	if err := s.UnmarshalBinary(data); err != nil {
		return nil, err
	}
	if hops := (pcm.Length() + loudness.Hop - 1) / loudness.Hop; len(s) != len(pcm) || audio.Frames(len(s[0])) != hops {
		return nil, loudness.ErrMalformed
	}
	return s, nil
}

func writePowers(dir string, s loudness.Series) error {
	data, err := s.MarshalBinary()
	if err != nil {
		return err
	}
	return disk.File{}.ReplaceBy(powersFile(dir), data)
}
