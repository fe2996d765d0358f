package shelf

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/fit"
)

func TestTheTempoOfTheHouseCollectionIsFound(t *testing.T) {
	t.Parallel()
	without := map[string]bool{
		"slack-water":         true, // chords that swell, one every four seconds
		"chapel-on-the-point": true, // an organ, whose notes have no beginning that could be counted
	}
	sure := 0
	for _, m := range pieces() {
		found := fit.Listen(played(m.key))
		if without[m.key] {
			assert.Zero(t, found.Tempo, "%s has no steady beat", m.key)
			continue
		}
		octaves := math.Round(math.Log2(found.Tempo / m.bpm))
		assert.InDelta(t, m.bpm, found.Tempo/math.Exp2(octaves), 0.005*m.bpm, m.key)
		if octaves == 0 {
			sure++
			assert.Equal(t, m.beats, found.Bar, m.key)
		} else {
			t.Logf("an octave error: %s has %v beats a minute and is taken for %.1f", m.key, m.bpm, found.Tempo)
		}
		// Beats, and those halfway between them where an octave is wrong, stand where notes are played.
		grid := 60 / m.bpm / math.Exp2(math.Max(0, octaves))
		for _, b := range found.Beats {
			if b < audio.Seconds(m.seconds()-ringing*60/m.bpm) {
				off := math.Mod(b.Seconds()+grid/2, grid) - grid/2
				assert.Less(t, math.Abs(off), 0.02, "%s: a beat at %v", m.key, b)
			}
		}
	}
	assert.GreaterOrEqual(t, sure, 8, "of 11 with a beat")
}
