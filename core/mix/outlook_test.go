package mix_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/testkit/truth"
)

// What is said of the target before handing over is what is done then: within 0.2 dB and 1 % of the time, from facts alone.
func TestWhatTheTargetWillTakeIsWhatItTakes(t *testing.T) {
	voices := [][]audio.PCM{truth.Murmur(1, 20), truth.Murmur(2, 20)}
	music := []audio.PCM{{truth.Music(1, 45*audio.Second)}, {truth.Music(2, 45*audio.Second)}}
	worked := 0
	for seed := range uint64(6) {
		s := truth.NewSession(seed, 45, voices, music)
		for i := range s.Document.Tracks {
			s.Document.Tracks[i].Pan = 0.6 * float64(int(seed+uint64(i))%3-1)
		}
		plan, err := mix.CompileFrom(s.Document, s.Source, nil)
		require.NoError(t, err)
		measured, err := plan.Measure(t.Context())
		require.NoError(t, err)
		for _, channels := range []int{1, 2} {
			stretch := master.Stretch{To: plan.Length(), Channels: channels, Renderer: func() master.Render { return mix.NewRenderer(plan).Render }}
			course, err := master.Along(t.Context(), stretch, func(do func()) { do() }, func(float64) {})
			require.NoError(t, err)
			for _, target := range loudness.Targets()[:2] {
				t.Run(fmt.Sprintf("%d, %d channels, %s", seed, channels, target.Key), func(t *testing.T) {
					m, err := master.Reach(t.Context(), stretch, course, target.Integrated, master.Ceiling{Level: target.TruePeak}, func(do func()) { do() }, func(float64) {})
					require.NoError(t, err)
					ahead := measured.Course(channels).Ahead(target, target.TruePeak)
					t.Logf("said %+.2f dB, %.2f %%, %.2f dB; done %+.2f dB, %.2f %%, %.2f dB", ahead.Gain, 100*ahead.Touched, ahead.Most, m.Gain, 100*m.Touched, m.Most)
					assert.InDelta(t, m.Gain, ahead.Gain, 0.2)
					assert.InDelta(t, m.Most, ahead.Most, 0.2)
					assert.InDelta(t, m.Touched, ahead.Touched, 0.01)
					assert.Equal(t, m.Reached, ahead.Reached)
					if m.Touched > 0.03 {
						worked++
					}
				})
			}
		}
	}
	assert.Greater(t, worked, 2, "the limiter is at work in some of them")
}
