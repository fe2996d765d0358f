package edit_test

import (
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
)

// Versions share the level lines that an edit leaves alone: whoever reads one must not see it written into.
func TestNobodyWritesIntoALineThatVersionsShare(t *testing.T) {
	doc := session.New()
	negative := audio.DB(math.Copysign(0, -1))
	line := func() []session.Point {
		return []session.Point{{At: 0, Level: negative}, {At: 48000, Level: -6, Bend: -0.5}}
	}
	way := session.UsualWay()
	way.Before = line()
	doc.Tracks = []session.Track{{ID: "t1", Name: "Music", Part: session.Music, Envelope: line(), Way: way, Clips: map[string]session.Clip{}}}
	shared := &doc.Tracks[0].Envelope[0]
	var all sync.WaitGroup
	for i := range 4 {
		all.Go(func() {
			fader := audio.DB(-i)
			for range 50 {
				next, _, err := edit.Apply(doc, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &fader}}}, nil)
				assert.NoError(t, err)
				assert.False(t, math.Signbit(float64(next.Tracks[0].Envelope[0].Level)), "what is stored has no negative zero")
			}
		})
	}
	all.Wait()
	assert.Same(t, shared, &doc.Tracks[0].Envelope[0])
	assert.True(t, math.Signbit(float64(shared.Level)), "the version before is as it was")
	assert.True(t, math.Signbit(float64(doc.Tracks[0].Way.Before[0].Level)))
}
