package bench

import (
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/testkit/truth"
)

// BenchmarkMakingWay says how clear speech becomes in fifty sessions that are made up: how many places miss the aim before and after all
// music and effects keep a lead, and how much softer they are for it while somebody speaks. With RUVEL_VOICES and RUVEL_MUSIC, folders of
// sound files, they are made of those.
func BenchmarkMakingWay(b *testing.B) {
	voices, music := material(b)
	for range b.N {
		var before, after int
		var lost, moments float64
		for seed := range uint64(50) {
			s := truth.NewSession(seed, 90, voices, music)
			was, err := s.Heard(ctx)
			require.NoError(b, err)
			for id, way := range duck.Room(s.Document, 15) {
				s.Document.Tracks[s.Document.FindTrack(id)].Way = way
			}
			is, err := s.Heard(ctx)
			require.NoError(b, err)
			before, after = before+len(was.Misses), after+len(is.Misses)
			for i, lead := range was.Course.Long {
				if lead == lead && was.Rest[i] > duck.Inaudible {
					lost += 10 * math.Log10(was.Rest[i]/(is.Rest[i]+1e-12))
					moments++
				}
			}
		}
		b.ReportMetric(float64(before), "misses-before")
		b.ReportMetric(float64(after), "misses-after")
		b.ReportMetric(lost/moments, "dB-lost")
	}
}

func material(b *testing.B) (voices [][]audio.PCM, music []audio.PCM) {
	if dir := os.Getenv("RUVEL_VOICES"); dir != "" {
		said, err := truth.Folder(ctx, dir)
		require.NoError(b, err)
		music, err = truth.Pieces(ctx, os.Getenv("RUVEL_MUSIC"))
		require.NoError(b, err)
		return [][]audio.PCM{said}, music
	}
	for v := range uint64(4) {
		voices = append(voices, truth.Murmur(100*v, 30))
		music = append(music, audio.PCM{truth.Music(v, 90*audio.Second)})
	}
	return voices, music
}
