package listening

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
)

func TestAListenerIsNotSentMoreThanASecondAndAHalfAheadOfWhatWasHeard(t *testing.T) {
	const more = audio.Second / 10
	for name, c := range map[string]struct {
		played time.Duration
		sent   audio.Frames
	}{
		"at the beginning half a second comes at once":          {0, leadAtOnce + 2*more}, // and then twice as fast as it is heard
		"later what was heard and a second and a half":          {10 * time.Second, 10*audio.Second + mostLead + more},
		"and no more to one who has listened for a long time":   {time.Hour, 3600*audio.Second + mostLead + more},
		"half way from the one to the other, twice what played": {time.Second / 2, leadAtOnce + audio.Second + 2*more},
	} {
		begun := time.Now()
		assert.True(t, (&Stream{sent: c.sent}).pause(t.Context(), begun.Add(-c.played)), name)
		assert.GreaterOrEqual(t, time.Since(begun), 90*time.Millisecond, name)
	}
}
