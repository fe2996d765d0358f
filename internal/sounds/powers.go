package sounds

import (
	"context"

	"ruvel/core/audio"
	"ruvel/core/loudness"
)

// powersKept is how many bytes of powers are kept in memory: those of more than a hundred hours.
const powersKept = 32 << 20

// Powers gives the K-weighted powers of a sound. They are measured from its working copy when
// they are asked for first, on one core: an hour takes about a second.
func (l *Library) Powers(ctx context.Context, id string) (loudness.Series, error) {
	if s, there := l.powers.find(id); there {
		return s, nil
	}
	return l.weighing.Do(ctx, id, func(ctx context.Context) (s loudness.Series, err error) {
		c, err := l.Open(ctx, id)
		if err != nil {
			return nil, err
		}
		defer c.Close()
		if err := audio.Guard(func() { s = loudness.Powers(c.PCM) }); err != nil {
			return nil, err
		}
		bytes := 0
		for _, channel := range s {
			bytes += 4 * len(channel)
		}
		l.powers.keep(id, s, bytes)
		return s, nil
	})
}
